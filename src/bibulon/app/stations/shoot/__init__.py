"""Shoot."""
