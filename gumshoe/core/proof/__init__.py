"""Clearing with care, and whether the repair is proven."""
