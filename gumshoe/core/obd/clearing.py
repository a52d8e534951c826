"""Clear trouble codes: service 04 in the modules of SAE J1979, UDS 14 in those beyond (ISO 14229-1 [S]).

Only modules whose codes were read before are asked, each by itself, so that nothing is wiped away unseen; and each has
an outcome of its own, whatever breaks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from gumshoe.core.obd.errors import CannotReach, LinkError, Refused
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.obd.uds import ModuleAddress

EVERY_GROUP = b"\x14\xff\xff\xff"
NOT_READ = "not asked: its codes were not read, so what clearing would take is not known"


@dataclass(frozen=True)
class Cleared:
    """One module: whether it has cleared its codes, and why not. ``responder``: its id on the bus. ``known``: False
    when nobody can say whether it did: the request went out and no whole answer came."""

    module: str
    responder: int
    cleared: bool
    reason: str = ""
    known: bool = True

    @property
    def words(self) -> str:
        """What became of it, for the record."""
        if self.cleared:
            return "cleared"
        return f"not cleared: {self.reason}" if self.known else f"not known whether it cleared: {self.reason}"


@dataclass(frozen=True)
class Wanted:
    """A module to be cleared: its name and id; ``beyond``: its address where it only speaks UDS."""

    name: str
    responder: int
    beyond: ModuleAddress | None = None
    unread: str = ""


def modules_to_clear(
    snapshot: Snapshot, beyond: Iterable[ModuleAddress], only: frozenset[int] | None = None
) -> tuple[Wanted, ...]:
    """The modules of a scan that a clearing is about, all or only those whose response ids are named. One whose codes
    were not read has the reason in ``unread`` and is not to be asked."""
    addresses = {address.response_id: address for address in beyond}
    found = [
        Wanted(
            module.label,
            module.responder,
            None if module.pids or module.status else addresses.get(module.responder),
            next((item.why for item in module.unread if item.hides_codes and item.offered), ""),
        )
        for module in snapshot.modules
    ]
    found += [Wanted(item.name, item.responder, addresses.get(item.responder), item.why) for item in snapshot.silent]
    return tuple(row for row in found if only is None or row.responder in only)


def clear_modules(
    link: Link, wanted: Iterable[Wanted], tell: Callable[[Cleared], None] = lambda _: None
) -> tuple[Cleared, ...]:
    """Clear the modules one by one; ``tell`` hears of each as soon as its outcome is known. Never raises for the link:
    an adapter that fails is the outcome of the module that was being asked and of all after it."""
    found: list[Cleared] = []
    for row in wanted:
        found.append(_clear(link, row))
        tell(found[-1])
    return tuple(found)


def _clear(link: Link, row: Wanted) -> Cleared:
    if row.unread:
        return Cleared(row.name, row.responder, False, f"{NOT_READ} ({row.unread})")
    try:
        if row.beyond is None:
            link.ask(row.responder, b"\x04")
        else:
            link.ask_at(row.beyond.request_id, row.beyond.response_id, EVERY_GROUP)
    except (Refused, CannotReach) as error:
        return Cleared(row.name, row.responder, False, error.what)
    except LinkError as error:
        return Cleared(row.name, row.responder, False, error.what, known=False)
    except Exception as error:  # whatever breaks, the outcome of this module is on record, and the next is asked
        return Cleared(row.name, row.responder, False, f"{type(error).__name__}: {error}", known=False)
    return Cleared(row.name, row.responder, True)
