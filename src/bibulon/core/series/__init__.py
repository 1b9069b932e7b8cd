"""What parts came to: weighed, and one after another on control charts."""
