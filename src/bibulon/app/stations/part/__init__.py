"""Part."""
