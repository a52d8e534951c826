"""What the forms of clearing send."""

from __future__ import annotations

from gumshoe.core.entry import number_in
from gumshoe.core.errors import BadInput
from gumshoe.web.kit.fields import WholeField
from gumshoe.web.kit.forms import Entry, Several, Text, Tick


class ClearForm(Entry):
    """What is to be cleared: every module, or ``some``; ``seen``: the newest clearing that the page showed."""

    triage = Tick()
    some = Tick()
    module = Several()
    seen = WholeField(required=False)

    @property
    def chosen(self) -> frozenset[int] | None:
        """The modules that were chosen; None where it is every one. Raises BadInput where none was."""
        if not self.ticked("some"):
            return None
        found = frozenset(number for value in self.several("module") if (number := number_in(value)) is not None)
        if not found:
            raise BadInput("No module was chosen.", kept="Nothing was cleared.", remedies=("tick at least one",))
        return found


class ByHandForm(Entry):
    """A procedure made by hand."""

    remark = Text()
