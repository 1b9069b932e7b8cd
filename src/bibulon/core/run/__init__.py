"""What happens while resin runs."""
