"""Edits: functions from a job to a job, by subject."""
