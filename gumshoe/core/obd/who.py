"""Who is on the bus: everybody is called in both ways of the law's diagnosis, and as UDS has it."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import cycle

from gumshoe.core.obd.dialect import ABOUT_PAGE, CLASSIC, ON_UDS, READ_DATA, Dialect
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.link import PRESENT, Link
from gumshoe.core.obd.reader import name_of
from gumshoe.core.obd.snapshot import ModuleSnapshot
from gumshoe.core.obd.status import decode_status

ROLL_CALLS = 3
"""So often everybody is called at least, and until twice running nobody new answers."""
PROTOCOL = bytes((READ_DATA, ABOUT_PAGE, 0x10))
"""Which protocol is spoken (ISO 15765-4 asks so for SAE J1979-2; from memory)."""
UDS_CALLS = (ON_UDS.call, PRESENT, PROTOCOL)
SAYS = {CLASSIC.call: CLASSIC, ON_UDS.call: ON_UDS, PROTOCOL: ON_UDS}
"""What an answer to a call says of how somebody speaks."""
STATE = 0x01
"""The number of the monitor status."""


def ways_of(link: Link) -> tuple[Dialect, ...]:
    """The ways of the law's diagnosis that this link can carry."""
    return tuple(way for way in (CLASSIC, ON_UDS) if way.service not in link.without)


def anybody(link: Link) -> tuple[int, ...]:
    """The ids on which somebody answers a call, to the law's diagnosis in either way."""
    for call in (CLASSIC.call, *(UDS_CALLS if ON_UDS in ways_of(link) else ())):
        found = {answer.responder for answer in link.ask_all(call).answers}
        if found:
            return tuple(sorted(found))
    return ()


def roll_call(link: Link) -> tuple[set[int], dict[int, str]]:
    """Who answers when everybody is called, and whose answers broke off. The first call may only wake the modules, and
    a lost frame hides one: it is called again until nobody new answers."""
    heard: set[int] = set()
    broken: dict[int, str] = {}

    def call(calls: Iterator[bytes]) -> None:
        made = quiet = 0
        before = len(heard)
        while made < ROLL_CALLS or (len(heard) > before and quiet < 2):
            asked = next(calls)
            found = link.ask_all(asked)
            for answer in found.answers:
                if asked in SAYS and answer.refusal is None:
                    link.heard(answer.responder, SAYS[asked])
            new = {answer.responder for answer in found.answers} - heard
            made, quiet = made + 1, 0 if new else quiet + 1
            heard.update(new)
            broken.update(found.broken)

    call(cycle((CLASSIC.call,)))
    if ON_UDS in ways_of(link):
        call(cycle(UDS_CALLS))
    return heard, broken


def find_engine(link: Link) -> int:
    """The id on which the engine's control unit answers: the module that looks most like it (ModuleSnapshot.likeness).

    Raises NoAnswer when nobody answers.
    """
    announced: dict[int, tuple[Dialect, set[int]]] = {}
    for way in ways_of(link):
        for answer in link.ask_all(way.call).answers:
            numbers = way.announced(0x00, answer.payload)
            if numbers is not None:
                announced.setdefault(answer.responder, (way, numbers))
    if not announced:
        raise NoAnswer("No module answers: the engine's control unit was not found.")
    if len(announced) == 1:
        return next(iter(announced))
    states: dict[int, bytes] = {}
    for way in {way for way, _ in announced.values()}:
        for answer in link.ask_all(way.current((STATE,))).answers:
            told, _wrong = way.read(answer.payload, (STATE,))
            states |= {answer.responder: told[STATE]} if STATE in told else {}
    modules = [
        ModuleSnapshot(
            number,
            name=name_of(link, number),
            status=decode_status(states[number]) if number in states else None,
            pids=tuple(numbers),
        )
        for number, (_, numbers) in sorted(announced.items())
    ]
    return max(modules, key=lambda module: module.likeness).responder
