"""What every drawing is made of."""
