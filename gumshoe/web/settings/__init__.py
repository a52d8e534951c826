"""The board of cases and the shop's settings."""
