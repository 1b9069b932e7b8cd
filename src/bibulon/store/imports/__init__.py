"""Files from elsewhere."""
