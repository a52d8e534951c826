"""What a person sees of a car, and how it is put into the forms: what its control unit says, the trims, the answer of a
form that a finding's words mean."""

from __future__ import annotations

import re
from datetime import UTC, datetime

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.knowledge.by_place import ALIKE
from gumshoe.core.obd.pids import pid_table
from gumshoe.core.obd.results import decode_results
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, Snapshot, StoredCode
from gumshoe.core.obd.status import decode_status
from gumshoe.core.signals.regions import Region, classify
from gumshoe.core.signals.trims import RegionTrim
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.drives import Segment, start
from gumshoe.simulator.vehicle import Key, Vehicle

READS: dict[str, tuple[tuple[str, str], ...]] = {
    "look_hoses": (
        ("crankcase", "crankcase hose split"),
        ("booster", "booster hose split"),
        ("A split", "other hose split"),
        ("", "whole"),
    ),
    "look_ducts": (("slipped off", "loose or torn"), ("", "tight")),
    "smoke_intake": (
        ("No smoke", "nowhere"),
        ("crankcase", "crankcase ventilation hose"),
        ("booster", "brake booster hose"),
        ("manifold", "manifold joint"),
        ("duct", "duct behind the meter"),
        ("", "elsewhere"),
    ),
    "pinch_hoses": (("Idle changes", "changes"), ("", "does not change")),
    "booster_pedal": (("hiss", "stays hard or hisses"), ("", "sinks and holds")),
    "purge_suction": (("still suction", "suction"), ("", "none")),
    "exhaust_joint": (("Soot", "soot or ticking"), ("", "tight")),
    "look_filter": (("packed", "packed"), ("", "clean")),
    "coil_swap": (("moved", "moved with the coil"), ("stayed", "stayed"), ("", "cannot tell")),
    "look_connectors": (("Off:", "one off"), ("", "all home")),
    "look_throttle": (("carbon", "carbon ring"), ("sticks", "sticks or is jammed"), ("", "clean")),
    "look_cap": (("loose", "loose, cross-threaded or cracked"), ("", "tight and whole")),
    "look_oil": (("low", "low, overdue or wrong"), ("", "right")),
    "look_oil_fuel": (("does not smell", "right"), ("", "over the mark, thin, smells of fuel")),
    "converter_output": (("14.", "13 V and more"), ("13.", "13 V and more"), ("", "at or below 12.6 V")),
    "bearing_clearance": (("beyond", "beyond the limit"), ("", "within the limit")),
}
CHECKS = (
    ("circuit open", "circuit open"),
    ("shorted to ground", "wire shorted to ground"),
    ("shorted to", "wire shorted to a feed"),
    ("contact loose", "contact loose"),
    ("does not drive it", "wires and part good, the control unit does not drive it"),
    ("drives it all the time", "wires and part good, the control unit drives it all the time"),
    ("does not answer", "circuit good, part does not answer"),
    ("", "circuit and part good"),
)
POINTS = (("Lost or dropping", "lost or dropping"), ("", "good under load"))


READ_LIVE = (0x0B, 0x0C, 0x10, 0x23, 0x33, 0x42, 0x6D, 0x70)
"""Live values that a read takes along: pressures, speed, air flow, supply (SAE J1979)."""


def snapshot(car: Vehicle) -> Snapshot:
    """What the control unit says, read from its bytes."""
    car.turn_key(Key.ON)
    car.run(1.0)
    ask = EngineModule(car).answer
    codes = []
    for service, state in ((3, CodeState.CONFIRMED), (7, CodeState.PENDING), (10, CodeState.PERMANENT)):
        body = ask(bytes((service,)), False)[-1][2:]
        codes += [StoredCode(TroubleCode.from_bytes(body[i], body[i + 1]), state) for i in range(0, len(body), 2)]
    frames: tuple[FreezeFrame, ...] = ()
    code = ask(b"\x02\x02\x00", False)[-1][3:5]
    if any(code):
        frozen: dict[str, float] = {}
        for pid in (0x04, 0x05, 0x0C, 0x0D):
            frozen |= pid_table()[pid].decode(ask(bytes((2, pid, 0)), False)[-1][3:])
        frames = (FreezeFrame(TroubleCode.from_bytes(*code), frozen),)
    results = tuple(
        row
        for mid in range(0xA1, 0xA2 + car.model.cylinders)
        for row in decode_results(ask(bytes((6, mid)), False)[-1])
    )
    values: dict[str, float] = {}
    for pid in READ_LIVE:
        if (said := ask(bytes((1, pid)), False)) and said[-1][0] == 0x41:
            values |= pid_table()[pid].decode(said[-1][2:])
    module = ModuleSnapshot(
        0x7E8,
        values=values,
        status=decode_status(ask(b"\x01\x01", False)[-1][2:]),
        codes=tuple(codes),
        frames=frames,
        results=results,
    )
    car.turn_key(Key.OFF)
    return Snapshot(datetime.now(UTC), "11 bit", (module,))


def trims(car: Vehicle) -> tuple[RegionTrim, ...]:
    """Trims at warm idle and 2500 rpm, as the control unit shows them; none where the engine never ran there."""
    car.begin((*start(45.0), Segment("hold", 45.0, rpm=2500.0)))
    rows = []
    for region, seconds in ((Region.WARM_IDLE, 46.0), (Region.HIGH_IDLE, 44.0)):
        car.run(seconds)
        seen = car.live_values()
        if classify(seen) is not region:
            continue
        for bank in range(1, len(car.model.banks) + 1):
            short, long = seen[f"stft_b{bank}_pct"], seen[f"ltft_b{bank}_pct"]
            flow = seen.get("maf_gps", 0.0)
            rows.append(RegionTrim(region, short, long, short + long, 1.0, seen["rpm"], flow, 99, 20, bank))
    car.stop()
    return tuple(rows)


def cylinder_of(words: str) -> str:
    """The cylinder a finding names as the worst: of several with a value each the lowest."""
    listed = [(float(value), number) for number, value in re.findall(r"cylinder (\d+): ([\d.]+)", words)]
    named = re.search(r"cylinder (\d+)", words)
    return min(listed)[1] if listed else (named[1] if named else ALIKE)
