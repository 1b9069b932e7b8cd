"""What people type and read, to and from SI."""
