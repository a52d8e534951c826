"""Two banks, and engines without an air-flow meter, in the reasoning. Trade rules: common practice, no source."""

import unittest

from gumshoe.core.clues import OnRecord, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.outcomes import decide, good_range
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.powertrain.positions import bank_of
from gumshoe.core.signals.recording import Recording
from gumshoe.core.signals.regions import Region
from gumshoe.core.signals.trims import RegionTrim, mean_of_banks, read_pattern, trims_by_region
from gumshoe.core.suspects import Assessment, assess
from tests.core.test_signals import samples

SIX = expand(platforms()["ostrel_dunlin_30"].powertrain)
THREE = expand(platforms()["havsel_pipit_10"].powertrain)


def trim(region: Region, total: float, bank: int, rpm: float = 700.0) -> RegionTrim:
    return RegionTrim(region, 0.0, total, total, 1.0, rpm, 4.0, 99, 20.0, bank)


def judged(
    known: Knowledge,
    codes: tuple[str, ...],
    idle: tuple[float, ...],
    fast: tuple[float, ...] = (),
    rpm: float = 700.0,
) -> Assessment:
    rows = [trim(Region.WARM_IDLE, total, bank, rpm) for bank, total in enumerate(idle, 1)]
    rows += [trim(Region.HIGH_IDLE, total, bank) for bank, total in enumerate(fast, 1)]
    module = ModuleSnapshot(0x7E8, codes=tuple(StoredCode(code, CodeState.CONFIRMED) for code in codes))
    return assess(known, extract(OnRecord(module=module, trims=tuple((r, "r", "1") for r in rows)), known))


class TwoBanks(unittest.TestCase):
    def test_one_bank_lean_is_of_that_bank(self) -> None:
        for bank, code in ((1, "P0171"), (2, "P0174")):
            idle = (26.0, 0.0) if bank == 1 else (0.0, 26.0)
            found = judged(SIX, (code,), idle, idle)
            for item in found.suspects[:2]:
                self.assertTrue(item.id.endswith("_b2") == (bank == 2), [s.id for s in found.suspects[:4]])
                self.assertTrue(item.id.startswith(("upstream_sensor_lean", "exhaust_leak", "manifold_gasket")))

    def test_both_banks_lean_alike_is_of_what_they_share(self) -> None:
        found = judged(SIX, ("P0171", "P0174"), (26.0, 25.0), (7.0, 8.0))
        self.assertIn(found.suspects[0].id, ("crankcase_hose_split", "booster_hose_leak", "intake_duct_loose"))
        words = " ".join(clue.words for clue in found.clues)
        self.assertIn("alike", words)

    def test_the_farther_bank_speaks_and_the_difference_beside_it(self) -> None:
        found = judged(SIX, (), (2.0, 21.0))
        words = [clue.words for clue in found.clues]
        self.assertTrue(any("bank 2: +21.0 %" in text for text in words), words)
        self.assertTrue(any("bank 2 off alone" in text for text in words), words)

    def test_codes_of_bank_2_say_what_those_of_bank_1_say(self) -> None:
        self.assertEqual(SIX.codes["P0174"].title, SIX.codes["P0171"].title.replace("ank 1", "ank 2"))
        self.assertEqual(SIX.codes["P0174"].frame_clue, SIX.codes["P0171"].frame_clue)
        self.assertNotIn("bank 1", SIX.codes["P0430"].title + SIX.codes["P0430"].watches)

    def test_a_cylinder_fault_moves_its_own_bank(self) -> None:
        for n in range(1, 7):
            table = SIX.faults[f"injector_weak_{n}"].graded["trim_idle_banks"]
            own = f"bank_{bank_of(SIX.powertrain, n)}"
            self.assertEqual(max((name for name in table if name != "alike"), key=lambda name: table[name]), own)

    def test_one_bank_has_nothing_to_compare(self) -> None:
        self.assertNotIn("trim_idle_banks", THREE.variables)


class Recorded(unittest.TestCase):
    def test_each_bank_that_was_recorded_has_its_trims(self) -> None:
        rows = samples(0.6, 0.0)
        other = [type(row)(row.time, row.key.replace("b1", "b2"), row.value - 6.0) for row in rows if "b1" in row.key]
        both = trims_by_region(Recording.from_samples([*rows, *other]))
        self.assertEqual({row.bank for row in both}, {1, 2})
        first, second = (next(row for row in both if row.bank == bank) for bank in (1, 2))
        self.assertAlmostEqual(first.total_pct - second.total_pct, 12.0, delta=0.2)
        mean = next(row for row in mean_of_banks(both) if row.region is first.region)
        self.assertAlmostEqual(mean.total_pct, (first.total_pct + second.total_pct) / 2.0)

    def test_an_engine_without_a_meter_has_trims_all_the_same(self) -> None:
        rows = [row for row in samples(0.6, 0.0) if row.key != "maf_gps"]
        self.assertTrue(all(row.maf_gps == 0.0 for row in trims_by_region(Recording.from_samples(rows))))


class PressureMetered(unittest.TestCase):
    def test_a_leak_raises_the_idle_and_leaves_the_mixture(self) -> None:
        found = judged(THREE, ("P0507",), (0.5,), rpm=950.0)
        self.assertIn(found.suspects[0].id, ("crankcase_hose_split", "booster_hose_leak"))
        self.assertEqual(
            max(THREE.faults["crankcase_hose_split"].graded["idle_speed"].items(), key=lambda r: r[1])[0], "high"
        )

    def test_a_wrong_pressure_is_wrong_at_every_flow(self) -> None:
        lean = judged(THREE, ("P0171", "P0106"), (25.0,), (24.0,)).suspects[0]
        rich = judged(THREE, ("P0172", "P0106"), (-25.0,), (-24.0,)).suspects[0]
        self.assertEqual((lean.id, rich.id), ("pressure_sensor_low", "pressure_sensor_high"))

    def test_its_trims_are_not_read_as_if_it_had_a_meter(self) -> None:
        for idle, fast in ((25.0, 4.0), (2.0, 16.0), (20.0, 20.0), (-20.0, -20.0), (0.0, -15.0), (20.0, -15.0)):
            rows = (trim(Region.WARM_IDLE, idle, 1), trim(Region.HIGH_IDLE, fast, 1))
            said = read_pattern(*rows, flow_metered=False)
            self.assertNotIn("meter ", said.meaning + said.why)
            self.assertNotEqual(said, read_pattern(*rows))

    def test_tests_that_need_a_meter_are_not_offered(self) -> None:
        self.assertNotIn("full_load_filling", THREE.tests)
        self.assertIn("pressure_at_rest", THREE.tests)
        self.assertNotIn("pressure_at_rest", SIX.tests)


class LimitsOfTheVehicle(unittest.TestCase):
    def test_pressure_is_judged_against_the_specified_value(self) -> None:
        test = THREE.tests["fuel_pressure"]
        three, six = (platforms()[name].specification for name in ("havsel_pipit_10", "ostrel_dunlin_30"))
        same = {"idle_kpa": 300.0, "load_kpa": 298.0}
        self.assertEqual(decide(test, same, three).id, "good")
        self.assertEqual(decide(test, same, six).id, "falls")
        low, high = good_range(test.readings[0], six) or (0.0, 0.0)
        self.assertTrue(low < six.fuel_pressure_kpa < high)

    def test_where_nothing_is_specified_nothing_usual_is_condemned(self) -> None:
        """Port injection holds 2.5 to 4.5 bar, plugs are set to 0.7 to 1.1 mm (common practice)."""
        test = THREE.tests["fuel_pressure"]
        for idle, load, outcome in (
            (250.0, 300.0, "good"),  # a regulator on vacuum: less at idle
            (440.0, 430.0, "good"),
            (400.0, 330.0, "falls"),  # by itself, whatever is specified
            (300.0, 200.0, "falls"),
            (560.0, 555.0, "high"),
        ):
            readings = {"idle_kpa": idle, "load_kpa": load}
            self.assertEqual(decide(test, readings).id, outcome, readings)
        plugs = THREE.tests["plug_gap"]
        for gap, outcome in ((1.1, "good"), (1.3, "good"), (1.5, "worn")):
            self.assertEqual(decide(plugs, {"insulator": "whole", "widest_mm": gap}).id, outcome, gap)

    def test_an_idle_is_off_only_where_one_is_specified_or_none_is_usual(self) -> None:
        for rpm, specification, bins in (
            (860.0, Specification(), []),
            (860.0, Specification(idle_rpm=760.0), ["high"]),
            (1250.0, Specification(), ["high"]),
            (480.0, Specification(), ["low"]),
        ):
            told = (trim(Region.WARM_IDLE, 0.0, 1, rpm), "r", "1")
            clues = extract(OnRecord(trims=(told,), specification=specification), SIX)
            self.assertEqual([row.value for row in clues if row.variable == "idle_speed"], bins, rpm)
