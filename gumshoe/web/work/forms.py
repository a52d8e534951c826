"""What the forms of work send."""

from __future__ import annotations

from gumshoe.web.kit.fields import AmountField, WholeField
from gumshoe.web.kit.forms import Entry, Text
from gumshoe.web.proposal.services import MOST_MINUTES, MOST_MONEY


class DoneForm(Entry):
    """A line carried out: part, price, warranty, minutes."""

    part_number = Text()
    part_make = Text()
    minutes = WholeField(required=False, max_value=MOST_MINUTES, label="Minutes")
    remark = Text()
    price = AmountField(required=False, max_value=MOST_MONEY, label="Price")
    warranty_months = WholeField(required=False, max_value=240, label="Warranty in months")
    warranty_km = WholeField(required=False, max_value=1_000_000, label="Warranty in kilometres")


class PhotoForm(Entry):
    """What a photograph shows, and the line it is of."""

    words = Text()
    line = WholeField(required=False)
    back = Text()
