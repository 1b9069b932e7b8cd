"""Lines."""
