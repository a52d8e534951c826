"""Live data, recordings, trims by region."""
