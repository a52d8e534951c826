"""The modules beyond the engine, read by udsoncan (the independent client) over a virtual bus."""

from __future__ import annotations

import unittest

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.link import Timing
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import ModuleSnapshot, Snapshot
from gumshoe.core.obd.uds import ModuleAddress, state_of
from gumshoe.simulator.chassis import UNITS, ChassisModule, ChassisUnit
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.garage import Runner
from gumshoe.simulator.vehicle import Identity, Vehicle

ADDRESSES = [ModuleAddress(unit.name, unit.request_id, unit.response_id) for unit in UNITS]


class Chassis(unittest.TestCase):
    def setUp(self) -> None:
        self.runner = Runner(fleet()["tern-library"], f"uds-{self.id()}")
        self.runner.node.start()
        self.addCleanup(self.runner.stop)

    def read(self, *more: ModuleAddress) -> Snapshot:
        with open_link("virtual", self.runner.channel, timing=Timing(p2=0.05)) as link:
            return scan(link, beyond=[*ADDRESSES, *more])

    def module(self, snapshot: Snapshot, name: str) -> ModuleSnapshot:
        return next(item for item in snapshot.modules if item.name == name)

    def run_engine(self, seconds: float) -> None:
        self.runner.key("on")
        self.runner.skip(0.5)
        self.runner.key("start")
        self.runner.skip(seconds)

    def test_every_module_tells_who_it_is(self) -> None:
        self.runner.key("on")
        snapshot = self.read()
        for unit in UNITS:
            found = self.module(snapshot, unit.name)
            self.assertEqual(found.vin, self.runner.vehicle.identity.vin)
            self.assertEqual(found.calibrations, (unit.software,))
        self.assertEqual(snapshot.problems, ())

    def test_a_failed_sensor_echoes_first_pending_then_confirmed(self) -> None:
        self.runner.set_plug("air_flow_meter", off=True)
        self.run_engine(8.0)
        code = self.module(self.read(), "Brakes").codes[0]
        self.assertEqual((code.code, code.failure_type, code.state), ("U0401", "86", CodeState.PENDING))
        self.runner.key("off")
        self.runner.skip(1.0)
        self.run_engine(8.0)
        self.assertEqual(self.module(self.read(), "Brakes").codes[0].state, CodeState.CONFIRMED)
        self.assertEqual(self.module(self.read(), "Body").codes, ())

    def test_a_weak_battery_in_long_cranking_is_a_rash(self) -> None:
        self.runner.vehicle.parts.battery_health = 0.1
        for n in range(1, 5):  # it cranks and does not start
            self.runner.set_plug(f"ignition_coil_{n}", off=True)
        self.run_engine(4.0)
        snapshot = self.read()
        for name in ("Brakes", "Body", "Cluster"):
            self.assertIn("U3003", [code.code for code in self.module(snapshot, name).codes], name)

    def test_silence_and_refusals_are_said(self) -> None:
        self.runner.key("on")
        snapshot = self.read(ModuleAddress("Ghost", 0x750, 0x758))
        self.assertIn("Ghost (750): no answer", snapshot.problems[0])
        module = self.runner.chassis[0]
        self.assertEqual(module.answer(b"\x19\x06\xff", False), [b"\x7f\x19\x12"])
        self.assertEqual(module.answer(b"\x27\x01", False), [b"\x7f\x27\x11"])
        self.assertEqual(module.answer(b"\x27\x01", True), [])
        self.assertEqual(module.answer(b"\x22\xf1\x00", False), [b"\x7f\x22\x31"])

    def test_clearing_needs_a_standing_engine(self) -> None:
        self.runner.set_plug("air_flow_meter", off=True)
        self.run_engine(8.0)
        module = self.runner.chassis[0]
        self.assertEqual(module.answer(b"\x14\xff\xff\xff", False), [b"\x7f\x14\x22"])
        self.runner.key("off")
        self.runner.skip(6.0)
        self.runner.key("on")
        self.assertEqual(module.answer(b"\x14\xff\xff\xff", False), [b"\x54"])
        self.assertEqual(module.memory.status, {})


class States(unittest.TestCase):
    def test_status_bits(self) -> None:
        """ISO 14229-1 [S]: bit 0 failed, 2 pending, 3 confirmed, 5 failed since clear."""
        for status, state in (
            (0x09, CodeState.CONFIRMED),
            (0x0C, CodeState.CONFIRMED),
            (0x08, CodeState.HISTORY),
            (0x28, CodeState.HISTORY),
            (0x04, CodeState.PENDING),
            (0x01, CodeState.PENDING),
            (0x20, CodeState.HISTORY),
            (0x50, None),
        ):
            self.assertEqual(state_of(status), state, hex(status))

    def test_memory_outlasts_a_restart(self) -> None:
        unit: ChassisUnit = UNITS[0]
        car = Vehicle(Identity("UY0TN16A9E2004417", "X", 1))
        ChassisModule(car, unit).memory.status["U040186"] = 0x2C
        other = Vehicle(Identity("UY0TN16A9E2004417", "X", 1))
        module = ChassisModule(other, unit)
        other.restore(car.save())
        self.assertEqual(module.memory.status, {"U040186": 0x2C})


if __name__ == "__main__":
    unittest.main()
