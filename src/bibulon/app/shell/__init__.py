"""The window around the stations."""
