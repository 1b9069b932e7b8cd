"""Graphs, the clock and the diagram of lines."""
