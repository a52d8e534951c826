"""Vehicles that nobody of the house made: what they say is written from the standards, with no code of the product."""
