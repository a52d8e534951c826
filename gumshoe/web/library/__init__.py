"""What the shop knows: how systems work, its notes and bulletins, makers' codes it has looked up."""
