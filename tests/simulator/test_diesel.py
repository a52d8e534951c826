"""The stand-in turbo-diesel: physics against balance and common figures, its filter, its monitors, what it tells."""

import unittest
from functools import cache

from django.test import tag

from gumshoe.core.obd.pids import pid_table
from gumshoe.core.obd.status import decode_status
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.diesel_engine import filter_flow_lps
from gumshoe.simulator.drives import BRIEF, Segment, start
from gumshoe.simulator.identifiers import diesel_of, items_of
from gumshoe.simulator.models import models
from gumshoe.simulator.vehicle import Identity, Key, Vehicle


def van(*defects: str, coolant_c: float = 84.0) -> Vehicle:
    return Vehicle(
        Identity("UY0FM20A3K2000731", "T", 1), models()["fulmar_20"], defects=defects, seed=3, coolant_c=coolant_c
    )


def idling(*defects: str, rpm: float = 0.0, coolant_c: float = 84.0) -> Vehicle:
    vehicle = van(*defects, coolant_c=coolant_c)
    vehicle.begin((*start(40.0), Segment("hold", 60.0, rpm=rpm)))
    vehicle.run(100.0)
    return vehicle


@cache
def driven(*defects: str) -> Vehicle:
    """After two brief drives; not changed by any test."""
    vehicle = van(*defects, coolant_c=64.0)
    for _ in range(2):
        vehicle.begin(BRIEF)
        while vehicle.driving:
            vehicle.step()
    return vehicle


@tag("long")
class Physics(unittest.TestCase):
    def test_warm_idle(self) -> None:
        vehicle = idling()
        state = vehicle.engine.state
        # Common for a 2-litre diesel: 750 to 850 1/min, 0.3 to 0.9 L/h, exhaust 100 to 220 °C.
        self.assertAlmostEqual(state.rpm, 800.0, delta=25.0)
        self.assertTrue(0.3 < state.fuel_gps * 3600.0 / 835.0 < 0.9)
        self.assertTrue(100.0 < state.exhaust_c < 220.0)
        self.assertLess(max(state.lambdas), 9.0)
        self.assertGreater(min(state.lambdas), 2.0)  # much more air than it burns

    def test_air_in_and_exhaust_back_make_what_the_cylinders_take(self) -> None:
        state = idling().engine.state
        self.assertAlmostEqual(
            state.meter_true_gps + state.egr_gps, state.cylinder_gps, delta=0.03 * state.cylinder_gps
        )
        self.assertGreater(state.egr_gps, 0.2 * state.cylinder_gps)

    def test_filter_pressure_is_what_is_common(self) -> None:
        """Common practice: about 10 to 15 mbar at idle is clean, 60 to 65 at 2500 1/min still normal, none at rest."""
        self.assertTrue(5.0 < idling().readings.filter_mbar < 15.0)
        self.assertTrue(40.0 < idling(rpm=2500.0).readings.filter_mbar < 75.0)
        self.assertAlmostEqual(van().engine.state.filter_mbar, 0.0)
        self.assertGreater(idling("filter-full-of-ash", rpm=2500.0).readings.filter_mbar, 100.0)

    def test_volume_flow_is_the_gas_law(self) -> None:
        # V = m R T / p, R 287 J/(kg K) [physics], for an engine of 2 litres.
        litres = 20.0 * 287.0 * (273.15 + 200.0) / 101_000.0 * 2.0 / 1.995
        self.assertAlmostEqual(filter_flow_lps(models()["fulmar_20"], 20.0, 200.0, 101_000.0), litres, delta=1e-6)

    def test_full_load_keeps_within_what_air_allows(self) -> None:
        vehicle = van()
        vehicle.begin((*start(10.0), Segment("pull", 40.0, kmh=130.0, grade=0.04)))
        most = hottest = 0.0
        smoky = steps = 0
        while vehicle.driving:
            vehicle.step()
            most = max(most, vehicle.engine.systems.boost_kpa)
            hottest = max(hottest, vehicle.engine.state.exhaust_c)
            if vehicle.speed_kmh > 20.0 and vehicle.engine.state.fuel_gps > 1.0:
                steps += 1
                smoky += min(vehicle.engine.state.lambdas) < 1.0
        self.assertLess(smoky, 0.05 * steps)  # a puff as a gear is taken, no more
        self.assertTrue(60.0 < most < 140.0, most)
        self.assertTrue(450.0 < hottest <= 780.0, hottest)

    def test_cruise_takes_what_such_a_van_takes(self) -> None:
        vehicle = van()
        vehicle.begin((*start(10.0), Segment("cruise", 120.0, kmh=75.0)))
        vehicle.run(125.0)
        litres = vehicle.engine.state.fuel_gps / 835.0 * 3600.0 / vehicle.speed_kmh * 100.0
        self.assertTrue(3.0 < litres < 8.0, litres)  # litres for 100 km on the level, steady


@tag("long")
class Filter(unittest.TestCase):
    def filled(self) -> Vehicle:
        vehicle = van()
        vehicle.engine.state.soot_g = vehicle.memory.soot_model_g = 24.0
        return vehicle

    def test_it_is_burnt_free_hot_with_raised_idle_and_closed_recirculation(self) -> None:
        vehicle = self.filled()
        vehicle.begin((*start(20.0), Segment("cruise", 1500.0, kmh=80.0), Segment("stop", 40.0)))
        hottest, burnt = 0.0, 24.0
        while vehicle.driving:
            vehicle.step()
            if diesel_of(vehicle).regenerating:
                hottest = max(hottest, vehicle.engine.state.filter_c)
                self.assertEqual(vehicle.management.state.command.egr, 0.0)
            burnt = min(burnt, vehicle.engine.state.soot_g)
        self.assertTrue(560.0 < hottest < 720.0, hottest)  # common practice: exhaust can exceed 600 °C
        self.assertLess(burnt, 8.0)
        self.assertEqual(vehicle.memory.regenerations, 1)
        self.assertLess(vehicle.memory.filter_km, 30.0)

    def test_raised_idle_tells_it(self) -> None:
        vehicle = self.filled()
        vehicle.begin(start(60.0))
        vehicle.run(62.0)
        self.assertTrue(diesel_of(vehicle).regenerating)
        self.assertAlmostEqual(vehicle.engine.state.rpm, 900.0, delta=25.0)  # common practice: about 100 more

    def test_key_off_breaks_it_and_it_is_counted(self) -> None:
        vehicle = self.filled()
        vehicle.begin(start(30.0))
        vehicle.run(32.0)
        vehicle.turn_key(Key.OFF)
        vehicle.run(5.0)
        vehicle.turn_key(Key.ON)
        vehicle.run(2.0)
        self.assertFalse(diesel_of(vehicle).regenerating)
        self.assertEqual(vehicle.memory.regenerations, 0)


@tag("long")
class Monitors(unittest.TestCase):
    def test_nothing_wrong_no_code(self) -> None:
        self.assertEqual(driven().memory.records, {})
        for name in ("misfire", "comprehensive components", "EGR / VVT", "particulate filter"):
            self.assertTrue(driven().memory.complete.get(name), name)

    def test_each_fault_is_found_by_the_monitor_that_sees_it(self) -> None:
        for defect, code in (
            ("egr-stuck-open", "P0402"),
            ("egr-stuck-shut", "P0401"),
            ("boost-hose-off", "P0299"),
            ("gate-stuck", "P0299"),
            ("filter-cracked", "P2002"),
            ("compression-3-low", "P0303"),
            ("high-pump-weak", "P0087"),
        ):
            self.assertIn(code, driven(defect).memory.codes("confirmed"), defect)

    def test_a_weak_injector_is_evened_out_and_told(self) -> None:
        vehicle = driven("injector-2-clogged")
        self.assertIn("P0266", set(vehicle.memory.codes("confirmed")) | set(vehicle.memory.codes("pending")))
        idle = idling("injector-2-clogged")
        balance = diesel_of(idle).balance
        self.assertGreater(balance[1], 0.12)
        self.assertLess(max(abs(value) for value in balance[:1] + balance[2:]), 0.10)

    def test_a_glow_plug_is_missed_only_in_the_cold(self) -> None:
        warm, cold = idling("glow-2-open"), idling("glow-2-open", coolant_c=-5.0)
        self.assertEqual(warm.memory.codes("confirmed"), ["P0672"])
        self.assertLess(sum(warm.memory.misfire_trip), 5)
        self.assertGreater(cold.memory.misfire_trip[1], 20)


@tag("long")
class Told(unittest.TestCase):
    def test_the_bus_tells_a_diesel(self) -> None:
        vehicle = idling()
        module = EngineModule(vehicle)
        status = decode_status(module.answer(b"\x01\x01", False)[0][2:])
        self.assertTrue(status.compression_ignition)
        for name in ("particulate filter", "EGR / VVT", "boost pressure"):
            monitor = status.monitor(name)
            self.assertTrue(monitor and monitor.supported, name)
        for pid, key in ((0x23, "rail_kpa"), (0x2C, "egr_cmd_pct"), (0x70, "boost_kpa"), (0x71, "vane_pct"),
                         (0x78, "exhaust_b1s2_c"), (0x7A, "filter_b1_kpa"), (0x51, "fuel_type")):  # fmt: skip
            answer = module.answer(bytes((0x01, pid)), False)[0]
            told = pid_table()[pid].decode(answer[2:])[key]
            self.assertAlmostEqual(told, vehicle.live_values()[key], delta=0.02 * abs(told) + 10.0)
        for pid in (0x06, 0x14, 0x2E, 0x11):  # no trims, no lambda, no purge, no throttle
            self.assertEqual(module.answer(bytes((0x01, pid)), False), [b"\x7f\x01\x31"])
        self.assertEqual(module.answer(b"\x09\x0b", False)[0][:3], b"\x49\x0b\x10")

    def test_its_own_identifiers(self) -> None:
        vehicle = idling()
        own = {item.key: item for item in items_of(vehicle).values()}
        self.assertAlmostEqual(own["soot_g"].value(vehicle), vehicle.memory.soot_model_g)
        self.assertEqual(own["regenerating"].value(vehicle), 0.0)
        self.assertLess(abs(own["injector_correction_c1_mg"].value(vehicle)), 0.5)

    def test_saved_and_restored_with_its_filter(self) -> None:
        vehicle = driven("egr-stuck-open")
        again = van()
        again.restore(vehicle.save())
        self.assertEqual(again.save(), vehicle.save())
        self.assertEqual(again.engine.state.soot_g, vehicle.engine.state.soot_g)


if __name__ == "__main__":
    unittest.main()
