"""Which cylinders misfire, as a set: laws, their unions, what counters and codes make of them, and who is suspected."""

from __future__ import annotations

import unittest
from collections.abc import Mapping
from itertools import product

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import dirichlet_multinomial

from gumshoe.core.clues import FoundDead, OnRecord, extract
from gumshoe.core.clues.misfire import blamed
from gumshoe.core.clues.misfire_seen import BLEEDS, DEAD, EVEN, FOLLOWS, WANDERING, MisfireSeen, _of_counts, chances
from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.judgement import Grounds, Judged
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.obd.results import MonitorResult
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.obd.status import Monitor, MonitorStatus
from gumshoe.core.powertrain.description import Ignition, Injection, Layout, Powertrain
from gumshoe.core.powertrain.misfires import WANDERS, Lack, Spread, law_of, mask_of, spared
from gumshoe.core.suspects.misfires import log_seen
from gumshoe.core.suspects.posterior import Assessment, assess

FOUR = Powertrain()
V6 = Powertrain(cylinders=6, layout=Layout.V, firing_order=(1, 4, 2, 5, 3, 6))
NOBODY: Mapping[int, float] = {0: 1.0}


def seen(engine: Powertrain = FOUR, **more: object) -> MisfireSeen:
    return MisfireSeen(engine.cylinders, engine.firing_order, **more)  # type: ignore[arg-type]


def judged(engine: Powertrain, codes: tuple[str, ...], found: FoundDead | None = None, **counts: int) -> Assessment:
    """A scan with these confirmed codes and last-cycle counters, its monitors complete, and what hands found."""
    results = tuple(
        MonitorResult(0xA1 + int(name[1:]), 0x0C, "misfire", "counts", float(count), 0.0, 65535.0)
        for name, count in counts.items()
    )
    monitors = tuple(Monitor(name, True, True) for name in ("misfire", "comprehensive components", "EGR / VVT"))
    stored = tuple(StoredCode(TroubleCode(code), CodeState.CONFIRMED) for code in codes)
    module = ModuleSnapshot(
        0x7E8, status=MonitorStatus(True, len(codes), False, monitors), codes=stored, results=results
    )
    knowledge = expand(engine)
    hands = (found,) if found else ()
    return assess(knowledge, extract(OnRecord(module=module, by_hand=hands), knowledge))


class Laws(unittest.TestCase):
    def test_a_law_is_a_distribution_and_its_own_places_are_meant(self) -> None:
        shares = {"none": 0.2, "random": 0.1, "cylinder": 0.3, "pair": 0.1, "bank": 0.1, "some": 0.1, "all": 0.1}
        for engine in (FOUR, V6):
            law = law_of(shares, engine, (2,), 1)
            self.assertAlmostEqual(sum(law.values()), 1.0)
        self.assertEqual(law_of({Spread.CYLINDER: 1.0}, V6, (5,), 2), {mask_of((5,)): 1.0})
        self.assertEqual(set(law_of({Spread.CYLINDER: 1.0}, V6, bank=2)), {mask_of((n,)) for n in (4, 5, 6)})
        with self.assertRaises(ValueError):
            law_of({"elsewhere": 1.0}, FOUR)

    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.dictionaries(st.integers(0, 31), st.floats(0.01, 1.0), min_size=1, max_size=5), max_size=3))
    def test_what_several_spare_is_the_product(self, raw: list[dict[int, float]]) -> None:
        """Against plain enumeration of every union."""
        laws = [{mask: share / sum(law.values()) for mask, share in law.items()} for law in raw]
        union: dict[int, float] = {}
        for drawn in product(*(law.items() for law in laws)):
            mask, chance = 0, 1.0
            for own, share in drawn:
                mask, chance = mask | own, chance * share
            union[mask] = union.get(mask, 0.0) + chance
        together = np.prod([spared(law, 4) for law in laws], axis=0) if laws else np.ones(32)
        for among in range(32):
            plain = sum(share for mask, share in union.items() if not mask & among)
            self.assertAlmostEqual(float(np.broadcast_to(together, 32)[among]), plain, places=12)
        sight = seen(named=(2,), several=True, counts=(3, 400, 20, 0))
        sets = np.array([[index if index < len(laws) else len(laws) for index in range(3)]])
        found = float(np.exp(log_seen(sight, NOBODY, laws, sets))[0])
        g = chances(sight)
        self.assertAlmostEqual(found, max(sum(share * g[mask] for mask, share in union.items()), 1e-9), places=9)


class Counters(unittest.TestCase):
    def test_counts_follow_the_dirichlet_multinomial_of_the_reference_library(self) -> None:
        """Against scipy, up to what all sets have in common (the multinomial coefficient and the total)."""
        counts = (3, 120, 0, 40)
        members = (np.arange(32)[:, None] >> np.arange(5)) & 1 == 1
        ours = _of_counts(members, counts, FOUR.firing_order)
        reference = []
        for row in members:
            alpha = np.where(row[1:], DEAD, BLEEDS)
            for n, follower in ((1, 3), (3, 4), (4, 2), (2, 1)):
                alpha[follower - 1] += FOLLOWS * row[n] * (not row[follower])
            alpha = alpha + WANDERING * row[0] if row.any() else np.full(4, EVEN)
            reference.append(dirichlet_multinomial.logpmf(counts, alpha, sum(counts)))
        wrong = (ours - ours[2]) - (np.array(reference) - reference[2])
        self.assertLess(float(np.abs(wrong[1:]).max()), 1e-9)  # of the empty set the total counts as well

    def test_few_counts_all_on_one_cylinder_are_one_cylinder(self) -> None:
        """Common practice, no source: it is the pattern that tells, not the number."""
        self.assertEqual(blamed({1: 0, 2: 95, 3: 0, 4: 0}), (2,))
        self.assertEqual(blamed({1: 24, 2: 25, 3: 22, 4: 24}), ())
        self.assertEqual(int(np.argmax(chances(seen(counts=(0, 95, 0, 0))))), mask_of((2,)))

    def test_a_misfire_all_over_wanders(self) -> None:
        even = chances(seen(counts=(300, 280, 350, 310), named=(), several=True))
        self.assertTrue(int(np.argmax(even)) & WANDERS)

    def test_a_cylinder_that_misfires_less_than_its_companion_is_not_acquitted(self) -> None:
        told = chances(seen(counts=(900, 4, 2, 120)))
        self.assertGreater(told[mask_of((1, 4))], 0.3 * told[mask_of((1,))])


class SeldomForNothing(unittest.TestCase):
    """A stored misfire code is the control unit's own word that there were enough (common practice); a few counts
    without one are a sound engine's."""

    def test_with_counts_beside_it_as_well_as_alone(self) -> None:
        for engine in (FOUR, V6):
            bank = {f"c{n}": 130 if n % 3 == 1 else 12 for n in range(1, engine.cylinders + 1)}
            even = {f"c{n}": 60 + n for n in range(1, engine.cylinders + 1)}
            few = {f"c{n}": n % 3 for n in range(1, engine.cylinders + 1)}
            for codes in (("P0300",), ("P0302",), ("P0300", "P0301")):
                for counts in ({}, bank, even):
                    self.assertLess(judged(engine, codes, **counts).nothing, 0.2, (codes, counts))
                self.assertLess(judged(engine, codes, **few).nothing, 0.5, codes)  # it may have come and gone
            self.assertGreater(judged(engine, (), **few).nothing, 0.5)


class Suspected(unittest.TestCase):
    """Common practice, no source, for all of these."""

    def shares(self, found: Assessment, *names: str) -> float:
        return sum(item.probability for item in found.suspects if item.id in names)

    def first(self, found: Assessment, count: int) -> list[str]:
        return [item.id for item in found.suspects[:count]]

    def test_two_cylinders_by_themselves_are_two_faults_or_what_they_share(self) -> None:
        for codes, counts in ((("P0302", "P0303"), {}), (("P0300", "P0302", "P0303"), {"c2": 400, "c3": 250, "c1": 3})):
            found = judged(FOUR, codes, **counts)
            first = self.first(found, 8)
            self.assertTrue(any(name.endswith("_2") for name in first) and any(name.endswith("_3") for name in first))
            self.assertLess(found.nothing, 0.15)

    def test_companions_of_a_wasted_spark_are_their_coil(self) -> None:
        found = judged(Powertrain(ignition=Ignition.WASTED_SPARK), ("P0302", "P0303"))
        self.assertEqual(found.suspects[0].id, "pair_coil_breakdown_B")
        pack = judged(
            Powertrain(cylinders=6, layout=Layout.V, firing_order=(1, 2, 3, 4, 5, 6), ignition=Ignition.COIL_PACK),
            ("P0300",),
            c1=600,
            c4=420,
        )
        self.assertEqual(pack.suspects[0].id, "coil_block_breakdown_A")

    def test_a_whole_bank_leads_to_its_shared_point_before_chain_and_gasket(self) -> None:
        found = judged(V6, ("P0300", "P0301", "P0302", "P0303"), c1=800, c2=500, c3=650)
        names = [item.id for item in found.suspects]
        dear = min(names.index(name) for name in ("chain_stretched", "timing_tooth_out", "head_gasket_1"))
        self.assertLess(names.index("shared_ground_coils"), dear)

    def test_what_a_cylinder_lacks_tells_whose_fault_it_is(self) -> None:
        """A dead cylinder without spark: ignition; with spark and without pulse: its injector's circuit; with low
        compression: the engine."""
        plain = judged(FOUR, ("P0303",))
        for lacks, right in (
            (Lack.SPARK, "coil_breakdown_3"),
            (Lack.INJECTION, "injector_circuit_open_3"),
            (Lack.COMPRESSION, "compression_low_3"),
        ):
            lacking, has = (judged(FOUR, ("P0303",), found=FoundDead(at, lacks, "", "1", "")) for at in ((3,), ()))
            odds = [share / (1.0 - share) for share in (self.shares(item, right) for item in (lacking, plain, has))]
            self.assertGreater(odds[0], 15.0 * odds[1], lacks)
            self.assertLess(odds[2], 0.25 * odds[1], lacks)

    def test_what_hands_confirm_makes_no_unknown_fault_likelier(self) -> None:
        """Counters and hands that name one cylinder are two witnesses of the same, not one that takes the other's
        word away."""
        plain = judged(FOUR, ("P0303",))
        dead = judged(FOUR, ("P0303",), found=FoundDead((3,), Lack.POWER, "", "1", ""))
        self.assertLess(dead.nothing, plain.nothing)
        for name in ("coil_breakdown_3", "plug_bad_3", "injector_weak_3"):
            self.assertGreater(self.shares(dead, name), self.shares(plain, name), name)

    def test_what_hands_found_before_a_repair_that_did_not_help_is_looked_for_again(self) -> None:
        scan = ModuleSnapshot(0x7E8, codes=(StoredCode(TroubleCode("P0303"), CodeState.CONFIRMED),))
        hand = FoundDead((3,), Lack.SPARK, "", "hand-1", "2026-01-01")
        for repairs, made in (((), True), ((("renew_coil_3", "work-1", "2026-01-02"),), False)):
            case = OnRecord(module=scan, by_hand=(hand,), failed_repairs=repairs)
            found = Judged(Grounds(expand(FOUR), case))
            self.assertEqual("spark_tester" in found.done, made)
            clue = next(clue for clue in found.clues if clue.stands_for)
            self.assertEqual(clue.doubtful, not made)

    def test_an_injector_stage_takes_two_that_never_inject_at_once(self) -> None:
        direct = Powertrain(injection=Injection.DIRECT)
        found = judged(direct, ("P0201", "P0204", "P0300"), c1=600, c4=550)
        self.assertEqual(found.suspects[0].id, "injector_stage_A")
        self.assertNotIn("injector_stage_A", expand(Powertrain()).faults)

    def test_one_cylinder_stays_with_its_own_parts(self) -> None:
        found = judged(FOUR, ("P0303",), c3=700, c1=2)
        self.assertEqual(found.suspects[0].id, "coil_breakdown_3")
        self.assertGreater(self.shares(found, "coil_breakdown_3", "plug_bad_3", "injector_weak_3"), 0.6)
        self.assertLess(self.shares(found, "coil_breakdown_1", "coil_breakdown_2", "coil_breakdown_4"), 0.05)


if __name__ == "__main__":
    unittest.main()
