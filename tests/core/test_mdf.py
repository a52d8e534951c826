"""ASAM MDF 4 by asammdf (a general library for that standard): what goes out comes back, as the library reads it."""

import tempfile
import unittest
from pathlib import Path
from unittest import mock

import numpy as np

from gumshoe.core.errors import BadInput
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals import mdf
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.strips import channels_of

KNOWN = channels_of(Powertrain())
UNITS = {key: told.unit for key, told in KNOWN.items()}


@unittest.skipUnless(mdf.available(), "asammdf is installed by run.py test")
class MeasurementData(unittest.TestCase):
    def recording(self, origin: float) -> Recording:
        draw = np.random.default_rng(3)
        return Recording(
            {
                key: Channel(origin + np.cumsum(draw.uniform(0.05, 0.3, 200)), draw.normal(50.0, 9.0, 200))
                for key in ("rpm", "coolant_c", "stranger")
            }
        )

    def test_both_ways(self) -> None:
        for origin in (0.0, 1_772_360_000.25):
            before = self.recording(origin)
            found = mdf.read_mdf(mdf.write_mdf(before, UNITS), KNOWN)
            self.assertEqual(found.units["rpm"], "rpm")
            for key, channel in before.channels.items():
                np.testing.assert_allclose(found.recording.channels[key].values, channel.values)
                np.testing.assert_allclose(found.recording.channels[key].times, channel.times, rtol=0, atol=1e-4)

    def test_as_the_library_reads_it(self) -> None:
        import asammdf

        before = self.recording(0.0)
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "ours.mf4"
            file.write_bytes(mdf.write_mdf(before, UNITS))
            with asammdf.MDF(file) as theirs:
                self.assertTrue(theirs.version.startswith("4."))
                signal = theirs.get("coolant_c")
                np.testing.assert_allclose(signal.samples, before.channels["coolant_c"].values)
                self.assertEqual(signal.unit, "°C")

    def test_a_file_of_the_library_with_units_and_text(self) -> None:
        import asammdf

        times = np.arange(5) * 0.5
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "theirs.mf4"
            with asammdf.MDF(version="4.10") as made:
                made.append([asammdf.Signal(np.array([10.0] * 5), times, name="speed_kmh", unit="mph")])
                words = np.array([b"on", b"on", b"off", b"on", b"on"])
                made.append([asammdf.Signal(words, times, name="lamp", encoding="utf-8")])
                made.save(file)
            found = mdf.read_mdf(file.read_bytes(), KNOWN)
        np.testing.assert_allclose(found.recording.channels["speed_kmh"].values, 16.09344)
        self.assertIn("“lamp” holds no numbers", " ".join(found.notes))

    def test_what_is_no_such_file(self) -> None:
        with self.assertRaisesRegex(BadInput, "could not be read"):
            mdf.read_mdf(b"MDF?" + bytes(300), KNOWN)


class WithoutTheExtra(unittest.TestCase):
    def test_it_says_what_to_install(self) -> None:
        with mock.patch("importlib.util.find_spec", return_value=None), self.assertRaisesRegex(BadInput, "an extra"):
            mdf.read_mdf(b"", KNOWN)
