"""The chain of what follows from a job."""
