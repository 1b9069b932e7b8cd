"""Charge."""
