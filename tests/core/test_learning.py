"""Shop learning: Dirichlet counts shrunk to the shipped rates (Gelman et al., Bayesian Data Analysis, chapter 3)."""

from __future__ import annotations

import unittest

from gumshoe.core.clues import OnRecord, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.suspects import assess
from gumshoe.core.suspects.learning import PSEUDO_CASES, Heard, Proven, multipliers

KNOWN = expand(Powertrain())
HOSE, METER = "booster_hose_leak", "air_flow_meter_low"


class Learning(unittest.TestCase):
    def test_no_case_changes_nothing(self) -> None:
        self.assertTrue(all(abs(factor - 1.0) < 1e-12 for factor in multipliers(KNOWN, []).values()))

    def test_the_formula_on_one_case(self) -> None:
        """(α s + 1) / (α + 1) / s with the shipped share s and α pseudo-cases."""
        share = KNOWN.faults[HOSE].rate / sum(row.rate for row in KNOWN.faults.values())
        expected = (PSEUDO_CASES * share + 1.0) / (PSEUDO_CASES + 1.0) / share
        self.assertAlmostEqual(multipliers(KNOWN, [Proven(HOSE, True, True)])[HOSE], expected)

    def test_shares_still_sum_to_one(self) -> None:
        factors = multipliers(KNOWN, [Proven(HOSE, True, True)] * 7 + [Proven(METER, True, False)] * 3)
        total = sum(row.rate for row in KNOWN.faults.values())
        self.assertAlmostEqual(sum(row.rate * factors[name] for name, row in KNOWN.faults.items()) / total, 1.0)

    def test_comebacks_and_strange_cars_count_less(self) -> None:
        proven = multipliers(KNOWN, [Proven(HOSE, True, True)] * 3)[HOSE]
        elsewhere = multipliers(KNOWN, [Proven(HOSE, True, False)] * 3)[HOSE]
        mixed = multipliers(KNOWN, [Proven(HOSE, True, True)] * 3 + [Proven(HOSE, False, True)] * 2)[HOSE]
        failed = multipliers(KNOWN, [Proven(HOSE, False, True)] * 50)[HOSE]
        self.assertTrue(1.0 < elsewhere < proven and mixed < proven and 0.4 < failed < 1.0)

    def test_what_is_heard_is_shrunk_by_its_size(self) -> None:
        small = multipliers(KNOWN, [], [Heard(HOSE, 4, 13)])[HOSE]
        large = multipliers(KNOWN, [], [Heard(HOSE, 40, 130)])[HOSE]
        huge = multipliers(KNOWN, [], [Heard(HOSE, 4000, 13000)])[HOSE]
        self.assertTrue(1.0 < small < large)
        self.assertLess(huge, 1.2 * large)
        self.assertLess(large, multipliers(KNOWN, [Proven(HOSE, True, True)] * 6)[HOSE])

    def test_all_cylinders_learn_together_and_strangers_are_passed_over(self) -> None:
        factors = multipliers(KNOWN, [Proven("coil_breakdown_3", True, True), Proven("warp_core", True, True)])
        self.assertEqual(len({round(factors[f"coil_breakdown_{n}"], 12) for n in (1, 2, 3, 4)}), 1)
        self.assertGreater(factors["coil_breakdown_1"], 1.0)

    def test_the_ranking_moves(self) -> None:
        module = ModuleSnapshot(0x7E8, codes=(StoredCode("P0171", CodeState.CONFIRMED),))
        clues = extract(OnRecord(module=module), KNOWN)
        plain = assess(KNOWN, clues)
        taught = assess(KNOWN, clues, learned=multipliers(KNOWN, [Proven(HOSE, True, True)] * 12))
        self.assertNotEqual(plain.suspects[0].id, HOSE)
        self.assertEqual(taught.suspects[0].id, HOSE)


if __name__ == "__main__":
    unittest.main()
