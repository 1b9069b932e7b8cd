"""The plan, and what lies over it."""
