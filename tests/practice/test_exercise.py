"""Exercise files and courses: what is read, what is refused with its place, what is drawn."""

from __future__ import annotations

import json
import unittest
from dataclasses import asdict
from itertools import islice
from typing import Any

import jsonschema

from gumshoe.core.errors import BadInput
from gumshoe.practice.cars import CARS
from gumshoe.practice.complaint import table, told
from gumshoe.practice.courses import courses, drawn, measured, practised_systems, system_of_fault
from gumshoe.practice.difficulty import Difficulty
from gumshoe.practice.exercise import Exercise, ExerciseError, exercise_of, read_exercise, schema, write_exercise
from gumshoe.practice.fooled import exercise_like, nearest
from gumshoe.practice.heard import SYMPTOMS
from gumshoe.practice.prepared import Prepared
from gumshoe.simulator.defects import defects_of
from gumshoe.simulator.drives import PROFILES

PLAIN: dict[str, Any] = {
    "format": "gumshoe-exercise", "version": 1, "title": "One", "car": "tern_16", "faults": ["coil-3-weak"],
}  # fmt: skip


def prepared(symptoms: tuple[str, ...] = ("rough_idle",), lamp: str = "steady") -> Prepared:
    """One that was not driven, for what needs none of it."""
    return Prepared({}, symptoms, lamp, (), (), (), Difficulty(1.0, 1, 0.1, 0.0, 1))


class Files(unittest.TestCase):
    def test_what_is_written_is_read_again_and_holds_to_the_schema(self) -> None:
        for exercise in (exercise_of(PLAIN), *(row for course in courses().values() for row in course.exercises)):
            text = write_exercise(exercise)
            self.assertEqual(read_exercise(text.encode()), exercise)
            jsonschema.validate(json.loads(text), schema())

    def test_a_bad_file_is_refused_with_its_place(self) -> None:
        for change, words in (
            ({"car": "rowing_boat"}, "car: there is no kind of car “rowing_boat”"),
            ({"faults": ["coil-9-weak"]}, r"faults\[0\]: a “tern_16” cannot have a fault “coil-9-weak”"),
            ({"faults": ["coil-3-weak", "coil-3-weak"]}, "the same fault twice"),
            ({"faults": ["coil-3-weak", "purge-open", "pump-weak"]}, "faults: Tuple should have at most 2"),
            ({"drives": ["mixed", "moon"]}, r"drives\[1\]: there is no drive “moon”"),
            ({"imagined": ["ghosts"]}, r"imagined\[0\]: nobody here feels “ghosts”"),
            ({"seed": "many"}, "seed: Input should be a valid integer"),
            ({"fault": "coil-3-weak"}, "fault: Unexpected keyword"),
            ({"title": ""}, "title: String should have at least 1"),
            ({"version": 2}, "version: Input should be 1"),
            ({"format": "something"}, "format: the file does not say"),
            ({"odometer_km": -1}, "odometer_km: Input should be greater"),
        ):
            with self.subTest(words), self.assertRaisesRegex(ExerciseError, words) as caught:
                read_exercise(json.dumps(PLAIN | change).encode())
            self.assertIn("Nothing was taken in", caught.exception.kept)
        for content, words in (
            (b"{", "no JSON"),
            (b"[]", "format"),
            (b"x" * 200_000, "larger than"),
            (b"\xff", "JSON"),
        ):
            with self.assertRaisesRegex(ExerciseError, words):
                read_exercise(content)

    def test_signs_that_turn_a_line_are_dropped(self) -> None:
        self.assertEqual(exercise_of(PLAIN | {"title": "a\u202eb\x00"}).title, "ab")

    def test_what_makes_the_car_makes_the_digest(self) -> None:
        one = exercise_of(PLAIN)
        self.assertEqual(one.digest, exercise_of(PLAIN | {"title": "Two", "teaches": "x"}).digest)
        for change in ({"seed": 2}, {"faults": []}, {"drives": ["mixed"]}, {"odometer_km": 5.0}):
            self.assertNotEqual(one.digest, exercise_of(PLAIN | change).digest)


class Courses(unittest.TestCase):
    def test_six_courses_of_at_least_ten(self) -> None:
        self.assertEqual(len(courses()), 6)
        every = [row for course in courses().values() for row in course.exercises]
        self.assertTrue(all(len(course.exercises) >= 10 for course in courses().values()))
        self.assertEqual(len({row.digest for row in every}), len(every))
        self.assertEqual(len({row.title for row in every}), len(every))
        self.assertTrue(all(row.teaches for row in every))
        faults = [len(row.faults) for row in every]
        self.assertTrue({0, 1, 2} <= set(faults))

    def test_the_difficulty_of_each_was_measured(self) -> None:
        missing = [
            row.title for course in courses().values() for row in course.exercises if row.digest not in measured()
        ]
        self.assertEqual(missing, [])

    def test_harder_is_more(self) -> None:
        plain = Difficulty(1.0, 1, 0.1, 0.0, 1)
        for change in ({"open_bits": 4.0}, {"tests": 6}, {"runner_up": 1.0}, {"misleading": 1.0}, {"faults": 2}):
            self.assertGreater(Difficulty(**(asdict(plain) | change)).points, plain.points)
        self.assertEqual((plain.level, Difficulty(9.0, 20, 1.0, 1.0, 2).level), (1, 5))


class Drawn(unittest.TestCase):
    def test_the_same_number_draws_the_same(self) -> None:
        first, again = (list(islice(drawn(7, "ignition"), 5)) for _ in range(2))
        self.assertEqual(first, again)
        self.assertNotEqual(first, list(islice(drawn(8, "ignition"), 5)))
        for row in first:
            self.assertEqual(system_of_fault(row.car, row.faults[0]), "ignition")

    def test_one_two_and_none(self) -> None:
        rows = list(islice(drawn(3), 200))
        count = [sum(len(row.faults) == number for row in rows) for number in (0, 1, 2)]
        self.assertTrue(3 <= count[0] <= 30 and count[1] > 120 and 12 <= count[2] <= 60, count)
        for row in rows:
            row.check()
            parts = [defects_of(row.kind.built)[name].component for name in row.faults]
            self.assertEqual(len(set(parts)), len(parts))

    def test_every_fault_of_a_part_belongs_to_a_system(self) -> None:
        known = {row.id for row in practised_systems()}
        for car in CARS:
            homeless = [name for name in car.defects if system_of_fault(car.model, name) not in known]
            self.assertEqual(homeless, [], car.model)

    def test_a_car_without_such_a_system_is_refused(self) -> None:
        with self.assertRaisesRegex(ExerciseError, "no such kind of car"):
            next(drawn(1, "recirculation", "tern_16"))


class Told(unittest.TestCase):
    def test_the_same_customer_says_the_same_and_never_the_fault(self) -> None:
        for course in courses().values():
            for exercise in course.exercises:
                said = told(exercise, prepared())
                self.assertEqual(said, told(exercise, prepared()))
                for name in exercise.faults:
                    self.assertNotIn(defects_of(exercise.kind.built)[name].words, said.text)

    def test_what_was_felt_is_said_and_what_was_seen(self) -> None:
        exercise = exercise_of(PLAIN | {"remarks": ["It is the gulls."]})
        said = told(exercise, prepared(("stalls",), "flashing"))
        of = {row.id: row.said for row in (*table().symptom, *table().lamp)}
        self.assertTrue(any(words in said.text for words in of["stalls"]))
        self.assertTrue(any(words in said.text for words in of["flashing"]))
        self.assertTrue(said.text.endswith("It is the gulls."))
        self.assertEqual((said.symptoms, said.lamp), (("stalls",), "flashing"))
        own = told(exercise_of(PLAIN | {"complaint": "It sings."}), prepared())
        self.assertEqual(own.text, "It sings.")

    def test_there_are_words_for_all_that_can_be_felt(self) -> None:
        held = {row.id for row in table().symptom}
        self.assertEqual(held, set(SYMPTOMS))


class Fooled(unittest.TestCase):
    def test_a_closed_case_becomes_an_exercise_and_names_nobody(self) -> None:
        found = exercise_like("ostrel_tern_16", ["renew_booster_hose", "renew_crankcase_hose"], 96_412, seed=4)
        self.assertEqual((found.car, found.faults, found.odometer_km), ("tern_16", ("crankcase-hose-split",), 95_000.0))
        self.assertEqual((found.complaint, found.recent_work, found.remarks), ("", "", ()))
        found.check()

    def test_the_nearest_kind(self) -> None:
        self.assertEqual(nearest("ostrel_fulmar_20")[0].model, "fulmar_20")
        self.assertEqual(len(nearest("")), len(CARS))

    def test_what_no_stand_in_can_need_is_said(self) -> None:
        with self.assertRaisesRegex(BadInput, "No stand-in can have a fault"):
            exercise_like("ostrel_tern_16", ["polish_the_badge"], None, seed=1)


class Drives(unittest.TestCase):
    def test_drives_of_the_courses_are_known(self) -> None:
        used = {name for course in courses().values() for row in course.exercises for name in row.drives}
        self.assertTrue(used <= set(PROFILES))
        self.assertEqual(Exercise(title="x", car="tern_16").drives, ("mixed", "mixed"))
