"""What the forms of scans send."""

from __future__ import annotations

from gumshoe.web.kit.forms import Entry, Several, Text


class VinForm(Entry):
    """Whose the VIN is that was read."""

    vin = Text()
    answer = Text()


class TypedForm(Entry):
    """Codes typed in or pasted."""

    codes = Text(strip=False)


class DeadForm(Entry):
    """Cylinders found dead by hand, what they lack, and how it was found."""

    dead = Several()
    lacks = Text()
    how = Text()


class AdapterChoice(Entry):
    """Which adapter the vehicle is plugged into."""

    adapter = Text()
