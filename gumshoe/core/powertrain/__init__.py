"""What the vehicle is: its VIN, its powertrain, the components that follow from it."""
