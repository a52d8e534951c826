"""Scanning a vehicle and reading what its codes mean together."""
