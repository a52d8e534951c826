"""The engine model against physics and against what is common for such engines (no source)."""

import json
import math
import unittest
from functools import cache

from django.test import tag

from gumshoe.simulator.defects import part_defects
from gumshoe.simulator.drives import BRIEF, MIXED, Segment, start
from gumshoe.simulator.engine import orifice_gps, volumetric_efficiency
from gumshoe.simulator.hands import observe
from gumshoe.simulator.mending import mend, mend_wiring
from gumshoe.simulator.models import models
from gumshoe.simulator.parts import INSIDE, healthy
from gumshoe.simulator.sensors import meter_gps, meter_volts, thermistor_celsius, thermistor_volts
from gumshoe.simulator.vehicle import Identity, Key, Vehicle

IDENTITY = Identity("UY0TN16A9G2000001", "TESTCAL", 1)


def vehicle(*defects: str, seed: int = 3, coolant_c: float = 84.0) -> Vehicle:
    return Vehicle(IDENTITY, defects=defects, seed=seed, coolant_c=coolant_c)


def drive(car: Vehicle, plan: tuple[Segment, ...] = MIXED, times: int = 1) -> Vehicle:
    for _ in range(times):
        car.begin(plan)
        while car.driving:
            car.step()
    return car


@cache
def _state(defects: tuple[str, ...], coolant_c: float) -> str:
    return json.dumps(drive(vehicle(*defects, coolant_c=coolant_c), BRIEF if defects else MIXED, 2).save())


def driven(*defects: str, coolant_c: float = 64.0) -> Vehicle:
    """A car with two drives behind it, brief ones for a fault; driven once for all tests."""
    car = vehicle(coolant_c=coolant_c)
    car.restore(json.loads(_state(defects, coolant_c)))
    return car


def trims(car: Vehicle) -> tuple[float, float]:
    """Total trim in per cent, settled, at idle and at 2500 1/min."""
    found = []
    car.begin((*start(60.0), Segment("hold", 60.0, rpm=2500.0)))
    for seconds in (61.0, 59.0):
        car.run(seconds)
        state = car.management.state
        found.append(100.0 * (car.memory.ltft[0][state.cell] + state.banks[0].stft_mean))
    car.stop()
    return found[0], found[1]


@tag("long")
class Flow(unittest.TestCase):
    def test_choked_orifice_against_the_closed_form(self) -> None:
        # Isentropic choked flow: m = A p0 sqrt(γ/(R T)) (2/(γ+1))^((γ+1)/(2(γ−1))), γ = 1.4 [physics].
        expected = 1e-6 * 101_000 * math.sqrt(1.4 / (287 * 290)) * (2 / 2.4) ** (2.4 / 0.8) * 1000
        self.assertAlmostEqual(orifice_gps(1.0, 101_000, 30_000, 290.0), expected, delta=expected * 1e-3)

    def test_subcritical_orifice_against_the_closed_form(self) -> None:
        ratio = 0.8
        psi = math.sqrt(2 * 1.4 / 0.4 * (ratio ** (2 / 1.4) - ratio ** (2.4 / 1.4)))
        expected = 1e-6 * 101_000 / math.sqrt(287 * 290) * psi * 1000
        self.assertAlmostEqual(orifice_gps(1.0, 101_000, 80_800, 290.0), expected, delta=expected * 1e-3)
        self.assertEqual(orifice_gps(1.0, 101_000, 101_000, 290.0), 0.0)

    def test_mass_balance_of_the_manifold_at_rest(self) -> None:
        car = drive(vehicle(), start(60.0))
        inflow = outflow = 0.0
        for _ in range(500):
            car.step()
            state = car.engine.state
            inflow += state.throttle_gps + state.leak_gps
            outflow += state.cylinder_gps
        self.assertAlmostEqual(inflow / outflow, 1.0, delta=0.02)

    def test_sensor_curves_are_their_own_inverse(self) -> None:
        for celsius in (-20.0, 20.0, 88.0, 110.0):
            self.assertAlmostEqual(thermistor_celsius(thermistor_volts(celsius)), celsius, delta=0.5)
        for flow in (0.5, 2.4, 20.0, 110.0):
            self.assertAlmostEqual(meter_gps(meter_volts(flow)), flow, delta=flow * 1e-6 + 1e-6)


@tag("long")
class HealthyCar(unittest.TestCase):
    def test_warm_idle(self) -> None:
        car = drive(vehicle(), start(60.0))
        state = car.engine.state
        # Common for a 1.6 L: 700–820 1/min, 1.3–2.4 g/s per litre, 20–40 kPa manifold pressure.
        self.assertAlmostEqual(state.rpm, 760.0, delta=40.0)
        self.assertTrue(1.3 * 1.6 < state.meter_gps < 2.4 * 1.6)
        self.assertTrue(20e3 < state.manifold_pa < 40e3)

    def test_cruise_trims_and_no_code(self) -> None:
        car = drive(vehicle(), times=2)
        self.assertEqual(car.memory.records, {})
        for cell in car.memory.ltft[0]:
            self.assertLess(abs(cell), 0.05)
        for name in ("misfire", "fuel system", "catalyst", "oxygen sensor", "oxygen sensor heater"):
            self.assertTrue(car.memory.complete.get(name), name)

    def test_full_load_filling(self) -> None:
        # Volumetric efficiency of a naturally aspirated engine near peak torque: 75–95 % (common practice).
        self.assertTrue(0.75 <= volumetric_efficiency(4000.0) <= 0.95)

    def test_coolant_reaches_the_thermostat_and_stays(self) -> None:
        car = drive(vehicle(coolant_c=20.0), times=2)
        self.assertTrue(82.0 < car.engine.state.coolant_c < 100.0)

    def test_same_seed_same_bytes(self) -> None:
        first, second = (json.dumps(drive(vehicle("crankcase-hose-split", seed=9)).save()) for _ in range(2))
        self.assertEqual(first, second)
        self.assertNotEqual(first, json.dumps(drive(vehicle("crankcase-hose-split", seed=10)).save()))


@tag("long")
class Faults(unittest.TestCase):
    """Signatures of trade practice: which way each fault moves the trims, and which code its monitor finds."""

    def test_split_hose_is_lean_at_idle_and_nearly_normal_at_2500(self) -> None:
        car = driven("crankcase-hose-split")
        idle, fast = trims(car)
        self.assertGreater(idle, 20.0)
        self.assertLess(fast, 10.0)
        self.assertGreater(car.engine.state.leak_gps, 0.4)

    def test_meter_reading_low_is_leaner_as_the_flow_rises(self) -> None:
        idle, fast = trims(driven("meter-low"))
        self.assertLess(idle, 10.0)
        self.assertGreater(fast, idle + 3.0)

    def test_open_duct_and_lean_sensor_are_lean_everywhere(self) -> None:
        for defect in ("duct-loose", "sensor-lean"):
            idle, fast = trims(driven(defect))
            self.assertGreater(idle, 15.0, defect)
            self.assertGreater(fast, 15.0, defect)

    def test_passing_purge_valve_is_rich_at_idle(self) -> None:
        idle, fast = trims(drive(vehicle("purge-passing")))
        self.assertLess(idle, -3.0)
        self.assertGreater(fast, idle)

    def test_each_fault_is_found_by_the_monitor_that_sees_it(self) -> None:
        for defect, code in (
            ("coil-3-weak", "P0303"),
            ("plug-2-worn", "P0302"),
            ("injector-2-clogged", "P0302"),
            ("compression-1-low", "P0301"),
            ("heater-open", "P0030"),
            ("catalyst-worn", "P0420"),
            ("meter-low", "P0101"),
            ("exhaust-leak", "P0171"),
            ("booster-hose-cracked", "P0171"),
        ):
            car = driven(defect)
            self.assertIn(code, car.memory.records, defect)
            self.assertTrue(car.memory.records[code].confirmed, defect)

    def test_open_thermostat_shows_from_cold(self) -> None:
        car = drive(vehicle("thermostat-open", coolant_c=14.0))
        self.assertIn("P0128", car.memory.records)

    def test_unplugged_meter_sets_both_codes_of_its_plug(self) -> None:
        car = vehicle()
        car.unplug("air_flow_meter")
        car.turn_key(Key.ON)
        car.run(3.0)
        self.assertEqual(set(car.memory.codes("confirmed")), {"P0102", "P0113"})

    def test_mending_undoes_exactly_its_own_defect(self) -> None:
        for model in models().values():
            for defect in part_defects(model):
                parts = healthy(model)
                defect.apply(parts)
                parts.plug_wear[0] = 0.5
                self.assertNotEqual(repr(parts), repr(healthy(model)))
                wires = [*parts.wired.values(), *parts.moods.values(), *((name,) for name in parts.silent)]
                inside = (*INSIDE, "driver")  # a driver sits in the control unit, and goes with it
                if wires and wires[0][0] not in inside:
                    self.assertFalse(mend(parts, defect.component, model), defect.key)  # a new part mends no wire
                    mend_wiring(parts, defect.component)
                else:
                    self.assertTrue(mend(parts, defect.component, model), defect.key)
                expected = healthy(model)
                expected.plug_wear[0] = 0.1 if defect.component in ("spark_plug_1", "spark_plugs") else 0.5
                self.assertEqual(repr(parts), repr(expected), defect.key)
            self.assertFalse(mend(healthy(model), "crankcase_ventilation_hose", model))


@tag("long")
class Hands(unittest.TestCase):
    def test_findings_follow_the_physics(self) -> None:
        split, whole = vehicle("crankcase-hose-split"), vehicle()
        self.assertIn("crankcase", observe(split, "vacuum_hoses").words)  # type: ignore[union-attr]
        self.assertIn("whole", observe(whole, "vacuum_hoses").words)  # type: ignore[union-attr]
        self.assertIn("No smoke", observe(whole, "intake_smoke").words)  # type: ignore[union-attr]
        self.assertLess(observe(vehicle("pump-weak"), "fuel_pressure_load").value, 300)  # type: ignore[union-attr,operator]
        self.assertEqual(observe(whole, "fuel_pressure_load").value, 350)  # type: ignore[union-attr]
        self.assertIsNone(observe(whole, "crystal_ball"))

    def test_renewing_a_set_mends_each_of_it(self) -> None:
        for defect, component in (("plug-2-worn", "spark_plugs"), ("injector-3-clogged", "injectors")):
            car = vehicle(defect)
            self.assertTrue(car.mend(component), defect)
            self.assertEqual(repr(car.parts), repr(vehicle().parts))
        self.assertFalse(vehicle("coil-3-weak").mend("spark_plugs"))

    def test_every_point_of_the_test_library_has_a_finding(self) -> None:
        from gumshoe.core.knowledge.catalogue import expand
        from gumshoe.core.knowledge.platform import platforms

        car = drive(vehicle("coil-3-weak"), start(60.0))
        for platform in platforms().values():  # whatever it is asked about, it is a car with hands at it
            for test in expand(platform.powertrain).tests.values():
                for reading in test.readings:
                    if not test.id.startswith("check_") and reading.point:
                        self.assertIsNotNone(observe(car, reading.point), reading.point)
        for test in expand(platforms()["ostrel_tern_16"].powertrain).tests.values():
            for reading in test.readings:
                self.assertIsNotNone(observe(car, reading.point), reading.point)
