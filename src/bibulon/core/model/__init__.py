"""The job document: frozen, checked, versioned."""
