"""Widgets and painters that know nothing of a job."""
