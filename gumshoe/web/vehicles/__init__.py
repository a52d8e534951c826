"""Vehicles, the link to them, and the stand-ins in the bay."""
