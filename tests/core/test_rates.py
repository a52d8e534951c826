"""Base rates: distance, age, where the car lives and what the shop has learnt, each by its own factor, and told so."""

from __future__ import annotations

import unittest

from gumshoe.core.clues import OnRecord, extract
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.values import Climate, FailureMode
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.suspects.posterior import assess
from gumshoe.core.suspects.rates import EXPECTED_FAULTS, TYPICAL_KM, TYPICAL_YEARS, base_rate, priors

KNOWN = expand(Powertrain())


class Rates(unittest.TestCase):
    def test_a_usual_car_has_the_rates_of_the_tables(self) -> None:
        for name, row in KNOWN.faults.items():
            rate = base_rate(KNOWN, name, TYPICAL_KM, TYPICAL_YEARS)
            self.assertAlmostEqual(rate.grown, row.rate)
            self.assertEqual(rate.told, ())
            self.assertIn(rate.standing, ("common practice", "from memory"))

    def test_factors_multiply_and_are_told(self) -> None:
        rate = base_rate(KNOWN, "main_ground_bad", 160_000, 16.0, Climate.SALTED, {"main_ground_bad": 1.5})
        row = KNOWN.faults["main_ground_bad"]
        self.assertAlmostEqual(rate.grown, row.rate * 2.0**row.wear * 2.0**row.ageing * 2.0 * 1.5)
        told = dict(rate.told)
        self.assertEqual(told["the shop's own repairs"], 1.5)
        self.assertTrue(any("salt" in words for words in told))

    def test_where_cars_live_changes_what_leads(self) -> None:
        """Common practice, no source: salt eats grounds, dust fills filters, damp finds its way over coils."""
        for climate, more, same in (
            (Climate.SALTED, "main_ground_bad", "coil_breakdown_2"),
            (Climate.HOT, "air_filter_clogged", "main_ground_bad"),
            (Climate.DAMP, "coil_breakdown_2", "air_filter_clogged"),
        ):
            there, usual = (base_rate(KNOWN, more, climate=at).grown for at in (climate, Climate.TEMPERATE))
            self.assertGreater(there, 1.2 * usual)
            self.assertEqual(base_rate(KNOWN, same, climate=climate).grown, base_rate(KNOWN, same).grown)

    def test_a_circuit_that_fails_in_a_way_follows_its_mode(self) -> None:
        loose = next(name for name, row in KNOWN.faults.items() if row.mode == FailureMode.LOOSE)
        self.assertGreater(base_rate(KNOWN, loose, climate=Climate.DAMP).grown, base_rate(KNOWN, loose).grown)

    def test_in_all_as_many_faults_are_expected_wherever_it_lives(self) -> None:
        for climate in Climate:
            self.assertAlmostEqual(float(priors(KNOWN, KNOWN.faults, None, climate=climate).sum()), EXPECTED_FAULTS)

    def test_it_reaches_the_ranking(self) -> None:
        clues = extract(OnRecord(symptoms=("no_start",)), KNOWN)
        chance = {at: assess(KNOWN, clues, climate=at).suspect("battery_low") for at in Climate}
        salted, usual = chance[Climate.SALTED], chance[Climate.TEMPERATE]
        assert salted and usual
        self.assertGreater(salted.probability, usual.probability)
