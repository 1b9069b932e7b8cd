"""The section through the stack."""
