"""The stand-in's modules on a real virtual bus, asked by the real link."""

import contextlib
import tempfile
import time
import unittest
from pathlib import Path

from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.errors import NoAnswer, Refused
from gumshoe.core.obd.scanner import scan
from gumshoe.simulator.garage import Runner, StandIn

SPEC = StandIn("node", "node car", "UY0TN16A9G2000001", "NODE", 7, (), 2, 1000.0, (), 85.0)
LONG = bytes((0x01, 0x04, 0x05, 0x06, 0x07, 0x0C, 0x0D))


class OnTheBus(unittest.TestCase):
    def setUp(self) -> None:
        self.runner = Runner(SPEC, f"node-{self.id()}")
        self.runner.start()
        self.addCleanup(self.runner.stop)
        self.link = open_link("virtual", f"node-{self.id()}")
        self.addCleanup(self.link.close)

    def test_two_modules_answer_and_one_is_asked(self) -> None:
        self.runner.key("on")
        answers = self.link.ask_all(b"\x01\x00").answers
        self.assertEqual([answer.responder for answer in answers], [0x7E8, 0x7E9])
        self.assertEqual(self.link.ask(1, b"\x03").payload, b"\x43\x00")
        with self.assertRaises(Refused):
            self.link.ask(1, b"\x01\x0c")
        with self.assertRaises(NoAnswer):
            self.link.ask(5, b"\x01\x00")
        self.assertEqual(len(scan(self.link).modules), 2)

    def test_an_answer_broken_off_by_the_key_does_not_shift_later_ones(self) -> None:
        self.runner.key("on")
        for turn in range(12):
            with contextlib.suppress(NoAnswer):
                self.link.ask(0, LONG)
            self.runner.key("off" if turn % 2 else "on")
            # A first frame whose flow control never comes: what a key turned in the middle leaves behind.
            self.runner.node._ports[0].logic.send(b"\x41" + bytes(20))
            self.runner.node._ports[0].logic.process()
        self.runner.key("on")
        time.sleep(0.05)
        for pid in (0x0C, 0x05, 0x0D, 0x0F) * 3:
            self.assertEqual(self.link.ask(0, bytes((0x01, pid))).payload[1], pid)
            self.assertEqual(self.link.ask(0, LONG).payload[1], 0x04)

    def test_a_second_tester_does_not_disturb(self) -> None:
        self.runner.key("on")
        with open_link("virtual", f"node-{self.id()}") as other:
            for _ in range(30):
                self.assertEqual(other.ask(0, LONG).payload[1], 0x04)
                self.assertEqual(self.link.ask(0, b"\x01\x0c").payload[1], 0x0C)

    def test_state_is_kept_over_a_restart(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "car.json"
            first = Runner(SPEC, "restart-1", path)
            first.prepare()
            first.set_plug("air_flow_meter", off=True)
            first.key("on")
            first.skip(2.0)
            first.stop()
            second = Runner(SPEC, "restart-2", path)
            second.prepare()
            self.assertIn("P0102", second.vehicle.memory.codes("confirmed"))
            self.assertEqual(second.vehicle.parts.unplugged, {"air_flow_meter"})
            self.assertEqual(second.state()["key"], "on")
            second.node.bus.shutdown()
            path.write_text("{broken")
            third = Runner(SPEC, "restart-3", path)
            third.prepare()
            self.assertEqual(third.vehicle.memory.records, {})
            self.assertTrue(path.with_suffix(".broken").exists())
            third.node.bus.shutdown()

    def test_an_engine_that_ran_runs_again_and_a_drive_cut_off_has_ended(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "car.json"
            first = Runner(SPEC, "runs-1", path)
            first.prepare()
            first.key("start")
            first.skip(4.0)
            first.hold_rpm(2500.0)
            first.skip(4.0)
            first.save()  # and here it is killed
            second = Runner(SPEC, "runs-2", path)
            second.prepare()
            second.skip(8.0)
            self.assertAlmostEqual(float(second.state()["rpm"]), 2500.0, delta=150.0)
            second.drive("mixed", 1.0)
            second.skip(60.0)
            second.save()
            third = Runner(SPEC, "runs-3", path)
            third.prepare()
            self.assertEqual((third.state()["key"], third.state()["driving"]), ("off", False))
            for runner in (first, second, third):
                runner.node.bus.shutdown()
