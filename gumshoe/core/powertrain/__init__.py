"""The vehicle: its powertrain description, where things stand in it, and its VIN."""
