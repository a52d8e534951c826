"""An exercise made ready, and an attempt looked back at: on a real stand-in, driven once for all of them."""

from __future__ import annotations

import unittest
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from functools import cache
from unittest import mock

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.assess import assess_file
from gumshoe.core.casefile.model import ComplaintFacts, EventFacts, ProofFacts, TestFacts, VehicleFacts, WorkFacts
from gumshoe.core.planning import Costs, Step, worth_of
from gumshoe.practice.cars import CARS
from gumshoe.practice.debrief import Debrief, Ended, _dangers, debrief
from gumshoe.practice.exercise import Exercise
from gumshoe.practice.prepared import (
    ADAPTER,
    BEST,
    FLOOR,
    FREQUENT,
    NobodyWouldBringIt,
    NothingCuresIt,
    Prepared,
    fresh,
    prepare,
)
from gumshoe.practice.seen import snapshot
from gumshoe.practice.worked import Did, Point, Taken, as_of
from gumshoe.simulator.vehicle import Vehicle

EXERCISE = Exercise(title="The queue", car="tern_16", faults=("crankcase-hose-split",), seed=101)
BEGUN = datetime(2026, 12, 1, 8, tzinfo=UTC)
RIGHT, WRONG = "renew_crankcase_hose", "renew_booster_hose"


@cache
def ready() -> Prepared:
    """The exercise, made ready."""
    return prepare(EXERCISE)


def at(minutes: float) -> datetime:
    """A moment of the attempt."""
    return BEGUN + timedelta(minutes=minutes)


def scanned() -> Vehicle:
    car = fresh(EXERCISE, *EXERCISE.faults)
    car.restore(ready().state)
    return car


class Lines(unittest.TestCase):
    def test_every_line_and_what_it_took(self) -> None:
        lines = {line.name: line for line in ready().lines}
        self.assertEqual(set(lines), {BEST, FREQUENT, FLOOR})
        for line in lines.values():
            self.assertTrue(line.cured, line.name)
            self.assertLessEqual(lines[FLOOR].money, line.money)
        marks = lines[BEST].marks
        self.assertEqual(marks[0].kind, "scan")
        self.assertEqual([mark.minutes for mark in marks], sorted(mark.minutes for mark in marks))
        self.assertEqual((marks[-1].kind, marks[-1].id, marks[-1].truth), ("repair", RIGHT, 1.0))
        self.assertGreater(marks[-2].truth, marks[0].truth)

    def test_the_truth_is_what_cures_it_in_the_physics(self) -> None:
        self.assertIn(RIGHT, ready().truth[0])
        self.assertNotIn(WRONG, ready().truth[0])
        self.assertIn("P0171", ready().codes)
        self.assertEqual(ready().lamp, "steady")

    def test_it_is_kept_and_read_again(self) -> None:
        self.assertEqual(ADAPTER.validate_json(ADAPTER.dump_json(ready())), ready())

    def test_what_makes_no_exercise_is_said(self) -> None:
        with self.assertRaisesRegex(NobodyWouldBringIt, "no code, and its driver feels nothing"):
            prepare(Exercise(title="Warm", car="tern_16", faults=("thermostat-open",), drives=("short",)))
        none = mock.patch("gumshoe.practice.prepared.cures", return_value=frozenset())
        with none, self.assertRaisesRegex(NothingCuresIt, "no repair of the tables"):
            prepare(EXERCISE)

    def test_nothing_wrong_is_right_when_nothing_is_renewed(self) -> None:
        sound = prepare(Exercise(title="A bad feeling", car="tern_16", drives=("short",)))
        self.assertEqual((sound.truth, sound.codes, sound.symptoms), ((), (), ()))
        best = sound.line(BEST)
        self.assertTrue(best.right_first and best.cured)
        self.assertFalse(any(mark.kind == "repair" for mark in best.marks))


class Looked(unittest.TestCase):
    """Attempts written down as case files."""

    def told(
        self, *steps: Taken, sound: bool, proof: str = "", open_ends: Sequence[str] = (), **more: object
    ) -> Debrief:
        tests = tuple(
            TestFacts(step.id, outcome, at=step.at.isoformat())
            for step in steps
            if step.did is Did.TEST
            for outcome in [step.words]
        )
        scan = snapshot(scanned())
        case = CaseFile(
            "gumshoe-case",
            1,
            vehicle=VehicleFacts(platform="ostrel_tern_16", odometer_km=61_000),
            complaint=ComplaintFacts("the lamp", lamp="steady"),
            scans=(type(scan)(at(5), scan.addressing, scan.modules),),
            tests=tests,
            work=tuple(WorkFacts(step.id, step.at.isoformat()) for step in steps if step.did is Did.REPAIR),
            proof=ProofFacts(proof, at=at(300).isoformat()) if proof else None,  # type: ignore[arg-type]
            **more,  # type: ignore[arg-type]
        )
        return debrief(EXERCISE, ready(), case, steps, Ended(sound, tuple(open_ends)), Costs())

    def test_a_straight_line(self) -> None:
        found = self.told(
            Taken(at(5), Did.SCAN, "", "read the codes", 5.0, 7.0),
            Taken(at(11), Did.TEST, "look_hoses", "crankcase", 6.0, 8.4),
            Taken(at(35), Did.REPAIR, RIGHT, "Renew the hose", 24.0, 64.6),
            Taken(at(55), Did.PROOF, "proven", "proven", 20.0, 28.0),
            sound=True,
            proof="proven",
        )
        self.assertEqual((found.first, found.cured, found.proven, found.good_parts), (True, True, True, ()))
        scan, look, repair, _ = found.rows
        self.assertLess(scan.before, scan.after)
        self.assertLess(look.before, 0.9)
        self.assertGreater(look.after, 0.9)
        self.assertGreater(look.bits or 0.0, 0.2)
        self.assertEqual(repair.after, 1.0)
        self.assertLess(found.regret, 30.0)
        self.assertEqual((found.minutes, round(found.money, 1)), (55.0, 108.0))
        self.assertIn("Right at the first repair", found.words[1])
        self.assertEqual(found.dangers, ())
        self.assertTrue(found.looked_first)
        self.assertEqual(found.system, "air")

    def test_a_good_part_is_held_against_whoever_renewed_it(self) -> None:
        found = self.told(
            Taken(at(5), Did.SCAN, "", "read the codes", 5.0, 7.0),
            Taken(at(11), Did.TEST, "look_hoses", "crankcase", 6.0, 8.4),
            Taken(at(35), Did.REPAIR, WRONG, "Renew the brake booster hose", 24.0, 71.6),
            Taken(at(60), Did.REPAIR, RIGHT, "Renew the hose", 24.0, 64.6),
            sound=True,
        )
        wrong = found.rows[2]
        self.assertTrue(wrong.good_part)
        self.assertAlmostEqual(
            wrong.regret, Costs().of_minutes(20 + 24) + 38.0, delta=30.0
        )  # its own cost, as good as lost
        self.assertIn("crankcase", wrong.better)
        self.assertEqual(found.good_parts, ("brake booster hose",))
        self.assertEqual((found.first, found.cured), (False, True))
        self.assertIn("The dearest step was “Renew the brake booster hose”", found.words[2])
        self.assertIn("not proven", found.proof)

    def test_dangers_are_named(self) -> None:
        off = EventFacts("fuel_pump", at=at(6).isoformat(), did="removed")
        found = self.told(
            Taken(at(5), Did.SCAN, "", "read the codes", 5.0, 7.0),
            Taken(at(7), Did.CLEAR, "", "clear", 2.0, 2.8),
            Taken(at(20), Did.TEST, "relative_compression", "alike", 6.0, 8.4),
            sound=False,
            open_ends=["fuel pump out"],
            events=(off,),
        )
        said = " ".join(found.dangers)
        self.assertIn("Codes were cleared before a fault was named", said)
        self.assertIn("cranked with fuel in the air", said)
        self.assertIn("Left open: fuel pump out", said)
        self.assertIn("It left the shop as it came", found.words[1])
        self.assertIn("Nothing was repaired", found.proof)

    def test_high_voltage_is_for_qualified_people(self) -> None:
        hybrid = next(car for car in CARS if car.model == "plover_18").known
        row = next(row for row in hybrid.repairs.values() if "high_voltage" in row.cautions)
        step = Taken(at(9), Did.REPAIR, row.id, row.words, 60.0, 500.0)
        point = Point(step, 60.0, 500.0, 0.5, 0.5, None)
        (said,) = _dangers([point], CaseFile("gumshoe-case", 1), hybrid, Ended(True))
        self.assertIn("qualified people only", said)

    def test_driven_though_it_was_to_stand(self) -> None:
        step = Taken(at(9), Did.DRIVE, "", "proof drive", 18.0, 25.2)
        point = Point(step, 18.0, 25.2, 0.5, 0.5, None, stop="Stop: the catalyst is in danger")
        (said,) = _dangers([point], CaseFile("gumshoe-case", 1), EXERCISE.kind.known, Ended(True))
        self.assertIn("ruins a catalyst", said)

    def test_the_record_as_it_stood(self) -> None:
        case = CaseFile(
            "gumshoe-case",
            1,
            tests=(TestFacts("look_hoses", "crankcase", at=at(10).isoformat()),),
            work=(WorkFacts(RIGHT, at(20).isoformat(), did_not_help=True),),
            events=(EventFacts("fuel_pump", at=at(5).isoformat(), back_at=at(15).isoformat()),),
            proof=ProofFacts("came back", at=at(30).isoformat()),
        )
        early, later, last = as_of(case, at(9)), as_of(case, at(25)), as_of(case, at(30))
        self.assertEqual((early.tests, early.work, early.proof), ((), (), None))
        self.assertEqual((early.events[0].back_at, later.events[0].back_at), ("", at(15).isoformat()))
        self.assertFalse(later.work[0].did_not_help)
        self.assertTrue(last.work[0].did_not_help)


class Worth(unittest.TestCase):
    def test_a_test_that_tells_nothing_costs_what_it_took(self) -> None:
        case = CaseFile("gumshoe-case", 1, vehicle=VehicleFacts(platform="ostrel_tern_16"), codes=("P0171",))
        judged = assess_file(case).judged
        known, costs = judged.grounds.knowledge, judged.grounds.costs
        idle = worth_of(Step("test", "no_such_test", "x", 30.0, 42.0), judged.assessment, known, costs)
        assert idle and idle.better
        self.assertEqual((idle.minutes, idle.money, idle.bits), (30.0, 42.0, 0.0))
        best = worth_of(idle.better, judged.assessment, known, costs)
        assert best
        self.assertIsNone(best.better)
        self.assertAlmostEqual(best.money, 0.0, 6)
        self.assertGreater(best.bits, 0.0)
