#!/usr/bin/env python3
"""Record whole scans of odd units as logs, with what the scan said, into tests/foreign/logs: cars in files.

.venv/bin/python -m tests.foreign.record [NAME …]
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

from gumshoe.core.obd.capture import candump_line
from gumshoe.core.obd.connect import AdapterKind, AdapterSpec, connect
from gumshoe.core.obd.link import BusFrame, Timing
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.obd.uds import ModuleAddress
from tests.foreign.vehicle import Unit, engine, gearbox, modern, on_the_bus

LOGS = Path(__file__).with_name("logs")
TIMING = Timing(margin=0.2, patience=2.0, busy_pause=0.02, busy_limit=0.5)
BRAKES = ModuleAddress("brakes", 0x7E6, 0x7EE)


def brakes() -> Unit:
    """A unit that only speaks UDS."""
    told = b"\x59\x02\xff" + b"\x40\x35\x11\x89" + b"\xc1\x00\x87\x28"
    return Unit(6, functional=False, exact={b"\x19\x02\xff": told, b"\x22\xf1\x90": b"\x62\xf1\x90UY0TN16A9G2000001"})


def many() -> list[bytes]:
    """Eighty codes."""
    return [bytes((0x01, number)) for number in range(0x10, 0x60)]


def cars() -> dict[str, tuple[tuple[Unit, ...], bool]]:
    """The vehicles by name: their units, and whether they talk with 29 bits."""
    short = engine()
    short.pids |= {0x06: b"\x90\x80", 0x07: b"\x88\x80"}
    zeros = engine()
    zeros.info[0x02] = b"\x01\x00\x00\x00UY0TN16A9G2000001"
    cut = engine()
    cut.info[0x02] = b"\x01" + b"\x00" * 3 + b"UY0TN16A9G2000"
    signed = engine()
    signed.results = {0x01: b"\x0a\x8b\xff\x38\xff\x00\x00\x64", 0x02: b"\x0a\x7f\x00\x01\x00\x02\x00\x03"}
    nameless = engine()
    del nameless.info[0x0A]
    return {
        "usual": ((engine(),), False),
        "usual_29_bit": ((engine(0x11), gearbox(0x18)), True),
        "engine_third": ((engine(2), gearbox(0)), False),
        "engine_far_29_bit": ((engine(0xF0), gearbox(0x10)), True),
        "one_at_a_time": ((engine(many=0x31),), False),
        "one_at_a_time_12": ((engine(many=0x12), gearbox()), False),
        "answers_the_first": ((engine(takes=1),), False),
        "answers_three": ((engine(takes=3),), False),
        "busy": ((engine(busy={0x03: 1, 0x09: 1, 0x06: 1}),), False),
        "thinks": ((engine(thinks={0x03: 0.4}),), False),
        "silent_codes": ((engine(silent={0x03}), gearbox()), False),
        "refuses_codes": ((engine(refuses={0x03: 0x22}), gearbox()), False),
        "no_codes": ((engine(confirmed=[], pending=[], permanent=[], frame={}),), False),
        "eighty_codes": ((engine(confirmed=many()), gearbox()), False),
        "wide_trims": ((short,), False),
        "zeros_before_vin": ((zeros,), False),
        "cut_vin": ((cut,), False),
        "signed_results": ((signed,), False),
        "no_name_no_padding": ((nameless, gearbox(padding=None)), False),
        "with_brakes": ((engine(), gearbox(), brakes()), False),
        "modern": ((modern(makers=[b"\x16\x01\x15\x08"]),), False),
        "modern_29_bit": ((modern(0x10), modern(0x18, rows=[], frames={}, kept=[])), True),
        "modern_one_at_a_time": ((modern(many=0x13),), False),
        "modern_beside_older": ((modern(0), gearbox(1)), False),
    }


def said(snapshot: Snapshot) -> dict[str, object]:
    """What a scan says, plainly."""
    return {
        "modules": [
            {
                "at": f"{module.responder:X}",
                "name": module.name,
                "vin": module.vin,
                "codes": [f"{row.code} {row.state.value} {row.failure_type}".strip() for row in module.codes],
                "frame": {key: round(value, 3) for frame in module.frames for key, value in frame.values.items()},
                "values": {key: round(value, 3) for key, value in sorted(module.values.items())},
                "results": [f"{row.mid:02X} {row.value:.4g} {row.passed}" for row in module.results],
                "unread": [f"{row.part.value}: {row.offered}" for row in module.unread],
            }
            for module in snapshot.modules
        ],
        "codes_unread": list(snapshot.codes_unread),
        "silent": [row.name for row in snapshot.silent],
    }


def main() -> None:
    """Record those named in the command, or all."""
    LOGS.mkdir(exist_ok=True)
    index = LOGS / "expected.json"
    wanted = sys.argv[1:]
    expected = json.loads(index.read_text(encoding="utf-8")) if wanted else {}
    for name, (units, wide) in cars().items():
        if wanted and name not in wanted:
            continue
        frames: list[BusFrame] = []
        with on_the_bus(*units, wide=wide) as car:
            link, _spoke = connect(AdapterSpec(AdapterKind.BUS, car.channel, "virtual"), timing=TIMING)
            with link:
                link.tap = frames.append
                expected[name] = said(scan(link, beyond=[BRAKES] if name == "with_brakes" else []))
        began = frames[0].time
        lines = [candump_line(BusFrame(f.time - began, f.id, f.extended, f.data, f.sent)) for f in frames]
        (LOGS / f"{name}.log").write_text("\n".join(lines) + "\n", encoding="utf-8")
    index.write_text(json.dumps(expected, indent=1) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
