"""A small seed of benchmarks/fuzzing.py: nothing that comes in from outside ends without a name, or does not end."""

from __future__ import annotations

import logging
import unittest

from benchmarks import fuzzing


class Fuzzed(unittest.TestCase):
    def setUp(self) -> None:
        before = logging.root.manager.disable
        logging.disable(logging.CRITICAL)
        self.addCleanup(logging.disable, before)

    def check(self, found: fuzzing.Found, least: int) -> None:
        self.assertEqual(fuzzing.bad(found), 0, found)
        self.assertGreater(found["read"] + found["named"], least, found)

    def test_frames(self) -> None:
        self.check(fuzzing.frames(20_000, seed=7), 1_000)

    def test_whole_answers(self) -> None:
        self.check(fuzzing.answers(60, seed=7), 170)

    def test_lines_of_text_adapters(self) -> None:
        self.check(fuzzing.dialogues(60, seed=7), 200)

    def test_messages_of_a_gateway(self) -> None:
        self.check(fuzzing.gateway(10, seed=7), 9)

    def test_files(self) -> None:
        """Every kind of file that is read, as it is and mutated."""
        for task, content, argument in fuzzing.samples():
            with self.subTest(task, suffix=argument.get("suffix")):
                fuzzing.untrusted.TASKS[task](content, argument)
        self.check(fuzzing.files(240, seed=7, apart=False), 200)
