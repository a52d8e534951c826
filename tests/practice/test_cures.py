"""What breaks on a stand-in can be mended: the tables have a repair of that part, whatever either side calls the fault.
A part that only one of them knows is a car that nobody could ever cure."""

from __future__ import annotations

import unittest

from gumshoe.practice.cars import CARS, Car
from gumshoe.practice.cures import is_sound
from gumshoe.simulator.defects import defects_of


def mended(car: Car, defect: str) -> bool:
    """Whether some repair of ours that reaches a part leaves nothing wrong with it."""
    known = car.known
    ill = car.fresh(defect, seed=1)
    own = defects_of(car.built)[defect].component
    nearest = sorted(known.repairs.items(), key=lambda item: item[1].component != own)
    return any(
        ill.carry_out(row.component, known.reached_by(name), work=row.work) and is_sound(ill) for name, row in nearest
    )


class Curable(unittest.TestCase):
    def test_every_fault_of_a_part_has_a_repair_that_reaches_it(self) -> None:
        for car in CARS:
            with self.subTest(car.model):
                self.assertEqual([defect for defect in car.defects if not mended(car, defect)], [])
