"""What the forms of bench send."""

from __future__ import annotations

from gumshoe.web.kit.fields import NumberField, WholeField
from gumshoe.web.kit.forms import Entry, Text, Tick


class TestForm(Entry):
    """What goes with the readings of a test: a note; that it was made with the engine off; what was left off."""

    __test__ = False

    note = Text()
    was_off = Tick()
    loose_end = Tick()


class WithdrawForm(Entry):
    """Why a result is taken back."""

    reason = Text()


class ReadingForm(Entry):
    """A reading at a circuit: how it stood (the query of its address), what was shown, and whether the plug stays
    off."""

    stand = Text()
    value = Text()
    still_off = Tick()


class AsideForm(Entry):
    """A reading that counts no more, or again."""

    stand = Text()
    reading = WholeField(required=False)
    back = Tick()


class ValueForm(Entry):
    """A value commanded by hand, in per cent."""

    value = NumberField(min_value=0.0, max_value=100.0, label="Value")


class TraceForm(Entry):
    """Where a stand-in's trace is taken (component/node), and how it is driven meanwhile."""

    place = Text()
    duty = NumberField(required=False, min_value=0.0, max_value=100.0, label="Duty")
    hz = NumberField(required=False, min_value=0.0, max_value=1e6, label="Frequency")
    moving = Tick()
