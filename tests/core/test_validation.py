"""The tables as shipped hold together; every kind of slip in every kind of field is refused with file and line."""

from __future__ import annotations

import re
import tempfile
import tomllib
import unittest
from collections.abc import Iterator
from pathlib import Path
from unittest import mock

from django.test import tag

from gumshoe.core import held, spread, validation
from gumshoe.core.errors import DataError
from gumshoe.core.knowledge import places
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.tables import line_of
from gumshoe.core.powertrain.component import ComponentRef

CORE = Path(validation.__file__).parent
SLIPS = Path(__file__).with_name("slips.toml")


def slips() -> Iterator[tuple[str, str, str, str]]:
    """Each mistake of ``slips.toml``: the file, the text and what takes its place, what the error says."""
    for file in tomllib.loads(SLIPS.read_text(encoding="utf-8"))["file"]:
        for key in file.get("misspelled", ()):
            yield file["name"], f"\n{key} = ", f"\n{key}x = ", ""
        for slip in file.get("slips", ()):
            yield file["name"], slip["old"], slip["new"], slip["said"]


class Shipped(unittest.TestCase):
    def test_every_file_holds(self) -> None:
        validation.validate()

    def test_every_table_has_its_slips(self) -> None:
        mutated = {(CORE / file).resolve() for file, *_ in slips()}
        alike = {path for path in validation.shelf() if path.parent.name in ("platforms", "faults")}
        self.assertEqual(set(validation.shelf()) - alike - mutated, set())

    def test_every_table_is_on_the_shelf(self) -> None:
        there = set(CORE.rglob("*.toml"))
        self.assertEqual({path.resolve() for path in validation.shelf()}, there)

    def test_they_are_checked_once_and_again_when_something_changed(self) -> None:
        with tempfile.TemporaryDirectory() as folder, mock.patch.object(validation, "validate") as checked:
            held.validate_once(Path(folder))
            held.validate_once(Path(folder))
            self.assertEqual(checked.call_count, 1)
            (Path(folder) / "x.toml").write_text("a = 1")
            with mock.patch.object(held, "sources", return_value=[Path(folder) / "x.toml"]):
                held.validate_once(Path(folder))
                self.assertEqual(checked.call_count, 2)
                checked.side_effect = DataError("x.toml, line 1: no.")
                (Path(folder) / "x.toml").write_text("a = 2")
                for _ in range(2):  # what does not hold leaves no mark
                    self.assertRaisesRegex(DataError, "line 1", held.validate_once, Path(folder))

    def test_what_is_looked_at_is_every_table_and_every_rule(self) -> None:
        self.assertTrue(set(validation.shelf()) <= set(held.sources()))
        self.assertIn(Path(validation.__file__), held.sources())

    def test_they_hold_on_every_powertrain(self) -> None:
        spread.validate_spread()

    def test_a_suspect_without_its_repair_is_named_with_the_powertrain(self) -> None:
        known = spread.expand(platforms()["ostrel_tern_16"].powertrain)
        poorer = mock.Mock(wraps=known, faults=known.faults, repairs={}, components=known.components,
                           points=known.points, tests={}, codes=known.codes, symptoms=known.symptoms)  # fmt: skip
        with mock.patch.object(spread, "expand", return_value=poorer), self.assertRaisesRegex(DataError, "no repair"):
            spread.validate_spread()


@tag("long")
class Mistakes(unittest.TestCase):
    def test_every_slip_is_refused_with_file_and_line(self) -> None:
        for file, old, new, said in slips():
            with self.subTest(file=file, new=new.strip()):
                path = CORE / file
                text = path.read_text(encoding="utf-8")
                self.assertIn(old, text)
                with self.assertRaises(DataError) as caught:
                    validation.check_file(path, text.replace(old, new, 1))
                self.assertIn(said, caught.exception.what)
                self.assertRegex(caught.exception.what, rf"{re.escape(path.name)}(, line \d+:|: not valid TOML)")

    def test_the_line_is_that_of_the_slip(self) -> None:
        for file, old, new in (
            ("knowledge/tests.toml", 'proves = ["purge_valve_passing"]', 'proves = ["purge"]'),
            ("knowledge/circumstances.toml", '"*shift_valve*"', '"*shift_solenoid*"'),
            ("knowledge/systems.toml", 'to = "throttle", kind', 'to = "throtle", kind'),
            ("knowledge/dangers.toml", '"look_oil: bad"', '"look_oil: worse"'),
        ):
            path = CORE / file
            text = path.read_text(encoding="utf-8").replace(old, new, 1)
            line = next(number for number, told in enumerate(text.splitlines(), 1) if new in told)
            with self.assertRaisesRegex(DataError, rf", line {line}:"):
                validation.check_file(path, text)

    def test_a_renamed_row_leaves_its_users_dangling(self) -> None:
        for file, old, new, user in (
            ("knowledge/clues.toml", 'id = "hiss"', 'id = "hissing"', "petrol.toml|maintenance.toml"),
            ("knowledge/repairs.toml", 'id = "refit_duct"', 'id = "refit_intake_duct"', "petrol.toml"),
            ("knowledge/segments.toml", 'id = "hill"', 'id = "climb"', "circumstances.toml|segments.toml"),
            ("knowledge/cautions.toml", "\nrotating = ", "\nturning = ", r"\.toml"),
        ):
            path = CORE / file
            text = path.read_text(encoding="utf-8")
            self.assertIn(old, text)
            with self.assertRaisesRegex(DataError, rf"({user}), line \d+"):
                validation.validate({path: text.replace(old, new, 1)})

    def test_a_missing_key_is_told_at_its_row(self) -> None:
        text = "[[code]]\na = 1\n\n[[code]]\nb = 2\n"
        self.assertEqual(line_of(text, ("code", 0, "b")), 1)
        self.assertEqual(line_of(text, ("code", 1, "b")), 5)


class Names(unittest.TestCase):
    def test_a_component_is_read_and_printed_alike(self) -> None:
        for _name, powertrain, local in spread.powertrains():
            for name, part in spread.expand(powertrain, local).components.items():
                ref = ComponentRef.parse(name)
                self.assertEqual(str(ref), name)
                self.assertEqual((ref.kind, ref.sensor, ref.cam), (part.row.id, part.sensor, part.cam))
                if not part.cylinders:
                    self.assertEqual(ref.bank, part.bank or 1)
                elif len(part.cylinders) == 1:
                    self.assertEqual(ref.cylinder, part.cylinders[0])

    def test_a_suspect_knows_its_place(self) -> None:
        known = spread.expand(platforms()["ostrel_gannet_52"].powertrain)
        coil = known.faults["coil_breakdown_8"]
        self.assertEqual((coil.template, coil.cylinders), ("coil_breakdown_{n}", (8,)))
        self.assertEqual(known.faults["catalyst_worn_b2"].bank, 2)
        self.assertEqual(places.fill("{n}{bb}", {"n": 3, "bb": "_b2"}), "3_b2")
