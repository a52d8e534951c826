"""What the benchmark of diagnosis takes for one statement, and for a job that was right."""

from __future__ import annotations

import unittest

from benchmarks.diagnosis import Worked, alike, calibration, statements
from gumshoe.practice.trainee import Job

REFIT, MEND, RENEW, OTHER = "refit_plug", "mend_wiring", "renew_part", "renew_other"
WAYS = [frozenset({REFIT, MEND}), frozenset({MEND, RENEW}), frozenset({OTHER}), frozenset[str]()]


class OneStatement(unittest.TestCase):
    def test_what_cures_the_same_is_one_and_their_chances_add_up(self) -> None:
        groups = alike(WAYS)
        self.assertEqual(len({groups[name] for name in (REFIT, MEND, RENEW)}), 1)
        self.assertNotEqual(groups[OTHER], groups[MEND])
        job = Job(stated=[{REFIT: 0.3, MEND: 0.35, OTHER: 0.3, "renew_rare": 0.005}])
        case = Worked("car", ("loose",), {"way": job}, truth=(WAYS[0],))
        said = {round(p, 2): so for p, so in statements(case, "way", groups)}
        self.assertEqual(said, {0.65: True, 0.3: False})

    def test_the_error_is_how_far_what_was_said_is_from_what_was_so(self) -> None:
        """Ten statements of 0.3, three of them so: no error. Ten of 0.8, five of them so: 0.3."""
        sound = [(0.3, at < 3) for at in range(10)]
        self.assertEqual(calibration(sound)["ece"], 0.0)
        self.assertAlmostEqual(calibration([(0.8, at < 5) for at in range(10)])["ece"], 0.3)


class RightFirst(unittest.TestCase):
    def test_every_repair_mended_something(self) -> None:
        for faults, repairs, mended, right in (
            (1, 1, 1, True),
            (2, 2, 2, True),
            (2, 1, 1, True),
            (1, 2, 1, False),
            (2, 3, 2, False),
        ):
            job = Job(faults=faults, repairs=["renew"] * repairs, mended=mended, cured=True)
            self.assertEqual(job.first_time, right, (faults, repairs, mended))
        self.assertFalse(Job(repairs=["renew"], mended=1).first_time, "not cured")
