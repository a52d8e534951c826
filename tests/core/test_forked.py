"""Work in a child with limits: what ends it, and that the next one is served all the same."""

from __future__ import annotations

import signal
import unittest
from concurrent.futures import ThreadPoolExecutor
from unittest import mock

from gumshoe.core import forked
from gumshoe.core.forked import Ended, KeptReady, Limits

ENOUGH = Limits(20, 1 << 30)


class OfChildren(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.ready = KeptReady("tests.core.worked")
        cls.addClassCleanup(cls.ready.stop)

    def test_what_is_said_comes_back_whatever_its_length(self) -> None:
        for length in (0, 1, 5_000_000):
            self.assertEqual(self.ready.ask(b"=" + b"x" * length, ENOUGH), Ended(b"x" * length, 0))
        self.assertEqual(self.ready.ask(b"7", ENOUGH), Ended(b"", 7))

    def test_an_error_nobody_foresaw_is_an_end_like_others(self) -> None:
        self.assertEqual(self.ready.ask(b"!", ENOUGH).code, 1)
        self.assertEqual(self.ready.ask(b"k", ENOUGH).code, -signal.SIGKILL)

    def test_time_is_the_processors(self) -> None:
        self.assertEqual(self.ready.ask(b"t", Limits(1, 1 << 30)), Ended(b"", -signal.SIGXCPU))
        self.assertEqual(self.ready.ask(b"s", Limits(1, 1 << 30)), Ended(b"slept", 0))

    def test_who_never_comes_back_is_given_up(self) -> None:
        with mock.patch.multiple(forked, WHOLE_MACHINE=0, START_S=0.5):
            self.assertEqual(self.ready.ask(b"s", ENOUGH), Ended(b"", None))

    def test_memory(self) -> None:
        self.assertEqual(self.ready.ask(b"m", Limits(20, 50_000_000)), Ended(b"", 4))
        self.assertEqual(self.ready.ask(b"m", ENOUGH), Ended(b"200000000", 0))

    def test_many_at_once(self) -> None:
        with ThreadPoolExecutor(8) as pool:
            asked = [b"=%d" % number for number in range(40)]
            self.assertEqual(
                [ended.said for ended in pool.map(lambda text: self.ready.ask(text, ENOUGH), asked)],
                [text[1:] for text in asked],
            )

    def test_a_process_that_died_is_started_again(self) -> None:
        self.ready.start()
        process = self.ready._process
        assert process is not None
        process.kill()
        process.wait()
        self.assertEqual(self.ready.ask(b"=again", ENOUGH), Ended(b"again", 0))
