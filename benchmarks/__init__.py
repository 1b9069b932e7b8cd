"""Benchmarks and their slow, honest references."""
