"""From an adapter to an open link: protocol, speed and addressing are found, tried first as this car spoke last; and an
adapter tested, in plain words."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, CannotReach, LinkError, NoAnswer, Refused
from gumshoe.core.obd.ip_link import open_ip_link
from gumshoe.core.obd.link import PRESENT, Addressing, Link, Timing
from gumshoe.core.obd.present import present_values
from gumshoe.core.obd.text_link import TextLink, open_text_link
from gumshoe.core.obd.who import anybody

Tell = Callable[[str], None]
CAN_SPEEDS = (500_000, 250_000)
"""Those that the law's diagnosis allows, the usual first (ISO 15765-4 [S])."""
SET_BY_THE_SYSTEM = frozenset({"socketcan", "virtual", "udp_multicast", "socketcand"})
"""Interfaces of python-can whose speed is set elsewhere."""
ON_CAN = (Addressing.ELEVEN_BIT, Addressing.TWENTY_NINE_BIT)
LOW_VOLTS = 11.8
"""A battery at rest below this is nearly empty (common practice)."""
SLOW_RATE = 10.0
"""Fewer values a second show no misfire and no sensor's switching (common practice)."""
ASKED = 10


class AdapterKind(StrEnum):
    """What an adapter is reached through."""

    BUS = "bus"
    TEXT = "text"
    IP = "ip"


@dataclass(frozen=True)
class AdapterSpec:
    """An adapter: for a bus adapter python-can's interface, its channel as ``address`` and the bit rate; for one with
    text commands the address of pyserial and the baud rate; over IP the gateway's host, or nothing for whichever
    answers. ``speed`` 0: it is found. ``fd``: where nobody answers else, CAN FD is tried too; its frames disturb a bus
    that has none, so that it is never tried unasked."""

    kind: AdapterKind
    address: str
    interface: str = ""
    speed: int = 0
    fd: bool = False

    @property
    def words(self) -> str:
        """For the record."""
        if self.kind is AdapterKind.IP:
            return self.address or "whichever car answers"
        return f"{self.interface} {self.address}" if self.kind is AdapterKind.BUS else self.address


def connect(
    spec: AdapterSpec, *, spoke: str = "", timing: Timing | None = None, tell: Tell = lambda _what: None
) -> tuple[Link, str]:
    """An open link to whatever car is plugged in, and how it speaks, to be given as ``spoke`` the next time.

    Raises BusFailure when the adapter cannot be opened, NoAnswer when no car answers.
    """
    if spec.kind is AdapterKind.TEXT:
        text = open_text_link(spec.address, spec.speed, protocol=spoke, timing=timing, tell=tell)
        return text, text.bus.number
    if spec.kind is AdapterKind.IP:
        over_ip = open_ip_link(spec.address, spoke=spoke, timing=timing, tell=tell)
        return over_ip, over_ip.entity.vin
    return _by_bus(spec, spoke, timing, tell)


def _by_bus(spec: AdapterSpec, spoke: str, timing: Timing | None, tell: Tell) -> tuple[Link, str]:
    speeds = (spec.speed,) if spec.speed else CAN_SPEEDS
    if spec.interface in SET_BY_THE_SYSTEM:
        speeds = speeds[:1]
    failed: BusFailure | None = None
    ways = {
        f"{speed} {addressing.value}{' FD' if fd else ''}": (speed, addressing, fd)
        for fd in ((False, True) if spec.fd else (False,))
        for speed in (speeds[:1] if fd else speeds)
        for addressing in ON_CAN
    }
    for way in sorted(ways, key=lambda way: way != spoke):  # as last time first, else in order
        speed, addressing, fd = ways[way]
        name = "CAN FD" if fd else "CAN"
        tell(f"trying {name}, {addressing.value}" + ("" if len(speeds) == 1 else f", {speed // 1000} kbit/s"))
        try:
            link = open_link(spec.interface, spec.address, speed, addressing=addressing, timing=timing, fd=fd)
        except BusFailure as error:
            if fd:
                raise CannotReach(f"This adapter has no CAN FD: {error.what}") from error
            raise
        try:
            if anybody(link):
                return link, way
        except BusFailure as error:  # at a wrong speed no frame is taken: the next is tried all the same
            failed = error
        link.close()
    raise failed or NoAnswer("No module answered, neither to 11-bit nor to 29-bit requests.")


# -- tested -----------------------------------------------------------------------------------------------


class Mark(StrEnum):
    """How a line of a test stands."""

    GOOD = "good"
    WAIT = "wait"
    BAD = "bad"
    PLAIN = "plain"


@dataclass(frozen=True)
class Line:
    """One thing a test of an adapter found."""

    what: str
    found: str
    mark: Mark = Mark.PLAIN


def tested(spec: AdapterSpec, timing: Timing | None = None, tell: Tell = lambda _what: None) -> tuple[Line, ...]:
    """What an adapter is, and what is plugged in: its own words, supply, protocol, who answers, how fast; and where it
    ends, what is wrong and what to do. Raises nothing of the link."""
    began = time.monotonic()
    try:
        link, _spoke = connect(spec, timing=timing, tell=tell)
    except LinkError as error:
        reached = isinstance(error, NoAnswer)
        return (
            Line("Adapter", "answers" if reached else "does not work", Mark.GOOD if reached else Mark.BAD),
            Line("What is wrong", error.what, Mark.WAIT if reached else Mark.BAD),
            Line("What to do", "; ".join(error.remedies)),
        )
    with link:
        lines = [Line("Adapter", "answers", Mark.GOOD)]
        if isinstance(link, TextLink):
            lines = _of_text(link)
        took = time.monotonic() - began
        lines.append(Line("Protocol", f"{link.words}; found in {took:.1f} s", Mark.GOOD))
        tell("asking who is there")
        try:
            lines += _of_car(link)
        except LinkError as error:
            lines.append(Line("What is wrong", error.what, Mark.BAD))
            lines.append(Line("What to do", "; ".join(error.remedies)))
    return tuple(lines)


WITHOUT = {
    "ATH1": "does not say who speaks: modules are asked one after another, those of 29 bits at any address are missed",
    "ATAL": "may cut long answers",
    "ATAT1": "does not adapt its waiting time: live data is slow",
    "ATCFC1": "may not ask for the rest of long answers",
}


def _of_text(link: TextLink) -> list[Line]:
    greeting = link.greeting
    lines = [Line("Adapter", f"answers “{greeting.says}”", Mark.GOOD)]
    if greeting.volts is None:
        lines.append(Line("Supply", "it does not measure it"))
    else:
        low = greeting.volts < LOW_VOLTS
        words = f"{greeting.volts:.1f} V" + (": low, charge the battery before long tests" if low else "")
        lines.append(Line("Supply", words, Mark.WAIT if low else Mark.GOOD))
    lines += [Line("Does without", WITHOUT[name], Mark.WAIT) for name in greeting.lacks if name in WITHOUT]
    return lines


def _of_car(link: Link) -> list[Line]:
    there = sorted({number for _ in range(2) for number in anybody(link)})
    if not there:
        return [Line("Who answers", "nobody: switch the ignition on", Mark.WAIT)]
    lines = [Line("Who answers", ", ".join(f"{number:X}" for number in there), Mark.GOOD)]
    way = link.way(there[0])
    lines += [Line("Diagnosis", way.words, Mark.GOOD)] if way else []
    call = way.call if way else PRESENT
    times, lost = [], 0
    for _ in range(ASKED):
        asked = time.monotonic()
        try:
            link.ask(there[0], call)
            times.append(time.monotonic() - asked)
        except (NoAnswer, BrokenAnswer, Refused):
            lost += 1
    if times:
        rate = link.most_values / statistics.median(times)
        slow = rate < SLOW_RATE
        words = f"{statistics.median(times) * 1000:.0f} ms an answer, up to {rate:.0f} values a second"
        lines.append(Line("How fast", words + ("; too slow for quick signals" if slow else ""), mark_of(slow)))
    if lost:
        lines.append(Line("Lost", f"{lost} of {ASKED} requests: hold the plug still, look at its pins", Mark.BAD))
    lines += _supply_by_the_car(link, there[0])
    return lines


def mark_of(wrong: bool) -> Mark:
    """Green, or to be looked at."""
    return Mark.WAIT if wrong else Mark.GOOD


def _supply_by_the_car(link: Link, module: int) -> list[Line]:
    """What the control unit says its supply is (PID 42)."""
    try:
        volts = present_values(link, ("module_v",), module).get("module_v")
    except LinkError:
        return []
    if volts is None:
        return []
    low = volts < LOW_VOLTS
    return [Line("Supply at the control unit", f"{volts:.1f} V" + (": low" if low else ""), mark_of(low))]
