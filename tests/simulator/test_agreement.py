"""The reasoning against the physics, which know nothing of each other.

A fault is put into a stand-in; it is driven; what it says on the bus, its trims at idle and at 2500 rpm, and the gauges
of the numeric tests go to the reasoning. The true fault must lead, or share the lead with what these readings cannot
tell from it. No outcome is written down here: only which suspect is the name of which physical fault.
"""

from __future__ import annotations

import re
import unittest
from datetime import UTC, datetime

from django.test import tag

from gumshoe.core.clues import OnRecord, TestOutcome, extract
from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.knowledge.by_place import ALIKE, CYLINDER
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.outcomes import decide
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.rows import ReadingRow
from gumshoe.core.obd.pids import pid_table
from gumshoe.core.obd.results import decode_results
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, Snapshot, StoredCode
from gumshoe.core.obd.status import decode_status
from gumshoe.core.planning import Costs, propose
from gumshoe.core.signals.regions import Region
from gumshoe.core.signals.trims import RegionTrim
from gumshoe.core.suspects import Assessment, assess
from gumshoe.core.suspects.relations import Role, read_codes
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.drives import Segment, start
from gumshoe.simulator.finding import Finding
from gumshoe.simulator.hands import observe
from gumshoe.simulator.vehicle import Key, Vehicle
from tests.simulator.test_physics import driven

PLATFORM = platforms()["ostrel_tern_16"]
KNOWN = expand(PLATFORM.powertrain)


def snapshot(car: Vehicle) -> Snapshot:
    """What the control unit says, read from its bytes."""
    car.turn_key(Key.ON)
    car.run(1.0)
    ask = EngineModule(car).answer
    codes = []
    for service, state in ((3, CodeState.CONFIRMED), (7, CodeState.PENDING), (10, CodeState.PERMANENT)):
        body = ask(bytes((service,)), False)[-1][2:]
        codes += [StoredCode(TroubleCode.from_bytes(body[i], body[i + 1]), state) for i in range(0, len(body), 2)]
    frames = ()
    code = ask(b"\x02\x02\x00", False)[-1][3:5]
    if any(code):
        values: dict[str, float] = {}
        for pid in (0x04, 0x05, 0x0C, 0x0D):
            values |= pid_table()[pid].decode(ask(bytes((2, pid, 0)), False)[-1][3:])
        frames = (FreezeFrame(TroubleCode.from_bytes(*code), values),)
    results = tuple(
        row
        for mid in range(0xA1, 0xA2 + car.model.cylinders)
        for row in decode_results(ask(bytes((6, mid)), False)[-1])
    )
    module = ModuleSnapshot(
        0x7E8, status=decode_status(ask(b"\x01\x01", False)[-1][2:]), codes=tuple(codes), frames=frames, results=results
    )
    car.turn_key(Key.OFF)
    return Snapshot(datetime.now(UTC), "11 bit", (module,))


def trims(car: Vehicle) -> tuple[RegionTrim, ...]:
    """Trims at warm idle and 2500 rpm, as the control unit shows them."""
    car.begin((*start(45.0), Segment("hold", 45.0, rpm=2500.0)))
    rows = []
    for region, seconds in ((Region.WARM_IDLE, 46.0), (Region.HIGH_IDLE, 44.0)):
        car.run(seconds)
        seen = car.live_values()
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


def said(row: ReadingRow, finding: Finding | None) -> str:
    """The choice whose words a finding uses; empty where it uses none."""
    return next((option for option in row.options if finding and option in finding.words.lower()), "")


def gauges(car: Vehicle) -> tuple[TestOutcome, ...]:
    """Every test with a number among its readings, made on the stand-in."""
    car.begin(start(60.0))
    car.run(62.0)
    made = []
    for test in KNOWN.tests.values():
        found = {row.key: observe(car, row.point) for row in test.readings if row.kind == "number"}
        asked = {row.key: observe(car, row.point) for row in test.readings if row.key == CYLINDER}
        seen = {row.key: said(row, observe(car, row.point)) for row in test.readings if row.key not in {*found, *asked}}
        if not found or not all(seen.values()):
            continue
        readings: dict[str, float | str] = {
            key: item.value for key, item in found.items() if item and item.value is not None
        }
        readings |= {key: cylinder_of(item.words) for key, item in asked.items() if item}
        readings |= seen
        if len(readings) == len(test.readings):
            made.append(TestOutcome(test.id, decide(test, readings, PLATFORM.specification).id, "stand-in", "1"))
    car.stop()
    return tuple(made)


def evidence(defect: str, *, measured: bool) -> tuple[OnRecord, Assessment, Snapshot]:
    """Two trips, a scan, the trims, and the gauges if wanted."""
    car = driven(defect)
    seen = snapshot(car)
    case = OnRecord(
        module=seen.engine,
        trims=tuple((trim, "recording", "1") for trim in trims(car)),
        tests=gauges(car) if measured else (),
        specification=PLATFORM.specification,
    )
    return case, assess(KNOWN, extract(case, KNOWN), odometer_km=90_000), seen


@tag("long")
class FromTheBusAlone(unittest.TestCase):
    def leaders(self, defect: str, most: int) -> list[str]:
        return [item.id for item in evidence(defect, measured=False)[1].suspects[:most]]

    def test_air_leaks_lead_for_a_split_hose(self) -> None:
        self.assertIn("crankcase_hose_split", self.leaders("crankcase-hose-split", 2))
        self.assertIn("booster_hose_leak", self.leaders("booster-hose-cracked", 2))

    def test_meter_and_duct_are_told_from_a_leak(self) -> None:
        self.assertEqual(self.leaders("duct-loose", 1), ["intake_duct_loose"])
        self.assertIn("air_flow_meter_low", self.leaders("meter-low", 2))

    def test_the_cylinder_is_named_right(self) -> None:
        for defect, cylinder in (("coil-3-weak", "3"), ("plug-2-worn", "2"), ("injector-2-clogged", "2")):
            top = self.leaders(defect, 3)
            self.assertTrue(all(name.endswith(f"_{cylinder}") for name in top[:2]), (defect, top))

    def test_lean_leads_and_misfire_follows(self) -> None:
        _, found, seen = evidence("crankcase-hose-split", measured=False)
        states: dict[str, tuple[CodeState, ...]] = {}
        for item in seen.modules[0].codes:
            states[item.code] = (*states.get(item.code, ()), item.state)
        roles = {row.code: row.role for row in read_codes(states, KNOWN, found).codes}
        self.assertIs(roles["P0171"], Role.CHASE)


@tag("long")
class WithGauges(unittest.TestCase):
    """With every numeric test made, the true fault stands alone."""

    TRUE = {
        "sensor-lean": "upstream_sensor_lean",
        "pump-weak": "fuel_supply_weak",
        "injector-2-clogged": "injector_weak_2",
        "compression-1-low": "compression_low_1",
        "plug-2-worn": "plug_bad_2",
        "heater-open": "sensor_heater_open",
        "meter-low": "air_flow_meter_low",
    }

    def test_the_true_fault_leads_clearly(self) -> None:
        for defect, name in self.TRUE.items():
            case, found, _ = evidence(defect, measured=True)
            self.assertGreaterEqual(len(case.tests), 6)
            leader = found.suspects[0]
            self.assertEqual(leader.id, name, (defect, [(s.id, round(s.probability, 2)) for s in found.suspects[:3]]))
            # Suspects that the same repair cures need not be told apart.
            same = sum(item.probability for item in found.suspects if item.row.repair == leader.row.repair)
            self.assertGreater(same, 0.6, defect)

    def test_a_healthy_car_accuses_nobody(self) -> None:
        car = driven()
        case = OnRecord(
            module=snapshot(car).engine,
            trims=tuple((t, "r", "1") for t in trims(car)),
            tests=gauges(car),
            specification=PLATFORM.specification,
        )
        found = assess(KNOWN, extract(case, KNOWN))
        self.assertEqual(found.best, ())
        self.assertGreater(found.nothing, 0.8)
        self.assertLess(found.suspects[0].probability, 0.08)

    def test_every_proposal_is_worth_its_line(self) -> None:
        _, found, _ = evidence("crankcase-hose-split", measured=False)
        proposals = propose(found, KNOWN, Costs())
        self.assertGreaterEqual(len(proposals), 10)
        first = proposals[0]
        self.assertGreater(first.bits, 0.1)
        self.assertLessEqual(first.minutes, 20)
        self.assertEqual(proposals, tuple(sorted(proposals, key=lambda p: (-p.bits_per_minute, p.test.id))))
