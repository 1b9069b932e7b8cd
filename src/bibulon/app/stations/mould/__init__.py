"""Mould."""
