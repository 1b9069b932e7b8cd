"""Stack."""
