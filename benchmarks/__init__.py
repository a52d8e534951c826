"""Runnable benchmarks; each writes its figures to benchmarks/figures and prints a ratio against a baseline."""
