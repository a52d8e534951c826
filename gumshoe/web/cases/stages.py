"""The stages of a case, in the order of the work, and where a case stands among them."""

from __future__ import annotations

from dataclasses import dataclass

STAGES = ("complaint", "scan", "read", "live", "suspects", "bench", "repair", "clear", "prove", "report")
APPS = {
    "complaint": "cases",
    "scan": "scans",
    "read": "scans",
    "live": "live",
    "suspects": "suspects",
    "bench": "bench",
    "repair": "verdicts",
    "clear": "clearing",
    "prove": "proofs",
    "report": "reports",
}
"""Which application shows a stage: its first page is called like the stage."""


@dataclass(frozen=True)
class Standing:
    """The stage a case is in, the next action and its address, and the stages already reached. ``known``: whether the
    action is worked out; else it says that it is under way."""

    stage: str
    action: str
    url: str
    tone: str = ""
    done: frozenset[str] = frozenset()
    direct: bool = False
    """Whether the address is a page of its own and not the stage's."""
    known: bool = True

    @property
    def path(self) -> str:
        return self.url.partition("?")[0]


@dataclass(frozen=True)
class Tab:
    """A tab of the folder: ``next``: the work goes on there; ``key``: the digit that opens it."""

    name: str
    url: str
    current: bool
    done: bool
    next: bool
    key: int
