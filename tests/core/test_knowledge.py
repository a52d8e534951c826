"""The tables: shipped ones fit together, broken ones are named by file and line; outcomes; reading the codes."""

import subprocess
import sys
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

from gumshoe.core.clues import OnRecord, TestOutcome, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.by_place import ASKED
from gumshoe.core.knowledge.catalogue import FOLDER, expand
from gumshoe.core.knowledge.outcomes import check_reading, decide
from gumshoe.core.knowledge.platform import platform_for_vin, platforms
from gumshoe.core.knowledge.rows import CodesFile, FaultsFile, Specification
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, StoredCode
from gumshoe.core.obd.status import CONTINUOUS_MONITORS, Monitor, MonitorStatus
from gumshoe.core.powertrain.description import AirMetering, Powertrain
from gumshoe.core.suspects import assess
from gumshoe.core.suspects.relations import Role, read_codes

ROOT = Path(__file__).resolve().parents[2]


class Loading(unittest.TestCase):
    def broken(self, name: str, old: str, new: str, shape: type) -> str:
        text = (FOLDER / name).read_text(encoding="utf-8")
        self.assertIn(old, text)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / Path(name).name
            path.write_text(text.replace(old, new, 1), encoding="utf-8")
            with self.assertRaises(DataError) as caught:
                load_table(path, shape)
        return caught.exception.what

    def test_an_error_names_file_and_line(self) -> None:
        lines = (FOLDER / "codes.toml").read_text(encoding="utf-8").splitlines()
        line = next(number for number, text in enumerate(lines, 1) if text == "trips = 1")
        self.assertIn(f"codes.toml, line {line}:", self.broken("codes.toml", "trips = 1", 'trips = "one"', CodesFile))

    def test_a_missing_key_and_broken_toml(self) -> None:
        self.assertIn("petrol.toml, line", self.broken("faults/petrol.toml", "wear = 1.2\n", "", FaultsFile))
        self.assertIn("not valid TOML", self.broken("codes.toml", "[[code]]", "[[code]", CodesFile))

    def test_the_slice_has_suspects_and_tests_enough(self) -> None:
        known = expand(platforms()["ostrel_tern_16"].powertrain)
        self.assertGreaterEqual(len(known.faults), 12)
        self.assertGreaterEqual(len(known.tests), 10)
        self.assertIn("coil_breakdown_4", known.faults)
        self.assertNotIn("coil_breakdown_5", known.faults)
        for fault in known.faults.values():
            for table in fault.graded.values():
                self.assertAlmostEqual(sum(table.values()), 1.0)

    def test_parts_the_engine_lacks_are_left_out(self) -> None:
        pressure = expand(Powertrain(air_metering=AirMetering.PRESSURE))
        self.assertNotIn("air_flow_meter_low", pressure.faults)
        six = expand(Powertrain(cylinders=6, firing_order=(1, 2, 3, 4, 5, 6)))
        self.assertIn("P0306", six.codes)

    def test_platform_by_vin(self) -> None:
        found = platform_for_vin("UY0TN16A9G2000001")
        assert found
        self.assertEqual(found.platform.id, "ostrel_tern_16")
        self.assertIsNone(platform_for_vin("W0000000000000000"))


class Repairs(unittest.TestCase):
    def test_what_a_repair_reaches(self) -> None:
        known = expand(platforms()["ostrel_tern_16"].powertrain)
        self.assertTrue(known.repairs["mend_coil_wiring_2"].wiring)
        self.assertTrue(known.repairs["mend_feed_heaters"].wiring)
        self.assertFalse(known.repairs["renew_coil_2"].wiring)
        self.assertFalse(known.repairs["renew_upstream_sensor"].wiring)
        self.assertIn("oxygen_heater_b1s1", known.reached_by("mend_plug_oxygen_b1s1"))
        self.assertEqual(known.reached_by("renew_coil_2"), {"ignition_coil_2"})


class Outcomes(unittest.TestCase):
    def setUp(self) -> None:
        self.tests = expand(Powertrain()).tests

    def test_readings_decide(self) -> None:
        pressure, told = self.tests["fuel_pressure"], Specification(fuel_pressure_kpa=350.0)
        for idle, load, outcome in ((350, 345, "good"), (350, 240, "falls"), (420, 410, "high")):
            self.assertEqual(decide(pressure, {"idle_kpa": idle, "load_kpa": load}, told).id, outcome)

    def test_every_choice_of_every_test_decides(self) -> None:
        for test in self.tests.values():
            for row in (row for row in test.readings if row.key not in ASKED):
                numbers = {item.key: (item.low or 0.0) for item in test.readings if item.kind == "number"}
                for option in row.options:
                    self.assertTrue(decide(test, {**numbers, row.key: option}).id)

    def test_a_cracked_insulator_is_told_whatever_the_gap(self) -> None:
        plugs, told = self.tests["plug_gap"], Specification(plug_gap_mm=0.8)
        for seen, gap, outcome in (
            ("one cracked or tracking", 0.8, "cracked"), ("whole", 0.8, "good"), ("whole", 1.3, "worn"),
        ):  # fmt: skip
            self.assertEqual(decide(plugs, {"insulator": seen, "widest_mm": gap}, told).id, outcome)
        self.assertEqual(decide(plugs, {"widest_mm": 0.8}, told).id, "good")  # as it was entered before

    def test_a_finding_at_one_cylinder_is_told_of_that_cylinder(self) -> None:
        """Else one cylinder's lost compression convicts whichever is suspected."""
        compression = self.tests["compression"]
        for cylinder, outcome in (("3", "low_3"), ("all alike", "low")):
            self.assertEqual(decide(compression, {"lowest_pct": 60.0, "cylinder": cylinder}).id, outcome)
        self.assertEqual(decide(compression, {"lowest_pct": 90.0, "cylinder": "all alike"}).id, "good")
        proves = {item.id: item.proves for item in compression.outcomes}
        self.assertEqual(proves["low_3"], ("compression_low_3",))
        for name, table in compression.given.items():
            self.assertAlmostEqual(sum(table.values()), 1.0, msg=name)
        self.assertGreater(compression.given["compression_low_3"]["low_3"], 0.7)
        self.assertLess(compression.given["compression_low_3"]["low_2"], 0.05)

    def test_a_cam_that_lags_convicts_no_other(self) -> None:
        """Which cam, which bank: the phaser of the other bank is acquitted by it, a chain is the chain of its bank."""
        v6 = expand(Powertrain(cylinders=6, layout="V", phasers="both", firing_order=(1, 2, 3, 4, 5, 6)))  # type: ignore[arg-type]
        test = v6.tests["cam_command"]
        told = {"found": "one cam lags or sticks", "cam": "exhaust of bank 2"}
        self.assertEqual(decide(test, told).id, "one_exhaust_2")
        self.assertEqual(decide(test, told | {"cam": "none by itself"}).id, "one")
        self.assertEqual(decide(test, {"found": "both cams of a bank off alike", "bank": "2"}).id, "bank_2")
        for fault, outcome in (
            ("exhaust_phaser_sticks_b2", "one_exhaust_2"),
            ("open_exhaust_phaser_valve_b2", "one_exhaust_2"),
            ("intake_phaser_sticks", "one_intake_1"),
            ("chain_stretched_b2", "bank_2"),
        ):
            table = test.given[fault]
            self.assertAlmostEqual(sum(table.values()), 1.0, msg=fault)
            same = {name: share for name, share in table.items() if name.partition("_")[0] == outcome.partition("_")[0]}
            self.assertEqual(max(same, key=same.__getitem__), outcome)
            self.assertGreater(table[outcome], 0.6, fault)
        self.assertLess(test.given["exhaust_phaser_sticks_b2"]["one_exhaust_1"], 0.03)
        only = expand(Powertrain(phasers="intake")).tests["cam_command"]  # type: ignore[arg-type]
        self.assertEqual([row.key for row in only.readings], ["found"])  # one cam, one bank: nothing to ask

    def test_typed_readings(self) -> None:
        row = self.tests["fuel_pressure"].readings[0]
        self.assertEqual(check_reading(row, " 345,5 kPa "), 345.5)
        with self.assertRaisesRegex(BadInput, "not a number"):
            check_reading(row, "three")
        # 1 psi = 6.894757 kPa, 1 bar = 100 kPa [physics]
        self.assertAlmostEqual(float(check_reading(row, "50 psi")), 344.738, places=2)
        self.assertAlmostEqual(float(check_reading(row, "3,5 bar")), 350.0, places=6)
        with self.assertRaisesRegex(BadInput, "cannot be turned into kPa"):
            check_reading(row, "350 °C")
        with self.assertRaisesRegex(BadInput, "between 0 and 1000 kPa"):
            check_reading(row, "50000")
        with self.assertRaisesRegex(BadInput, "choose one of"):
            check_reading(self.tests["look_hoses"].readings[0], "dunno")


def module(*codes: str, counts: tuple[int, ...] = ()) -> ModuleSnapshot:
    names = (*CONTINUOUS_MONITORS, "catalyst", "oxygen sensor", "oxygen sensor heater")
    done = tuple(Monitor(name, True, True, name in CONTINUOUS_MONITORS) for name in names)
    return ModuleSnapshot(
        0x7E8,
        status=MonitorStatus(True, len(codes), False, done),
        codes=tuple(StoredCode(code, CodeState.CONFIRMED) for code in codes),
        frames=(FreezeFrame("P0171", {"rpm": 830.0, "load_pct": 20.0, "coolant_c": 88.0}),) if "P0171" in codes else (),
    )


class Reading(unittest.TestCase):
    def setUp(self) -> None:
        self.known = expand(Powertrain())

    def read(self, *codes: str) -> dict[str, Role]:
        found = assess(self.known, extract(OnRecord(module=module(*codes)), self.known))
        rows = read_codes(dict.fromkeys(codes, (CodeState.CONFIRMED,)), self.known, found).codes
        return {row.code: row.role for row in rows}

    def test_misfire_before_the_meters_performance_code(self) -> None:
        # Common practice: misfire upsets the air-flow model; the misfire is repaired first.
        roles = self.read("P0303")
        self.assertEqual(roles, {"P0303": Role.CHASE})

    def test_lean_and_random_misfire_have_one_cause(self) -> None:
        roles = self.read("P0171", "P0300")
        self.assertIs(roles["P0171"], Role.CHASE)
        self.assertIs(roles["P0300"], Role.ECHO)

    def test_two_codes_of_one_plug_are_one_fault(self) -> None:
        found = assess(self.known, extract(OnRecord(module=module("P0102", "P0113")), self.known))
        self.assertEqual(found.best, ("meter_unplugged",))

    def test_unknown_code_is_decoded_by_structure(self) -> None:
        self.assertIs(self.read("P1234")["P1234"], Role.UNKNOWN)


class Clues(unittest.TestCase):
    def setUp(self) -> None:
        self.known = expand(Powertrain())

    def test_absent_codes_count_only_after_their_monitor(self) -> None:
        whole = module()
        open_status = replace(whole.status, monitors=tuple(replace(m, complete=False) for m in whole.status.monitors))
        with_monitor = {c.variable for c in extract(OnRecord(module=whole), self.known) if c.value == "absent"}
        without = {
            c.variable
            for c in extract(OnRecord(module=replace(whole, status=open_status)), self.known)
            if c.value == "absent"
        }
        self.assertIn("P0171", with_monitor)
        self.assertEqual(without, set())

    def test_a_later_test_supersedes(self) -> None:
        made = (TestOutcome("look_hoses", "crankcase", "a", "1"), TestOutcome("look_hoses", "whole", "b", "2"))
        clues = [c for c in extract(OnRecord(tests=made), self.known) if c.variable == "look_hoses"]
        self.assertEqual([c.value for c in clues], ["whole"])

    def test_doubt_keeps_the_clue_at_a_quarter(self) -> None:
        clue = extract(OnRecord(symptoms=("hiss",)), self.known)[0]
        doubted = extract(OnRecord(symptoms=("hiss",), doubtful=frozenset({clue.id})), self.known)[0]
        self.assertTrue(doubted.doubtful)
        self.assertEqual(doubted.weight, 0.25)

    def test_a_repair_that_did_not_help_speaks_against_its_fault(self) -> None:
        base = assess(self.known, extract(OnRecord(module=module("P0171")), self.known))
        after = assess(
            self.known,
            extract(OnRecord(module=module("P0171"), failed_repairs=(("renew_crankcase_hose", "j", "1"),)), self.known),
        )
        before_p = base.suspect("crankcase_hose_split").probability  # type: ignore[union-attr]
        after_p = after.suspect("crankcase_hose_split").probability  # type: ignore[union-attr]
        self.assertLess(after_p, before_p / 3)


class StandingAlone(unittest.TestCase):
    def test_the_core_imports_without_django(self) -> None:
        program = (
            "import sys, pkgutil, importlib\n"
            "class No:\n"
            "    def find_spec(self, name, path=None, target=None):\n"
            "        if name.split('.')[0] == 'django': raise ImportError('django is not for the core')\n"
            "sys.meta_path.insert(0, No())\n"
            "for root in ('gumshoe.core', 'gumshoe.simulator'):\n"
            "    package = importlib.import_module(root)\n"
            "    for item in pkgutil.walk_packages(package.__path__, root + '.'):\n"
            "        importlib.import_module(item.name)\n"
        )
        subprocess.run([sys.executable, "-c", program], cwd=ROOT, check=True)
