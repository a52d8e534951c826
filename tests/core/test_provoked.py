"""Codes the work itself sets. That an unplugged sensor sets its circuit code only with the key on, and a dead battery
codes in many units, is common practice, no source; the numbers of the codes are SAE J2012's, from memory [M]."""

import unittest
from datetime import UTC, datetime

from gumshoe.core.codes import CodeState
from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.obd.snapshot import ModuleSnapshot, Snapshot, StoredCode
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.proof.provoked import FILE, Did, Happening, key_was_on, provoked, sort_codes
from gumshoe.core.validation import check_file

KNOWN = expand(Powertrain())


def off(component: str, key_on: bool | None = True, did: Did = Did.OFF) -> Happening:
    return Happening(component, did, f"{component} {did}", 10.0, 20.0, key_on)


def scan(**modules: tuple[tuple[str, CodeState], ...]) -> Snapshot:
    ids = {"engine": 0x7E8, "transmission": 0x7E9, "body": 0x748}
    return Snapshot(
        datetime.now(UTC),
        "11 bit",
        tuple(
            ModuleSnapshot(ids[name], name=name, codes=tuple(StoredCode(code, state) for code, state in codes))
            for name, codes in modules.items()
        ),
    )


class Foretold(unittest.TestCase):
    def test_air_flow_plug_off_with_the_key_on(self) -> None:
        found = {row.code: row for row in provoked(KNOWN, [off("air_flow_meter")])}
        self.assertTrue(found["P0102"].foretold)
        self.assertTrue(found["P0113"].foretold)  # the air temperature sits in the same housing
        self.assertEqual(found["P0102"].where, "engine")
        self.assertIn("U0401", found)  # the others hear invalid data

    def test_key_never_on_nothing_expected(self) -> None:
        self.assertEqual(provoked(KNOWN, [off("air_flow_meter", key_on=False)]), ())

    def test_nobody_knows_half_the_chance(self) -> None:
        sure, unknown = (
            {row.code: row.chance for row in provoked(KNOWN, [off("air_flow_meter", key_on=flag)])}
            for flag in (True, None)
        )
        self.assertAlmostEqual(unknown["P0102"], 0.5 * sure["P0102"])

    def test_battery_flat_in_transmission_and_key(self) -> None:
        found = {row.code: row for row in provoked(KNOWN, [off("battery", None, Did.FLAT)])}
        self.assertEqual(found["P0882"].where, "transmission")
        self.assertEqual(found["P0513"].where, "body or engine")
        for code in ("P0882", "P0513", "U3003", "P0562"):
            self.assertTrue(found[code].foretold, code)

    def test_a_module_renewed_has_to_be_coded(self) -> None:
        found = {row.code for row in provoked(KNOWN, [off("body_module", True, Did.RENEWED)]) if row.foretold}
        self.assertTrue({"P0513", "P0602"} <= found)

    def test_of_two_happenings_the_likelier_explains(self) -> None:
        rows = provoked(KNOWN, [off("air_flow_meter", None), off("air_flow_meter", True)])
        self.assertGreater(next(row.chance for row in rows if row.code == "P0102"), 0.9)

    def test_the_key_seen_by_the_bus_beats_what_is_told(self) -> None:
        self.assertTrue(key_was_on(10.0, 20.0, [(15.0, 15.2)], False))
        self.assertFalse(key_was_on(10.0, 20.0, [(25.0, 26.0)], False))
        self.assertIsNone(key_was_on(10.0, 20.0, [], None))
        self.assertTrue(key_was_on(10.0, None, [(500.0, 501.0)], None))


class Sorted(unittest.TestCase):
    def test_old_expected_and_flagged(self) -> None:
        before = scan(engine=(("P0171", CodeState.CONFIRMED),))
        after = scan(
            engine=(
                ("P0171", CodeState.CONFIRMED),
                ("P0102", CodeState.CONFIRMED),
                ("P0102", CodeState.PENDING),
                ("P0335", CodeState.PENDING),
            ),
        )
        rows = {row.code: row for row in sort_codes(before, after, provoked(KNOWN, [off("air_flow_meter")]))}
        self.assertTrue(rows["P0171"].old)
        self.assertFalse(rows["P0171"].flagged)
        self.assertIsNotNone(rows["P0102"].expected)
        self.assertEqual(rows["P0102"].states, (CodeState.CONFIRMED, CodeState.PENDING))
        self.assertTrue(rows["P0335"].flagged)

    def test_a_code_is_old_only_in_the_module_that_held_it(self) -> None:
        before = scan(engine=(("P0882", CodeState.CONFIRMED),), transmission=())
        after = scan(engine=(("P0882", CodeState.CONFIRMED),), transmission=(("P0882", CodeState.CONFIRMED),))
        rows = sort_codes(before, after, provoked(KNOWN, [off("battery", None, Did.FLAT)]))
        self.assertEqual([(row.module, row.old, row.expected is not None) for row in rows],
                         [("engine", True, False), ("transmission", False, True)])  # fmt: skip

    def test_no_scan_before_nothing_is_old(self) -> None:
        rows = sort_codes(None, scan(engine=(("P0335", CodeState.PENDING),)), ())
        self.assertTrue(rows[0].flagged)


class Table(unittest.TestCase):
    def test_a_bad_row_is_named(self) -> None:
        text = FILE.read_text(encoding="utf-8")
        for wrong, right in (('"flat", "off"', '"melted"'), ("crankshaft variation: functional", "crankshaft: purple")):
            with self.assertRaisesRegex(DataError, r"provoked.toml, line \d+"):
                check_file(FILE, text.replace(wrong, right, 1))
