"""Viscosity, cure and charge of a resin."""
