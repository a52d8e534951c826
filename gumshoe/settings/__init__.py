"""Django settings: base for serving (shop and demo), test on top of it."""
