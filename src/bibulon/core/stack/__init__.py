"""Compaction, permeability, thickness and mass of a stack."""
