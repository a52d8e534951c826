"""Clear trouble codes: service 04 in the modules of SAE J1979, UDS 14 in those beyond (ISO 14229-1 [S])."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.obd.errors import LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.uds import ModuleAddress

EVERY_GROUP = b"\x14\xff\xff\xff"


@dataclass(frozen=True)
class Cleared:
    """One module: whether it has cleared its codes, and why not. ``responder``: its id on the bus."""

    module: str
    responder: int
    cleared: bool
    reason: str = ""


def clear_modules(
    link: Link, beyond: Iterable[ModuleAddress], only: frozenset[int] | None = None
) -> tuple[Cleared, ...]:
    """Clear every module, or only those whose response ids are named. One that refuses or is silent is a line of its
    own.

    Raises NoAnswer when nobody answered at all.
    """
    found = _clear_obd(link) if only is None else _clear_some(link, only)
    for address in beyond:
        if only is not None and address.response_id not in only:
            continue
        try:
            link.ask_at(address.request_id, address.response_id, EVERY_GROUP)
            found.append(Cleared(address.name, address.response_id, True))
        except Refused as error:
            found.append(Cleared(address.name, address.response_id, False, error.what))
        except NoAnswer:
            found.append(Cleared(address.name, address.response_id, False, "no answer"))
    if not any(row.cleared or row.reason not in ("", "no answer") for row in found):
        raise NoAnswer("No module answered the request to clear.")
    return tuple(found)


def _clear_obd(link: Link) -> list[Cleared]:
    """Every module of the powertrain at once, as J1979 has it."""
    found = []
    for given in link.ask_all(b"\x04").answers:
        refusal = given.refusal
        reason = Refused(*refusal, given.responder).what if refusal else ""
        found.append(Cleared(f"{given.responder:X}", given.responder, given.payload[:1] == b"\x44", reason))
    return found


def _clear_some(link: Link, only: frozenset[int]) -> list[Cleared]:
    found = []
    for module in range(8):
        responder = link.addressing.response_id(module)
        if responder not in only:
            continue
        try:
            link.ask(module, b"\x04")
            found.append(Cleared(f"{responder:X}", responder, True))
        except LinkError as error:
            found.append(Cleared(f"{responder:X}", responder, False, error.what))
    return found
