"""A stand-in that nobody looks at sleeps; whoever comes finds it as it would be after that time."""

from __future__ import annotations

import time
import unittest
from unittest import mock

from gumshoe.core.obd.can_link import open_link
from gumshoe.simulator import garage
from gumshoe.simulator.garage import Runner
from tests.until import until
from tests.web import support


class Sleeping(unittest.TestCase):
    def setUp(self) -> None:
        patched = mock.patch.object(garage, "AWAKE_S", 0.1)
        patched.start()
        self.addCleanup(patched.stop)
        self.runner = Runner(support.stand_in("sleeper"), "sleeper")
        self.runner.start()
        self.addCleanup(self.runner.stop)

    def slept(self) -> None:
        until(lambda: self.runner.asleep)

    def test_it_sleeps_and_its_time_stands_still(self) -> None:
        self.runner.key("on")
        self.slept()
        before = self.runner.vehicle.clock_s
        time.sleep(0.5)
        self.assertEqual(self.runner.vehicle.clock_s, before)
        self.assertEqual(self.runner.state()["key"], "on")
        self.assertFalse(self.runner.asleep)

    def test_a_tester_on_the_bus_wakes_it(self) -> None:
        self.runner.key("on")
        self.runner.skip(1.0)
        self.slept()
        with open_link("virtual", "sleeper") as link:
            self.assertEqual(link.ask(0, b"\x01\x0c").payload[:2], b"\x41\x0c")

    def test_a_car_that_stood_has_cooled(self) -> None:
        self.slept()
        warm = self.runner.vehicle.engine.state.coolant_c
        assert self.runner._asleep_since is not None
        self.runner._asleep_since -= 3600.0  # an hour ago
        self.assertLess(float(self.runner.state()["coolant_c"]), warm - 2.0)

    def test_a_busy_machine_takes_no_second_from_it(self) -> None:
        with mock.patch.object(garage, "AWAKE_S", 60.0):
            self.runner.key("on")
            began, clock = time.monotonic(), self.runner.vehicle.clock_s
            with self.runner.lock:
                time.sleep(0.8)  # whatever holds it up

            def behind() -> float:
                return time.monotonic() - began - (self.runner.vehicle.clock_s - clock)

            until(lambda: abs(behind()) < 0.15)  # it makes up for it, when it comes to run

    def test_a_car_that_is_driven_does_not_sleep(self) -> None:
        self.runner.drive("short", 1.0)
        time.sleep(0.5)
        self.assertFalse(self.runner.asleep)

    def test_it_is_driven_no_faster_than_it_is_watched(self) -> None:
        """On a slow machine a look takes half a second: at sixty times the speed half a minute would pass unseen."""
        self.runner.drive("short", 60.0)
        for look, speed in ((0.5, 30.0), (0.05, 60.0), (20.0, 1.0)):
            self.runner.keep_in_sight(look)
            self.assertEqual(self.runner.speedup, speed)
        self.runner.stop_driving()
        self.runner.keep_in_sight(0.01)
        self.assertEqual(self.runner.speedup, 1.0)
