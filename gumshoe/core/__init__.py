"""The trade in plain Python: no Django, no input or output but what is handed in."""
