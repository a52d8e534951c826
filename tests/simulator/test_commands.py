"""Actuators commanded on the stand-in over its bus, by udsoncan's own client and by our commander."""

import json
import unittest
from dataclasses import replace
from typing import Any

import udsoncan
from django.test import tag
from udsoncan.client import Client
from udsoncan.exceptions import NegativeResponseException

from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.obd.actuators import actuators, hindrance
from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.commands import Commander, CommandRefused, _PerCent
from gumshoe.core.obd.link import Timing
from gumshoe.core.obd.uds import LinkConnection, ModuleAddress
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.defects import defects_of
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.garage import Runner
from gumshoe.simulator.models import models
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
        with Client(LinkConnection(self.link, ModuleAddress.of_engine(self.link, 0)), config=config) as client:
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


class TurboOnTheBus(unittest.TestCase):
    """Cam, boost and vent commanded where there are such things; refused where there are none."""

    def setUp(self) -> None:
        self.told = {row.actuator: row for row in platforms()["havsel_skua_14"].command}

    def runner(self, *defects: str, key: str = "skua-harbour") -> Runner:
        found = Runner(replace(fleet()[key], defects=defects, coolant_c=88.0), f"turbo-{self.id()}-{defects}")
        found.node.start()
        self.addCleanup(found.stop)
        found.key("on")
        found.skip(0.5)
        return found

    def commander(self, runner: Runner, name: str) -> Commander:
        link = open_link("virtual", runner.channel, timing=Timing(p2=0.05))
        self.addCleanup(link.close)
        return Commander(link, actuators()[name], self.told[name])

    def stepped(self, runner: Runner, name: str, *values: float) -> list[float]:
        found = []
        with self.commander(runner, name) as actuator:
            for value in values:
                actuator.step(value)
                runner.skip(2.0)
                found.append(actuator.feedback())
        return found

    def test_the_boost_actuator_follows_or_stands_still(self) -> None:
        for value, back in zip((5.0, 95.0), self.stepped(self.runner(), "boost_valve", 5.0, 95.0), strict=True):
            self.assertAlmostEqual(back, value, delta=1.5)
        self.assertEqual(self.stepped(self.runner("boost-actuator-open"), "boost_valve", 5.0, 95.0), [0.0, 0.0])

    def test_an_advanced_cam_makes_the_idle_rough(self) -> None:
        runner = self.runner()
        with (
            self.commander(runner, "intake_phaser_valve") as early,
            self.assertRaisesRegex(CommandRefused, "conditions"),
        ):
            early.step(50.0)  # the engine does not run
        runner.key("start")
        runner.skip(30.0)
        calm = self.missed(runner)
        with self.commander(runner, "intake_phaser_valve") as cam:
            cam.step(100.0)
            runner.skip(2.0)
            self.assertAlmostEqual(cam.feedback(), 100.0, delta=2.0)
            rough = self.missed(runner)
        self.assertGreater(rough, calm + 3)
        stuck = self.runner("phaser-stuck")
        stuck.key("start")
        stuck.skip(30.0)
        self.assertEqual(self.stepped(stuck, "intake_phaser_valve", 0.0, 100.0), [0.0, 0.0])

    @staticmethod
    def missed(runner: Runner) -> int:
        """Combustions that failed in two seconds."""
        count = 0
        for _ in range(100):
            runner.vehicle.step()
            count += sum(not fired for _, fired in runner.vehicle.engine.state.fired)
        return count

    def test_a_closed_vent_lets_purge_pull_a_vacuum(self) -> None:
        """Common practice: close the vent, purge at idle, watch the tank pressure fall and hold."""
        for defects, holds in (((), True), (("vent-stuck",), False)):
            runner = self.runner(*defects)
            runner.key("start")
            runner.skip(60.0)
            with self.commander(runner, "vent_valve") as vent:
                vent.step(100.0)
                runner.vehicle.commanded.held["purge_valve"] = 1.0
                runner.skip(4.0)
                told = runner.vehicle.live_values()["tank_pa"]
            self.assertEqual(told < -300.0, holds, told)

    def test_a_natural_engine_has_none_of_it(self) -> None:
        runner = self.runner(key="tern-library")
        for name in ("boost_valve", "vent_valve"):
            with self.commander(runner, name) as absent, self.assertRaisesRegex(CommandRefused, "no such actuator"):
                absent.step(50.0)


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
            self.assertEqual(bool(platform.command), bool(platform.module))  # one from before CAN takes no commands
            for row in platform.command:
                self.assertIn(row.actuator, actuators())


@tag("long")
class Remembered(unittest.TestCase):
    def test_every_defect_survives_its_state_file(self) -> None:
        """A stand-in is written as JSON every other second, whatever is wrong with it."""
        for key in defects_of(models()["tern_16"]):
            car = Vehicle(Identity("UY0TN16A9G2000001", "TESTCAL-0001", 1), defects=(key,))
            other = Vehicle(Identity("UY0TN16A9G2000001", "TESTCAL-0001", 1))
            other.restore(json.loads(json.dumps(car.save())))
            self.assertEqual(other.parts, car.parts, key)
