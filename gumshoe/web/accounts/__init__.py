"""People and what they may do."""
