"""What readings of one sitting share (supply, sound parts, size), against a general reference and the trade."""

from __future__ import annotations

import unittest

import numpy as np
from scipy.stats import multivariate_normal

from gumshoe.core.circuits import GROUND, FaultModel, Instrument, Probe, ProbeReading, model, templates
from gumshoe.core.circuits.instruments import exactness
from gumshoe.core.circuits.judging import conclusion
from gumshoe.core.circuits.sitting import Sitting, Unknowns, sitting, unknowns_of
from gumshoe.core.circuits.templates import drawn


def volts(place: str, value: float, command: float = 0.0) -> ProbeReading:
    return ProbeReading(Probe.at(Instrument.METER, place, GROUND, command), value)


def ohms(plus: str, minus: str, value: float) -> ProbeReading:
    return ProbeReading(Probe.at(Instrument.OHM, plus, minus, unplugged=["part"]), value)


def of(kind: str) -> FaultModel:
    return model(drawn(templates()[kind], kind, "x"))


class Shared(unittest.TestCase):
    def test_readings_together_are_as_likely_as_a_joint_normal_says(self) -> None:
        """Against scipy's multivariate normal density: covariance of the instruments and of what is shared (supply,
        place of the parts, each part's own deviation)."""
        made = of("load")
        unknowns = Unknowns(made)
        unknowns.places, unknowns.kept = (-1.0, 0.0, 1.0), (0.0,)
        readings = [volts("battery", 12.2), volts("feed", 12.1), ohms("part_plus", "part_minus", 23.5)]
        found = Sitting(unknowns, readings).fits[:, 0].prod()
        around = [unknowns.around(reading.probe) for reading in readings]
        moves = np.array([row.moves[0] for row in around])
        middle = np.array([row.middle[0] for row in around])
        own = np.array([exactness(r.probe, row.middle)[0] for r, row in zip(readings, around, strict=True)])
        scale = float(np.prod(own)) * (2.0 * np.pi) ** 1.5
        expected = 0.0
        for share, mean, deviation in ((0.7, 12.35, 0.35), (0.3, 14.1, 0.45)):
            shared = np.diag([deviation**2, 1.0, 0.0, *np.ones(len(unknowns.parts))])
            covariance = np.diag(own**2) + moves @ shared @ moves.T
            centre = middle + moves[:, 0] * (mean - 12.6)
            value = np.array([reading.value for reading in readings])
            density = float(multivariate_normal(centre, covariance).pdf(value)) * scale
            expected += share * max(density, 0.0)
        self.assertAlmostEqual(found, expected, delta=1e-4 * expected + 1e-9)

    def test_a_sound_circuit_on_any_battery_is_sound(self) -> None:
        """Common practice, no source: 11.6 V under the load of the key, 12.6 V at rest, 14.3 V while it is charged."""
        for supply in (11.6, 12.6, 14.3):
            with self.subTest(supply=supply):
                made = of("load")
                readings = [volts("battery", supply), volts("feed", supply - 0.01), volts("control", supply - 0.02)]
                told = conclusion(made, readings)
                self.assertTrue(told.sound)
                self.assertFalse(told.stands and told.outcome != "good")
                self.assertAlmostEqual(sitting(made, readings).supply_v, supply, delta=0.1)

    def test_the_same_voltage_is_good_on_one_battery_and_a_drop_on_another(self) -> None:
        weak, charged = volts("battery", 12.0), volts("battery", 14.2)
        feed = volts("feed", 11.9, command=1.0)
        self.assertTrue(conclusion(of("load"), [weak, feed]).sound)
        self.assertFalse(conclusion(of("load"), [charged, feed]).sound)

    def test_a_part_a_fifth_off_is_sound_and_a_third_of_it_is_not(self) -> None:
        for share, sound in ((0.8, True), (1.2, True), (0.2, False)):
            told = conclusion(of("load"), [ohms("part_plus", "part_minus", 22.0 * share)])
            self.assertIs(told.sound, sound, share)

    def test_a_sensor_at_another_point_is_not_off_its_curve(self) -> None:
        """A thermistor has some hundred ohms hot and some thousand cold (common practice, no source)."""
        for value in (350.0, 1200.0, 4000.0):
            told = conclusion(of("thermistor"), [ohms("part_signal", "part_minus", value)])
            self.assertFalse(told.stands and told.outcome != "good", value)

    def test_a_size_between_those_solved_is_the_same_fault(self) -> None:
        """8.3 Ω in the feed of a load of 22 Ω: a divider, by Ohm's law."""
        made = of("load")
        for ohm in (4.1, 6.5, 8.3, 11.0, 17.0):
            driver = 0.15 + 0.02 * 3 + 0.08
            current = 12.4 / (22.0 + ohm + 0.06 + driver)
            drop = 12.4 - current * (ohm + 0.06)
            readings = [volts("battery", 12.4), volts("fuse_out", 12.38, 1.0), volts("feed", drop, 1.0)]
            weights = sitting(made, readings).weights
            by_fault = np.bincount(made.owner, weights, len(made.faults))
            likely = {made.faults[int(index)].id for index in np.argsort(-by_fault)[:3]}
            self.assertIn("resistance:feed_wire", likely, ohm)

    def test_what_nothing_shows_is_hardly_a_fault(self) -> None:
        made = of("feed-side load")
        own = np.array([fault.id == "short_ground:ground_wire" for fault in made.faults])[made.owner]
        self.assertTrue(own.any())
        every = unknowns_of(made).prior
        self.assertLess(float(every[own].sum()), 0.2 * float(made.prior[own].sum()) + 1e-12)
