"""The reasoning against the physics, which know nothing of each other.

A fault is put into a stand-in; it is driven; what it says on the bus, its trims at idle and at 2500 rpm, and the gauges
of the numeric tests go to the reasoning. The true fault must lead, or share the lead with what these readings cannot
tell from it. No outcome is written down here: only which suspect is the name of which physical fault.
"""

from __future__ import annotations

import unittest

from django.test import tag

from gumshoe.core.clues import OnRecord, TestOutcome, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.by_place import CYLINDER
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.outcomes import decide
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.rows import ReadingRow
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.planning import Costs, propose
from gumshoe.core.suspects import Assessment, assess
from gumshoe.core.suspects.relations import Role, read_codes
from gumshoe.practice.seen import cylinder_of, snapshot, trims
from gumshoe.simulator.drives import start
from gumshoe.simulator.finding import Finding
from gumshoe.simulator.hands import observe
from gumshoe.simulator.vehicle import Vehicle
from tests.simulator.test_physics import driven

PLATFORM = platforms()["ostrel_tern_16"]
KNOWN = expand(PLATFORM.powertrain)


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
