"""What the stand-in forgets and learns, a battery that goes flat, routines over UDS 31, and simulated weeks.

Trip and warm-up rules: 40 CFR 86.1806 and 13 CCR 1968.2 [S, wording from memory]. UDS: ISO 14229-1 [S].
"""

import unittest

from django.test import tag

from gumshoe.core.obd.status import decode_status
from gumshoe.core.proof.drive_plan import segments_file
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.drives import BRIEF, PIECES, trips_of
from gumshoe.simulator.garage import StandIn, modules_of, vehicle_of
from gumshoe.simulator.vehicle import Key, Vehicle
from tests.simulator.test_physics import drive, vehicle

START, STOP, RESULTS = 0x01, 0x02, 0x03


def whole_car(model: str = "tern_16", *defects: str):  # type: ignore[no-untyped-def]
    spec = StandIn("x", "x", "UY0TN16A9G2000001", "CAL-0001", 1, defects, 5, 60_000.0, (), 84.0, model)
    car = vehicle_of(spec)
    chassis, gearbox = modules_of(car, spec)
    return car, {module.unit.key: module for module in (*chassis, gearbox)}


def routine(car: Vehicle, number: int, what: int = START, *, module: str = "engine") -> bytes:
    request = bytes((0x31, what, number >> 8, number & 0xFF))
    if module == "engine":
        unit = EngineModule(car)
        unit.answer(b"\x10\x03", False)
        return unit.answer(request, False)[-1]
    return car.routines.answer(car, request, module)


@tag("long")
class FlatBattery(unittest.TestCase):
    """A battery that goes flat leaves codes in transmission and body, none in the engine's unit (common practice)."""

    def test_codes_where_they_belong_and_what_is_forgotten(self) -> None:
        car, modules = whole_car()
        car.leave_key_on(12.0)
        self.assertLess(car.supply_v, 6.0)
        self.assertFalse(car.powered)
        self.assertFalse(car.memory.throttle_learnt)
        self.assertIn("P088216", modules["gearbox"].memory.status)
        self.assertIn("P051300", modules["body"].memory.status)
        self.assertEqual(car.memory.records, {})
        car.charge()
        car.run(2.0)
        self.assertTrue(car.powered)
        self.assertTrue(modules["gearbox"].lamp)
        answer = modules["gearbox"].answer(b"\x01\x01", False)[0]
        self.assertTrue(answer[2] & 0x80)
        self.assertFalse(car.memory.lamp)
        self.assertEqual(modules["gearbox"].answer(b"\x04", False), [b"\x44"])
        self.assertEqual(modules["body"].answer(b"\x14\xff\xff\xff", False), [b"\x54"])
        self.assertFalse(modules["gearbox"].lamp)
        self.assertEqual(modules["body"].memory.status, {})

    def test_an_hour_leaves_enough(self) -> None:
        car, modules = whole_car()
        car.leave_key_on(1.0)
        self.assertTrue(car.powered)
        self.assertEqual(modules["gearbox"].memory.status, {})

    def test_nothing_turns_over_on_a_flat_one(self) -> None:
        car, _ = whole_car()
        car.leave_key_on(12.0)
        car.turn_key(Key.OFF)
        car.turn_key(Key.START)
        car.run(5.0)
        self.assertEqual(car.engine.state.rpm, 0.0)

    def test_disconnected_with_the_key_off_sets_no_code_but_forgets(self) -> None:
        car, modules = whole_car()
        car.unplug("battery")
        car.run(5.0)
        car.plug("battery")
        car.turn_key(Key.ON)
        car.run(3.0)
        self.assertTrue(car.powered)
        self.assertEqual([m.memory.status for m in modules.values()], [{}] * len(modules))
        self.assertFalse(car.memory.throttle_learnt)


@tag("long")
class Learning(unittest.TestCase):
    def test_a_throttle_that_does_not_know_its_stop_idles_high_and_says_so(self) -> None:
        car = vehicle(coolant_c=88.0)
        car.memory.forget()
        drive(car, BRIEF, 2)
        self.assertIn("P2176", car.memory.codes("confirmed"))
        unlearnt, learnt = vehicle(coolant_c=88.0), vehicle(coolant_c=88.0)
        unlearnt.memory.forget()
        speeds = []
        for one in (unlearnt, learnt):
            one.turn_key(Key.ON)
            one.turn_key(Key.START)
            one.run(40.0)
            speeds.append(one.engine.state.rpm)
        self.assertGreater(speeds[0], speeds[1] + 60.0)

    def test_relearnt_it_passes_and_the_code_goes_by_itself(self) -> None:
        car = vehicle(coolant_c=88.0)
        car.memory.forget()
        drive(car, BRIEF, 1)
        self.assertIn("P2176", car.memory.codes("pending"))
        car.turn_key(Key.ON)
        car.run(1.0)
        self.assertEqual(routine(car, 0x0211), bytes((0x71, START, 0x02, 0x11, 0x01)))
        car.run(7.0)
        self.assertEqual(routine(car, 0x0211, RESULTS)[-1], 0x00)
        car.turn_key(Key.OFF)
        drive(car, BRIEF, 1)
        self.assertNotIn("P2176", car.memory.codes("pending"))

    def test_a_new_crank_sensor_keeps_the_misfire_monitor_waiting(self) -> None:
        car = vehicle(coolant_c=88.0)
        car.mend("crank_sensor")
        drive(car, BRIEF, 1)
        self.assertFalse(car.memory.complete.get("misfire", False))
        self.assertIn("P0315", car.memory.codes("pending"))
        car.turn_key(Key.ON)
        car.turn_key(Key.START)
        car.run(20.0)
        self.assertEqual(routine(car, 0x0214)[1], START)
        car.run(13.0)
        self.assertEqual(routine(car, 0x0214, RESULTS)[-1], 0x00)
        car.turn_key(Key.OFF)
        drive(car, BRIEF, 1)
        self.assertTrue(car.memory.complete["misfire"])

    def test_a_diesels_drift_is_learnt_slowly_kept_in_bounds_and_reset(self) -> None:
        car, _ = whole_car("fulmar_20")
        car.parts.air_filter_restriction = 1.0
        car.memory.air_drift = 0.05
        car.turn_key(Key.ON)
        car.run(1.0)
        self.assertEqual(routine(car, 0x0213)[1], START)
        car.run(2.0)
        self.assertEqual(car.memory.air_drift, 0.0)
        drive(car, BRIEF, 1)
        self.assertLessEqual(abs(car.memory.air_drift), 0.05)

    def test_ash_and_battery_are_counted_anew(self) -> None:
        car, _ = whole_car("fulmar_20")
        car.memory.ash_model_g = 60.0
        car.turn_key(Key.ON)
        car.run(1.0)
        routine(car, 0x0215)
        car.run(2.0)
        self.assertEqual(car.memory.ash_model_g, 12.0)
        routine(car, 0x0311, module="body")
        car.run(2.0)
        self.assertEqual(car.memory.battery_aged, 0.0)


@tag("long")
class Routines(unittest.TestCase):
    def setUp(self) -> None:
        self.car = vehicle(coolant_c=60.0)
        self.car.turn_key(Key.ON)
        self.car.run(1.0)

    def test_only_in_the_extended_session(self) -> None:
        self.assertEqual(EngineModule(self.car).answer(b"\x31\x01\x02\x11", False)[-1], b"\x7f\x31\x7f")

    def test_aborted_by_the_key_the_stop_is_not_known(self) -> None:
        routine(self.car, 0x0211)
        self.car.run(2.0)
        self.car.turn_key(Key.OFF)
        self.car.run(0.5)
        self.assertFalse(self.car.memory.throttle_learnt)
        self.car.turn_key(Key.ON)
        self.car.run(1.0)
        self.assertEqual(routine(self.car, 0x0211, RESULTS)[-1], 0x02)

    def test_stopped_on_request(self) -> None:
        routine(self.car, 0x0211)
        self.assertEqual(routine(self.car, 0x0211, STOP), bytes((0x71, STOP, 0x02, 0x11, 0x02)))
        self.assertEqual(routine(self.car, 0x0211, STOP), b"\x7f\x31\x24")

    def test_refusals(self) -> None:
        self.assertEqual(routine(self.car, 0x0999), b"\x7f\x31\x31")
        self.assertEqual(routine(self.car, 0x0213), b"\x7f\x31\x31")  # a diesel's
        self.assertEqual(routine(self.car, 0x0214), b"\x7f\x31\x22")  # the engine must run
        self.assertEqual(routine(self.car, 0x0211, 0x07), b"\x7f\x31\x12")
        self.assertEqual(self.car.routines.answer(self.car, b"\x31\x01\x02", "engine"), b"\x7f\x31\x13")
        routine(self.car, 0x0211)
        self.assertEqual(routine(self.car, 0x0212), b"\x7f\x31\x21")
        self.assertEqual(routine(self.car, 0x0211, RESULTS)[-1], 0x01)


@tag("long")
class Weeks(unittest.TestCase):
    """The lamp goes out by itself after three good trips, the code after 40 warm-ups: driven, not set."""

    def test_lamp_and_code_over_simulated_weeks(self) -> None:
        car = vehicle("crankcase-hose-split", coolant_c=64.0)
        drive(car, BRIEF, 2)
        self.assertIn("P0171", car.memory.codes("confirmed"))
        car.mend("crankcase_ventilation_hose")
        began = car.clock_s
        lamps = []
        for _ in range(3):
            drive(car, BRIEF, 1)
            lamps.append(car.memory.lamp)
        self.assertEqual(lamps, [True, True, False])
        self.assertIn("P0171", car.memory.codes("confirmed"))
        warm_ups = car.memory.warmups
        held = []
        while "P0171" in car.memory.records and len(held) < 50:
            car.soak(1.55)
            car.clock_s += 20 * 3600.0
            car.looked_s = car.felt_s = car.clock_s
            cold = car.engine.state.coolant_c
            car.turn_key(Key.ON)
            car.turn_key(Key.START)
            car.run(3.0)
            car.driver.want_rpm = 5500.0
            while car.engine.state.coolant_c < max(71.0, cold + 23.0):
                car.run(4.0)
            car.turn_key(Key.OFF)
            car.run(0.2)
            held.append(car.memory.records["P0171"].warmups_clean if "P0171" in car.memory.records else 40)
        self.assertEqual(held[-1], 40)
        self.assertGreater(len(held), 35)  # the proof trips were warm-ups too, where they began cold enough
        self.assertGreater(car.memory.warmups, warm_ups + 35)
        self.assertGreater((car.clock_s - began) / 86_400.0, 28.0)
        self.assertEqual(car.memory.frame, {})


@tag("long")
class Pieces(unittest.TestCase):
    """The stand-in's pieces have the names of the drive plan's segments, and lead where they say."""

    def test_every_segment_can_be_driven(self) -> None:
        names = {row.id for row in segments_file().segment} | {"warm_up", "frame", "frame_cold"}
        self.assertEqual(names, set(PIECES))
        with self.assertRaises(KeyError):
            trips_of((("fly",),))

    def test_a_trip_runs_the_monitors_the_plan_says(self) -> None:
        car = vehicle(coolant_c=30.0)
        drive(car, trips_of((("warm_up", "idle", "cruise"),)), 1)
        status = decode_status(EngineModule(car).answer(b"\x01\x01", False)[0][2:])
        for name in ("misfire", "fuel system", "comprehensive components", "catalyst", "oxygen sensor"):
            self.assertTrue(status.monitor(name).complete, name)

    def test_the_ranges_of_the_segments_are_met(self) -> None:
        rows = {row.id: row for row in segments_file().segment}
        for name in ("idle", "high_idle", "cruise", "motorway", "hill"):
            car = vehicle(coolant_c=88.0)
            car.begin(trips_of(((name,),)))
            inside = seconds = 0.0
            while car.driving:
                car.run(1.0)
                if car.engine.state.rpm > 400.0:
                    values = car.live_values()
                    seconds += 1.0
                    row = rows[name]
                    inside += (row.rpm[0] <= values["rpm"] <= row.rpm[1]
                               and row.load_pct[0] <= values["load_pct"] <= row.load_pct[1])  # fmt: skip
            self.assertGreater(inside, 60.0, f"{name}: {inside:.0f} s of {seconds:.0f} s")
