"""Practice: exercises worked on the screens of the trade, beside the shop's work and never mixed with it."""
