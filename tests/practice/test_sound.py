"""What hands find at a sound car of every kind is what the tables expect of one: else the trainer's lines, and the
benchmarks, are misled by how a finding is put into a form."""

from __future__ import annotations

import unittest

from django.test import tag

from gumshoe.practice.cars import CARS, Car, drive
from gumshoe.practice.trainee import Technician

NEAR = 0.2
"""An outcome that so many sound cars have is no misreading."""


def found(car: Car) -> dict[str, tuple[str, float]]:
    """Of each test of a sound car that comes out otherwise than on most sound cars: how, and how many do."""
    driven, felt, known = car.fresh(seed=3), car.felt(), car.known
    drive(driven, felt)
    man = Technician(driven, known, car.described.specification, (), felt)
    odd = {}
    for test in known.tests.values():
        if test.measures or not man.test(test):
            continue
        outcome = man.outcomes[-1].outcome
        if test.otherwise[outcome] < NEAR and test.otherwise[outcome] < max(test.otherwise.values()):
            odd[test.id] = (outcome, test.otherwise[outcome])
    return odd


@tag("long")
class Sound(unittest.TestCase):
    def test_no_test_finds_anything_at_a_sound_car(self) -> None:
        for car in CARS:
            with self.subTest(car.model):
                self.assertEqual(found(car), {})
