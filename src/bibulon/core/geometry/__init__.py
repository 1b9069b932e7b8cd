"""Outlines, zones and meshing."""
