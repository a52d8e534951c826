"""Trip logic, lamp, freeze frames, permanent codes, and the services' bytes."""

import unittest

from django.test import tag

from gumshoe.core.obd.status import decode_status
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.drives import MIXED
from gumshoe.simulator.memory import Memory
from gumshoe.simulator.vehicle import Key, Vehicle
from tests.simulator.test_physics import IDENTITY, drive, driven, vehicle

WARM_IDLE = {"rpm": 830.0, "load_pct": 20.0, "coolant_c": 88.0}


@tag("long")
class Story(unittest.TestCase):
    """A split hose, from the first trip to the proven repair, found by the control unit alone."""

    def test_two_trips_lamp_frame_clear_and_recovery(self) -> None:
        car = vehicle("crankcase-hose-split", coolant_c=64.0)
        drive(car)
        self.assertEqual(car.memory.codes("confirmed"), [])
        self.assertIn("P0171", car.memory.codes("pending"))
        self.assertFalse(car.memory.lamp)
        drive(car)
        self.assertIn("P0171", car.memory.codes("confirmed"))
        self.assertIn("P0171", car.memory.codes("permanent"))
        self.assertTrue(car.memory.lamp)
        frame = car.memory.records["P0171"].frame
        self.assertLess(frame["rpm"], 1000.0)
        self.assertEqual(frame["speed_kmh"], 0.0)
        self.assertGreater(frame["stft_b1_pct"] + frame["ltft_b1_pct"], 20.0)

        self.assertTrue(car.mend("crankcase_ventilation_hose"))
        car.turn_key(Key.ON)
        module = EngineModule(car)
        self.assertEqual(module.answer(b"\x04", False)[-1], b"\x44")
        self.assertEqual(car.memory.codes("pending"), [])
        self.assertEqual(car.memory.codes("permanent"), ["P0171"])
        self.assertFalse(decode_status(module.answer(b"\x01\x01", False)[0][2:]).monitor("fuel system").complete)
        car.turn_key(Key.OFF)
        drive(car, MIXED, 2)
        self.assertEqual(car.memory.records, {})
        self.assertTrue(car.memory.complete["fuel system"])
        self.assertLess(abs(car.memory.ltft[0][0]), 0.05)

    def test_unmended_it_comes_back_after_clearing(self) -> None:
        car = driven("crankcase-hose-split")
        car.mend("air_flow_meter")
        car.memory.clear()
        drive(car)
        self.assertIn("P0171", car.memory.codes("pending"))


class Trips(unittest.TestCase):
    """40 CFR 86.1806 and 13 CCR 1968.2 [S, wording from memory]."""

    def confirmed(self) -> Memory:
        memory = Memory()
        for _ in range(2):
            memory.begin_trip()
            memory.fail("P0420", WARM_IDLE)
            memory.end_trip(True)
        return memory

    def good(self, memory: Memory, trips: int) -> None:
        for _ in range(trips):
            memory.begin_trip()
            memory.passed("P0420")
            memory.end_trip(True)

    def test_the_same_trip_does_not_confirm(self) -> None:
        memory = Memory()
        memory.begin_trip()
        memory.fail("P0420", WARM_IDLE)
        memory.fail("P0420", WARM_IDLE)
        self.assertEqual((memory.codes("pending"), memory.codes("confirmed")), (["P0420"], []))

    def test_lamp_out_after_three_good_trips_code_erased_after_forty_warm_ups(self) -> None:
        memory = self.confirmed()
        self.good(memory, 2)
        self.assertTrue(memory.lamp)
        self.good(memory, 1)
        self.assertFalse(memory.lamp)
        self.assertEqual(memory.codes("confirmed"), ["P0420"])
        self.good(memory, 38)
        self.assertEqual(memory.codes("confirmed"), ["P0420"])
        self.good(memory, 2)
        self.assertEqual(memory.records, {})

    def test_a_trip_without_the_monitor_changes_nothing(self) -> None:
        memory = self.confirmed()
        for _ in range(5):
            memory.begin_trip()
            memory.end_trip(False)
        self.assertTrue(memory.lamp)

    def test_misfire_and_fuel_codes_need_similar_conditions_to_pass(self) -> None:
        memory = Memory()
        memory.begin_trip()
        memory.fail("P0171", WARM_IDLE, similar=True)
        memory.end_trip(True)
        memory.begin_trip()
        memory.note_conditions(2500.0, 20.0, True, 600.0)
        memory.passed("P0171")
        memory.end_trip(True)
        self.assertEqual(memory.codes("pending"), ["P0171"])
        memory.begin_trip()
        memory.note_conditions(830.0 + 370.0, 38.0, True, 60.0)
        memory.passed("P0171")
        memory.end_trip(True)
        self.assertEqual(memory.records, {})

    def test_misfire_and_fuel_frames_take_the_place_of_others(self) -> None:
        memory = Memory()
        memory.begin_trip()
        memory.fail("P0420", {"rpm": 2000.0})
        memory.fail("P0171", WARM_IDLE, priority=True)
        memory.fail("P0300", {"rpm": 900.0}, priority=True)
        self.assertEqual((memory.frame_code, memory.frame["rpm"]), ("P0171", 830.0))

    def test_permanent_codes_outlast_clearing_until_the_monitor_passes(self) -> None:
        memory = self.confirmed()
        memory.clear()
        self.assertEqual(memory.codes("permanent"), ["P0420"])
        memory.begin_trip()
        memory.end_trip(True)
        self.assertEqual(memory.codes("permanent"), ["P0420"])
        self.good(memory, 1)
        self.assertEqual(memory.records, {})


class Services(unittest.TestCase):
    def setUp(self) -> None:
        self.car = vehicle()
        self.car.turn_key(Key.ON)
        self.car.run(1.0)
        self.module = EngineModule(self.car)

    def ask(self, *request: int, functional: bool = False) -> list[bytes]:
        return self.module.answer(bytes(request), functional)

    def test_up_to_six_pids(self) -> None:
        answer = self.ask(0x01, 0x0C, 0x0D, 0x05, 0x06, 0x07, 0x10)[0]
        self.assertEqual(len(answer), 1 + 3 + 2 + 2 + 2 + 2 + 3)
        self.assertEqual(self.ask(0x01, *range(1, 8)), [b"\x7f\x01\x13"])

    def test_refusals(self) -> None:
        self.assertEqual(self.ask(0x01, 0x7F), [b"\x7f\x01\x31"])
        self.assertEqual(self.ask(0x01, 0x7F, functional=True), [])
        self.assertEqual(self.ask(0x22, 0xF1, 0x90), [b"\x7f\x22\x31"])  # no such identifier
        self.assertEqual(self.ask(0x27, 0x01), [b"\x7f\x27\x11"])
        self.car.turn_key(Key.START)
        self.car.run(4.0)
        self.assertEqual(self.ask(0x04), [b"\x7f\x04\x22"])

    def test_pending_answer_before_the_verification_number(self) -> None:
        self.assertEqual(self.ask(0x09, 0x06)[0], b"\x7f\x09\x78")
        self.assertEqual(self.ask(0x09, 0x06)[1][:3], b"\x49\x06\x01")
        self.assertEqual(self.ask(0x09, 0x02)[0], b"\x49\x02\x01" + IDENTITY.vin.encode())

    def test_asleep_with_the_key_off(self) -> None:
        self.assertTrue(self.module.awake)
        self.car.turn_key(Key.OFF)
        self.assertFalse(self.module.awake)

    def test_saved_and_restored(self) -> None:
        car = driven("crankcase-hose-split")
        again = Vehicle(IDENTITY, seed=1)
        again.restore(car.save())
        self.assertEqual(again.save(), car.save())
        self.assertTrue(again.memory.lamp)
        with self.assertRaises(ValueError):
            again.restore({"parts": {}})
