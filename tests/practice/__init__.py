"""The trainer without its pages."""
