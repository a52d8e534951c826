"""Actuators commanded on the stand-in over its bus, by udsoncan's own client and by our commander."""

import json
import unittest
from typing import Any

import udsoncan
from udsoncan.client import Client
from udsoncan.exceptions import NegativeResponseException

from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.obd.actuators import actuators, hindrance
from gumshoe.core.obd.commands import ENGINE, Commander, CommandRefused, _PerCent
from gumshoe.core.obd.link import Timing, open_link
from gumshoe.core.obd.uds import LinkConnection
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.garage import Runner
from gumshoe.simulator.models import models
from gumshoe.simulator.parts import defects_of
from gumshoe.simulator.vehicle import Identity, Vehicle

TOLD = {row.actuator: row for row in platforms()["ostrel_tern_16"].command}


class OnTheBus(unittest.TestCase):
    def setUp(self) -> None:
        self.runner = Runner(fleet()["tern-library"], f"commands-{self.id()}")
        self.runner.node.start()
        self.addCleanup(self.runner.stop)
        self.runner.key("on")
        self.runner.skip(0.5)
        self.link = open_link("virtual", self.runner.channel, timing=Timing(p2=0.05))
        self.addCleanup(self.link.close)

    def commander(self, name: str) -> Commander:
        return Commander(self.link, actuators()[name], TOLD[name])

    def test_a_command_is_followed_and_given_back(self) -> None:
        with self.commander("throttle_motor") as throttle:
            throttle.step(60.0)
            self.runner.skip(2.0)
            self.assertAlmostEqual(throttle.feedback(), 60.0, delta=1.0)
            self.assertAlmostEqual(self.runner.vehicle.management.state.command.throttle, 0.6, delta=0.02)
        self.runner.skip(2.0)
        self.assertFalse(self.runner.vehicle.commanded.held)
        self.assertLess(self.runner.vehicle.commanded.actual["throttle_motor"], 0.02)

    def test_a_dead_valve_does_not_answer(self) -> None:
        self.runner.set_plug("purge_valve", off=True)
        with self.commander("purge_valve") as valve:
            for wanted in (0.0, 50.0, 100.0):
                valve.step(wanted)
                self.runner.skip(1.5)
                self.assertEqual(valve.feedback(), 0.0)

    def test_purge_on_a_running_engine_moves_its_trim(self) -> None:
        self.runner.key("start")
        self.runner.skip(90.0)
        before = self.runner.vehicle.engine.state.rpm
        with self.commander("purge_valve") as valve:
            for _ in range(4):
                valve.step(100.0)
                valve.still_here()
                self.runner.skip(2.0)
            self.assertAlmostEqual(valve.feedback(), 100.0, delta=1.0)
            self.assertAlmostEqual(self.runner.vehicle.management.state.command.purge, 1.0, delta=0.01)
        self.assertGreater(before, 400.0)

    def test_silence_moving_and_a_started_engine_end_it(self) -> None:
        pump = self.commander("fuel_pump")
        with pump:
            pump.step(100.0)
            self.runner.skip(5.5)  # nobody said that he is still here
            self.assertFalse(self.runner.vehicle.commanded.held)
        with self.commander("throttle_motor") as throttle:
            throttle.step(30.0)
            self.runner.vehicle.speed_kmh = 12.0
            self.runner.skip(0.04)
            self.assertFalse(self.runner.vehicle.commanded.held)
            with self.assertRaisesRegex(CommandRefused, "conditions"):
                throttle.step(30.0)
        self.runner.vehicle.speed_kmh = 0.0
        self.runner.key("start")
        self.runner.skip(4.0)
        with self.commander("fuel_pump") as running, self.assertRaisesRegex(CommandRefused, "conditions"):
            running.step(100.0)

    def test_udsoncans_own_client_gets_the_same(self) -> None:
        """The independent client of ISO 14229: session, control, reading, refusals by their codes."""
        config: Any = dict(udsoncan.configs.default_client_config)
        config |= {"data_identifiers": {0x4C83: _PerCent}, "input_output": {0x4C03: _PerCent, 0x4CFF: _PerCent}}
        with Client(LinkConnection(self.link, ENGINE), config=config) as client:
            with self.assertRaises(NegativeResponseException) as early:
                client.io_control(0x4C03, 3, [50.0])
            self.assertEqual(early.exception.response.code, 0x7F)  # service not supported in active session
            client.change_session(3)
            self.assertTrue(client.io_control(0x4C03, 3, [50.0]).positive)
            self.runner.skip(1.5)
            client.tester_present()
            found = client.read_data_by_identifier(0x4C83)
            self.assertAlmostEqual(found.service_data.values[0x4C83], 50.0, delta=1.0)
            with self.assertRaises(NegativeResponseException) as unknown:
                client.io_control(0x4CFF, 3, [50.0])
            self.assertEqual(unknown.exception.response.code, 0x31)  # request out of range
            client.io_control(0x4C03, 0)
            client.change_session(1)

    def test_malformed_requests_are_refused_by_length(self) -> None:
        for request in (b"\x10", b"\x3e", b"\x2f\x4c", b"\x22"):
            answers = EngineModule(self.runner.vehicle).answer(request, False)
            self.assertEqual(answers, [bytes((0x7F, request[0], 0x13))])


class Interlocks(unittest.TestCase):
    def test_what_hinders(self) -> None:
        rows = actuators()
        self.assertEqual(hindrance(rows["purge_valve"], 0.0, 0.0), "")
        self.assertIn("moves", hindrance(rows["purge_valve"], 2000.0, 30.0))
        self.assertIn("engine off", hindrance(rows["throttle_motor"], 800.0, 0.0))
        self.assertIn("must idle", hindrance(rows["intake_phaser_valve"], 0.0, 0.0))
        self.assertEqual(hindrance(rows["intake_phaser_valve"], 750.0, 0.0), "")

    def test_every_platform_commands_what_there_is(self) -> None:
        for platform in platforms().values():
            self.assertTrue(platform.command)
            for row in platform.command:
                self.assertIn(row.actuator, actuators())


class Remembered(unittest.TestCase):
    def test_every_defect_survives_its_state_file(self) -> None:
        """A stand-in is written as JSON every other second, whatever is wrong with it."""
        for key in defects_of(models()["tern_16"]):
            car = Vehicle(Identity("UY0TN16A9G2000001", "TESTCAL-0001", 1), defects=(key,))
            other = Vehicle(Identity("UY0TN16A9G2000001", "TESTCAL-0001", 1))
            other.restore(json.loads(json.dumps(car.save())))
            self.assertEqual(other.parts, car.parts, key)
