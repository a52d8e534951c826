"""Live data: recordings, operating regions, derived channels, expected bands, detectors."""
