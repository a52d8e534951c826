"""``manage.py vehicles`` and ``manage.py drive``: what there is, and data for others: same seed, same bytes."""

import io
import json
import tempfile
from pathlib import Path

import numpy as np
import pandas as pd
from django.core.management import CommandError, call_command
from django.test import SimpleTestCase

from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.signals.strips import channels_of
from gumshoe.core.signals.tables import read_table
from gumshoe.simulator.models import models


class Commands(SimpleTestCase):
    def drive(self, *more: str) -> bytes:
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "log.csv"
            out = io.StringIO()
            call_command("drive", "tern_16", "--profile", "restart", *more, "--export", str(file), stdout=out)
            self.said = out.getvalue()
            return file.read_bytes()

    def test_vehicles_and_their_faults(self) -> None:
        out = io.StringIO()
        call_command("vehicles", "--json", stdout=out)
        told = json.loads(out.getvalue())
        self.assertEqual(set(told["kinds"]), set(models()))
        self.assertGreaterEqual(sum(len(kind["faults"]) for kind in told["kinds"].values()), 120)
        for car in told["vehicles"].values():
            self.assertLessEqual(set(car["faults"]), set(told["kinds"][car["kind"]]["faults"]))
        out = io.StringIO()
        call_command("vehicles", stdout=out)
        self.assertIn("thermostat-open", out.getvalue())

    def test_same_seed_same_bytes(self) -> None:
        first = self.drive("--seed", "4")
        self.assertEqual(first, self.drive("--seed", "4"))
        self.assertNotEqual(first, self.drive("--seed", "5"))
        self.assertNotEqual(first, self.drive("--seed", "4", "--fault", "meter-low"))

    def test_the_log_is_read_by_us_and_by_pandas(self) -> None:
        text = self.drive("--cold", "--ambient", "-5", "--every", "0.5")
        self.assertIn("channels over", self.said)
        table = pd.read_csv(io.BytesIO(text))
        self.assertAlmostEqual(float(table["coolant_c [°C]"].iloc[0]), -5.0, delta=1.0)
        own = read_table(text, channels_of(platforms()["ostrel_tern_16"].powertrain)).recording.channels["rpm"]
        np.testing.assert_allclose(own.values, table["rpm [rpm]"])
        self.assertAlmostEqual(float(np.median(np.diff(own.times))), 0.5, places=3)

    def test_a_fault_shows_in_the_codes_told(self) -> None:
        self.drive("--fault", "purge-wire-open")
        self.assertIn("P0443", self.said)

    def test_what_cannot_be_is_refused(self) -> None:
        for arguments, words in (
            (("nowhere",), "no vehicle “nowhere”"),
            (("tern_16", "--fault", "gate-stuck"), "cannot have “gate-stuck”"),
            (("tern_16", "--every", "0"), "0.02 to 60"),
            (("tern_16", "--export", __file__), "exists already"),
        ):
            with self.assertRaisesRegex(CommandError, words):
                call_command("drive", *arguments, stdout=io.StringIO())
