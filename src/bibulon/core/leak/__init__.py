"""Drop tests: leak rate and verdict."""
