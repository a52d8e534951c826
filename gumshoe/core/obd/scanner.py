"""The scan client: one press, and everything a vehicle says about itself is in a Snapshot."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import UTC, datetime

from gumshoe.core.obd.dialect import ON_UDS
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.lists import reader_of
from gumshoe.core.obd.on_uds import MonitorOf, nobody_says
from gumshoe.core.obd.reader import Progress
from gumshoe.core.obd.snapshot import SilentModule, Snapshot
from gumshoe.core.obd.uds import ModuleAddress, read_modules
from gumshoe.core.obd.who import roll_call


def scan(
    link: Link,
    progress: Progress | None = None,
    beyond: Iterable[ModuleAddress] = (),
    expect: Callable[[str], None] = lambda _vin: None,
    known: Mapping[int, str] | None = None,
    monitor_of: MonitorOf = nobody_says,
) -> Snapshot:
    """Read every module that answers, then those ``beyond`` the engine by UDS. ``known``: the names of modules that
    earlier scans of this car met, by the id they answer on; one that does not answer now is looked for, and is silent.

    ``monitor_of`` names the readiness groups of SAE J1979-2 by their codes. ``expect`` hears of each VIN before
    anything else is read of its module, and may raise: it is another car. Raises NoAnswer when no module answers,
    BusFailure when the adapter fails.
    """
    tell = progress or (lambda _what, _share: None)
    tell("looking for modules", 0.0)
    heard, broken = roll_call(link)
    silent = []
    for number, name in sorted((known or {}).items()):
        if number not in heard:
            if link.is_there(number):
                heard.add(number)
            else:
                silent.append(SilentModule(name, number, "it answered an earlier scan of this car, and does not now"))
    if not heard:
        raise NoAnswer("No module answered the scan.")
    problems = [why for number, why in broken.items() if number not in heard]
    problems += [f"{row.name} ({row.responder:X}): {row.why}." for row in silent]
    beyond = [row.on(link.addressing) for row in beyond]
    named = [row for row in beyond if row.response_id not in heard or link.way(row.response_id) is not ON_UDS]
    speaking = [number for number in sorted(heard) if link.way(number) is not None]
    modules = []
    for index, responder in enumerate(speaking):
        base, share = index / len(speaking), 1.0 / len(speaking)

        def part(what: str, done: float, base: float = base, share: float = share) -> None:
            tell(what, base + done * share)

        modules.append(reader_of(link, responder, problems, expect, monitor_of=monitor_of).read(part))
    asked = {row.response_id for row in named}
    for number in sorted(heard - set(speaking) - asked):  # they speak UDS, and not the law's diagnosis
        named.append(ModuleAddress(f"module {number:X}", link.addressing.request_id(number), number))
    modules += read_modules(link, named, problems, tell, silent)
    for responder, why in sorted(broken.items()):
        if responder not in heard and all(row.responder != responder for row in silent):
            silent.append(SilentModule(f"module {responder:X}", responder, why))
    tell("done", 1.0)
    return Snapshot(datetime.now(UTC), link.speaks, tuple(modules), tuple(problems), tuple(silent))
