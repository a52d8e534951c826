"""What the forms of ledger send."""

from __future__ import annotations

from gumshoe.web.kit.forms import Entry, Text


class EndForm(Entry):
    """What came off: a part chosen by name, or words; ``back``: the page the form stood on."""

    component = Text()
    what = Text()
    did = Text()
    back = Text()


class CloseForm(Entry):
    """A loose end ticked, or overruled with a reason; whether the key was on meanwhile."""

    KEY = {"yes": True, "no": False}

    overruled = Text()
    key_on = Text()
    back = Text()
