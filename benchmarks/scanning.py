#!/usr/bin/env python3
"""How long a whole scan takes, and how many scans are whole when frames are lost, against units of tests/foreign.

Lost: every frame, either way, with the given chance, by itself. Whole: the snapshot says what the one without losses
says, and that nothing is unread. Baseline, in the same run and over the same bus: the same scan that asks everything
once and repeats nothing (``once``). Goal: 95 of 100 whole at 10 %.

The same for each transport: units of SAE J1979-2 on CAN, the older ones through the stand-in text adapter, and J1979-2
over IP, where TCP loses nothing: there how long it takes.

    .venv/bin/python -m benchmarks.scanning [SCANS]
"""

from __future__ import annotations

import json
import logging
import platform
import sys
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from pathlib import Path
from types import ModuleType
from unittest import mock

import can

from gumshoe.core.obd import link as links
from gumshoe.core.obd import reader, scanner, who
from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.ip_link import open_ip_link
from gumshoe.core.obd.link import Timing
from gumshoe.core.obd.snapshot import ModuleSnapshot, Snapshot
from gumshoe.core.obd.text_link import open_text_link
from gumshoe.simulator.text_adapter import CanWire, TextAdapter
from tests.foreign.gateway import behind
from tests.foreign.vehicle import Unit, engine, gearbox, modern, on_the_bus

SHARES = (0.0, 0.01, 0.03, 0.10)
FIGURES = Path(__file__).parent / "figures" / "scanning.json"


NEVER_AGAIN: tuple[tuple[ModuleType, str, object], ...] = (
    (reader, "REPEATS", 1),
    (reader, "BROKEN_REPEATS", 1),
    (who, "ROLL_CALLS", 1),
    (links, "LOOKS", 1),
    (links, "REPEATABLE", frozenset()),
)


def told(snapshot: Snapshot) -> tuple[object, ...]:
    """What a scan says, but for when."""

    def of(module: ModuleSnapshot) -> tuple[object, ...]:
        return (module.responder, module.name, module.vin, module.codes, module.frames, module.results, module.values)

    return tuple(of(module) for module in snapshot.modules)


def pair(transport: str) -> tuple[Unit, Unit]:
    """An engine's and a gearbox's unit, as the transport's cars speak."""
    if transport in ("CAN", "text adapter"):
        return engine(), gearbox()
    return modern(), modern(1, rows=[b"\x07\x40\x00\x2f"], frames={}, kept=[], groups={})


@contextmanager
def opened(transport: str, share: float, seed: int) -> Iterator[links.Link]:
    """A link to such a car."""
    motor, box = pair(transport)
    if transport == "over IP":
        with behind({0x10: motor, 0x18: box}) as gateway, open_ip_link(gateway.address) as over_ip:
            yield over_ip
        return
    with on_the_bus(motor, box, lost=share, seed=seed) as car:
        if transport != "text adapter":
            with open_link("virtual", car.channel) as link:
                yield link
            return
        adapter = TextAdapter(CanWire(can.Bus(interface="virtual", channel=car.channel)))
        adapter.start()
        try:
            with open_text_link(adapter.address, protocol="6") as by_text:
                yield by_text
        finally:
            adapter.stop()


def one(share: float, seed: int, transport: str = "CAN") -> tuple[float, Snapshot | None]:
    """One scan of an engine's and a gearbox's unit; None where nobody was heard."""
    with ExitStack() as stack:
        began = time.perf_counter()
        try:
            link = stack.enter_context(opened(transport, share, seed))
            began = time.perf_counter()
            found: Snapshot | None = scanner.scan(link)
        except links.LinkError:
            found = None
        return time.perf_counter() - began, found


def measured(share: float, scans: int, transport: str = "CAN") -> dict[str, float]:
    """Share of whole scans and the median and slowest time of one."""
    reference = told(one(0.0, 0, transport)[1])  # type: ignore[arg-type]
    whole, wrong, times = 0, 0, []
    for seed in range(scans):
        seconds, found = one(share, seed + 1, transport)
        times.append(seconds)
        right = found is not None and told(found) == reference
        whole += right
        wrong += found is not None and not right and not found.unread and not found.problems
    times.sort()
    return {
        "whole": round(whole / scans, 3),
        "wrong_and_silent": wrong,
        "median_s": round(times[len(times) // 2], 2),
        "slowest_s": round(times[-1], 2),
    }


def main(scans: int) -> int:
    """Measure ours and the baseline in turn; print and store."""
    logging.getLogger("isotp").setLevel(logging.ERROR)  # it names every broken answer, which are meant here
    rows: dict[str, dict[str, dict[str, float]]] = {"ours": {}, "once": {}}
    for share in SHARES:
        rows["ours"][f"{share:.0%}"] = measured(share, scans)
        with ExitStack() as once:
            for module, name, value in NEVER_AGAIN:
                once.enter_context(mock.patch.object(module, name, value))
            rows["once"][f"{share:.0%}"] = measured(share, max(scans // 4, 5))
        print(f"{share:.0%}: ours {rows['ours'][f'{share:.0%}']}, once {rows['once'][f'{share:.0%}']}", flush=True)
    for transport in ("J1979-2 on CAN", "text adapter", "over IP"):
        for share in SHARES if transport != "over IP" else (0.0,):
            found = measured(share, max(scans // 5, 5), transport)
            rows.setdefault(transport, {})[f"{share:.0%}"] = found
            print(f"{transport}, {share:.0%}: {found}", flush=True)
    figures = {"scans": scans, "grace_s": Timing().margin, **rows, "python": platform.python_version()}
    FIGURES.write_text(json.dumps(figures, indent=2) + "\n", encoding="utf-8")
    met = rows["ours"]["10%"]["whole"] >= 0.95
    print(
        f"whole at 10 % lost: {rows['ours']['10%']['whole']:.0%} (goal: at least 95 %): {'met' if met else 'NOT MET'}"
    )
    return 0 if met else 1


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]) if len(sys.argv) > 1 else 100))
