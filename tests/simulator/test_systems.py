"""Cams, throttle, tank, lambda, direct injection, the older V8, the hybrid: faults by the monitor that sees them."""

import unittest
from functools import cache
from itertools import pairwise

from django.test import tag

from gumshoe.simulator.drives import BRIEF, PROFILES, Segment, start
from gumshoe.simulator.identifiers import items_of
from gumshoe.simulator.models import models
from gumshoe.simulator.parts import healthy
from gumshoe.simulator.systems import Systems, cam_readings
from gumshoe.simulator.vehicle import Identity, Key, Vehicle


def built(kind: str, *defects: str, coolant_c: float = 64.0) -> Vehicle:
    return Vehicle(Identity("UY0TN16A9G2000001", "T", 1), models()[kind], defects=defects, seed=3, coolant_c=coolant_c)


@cache
def driven(kind: str, *defects: str) -> Vehicle:
    """After two brief drives; not changed by any test."""
    vehicle = built(kind, *defects)
    for _ in range(2):
        vehicle.begin(BRIEF)
        while vehicle.driving:
            vehicle.step()
    return vehicle


def confirmed(kind: str, *defects: str) -> set[str]:
    return set(driven(kind, *defects).memory.codes("confirmed"))


@tag("long")
class Cams(unittest.TestCase):
    """Trade practice: one cam alone is its valve, both of a bank are its chain, all of them the crank's reference."""

    def test_one_both_all(self) -> None:
        self.assertEqual(confirmed("dunlin_30", "intake-phaser-b1-stuck"), {"P0012"})
        self.assertEqual(confirmed("dunlin_30", "exhaust-phaser-b2-open"), {"P0023"})
        self.assertEqual(confirmed("dunlin_30", "chain-stretched-b2"), {"P0018", "P0019"})
        self.assertEqual(confirmed("dunlin_30", "crank-wheel-moved"), {"P0016", "P0017", "P0018", "P0019"})

    def test_angles_add_up(self) -> None:
        model = models()["dunlin_30"]
        parts, systems = healthy(model), Systems.of(model)
        systems.cams = [20.0, 12.0, 20.0, 12.0]
        parts.chain_deg[1] = 5.0
        parts.tooth_deg = 2.0
        self.assertEqual(cam_readings(model, parts, systems), [18.0, 10.0, 13.0, 5.0])
        self.assertEqual(cam_readings(models()["tern_16"], healthy(models()["tern_16"]), Systems()), [0.0])

    def test_a_late_bank_breathes_less_and_the_other_pays(self) -> None:
        memory = driven("dunlin_30", "chain-stretched-b2").memory
        self.assertLess(memory.ltft[1][1], -0.02)
        self.assertGreater(memory.ltft[0][1], 0.02)

    def test_the_four_cams_are_told_one_by_one(self) -> None:
        keys = {item.key for item in items_of(built("dunlin_30")).values()}
        for cam in ("intake", "exhaust"):
            for bank in (1, 2):
                self.assertLessEqual({f"cam_{cam}_b{bank}_deg", f"cam_{cam}_cmd_b{bank}_deg"}, keys)


@tag("long")
class ThrottleAndIdle(unittest.TestCase):
    def test_carbon_is_learnt_and_lowers_the_idle(self) -> None:
        self.assertGreater(driven("tern_16", "throttle-carbon").memory.idle_learnt, 0.008)
        self.assertLess(abs(driven("tern_16").memory.idle_learnt), 0.007)

    def test_a_worn_spot_drops_out_as_it_is_passed(self) -> None:
        self.assertLessEqual({"P0122", "P0124"} & confirmed("tern_16", "throttle-track-gap"), {"P0122", "P0124"})
        self.assertTrue({"P0122", "P0124", "P2135"} & confirmed("tern_16", "throttle-track-gap"))

    def test_a_plate_that_sticks_does_not_follow(self) -> None:
        self.assertIn("P2101", confirmed("tern_16", "throttle-sticks"))


@tag("long")
class Tank(unittest.TestCase):
    """Leak sizes after 13 CCR 1968.2 [S]: 1.0 mm is small (P0442), 0.5 mm very small (P0456); the cap is large."""

    @staticmethod
    @cache
    def soaked(*defects: str, level_pct: float = 58.0) -> Vehicle:
        vehicle = built("skua_14", *defects)
        vehicle.fuel_level_pct = level_pct
        vehicle.begin(PROFILES["cold"])
        while vehicle.driving:
            vehicle.step()
        return vehicle

    def test_holes_are_told_by_their_size(self) -> None:
        for defect, code in (("cap-off", "P0455"), ("tank-leak-small", "P0442"), ("tank-leak-tiny", "P0456")):
            self.assertEqual(self.soaked(defect).memory.codes("pending"), [code], defect)

    def test_a_tight_tank_passes_and_a_full_one_is_not_judged(self) -> None:
        tight = self.soaked()
        self.assertEqual(tight.memory.records, {})
        self.assertTrue(tight.memory.complete.get("evaporative system"))
        self.assertLess(tight.memory.results["tank lost"], 9.0)
        self.assertFalse(self.soaked(level_pct=95.0).memory.complete.get("evaporative system"))

    def test_a_night_cools_and_a_filling_fills(self) -> None:
        vehicle = built("skua_14", coolant_c=90.0)
        vehicle.begin(PROFILES["refuel"])
        vehicle.run(40.0)
        self.assertGreaterEqual(vehicle.fuel_level_pct, 77.0)
        vehicle.stop()
        vehicle.turn_key(Key.OFF)
        before = vehicle.clock_s
        vehicle.soak(12.0)
        self.assertAlmostEqual(vehicle.engine.state.coolant_c, vehicle.air.temperature_c, delta=2.0)
        self.assertEqual(vehicle.clock_s - before, 12 * 3600.0)


@tag("long")
class Mixture(unittest.TestCase):
    def test_a_lazy_sensor_is_told_from_a_worn_catalyst(self) -> None:
        self.assertEqual(confirmed("tern_16", "sensor-lazy"), {"P0133"})
        self.assertEqual(confirmed("eider_50", "sensor-lazy-b2"), {"P0153"})
        self.assertEqual(confirmed("eider_50", "catalyst-worn-b1"), {"P0420"})

    def test_bad_fuel_is_lean_everywhere(self) -> None:
        cells = driven("tern_16", "fuel-bad").memory.ltft[0]
        self.assertTrue(all(0.10 < cell < 0.22 for cell in cells[:3]), cells)

    def test_a_cracked_insulator_fails_under_load(self) -> None:
        """Common practice: only under load is ignition."""
        vehicle = built("tern_16", "insulator-2-cracked", coolant_c=84.0)
        vehicle.begin((*start(60.0),))
        vehicle.run(62.0)
        at_idle = vehicle.memory.misfire_trip[1]
        vehicle.begin((Segment("hill", 60.0, kmh=70.0, grade=0.06),))
        vehicle.run(60.0)
        self.assertLess(at_idle, 20)
        self.assertGreater(vehicle.memory.misfire_trip[1], 300)

    def test_old_software_counts_what_is_not_there(self) -> None:
        vehicle = driven("tern_16", "software-old")
        self.assertEqual(vehicle.memory.codes("confirmed"), ["P0300"])
        counts = vehicle.memory.misfire_last
        self.assertLess(max(counts), 1.5 * min(counts))  # every cylinder alike

    def test_direct_injection_and_its_rail(self) -> None:
        good = driven("skua_14")
        self.assertEqual(good.memory.records, {})
        self.assertIn("P0087", confirmed("skua_14", "high-pump-weak"))
        self.assertGreater(max(driven("skua_14", "rail-sensor-high").memory.ltft[0]), 0.12)
        warm = built("skua_14", coolant_c=84.0)
        warm.begin(start(40.0))
        warm.run(42.0)
        state = warm.management.state
        self.assertAlmostEqual(warm.readings.rail_kpa / state.rail_target_kpa, 1.0, delta=0.08)
        self.assertTrue(3_000.0 < warm.readings.rail_kpa < 10_000.0)  # common: 4 to 8 MPa at idle


@tag("long")
class OlderV8(unittest.TestCase):
    def test_a_turned_distributor_is_off_at_every_cam_and_weak(self) -> None:
        self.assertEqual(confirmed("eider_50", "distributor-turned"), {"P0016", "P0018"})
        tooth, sound = driven("eider_50", "distributor-tooth"), driven("eider_50")
        self.assertEqual(sound.memory.records, {})
        self.assertGreater(tooth.trip.count, 1)

    def test_its_sensors_only_tell_rich_from_lean(self) -> None:
        vehicle = built("eider_50", coolant_c=88.0)
        vehicle.begin(start(60.0))
        vehicle.run(40.0)
        volts = []
        for _ in range(1000):
            vehicle.step()
            volts.append(vehicle.live_values()["o2_b1s1_v"])
        crossings = sum((a < 0.45) != (b < 0.45) for a, b in pairwise(volts))
        # Common practice: a good narrow-band sensor crosses 0.45 V more than once in two seconds.
        self.assertGreater(crossings, 10)
        self.assertLess(min(volts), 0.3)
        self.assertGreater(max(volts), 0.6)
        self.assertNotIn("lambda_b1s1", vehicle.live_values())
        self.assertNotIn("throttle_cmd_pct", vehicle.live_values())

    def test_without_its_distributor_nothing_fires(self) -> None:
        vehicle = built("eider_50", "distributor:signal_wire:open")
        vehicle.turn_key(Key.ON)
        vehicle.run(0.5)
        vehicle.turn_key(Key.START)
        vehicle.run(4.0)
        self.assertLess(vehicle.engine.state.rpm, 300.0)
        self.assertEqual(vehicle.memory.codes("confirmed"), ["P0320"])


@tag("long")
class HybridCar(unittest.TestCase):
    def test_it_pulls_away_on_the_motor_and_the_engine_joins(self) -> None:
        vehicle = built("plover_18", coolant_c=80.0)
        vehicle.begin((*start(5.0), Segment("town", 25.0, kmh=28.0), Segment("faster", 40.0, kmh=70.0)))
        vehicle.run(28.0)
        self.assertGreater(vehicle.speed_kmh, 15.0)
        self.assertEqual(vehicle.engine.state.rpm, 0.0)
        vehicle.run(30.0)
        self.assertGreater(vehicle.engine.state.rpm, 700.0)

    def test_charge_is_energy(self) -> None:
        vehicle = built("plover_18", coolant_c=80.0)
        drive = vehicle.hybrid
        assert drive
        before, drawn = drive.charge, drive.drawn_j
        vehicle.begin((*start(5.0), Segment("town", 20.0, kmh=28.0)))
        vehicle.run(26.0)
        expected = (drive.drawn_j - drawn) / (drive.spec.battery_kwh * 3.6e6)
        self.assertAlmostEqual(before - drive.charge, expected, delta=1e-9)
        self.assertGreater(expected, 0.0)

    def test_held_for_work_the_engine_runs_on(self) -> None:
        vehicle = built("plover_18", coolant_c=85.0)
        vehicle.begin(start(4.0))
        vehicle.run(5.0)
        self.assertEqual(vehicle.engine.state.rpm, 0.0)
        vehicle.driver.want_rpm = 2500.0
        vehicle.run(15.0)
        vehicle.driver.want_rpm = 0.0
        vehicle.run(15.0)
        self.assertAlmostEqual(vehicle.engine.state.rpm, 950.0, delta=60.0)

    def test_its_faults(self) -> None:
        self.assertEqual(driven("plover_18").memory.records, {})
        self.assertIn("P0A80", confirmed("plover_18", "pack-worn"))
        self.assertEqual(confirmed("plover_18", "converter-dead"), {"P0562"})
        self.assertEqual(built("plover_18").live_values()["fuel_type"], 17.0)  # J1979 PID 51: hybrid petrol [S]


if __name__ == "__main__":
    unittest.main()
