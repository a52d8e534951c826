"""What the trade knows, as TOML data, and the loader that names file and line when it is wrong."""
