"""The proof drive and its honest verdict."""
