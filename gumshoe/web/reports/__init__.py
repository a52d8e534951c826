"""One page for the customer and the file."""
