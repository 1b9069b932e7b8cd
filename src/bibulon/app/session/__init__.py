"""What is open."""
