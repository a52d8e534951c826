"""Compiled or not, a stand-in does the same: bit by bit."""

from __future__ import annotations

import os
import subprocess
import sys
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
DRIVE = """
import json
from gumshoe.simulator import engine
from gumshoe.simulator.drives import start, town
from gumshoe.simulator.models import models
from gumshoe.simulator.vehicle import Identity, Vehicle
told = []
for kind in ("tern_16", "fulmar_20", "plover_18"):
    car = Vehicle(Identity("UY0TN16A9G2000001", "T", 1), models()[kind], seed=3)
    car.begin((*start(20.0), *town(1.5)))
    while car.driving:
        car.step()
    told.append([car.live_values(), car.save()])
print(engine.__file__.endswith(".py"), json.dumps(told, sort_keys=True, default=str))
"""


@unittest.skipUnless(os.environ.get("GUMSHOE_COMPILED"), "nothing is compiled here")
class Compiled(unittest.TestCase):
    def drive(self, folder: str) -> tuple[str, str]:
        environment = os.environ | {"GUMSHOE_COMPILED": folder}
        told = subprocess.run(
            [sys.executable, "-c", DRIVE], cwd=ROOT, env=environment, capture_output=True, text=True, check=True
        )
        interpreted, _, state = told.stdout.partition(" ")
        return interpreted, state

    def test_the_same_bytes(self) -> None:
        fast, slow = self.drive(os.environ["GUMSHOE_COMPILED"]), self.drive("")
        self.assertEqual((fast[0], slow[0]), ("False", "True"))
        self.assertEqual(fast[1], slow[1])
