"""The case: who, what, complaint, and where it stands."""
