"""The station Cure."""
