"""Instruments and clocks, real and simulated."""
