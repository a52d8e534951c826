"""An engine that catches and dies shows nothing of how it runs: nobody records its trims, or finds its idle good."""

from __future__ import annotations

import unittest
from functools import cache
from typing import Any

from gumshoe.practice.cars import CARS
from gumshoe.practice.heard import Drives
from gumshoe.practice.seen import snapshot, trims
from gumshoe.practice.trainee import Technician
from gumshoe.simulator.garage import Runner, StandIn
from gumshoe.simulator.vehicle import Vehicle

DIES = "air_flow_meter:ground_contact:bad-contact"
CAR = next(car for car in CARS if car.model == "eider_50")
"""Its meter tells a hundred times the air there is."""


@cache
def driven() -> tuple[dict[str, Any], Drives]:
    return CAR.driven(DIES, seed=13)


def dying() -> Vehicle:
    car = CAR.fresh(DIES, seed=13)
    car.restore(driven()[0])
    return car


class Dies(unittest.TestCase):
    def test_the_driver_says_that_it_does_not_start(self) -> None:
        self.assertIn("no_start", driven()[1].symptoms())
        self.assertNotIn("no_start", CAR.driven(seed=13)[1].symptoms())

    def test_of_a_starter_that_hardly_turns_he_says_so(self) -> None:
        for defect in ("starter-worn", "ground-strap-corroded"):
            self.assertEqual(CAR.driven(defect, seed=13)[1].symptoms(), ("slow_crank",), defect)

    def test_no_trim_is_recorded_of_it(self) -> None:
        self.assertEqual(trims(dying()), ())
        self.assertTrue(trims(CAR.fresh(seed=13)))

    def test_what_needs_it_running_cannot_be_tested(self) -> None:
        man = Technician(dying(), CAR.known, CAR.described.specification, (), driven()[1])
        self.assertFalse(man.test(CAR.known.tests["idle_valve_command"]))
        self.assertFalse(man.test(CAR.known.tests["record_idle"]))
        self.assertTrue(man.test(CAR.known.tests["fuel_pressure"]), "a gauge shows what is there while it is cranked")
        self.assertEqual([outcome.test for outcome in man.outcomes], ["fuel_pressure"])

    def test_what_is_read_of_it_tells_the_air_that_does_not_flow(self) -> None:
        values = snapshot(dying()).modules[0].values
        self.assertEqual(values["rpm"], 0.0)
        self.assertGreater(values["maf_gps"], 100.0)

    def test_its_stand_in_shows_nothing_that_a_running_engine_would(self) -> None:
        for defects, shown in (((DIES,), False), ((), True)):
            row = StandIn("one", "one", CAR.vin, "B", 1, defects, 13, 0.0, (), 60.0, CAR.model)
            runner = Runner(row, "stalled")
            found = runner.look("idle_valve", engine_on=True)
            assert found
            self.assertEqual("does not keep running" not in found.words, shown)
            assert runner.node
            runner.node.bus.shutdown()


if __name__ == "__main__":
    unittest.main()
