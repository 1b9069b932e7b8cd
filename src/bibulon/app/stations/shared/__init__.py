"""Pages that several stations show."""
