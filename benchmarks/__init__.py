"""Benchmarks and their slow, honest references."""

import bibulon as bibulon  # before NumPy: with one thread for BLAS, as the program has it
