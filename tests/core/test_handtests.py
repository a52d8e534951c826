"""Arithmetic of the hand tests against worked examples (ours, done by hand beside each check) and definitions.

Limits are common practice, no source, unless said; copper and units are physics.
"""

import unittest
from dataclasses import replace

from scipy import constants

from gumshoe.core.errors import BadInput
from gumshoe.core.handtests import Worked, hand_tests, hand_tests_for, values_of, work_out
from gumshoe.core.handtests.catalogue import field_names, usual_of
from gumshoe.core.handtests.rows import LimitVerdict
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.powertrain.description import Ignition


def worked(name: str, cylinders: int = 4, **typed: object) -> Worked:
    """A hand test with what is typed; a list is spread over the cylinders."""
    fields: dict[str, str] = {}
    for key, value in typed.items():
        if isinstance(value, list):
            fields |= {f"{key}_{n}": str(item) for n, item in enumerate(value, 1)}
        else:
            fields[key] = str(value)
    row = hand_tests()[name]
    return work_out(row, values_of(row, fields, cylinders))


class Electrical(unittest.TestCase):
    def test_voltage_drop(self) -> None:
        found = worked("voltage_drop", stretch="switch or wire", drop=0.35, current=7.0)
        self.assertAlmostEqual(found.figures[0].value, 50.0)  # 0.35 V ÷ 7 A = 50 mΩ
        self.assertAlmostEqual(found.figures[1].value, 2.45)  # 0.35 V · 7 A
        self.assertIs(found.verdict, LimitVerdict.BAD)
        self.assertIs(worked("voltage_drop", stretch="one whole side", drop=0.35, current=7).verdict, LimitVerdict.GOOD)

    def test_a_winding_measured_hot(self) -> None:
        # 27.9 Ω at 80 °C, leads 0.2 Ω: 27.7 ÷ (1 + 0.00393 · 60) = 22.41 Ω
        found = worked("resistance_20", part="purge or vent valve", ohm=27.9, leads=0.2, celsius=80)
        self.assertAlmostEqual(found.figures[0].value, 22.41, places=2)
        self.assertIs(found.verdict, LimitVerdict.GOOD)
        self.assertIs(
            worked("resistance_20", part="relay", ohm="1.2 kΩ", leads=0, celsius=20).verdict, LimitVerdict.BAD
        )
        # 68 °F are 20 °C: nothing is corrected.
        self.assertAlmostEqual(
            worked("resistance_20", part="injector", ohm=14, leads=0, celsius="68 °F").figures[0].value, 14.0, places=3
        )

    def test_battery(self) -> None:
        found = worked("battery", rest=12.5, crank=10.4, charge=14.3)
        self.assertAlmostEqual(found.figures[0].value, 87.5)  # midway between 12.4 V (75 %) and 12.6 V (full)
        self.assertIs(found.verdict, LimitVerdict.GOOD)
        self.assertEqual(found.reading, 12.5)
        flat = worked("battery", rest=12.1, crank=9.1, charge=12.9)
        for word in ("charge it before", "breaks down", "not charged"):
            self.assertIn(word, flat.words.lower())

    def test_drain(self) -> None:
        # Half of 60 Ah at 125 mA: 30 ÷ 0.125 = 240 h = 10 days; a week takes 168 h · 0.125 A = 21 Ah = 35 %.
        found = worked("parasitic_drain", ma=125, capacity=60, stood=7)
        self.assertAlmostEqual(found.figures[0].value, 10.0)
        self.assertAlmostEqual(found.figures[1].value, 35.0)
        self.assertIs(found.verdict, LimitVerdict.BAD)
        self.assertIs(worked("parasitic_drain", ma=40, capacity=60, stood=60).verdict, LimitVerdict.WATCH)

    def test_drop_across_a_fuse(self) -> None:
        # 1.5 mV over the 7.7 mΩ of a 10 A fuse: 195 mA. A 30 A fuse of 2 mΩ shows the same current as 0.4 mV.
        found = worked("fuse_drop", fuse="10 A", mv=1.5)
        self.assertAlmostEqual(found.figures[0].value, 194.8, places=1)
        self.assertIs(found.verdict, LimitVerdict.BAD)
        self.assertIs(worked("fuse_drop", fuse="30 A", mv=0.4).verdict, LimitVerdict.BAD)
        self.assertIs(worked("fuse_drop", fuse="10 A", mv=0.2).verdict, LimitVerdict.WATCH)
        self.assertIs(worked("fuse_drop", fuse="10 A", mv=0.0).verdict, LimitVerdict.GOOD)


class Engine(unittest.TestCase):
    def test_plug_gap(self) -> None:
        found = worked("plug_gap", spec=0.8, gap=[0.8, 0.9, 1.1, 0.85])
        self.assertAlmostEqual(found.figures[2].value, 37.5)  # 1.1 ÷ 0.8 − 1
        self.assertIn("cylinder 3", found.words)
        self.assertEqual(found.reading, 1.1)
        # 0.031 in is 0.787 mm: as specified.
        self.assertIs(worked("plug_gap", spec=0.8, gap=["0.031 in"] * 4).verdict, LimitVerdict.GOOD)

    def test_compression(self) -> None:
        found = worked("compression", kpa=[1200, 1180, 800, 820])
        self.assertAlmostEqual(found.reading, 100.0 * 800 / 1200)  # type: ignore[arg-type]
        self.assertIn("head gasket", found.words)
        self.assertIs(worked("compression", kpa=[1200, 1180, 1150, 910]).verdict, LimitVerdict.GOOD)  # 75.8 %
        self.assertIs(worked("compression", kpa=[0, 0, 0, 0]).verdict, LimitVerdict.BAD)

    def test_leak_down(self) -> None:
        found = worked("leak_down", supply=700, held=[665, 658, 490, 651])
        self.assertAlmostEqual(found.figures[2].value, 30.0)
        self.assertEqual(found.reading, "above a quarter")

    def test_cranking_current(self) -> None:
        found = worked("relative_compression", valley=110, peak=[190, 188, 164, 191])
        self.assertAlmostEqual(found.figures[2].value, 100 * 54 / 81, places=3)
        self.assertEqual(found.reading, "one low")

    def test_injectors(self) -> None:
        found = worked("injector_balance", before=300, after=[200, 202, 225, 201])
        # Drops 100, 98, 75, 99: mean 93; 75 is 19.4 % below it.
        self.assertAlmostEqual(found.reading, -19.35, places=2)  # type: ignore[arg-type]
        self.assertIn("Too little: cylinder 3", found.words)

    def test_bleed_down_is_brought_to_ten_minutes(self) -> None:
        # 90 % after 5 minutes is 81 % after 10 (0.9²).
        found = worked("bleed_down", first=350, later=315, minutes=5)
        self.assertAlmostEqual(found.figures[1].value, 81.0)
        self.assertEqual(found.reading, "holds")
        self.assertEqual(worked("bleed_down", first=350, later=280, minutes=5).reading, "falls fast")  # 64 %

    def test_one_reading_convicts_no_bearing(self) -> None:
        once = worked("bearing_clearance", limit=0.08, play=["0.05", "0.09", "0.05", "0.05"])
        self.assertIs(once.verdict, LimitVerdict.WATCH)
        often = worked(
            "bearing_clearance", limit=0.08, play=["0.05 0.051 0.05", "0.09 0.091 0.09", "0.05 0.05 0.051", "0.05 0.05"]
        )
        self.assertIs(often.verdict, LimitVerdict.BAD)
        self.assertIn("cylinder 2", often.words)

    def test_shaft(self) -> None:
        self.assertIs(worked("shaft_play", along=0.06, across=0.4, wheel="clear all round").verdict, LimitVerdict.GOOD)
        self.assertIn("along", worked("shaft_play", along=0.2, across=0.4, wheel="clear all round").words)
        self.assertIn("touches", worked("shaft_play", along=0, across=0, wheel="touches, or has touched").words)

    def test_particulate_filter(self) -> None:
        found = worked("filter_restriction", off=0, idle=12, fast=62, idle_rpm=800)
        a, b = found.figures[0].value, found.figures[1].value
        self.assertAlmostEqual(a * 0.32 + b * 0.32**2, 12.0)  # through both points
        self.assertAlmostEqual(a + b, 62.0)
        self.assertIs(found.verdict, LimitVerdict.GOOD)
        self.assertIn("Blocked", worked("filter_restriction", off=0, idle=30, fast=150, idle_rpm=800).words)
        self.assertIn("sensor or hoses", worked("filter_restriction", off=20, idle=30, fast=60, idle_rpm=800).words)
        self.assertIn("does not rise", worked("filter_restriction", off=0, idle=12, fast=12, idle_rpm=800).words)


class Upkeep(unittest.TestCase):
    def test_oil(self) -> None:
        found = worked("oil_overdue", odometer=96400, last=78000, interval=15000, months=8, interval_months=12)
        self.assertAlmostEqual(found.figures[0].value, 3400.0)  # 96 400 − (78 000 + 15 000)
        self.assertEqual(found.reading, "low, overdue or wrong")
        self.assertIs(
            worked("oil_overdue", odometer=80000, last=90000, interval=15000, months=1, interval_months=12).verdict,
            LimitVerdict.NONE,
        )

    def distributor(self, reading: float, more: float, less: float) -> Worked:
        return worked("distributor", reading=reading, spec=0, tolerance=2, more=more, less=less, teeth=13)

    def test_distributor(self) -> None:
        self.assertIs(self.distributor(1.5, 5, 5).verdict, LimitVerdict.GOOD)
        self.assertIn("lower the reading by 8.0", self.distributor(8, 3, 12).words)
        out = self.distributor(-30, 6, 20)  # 30° up wanted, 6° there: one tooth is 27.7°, then 2.3° on
        self.assertAlmostEqual(out.figures[1].value, 360.0 / 13.0)
        self.assertIn("1 tooth out", out.words)
        self.assertIn("raises the reading", out.words)
        self.assertIn("2 teeth out", self.distributor(55, 10, 4).words)  # 2 · 27.7 = 55.4
        self.assertIn("timing marks", self.distributor(-13, 0, 0).words)  # between two teeth, and no play at all

    def test_torque_against_definitions(self) -> None:
        """SciPy's constants (CODATA and the units' definitions)."""
        found = {row.unit: row.value for row in worked("torque", value=25, unit="lbf·ft").figures}
        self.assertAlmostEqual(found["N·m"], 25 * constants.pound_force * constants.foot, places=6)
        self.assertAlmostEqual(found["lbf·in"], 300.0, places=6)
        self.assertAlmostEqual(found["N·m"], 25 * 1.355818, places=4)

    def test_conversions_against_definitions(self) -> None:
        pressure = {row.unit: row.value for row in worked("convert", value=51, unit="psi").figures}
        self.assertAlmostEqual(pressure["kPa"], 51 * constants.psi / 1000.0, places=3)
        self.assertAlmostEqual(pressure["bar"], 51 * constants.psi / constants.bar, places=4)
        hot = {row.unit: row.value for row in worked("convert", value=194, unit="°F").figures}
        self.assertAlmostEqual(hot["°C"], 90.0)
        miles = {row.unit: row.value for row in worked("convert", value=8, unit="L/100 km").figures}
        gallon_miles = 100.0 / (8.0 * constants.liter / constants.gallon) * 1000.0 / constants.mile
        self.assertAlmostEqual(miles["miles per US gallon"], gallon_miles, places=3)
        for unit in ("inHg", "mm", "km/h", "g/s", "mi"):
            self.assertTrue(worked("convert", value=1, unit=unit).figures)


class Typed(unittest.TestCase):
    def refused(self, words: str, name: str, **typed: object) -> None:
        with self.assertRaisesRegex(BadInput, words):
            worked(name, **typed)

    def test_what_cannot_be_names_its_field(self) -> None:
        self.refused("Drop: “much” is not a number", "voltage_drop", stretch="switch or wire", drop="much", current=1)
        self.refused("between the leads: choose one", "voltage_drop", stretch="moon", drop=1, current=1)
        self.refused("must lie between", "battery", rest=126, crank=10, charge=14)
        self.refused("Pressure, cylinder 3: “” is not", "compression", kpa=[1, 2])
        self.refused("no reading was typed", "bearing_clearance", limit=0.08, play=["0.1", "", "0.1", "0.1"])
        self.refused("cannot be turned into V", "battery", rest="12 psi", crank=10, charge=14)

    def test_every_test_states_formula_limit_and_standing(self) -> None:
        for row in hand_tests().values():
            self.assertTrue(row.formula and row.limit and row.standing and row.steps, row.id)

    def test_those_for_a_powertrain_and_what_they_are_recorded_as(self) -> None:
        platform = platforms()["ostrel_tern_16"]
        known = expand(platform.powertrain, platform.local)
        shown = {row.id for row in hand_tests_for(known)}
        self.assertLessEqual({"compression", "plug_gap"}, shown)
        self.assertFalse({"filter_restriction", "distributor"} & shown)  # neither particulate filter nor distributor
        old = expand(replace(platform.powertrain, ignition=Ignition.DISTRIBUTOR))
        self.assertIn("distributor", {row.id for row in hand_tests_for(old)})
        for row in hand_tests().values():
            test = known.tests.get(row.test)
            if test:
                self.assertIn(row.reads, [item.key for item in test.readings], row.id)

    def test_fields_and_what_stands_in_them(self) -> None:
        spec, gap = hand_tests()["plug_gap"].inputs
        self.assertEqual(usual_of(spec, Specification(plug_gap_mm=0.7)), "0.7")
        self.assertEqual(usual_of(spec, Specification()), "")  # not known is not some usual value
        self.assertEqual([name for name, _ in field_names(gap, 3)], ["gap_1", "gap_2", "gap_3"])
