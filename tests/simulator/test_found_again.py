"""What is still wrong when the memory is cleared is found again by the drives that found it: service 04 sets every
monitor back (ISO 15031-5)."""

import unittest

from django.test import tag

from gumshoe.simulator.drives import BRIEF
from gumshoe.simulator.models import models
from gumshoe.simulator.vehicle import Identity, Vehicle

FAULTS = {
    "tern_16": ("brake-module-silent", "chain-stretched"),
    "pipit_10": ("coolant-sensor-off", "coil-2-off"),
}


@tag("long")
class FoundAgain(unittest.TestCase):
    def test_every_kind_of_monitor_begins_anew(self) -> None:
        for kind, faults in FAULTS.items():
            for fault in faults:
                with self.subTest(kind=kind, fault=fault):
                    car = Vehicle(Identity("UY0DN30A5F2000214", "T", 1), models()[kind], defects=(fault,), seed=3)
                    first = found(car)
                    self.assertTrue(first)
                    car.clear()
                    self.assertEqual(car.memory.codes("confirmed"), [])
                    self.assertGreaterEqual(found(car), first)


def found(car: Vehicle) -> set[str]:
    """The codes that two brief drives confirm."""
    for _ in range(2):
        car.begin(BRIEF)
        while car.driving:
            car.step()
    return set(car.memory.codes("confirmed"))
