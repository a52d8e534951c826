"""Clear trouble codes: service 04 in the modules of SAE J1979, 14 in those of SAE J1979-2 and in those that speak UDS
alone (ISO 14229-1 [S]).

Only modules whose codes were read before are asked, each by itself, so that nothing is wiped away unseen; and each has
an outcome of its own, whatever breaks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from gumshoe.core.obd.errors import CannotReach, LinkError, Refused
from gumshoe.core.obd.link import Addressing, Link
from gumshoe.core.obd.snapshot import ModuleSnapshot, Part, Snapshot, Speaks
from gumshoe.core.obd.uds import ModuleAddress

CLEAR, EVERY_GROUP, EMISSIONS_GROUP = b"\x04", b"\x14\xff\xff\xff", b"\x14\xff\xff\x33"
OUT_OF_RANGE = 0x31
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
    requests: tuple[bytes, ...] = (CLEAR,)
    """How it is told; the next where it does not know the one before."""


def modules_to_clear(
    snapshot: Snapshot, beyond: Iterable[ModuleAddress], only: frozenset[int] | None = None
) -> tuple[Wanted, ...]:
    """The modules of a scan that a clearing is about, all or only those whose response ids are named. One whose codes
    were not read has the reason in ``unread`` and is not to be asked."""
    over_ip = snapshot.addressing == Addressing.LOGICAL.value
    reached = (address.on(Addressing.LOGICAL) if over_ip else address for address in beyond)
    addresses = {address.response_id: address for address in reached}
    found = []
    for module in snapshot.modules:
        address = None if module.pids or module.status else addresses.get(module.responder)
        untold = next((item.why for item in module.unread if item.hides_codes and item.offered), "")
        found.append(Wanted(module.label, module.responder, address, untold, _requests(module, address)))
    found += [Wanted(item.name, item.responder, addresses.get(item.responder), item.why) for item in snapshot.silent]
    return tuple(row for row in found if only is None or row.responder in only)


def _requests(module: ModuleSnapshot, address: ModuleAddress | None) -> tuple[bytes, ...]:
    if module.speaks is Speaks.ON_UDS:  # what was not read is not wiped away
        whole = module.missing(Part.MAKERS_CODES) is None
        return (EVERY_GROUP, EMISSIONS_GROUP) if whole else (EMISSIONS_GROUP,)
    return (EVERY_GROUP,) if module.speaks is Speaks.UDS or address else (CLEAR,)


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
        _tell(link, row)
    except (Refused, CannotReach) as error:
        return Cleared(row.name, row.responder, False, error.what)
    except LinkError as error:
        return Cleared(row.name, row.responder, False, error.what, known=False)
    except Exception as error:  # whatever breaks, the outcome of this module is on record, and the next is asked
        return Cleared(row.name, row.responder, False, f"{type(error).__name__}: {error}", known=False)
    return Cleared(row.name, row.responder, True)


def _tell(link: Link, row: Wanted) -> None:
    for request in row.requests:
        try:
            if row.beyond is None:
                link.ask(row.responder, request)
            else:
                link.ask_at(row.beyond.request_id, row.beyond.response_id, request)
        except Refused as error:
            if error.reason != OUT_OF_RANGE or request == row.requests[-1]:
                raise
        else:
            return
