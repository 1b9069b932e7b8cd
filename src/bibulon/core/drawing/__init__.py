"""Drawings as plain shapes that any painter can put on screen or paper."""
