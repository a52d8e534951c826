"""The composed catalogue: complete, unique, with causes and tests; numbers against well-known ones (SAE J2012, [M])."""

import dataclasses
import unittest

from hypothesis import given
from hypothesis import strategies as st

from gumshoe.core.codes import CodeState, TroubleCode, structure
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.code_catalogue import composed_codes, kinds, rank_of
from gumshoe.core.obd.status import COMPRESSION_MONITORS, CONTINUOUS_MONITORS, SPARK_MONITORS
from gumshoe.core.obd.typed import MAX_CHARACTERS, read_typed
from gumshoe.core.powertrain.description import Powertrain


class Catalogue(unittest.TestCase):
    def setUp(self) -> None:
        self.codes = expand(Powertrain()).codes

    def test_at_least_nine_hundred_standardised_codes(self) -> None:
        standard = [code for code in composed_codes() if structure(TroubleCode(code)).standardised]
        self.assertGreaterEqual(len(standard), 900)
        self.assertEqual(len(standard), len(composed_codes()))

    def test_every_code_is_titled_caused_and_testable(self) -> None:
        monitors = {*CONTINUOUS_MONITORS, *SPARK_MONITORS, *COMPRESSION_MONITORS}
        for number, row in self.codes.items():
            self.assertEqual(number, row.number)
            self.assertTrue(row.causes and row.first_tests and row.cannot, number)
            self.assertIn(row.monitor, monitors, number)
            self.assertIn(row.trips, (1, 2), number)
            self.assertIn(row.severity, ("now", "soon", "can wait", "now when flashing, else soon"), number)
            for value in dataclasses.astuple(row):
                for text in value if isinstance(value, tuple) else (value,):
                    self.assertNotIn("{", str(text), number)

    def test_titles_tell_codes_apart(self) -> None:
        titles: dict[str, list[str]] = {}
        for number, row in self.codes.items():
            titles.setdefault(row.title, []).append(number)
        shared = {title: numbers for title, numbers in titles.items() if len(numbers) > 2}
        # Where the standard distinguishes by detail we do not name yet, several numbers share a title; few may.
        self.assertLess(sum(map(len, shared.values())), 0.06 * len(self.codes), list(shared.items())[:5])

    def test_well_known_numbers(self) -> None:
        for number, component, kind in (
            ("P0102", "air-flow meter", "circuit low"),
            ("P0118", "coolant temperature sensor", "circuit high"),
            ("P0135", "bank 1 sensor 1", "functional"),
            ("P0161", "bank 2 sensor 2", "functional"),
            ("P0174", "bank 2", "lean"),
            ("P0208", "cylinder 8", "circuit open"),
            ("P0267", "cylinder 3", "circuit low"),
            ("P0299", "boost pressure", "too low"),
            ("P0306", "cylinder 6", "misfire"),
            ("P0335", "crank sensor", "circuit"),
            ("P0356", "ignition coil F", "circuit"),
            ("P0401", "recirculation flow", "too low"),
            ("P0430", "catalyst, bank 2", "efficiency"),
            ("P0455", "evaporative", "leak"),
            ("P0562", "system voltage", "too low"),
            ("P0606", "control unit", "internal"),
            ("P0741", "torque converter clutch", "performance"),
            ("P0016", "crank to intake cam, bank 1", "correlation"),
            ("P0700", "transmission", "request"),
            ("P2002", "particulate filter", "efficiency"),
            ("P2135", "sensors A and B", "correlation"),
            ("P2453", "particulate filter pressure", "performance"),
            ("U0100", "engine control unit", "lost"),
            ("P0087", "fuel rail pressure", "too low"),
            ("P0340", "cam sensor A, bank 1", "circuit"),
        ):
            row = self.codes[number]
            self.assertIn(component, row.component, number)
            self.assertEqual(row.kind, kind, number)

    def test_cylinder_series_end_where_the_standard_does(self) -> None:
        self.assertEqual(self.codes["P0212"].component, "injector, cylinder 12")
        self.assertEqual(self.codes["P0362"].component, "ignition coil L")
        self.assertEqual(self.codes["P0312"].component, "cylinder 12")
        self.assertEqual(self.codes["P0296"].component, "injector, cylinder 12")

    def test_order_of_chasing(self) -> None:
        self.assertLess(rank_of("circuit low"), rank_of("performance"))
        self.assertLess(rank_of("performance"), rank_of("misfire"))
        self.assertLess(rank_of("leak"), rank_of("lost"))
        self.assertGreater(len(kinds()), 15)


class Typed(unittest.TestCase):
    def test_codes_with_and_without_states(self) -> None:
        snapshot = read_typed("p0171 P0304 pending\nU0100\nP0420 confirmed, P0420 permanent")
        found = {(item.code, item.state) for item in snapshot.modules[0].codes}
        self.assertEqual(
            found,
            {
                ("P0171", CodeState.CONFIRMED),
                ("P0304", CodeState.PENDING),
                ("U0100", CodeState.CONFIRMED),
                ("P0420", CodeState.CONFIRMED),
                ("P0420", CodeState.PERMANENT),
            },
        )
        self.assertEqual(snapshot.problems, ("line 1: P0171: no state told, taken as confirmed",))

    def test_a_state_is_said_of_the_code_before_it_and_of_all_before_a_colon(self) -> None:
        codes = read_typed("P0171 P0304: pending").modules[0].codes
        self.assertEqual({item.state for item in codes}, {CodeState.PENDING})

    def test_stray_text_is_kept_as_a_remark(self) -> None:
        snapshot = read_typed("engine says P0171 (pending) maybe\nsomething else")
        self.assertEqual(snapshot.modules[0].codes[0].state, CodeState.PENDING)
        self.assertEqual(len(snapshot.problems), 2)
        self.assertIn("line 1: not read: engine says maybe", snapshot.problems[0])

    def test_nothing_and_far_too_much(self) -> None:
        with self.assertRaisesRegex(BadInput, "No trouble code"):
            read_typed("nothing here")
        with self.assertRaisesRegex(BadInput, "No trouble code"):
            read_typed("P0000")
        with self.assertRaisesRegex(BadInput, "at most 20,000"):
            read_typed("P0171\n" * 1_000_000)
        many = " ".join(f"P{n:04d}" for n in range(100, 400))
        with self.assertRaisesRegex(BadInput, "more than one vehicle holds"):
            read_typed(many)

    @given(st.text(max_size=300))
    def test_any_text_gives_codes_or_a_clear_error(self, text: str) -> None:
        self.assertLess(len(text), MAX_CHARACTERS)
        try:
            for item in read_typed(text).modules[0].codes:
                self.assertEqual(TroubleCode(item.code), item.code)
        except BadInput as error:
            self.assertTrue(error.remedies)
