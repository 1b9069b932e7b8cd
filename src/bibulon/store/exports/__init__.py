"""Files for elsewhere."""
