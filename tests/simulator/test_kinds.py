"""Stand-ins of other kinds: a V6 with two banks, a three metered by manifold pressure.

What each fault does to the signals is physics or trade practice (common practice, no source); the codes are those of
its own monitors.
"""

import unittest
from functools import cache

from django.test import tag

from gumshoe.core.knowledge.platform import platform_for_vin
from gumshoe.core.obd.identifiers import read_answer, request
from gumshoe.core.obd.pids import pid_table, read_current
from gumshoe.simulator.answers import EngineModule
from gumshoe.simulator.control import full_air_gps
from gumshoe.simulator.defects import defects_of
from gumshoe.simulator.drives import BRIEF, MIXED, start, trips_of
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.garage import StandIn
from gumshoe.simulator.hands import observe
from gumshoe.simulator.identifiers import items_of
from gumshoe.simulator.models import models
from gumshoe.simulator.parts import healthy, leak_spread
from gumshoe.simulator.sensors import pressure_kpa, pressure_volts
from gumshoe.simulator.vehicle import Identity, Key, Vehicle


def built(kind: str, *defects: str, coolant_c: float = 64.0) -> Vehicle:
    return Vehicle(Identity("UY0DN30A5F2000214", "T", 1), models()[kind], defects=defects, seed=3, coolant_c=coolant_c)


@cache
def driven(kind: str, *defects: str) -> Vehicle:
    """A car after two drives, brief ones for those with a fault; not changed by any test."""
    car = built(kind, *defects)
    for _ in range(2):
        car.begin(BRIEF if defects else MIXED)
        while car.driving:
            car.step()
    return car


def confirmed(kind: str, *defects: str) -> set[str]:
    return set(driven(kind, *defects).memory.codes("confirmed"))


@tag("long")
class Built(unittest.TestCase):
    def test_every_cylinder_fires_once_in_two_turns(self) -> None:
        for model in models().values():
            self.assertEqual(sorted(model.firing_order), sorted(n for bank in model.banks for n in bank))
            for shares in leak_spread(model).values():
                self.assertEqual(len(shares), model.cylinders)
                self.assertAlmostEqual(sum(shares), 1.0)

    def test_the_banks_of_a_v6_fire_in_turn(self) -> None:
        model = models()["dunlin_30"]
        banks = [model.bank_of[n - 1] for n in model.firing_order]
        self.assertEqual(banks, [0, 1] * 3)

    def test_pressure_sensor_curve_is_its_own_inverse(self) -> None:
        for kpa in (20.0, 55.0, 101.0):
            self.assertAlmostEqual(pressure_kpa(pressure_volts(kpa)), kpa)

    def test_speed_density_is_the_gas_law(self) -> None:
        # m = VE · p · V · n / (2 · R · T), R of dry air 287 J/(kg K) [physics].
        model = models()["pipit_10"]
        x = (3000.0 - 4000.0) / 4000.0
        expected = (0.90 - 0.14 * x * x) * 40_000.0 * model.displacement_l * 1e-3 * 25.0 / (287.0 * 300.15) * 1e3
        self.assertAlmostEqual(full_air_gps(model, 3000.0, 15.0, 40.0), expected, delta=expected * 1e-9)

    def test_an_unknown_fault_or_kind_is_refused(self) -> None:
        with self.assertRaises(KeyError):
            built("pipit_10", "meter-low")
        self.assertIn("pressure-low", defects_of(models()["pipit_10"]))
        self.assertEqual(StandIn("k", "w", "v", "c", 1, (), 1, 1.0, ()).model, "tern_16")


@tag("long")
class Healthy(unittest.TestCase):
    def test_idle_trims_and_no_code(self) -> None:
        for kind in ("dunlin_30", "pipit_10", "skua_14", "gannet_52"):
            car = driven(kind)
            self.assertEqual(car.memory.records, {}, kind)
            for bank in car.memory.ltft:
                self.assertTrue(all(abs(cell) < 0.05 for cell in bank), (kind, bank))
            for name in ("misfire", "fuel system", "catalyst", "oxygen sensor", "oxygen sensor heater"):
                self.assertTrue(car.memory.complete.get(name), (kind, name))
            warm = built(kind, coolant_c=86.0)
            warm.begin(start(60.0))
            warm.run(62.0)
            self.assertAlmostEqual(warm.engine.state.rpm, warm.model.idle_rpm, delta=40.0)
            litre = warm.engine.state.cylinder_gps / warm.model.displacement_l
            self.assertTrue(1.2 < litre < 2.4, litre)  # common practice: 1.3 to 2.4 g/s per litre at warm idle

    def test_a_cold_start_through_town_accuses_nobody(self) -> None:
        """A hybrid's engine that is let go still turns on the wheels: without fuel nothing is learnt."""
        for kind in ("plover_18", "tern_16"):
            car = built(kind, coolant_c=20.0)
            car.begin(trips_of((("cold_start", "town", "cruise"),)))
            while car.driving:
                car.step()
            self.assertEqual(car.memory.records, {}, kind)
            for bank in car.memory.ltft:
                self.assertTrue(all(abs(cell) < 0.06 for cell in bank), (kind, bank))

    def test_a_pedal_that_tells_less_than_nothing_moves_no_plate(self) -> None:
        car = built("gannet_52", "pedal_sensor:lower_1:shorted")
        car.begin(start(20.0))
        car.run(22.0)
        self.assertGreaterEqual(car.management.state.throttle, 0.0)


@tag("long")
class Identifiers(unittest.TestCase):
    def test_a_stand_in_tells_what_its_platform_file_names(self) -> None:
        """The platform file is the shop's knowledge, the numbers are the car's own: both must mean the same."""
        for stand_in in fleet().values():
            platform = platform_for_vin(stand_in.vin)
            assert platform
            car = built(stand_in.model)
            own = items_of(car)
            self.assertEqual({row.id: row.key for row in platform.identifier}, {n: own[n].key for n in own})
            for row in platform.identifier:
                answer = car.commanded.answer(car, request([row]))
                told = read_answer(answer, [row])
                self.assertAlmostEqual(told[row.key], float(own[row.id].value(car)), delta=0.06)


@tag("long")
class SixInTwoBanks(unittest.TestCase):
    def test_what_is_of_one_bank_shows_in_that_bank(self) -> None:
        for defect, code in (
            ("sensor-lean-b1", "P0171"),
            ("sensor-lean-b2", "P0174"),
            ("catalyst-worn-b2", "P0430"),
            ("heater-open-b2", "P0050"),
            ("rear-heater-open-b1", "P0036"),
        ):
            self.assertEqual(confirmed("dunlin_30", defect), {code}, defect)

    def test_what_the_banks_share_shows_in_both(self) -> None:
        self.assertEqual(confirmed("dunlin_30", "booster-hose-cracked"), {"P0171", "P0174"})
        self.assertLessEqual({"P0172", "P0175"}, confirmed("dunlin_30", "regulator-high"))

    def test_a_coil_ground_takes_its_three_cylinders(self) -> None:
        found = driven("dunlin_30", "ground-coils-b2-open")
        self.assertLessEqual({"P0354", "P0355", "P0356", "P0300"}, set(found.memory.codes("confirmed")))
        self.assertGreater(min(found.memory.misfire_last[3:]), 50 * max(1, max(found.memory.misfire_last[:3])))

    def test_each_bank_of_the_v8_has_a_coil_ground_of_its_own(self) -> None:
        for defect, codes, others in (
            ("ground-coils-open", {"P0351", "P0352", "P0353", "P0354"}, {"P0355", "P0358"}),
            ("ground-coils-b2-open", {"P0355", "P0356", "P0357", "P0358"}, {"P0351", "P0354"}),
        ):
            told = confirmed("gannet_52", defect)
            self.assertLessEqual(codes | {"P0300"}, told)
            self.assertFalse(others & told)
        self.assertEqual(confirmed("gannet_52", "coil-8-weak"), {"P0308"})
        self.assertEqual(confirmed("gannet_52", "exhaust-leak-b2"), {"P0174"})

    def test_a_fuse_takes_all_that_hangs_on_it(self) -> None:
        self.assertEqual(confirmed("dunlin_30", "feed-heaters-open"), {"P0030", "P0036", "P0050", "P0056"})
        car = built("dunlin_30", "feed-heaters-open")
        self.assertIn("Lost", observe(car, "check_feed_heaters").words)  # type: ignore[union-attr]
        self.assertTrue(car.mend("feed_heaters"))
        self.assertEqual(repr(car.parts), repr(healthy(car.model)))

    def test_a_repair_of_wiring_puts_plugs_back_and_mends_no_part(self) -> None:
        weak = built("dunlin_30", "coil-2-weak")
        self.assertFalse(weak.carry_out("ignition_coil_2", (), work="wiring"))
        self.assertTrue(weak.carry_out("ignition_coil_2", (), work="renew"))
        loose = built("dunlin_30", "sensor-plug-off-b2")
        reached = ("oxygen_sensor_b2s1", "oxygen_heater_b2s1")
        self.assertTrue(loose.carry_out("plug_oxygen_b2s1", reached, work="wiring"))
        self.assertEqual(repr(loose.parts), repr(healthy(loose.model)))
        fuse = built("dunlin_30", "feed-heaters-open")
        self.assertTrue(fuse.carry_out("feed_heaters", (), work="wiring"))
        self.assertEqual(fuse.parts.open_points, {})
        stage = built("fulmar_20", "stage-1-dead")
        self.assertFalse(stage.carry_out("injector_1", (), work="wiring"))  # it sits in the control unit
        self.assertTrue(stage.carry_out("engine_module", (), work="renew"))
        for defect in ("terminator-missing", "terminator-extra"):  # they sit in the pair of wires
            bus = built("dunlin_30", defect)
            self.assertTrue(bus.carry_out("bus_bus", (), work="wiring"))
            self.assertEqual(repr(bus.parts), repr(healthy(bus.model)))

    def test_each_work_puts_right_what_such_work_does(self) -> None:
        """Setting cures no wear, learning no dirt, a ground no output stage, a fuse no plug (common practice)."""
        for kind, defect, component, work, cured in (
            ("tern_16", "chain-stretched", "timing_chain", "set", False),
            ("tern_16", "chain-stretched", "timing_chain", "renew", True),
            ("tern_16", "tooth-out", "timing_chain", "set", True),
            ("tern_16", "throttle-carbon", "throttle_body", "set", False),
            ("tern_16", "throttle-carbon", "throttle_body", "clean", True),
            ("tern_16", "meter-high", "air_flow_meter", "set", False),
            ("tern_16", "software-old", "engine_module", "mend", False),
            ("tern_16", "software-old", "engine_module", "set", True),
            ("fulmar_20", "stage-1-dead", "engine_module", "set", False),
            ("skua_14", "turbo-worn", "charge_pipes", "mend", False),
            ("skua_14", "boost-hose-off", "charge_pipes", "mend", True),
        ):
            car = built(kind, defect)
            car.carry_out(component, (), work=work)
            self.assertEqual(repr(car.parts) == repr(healthy(car.model)), cured, (defect, work))
        behind = built("tern_16", "purge-plug-off")
        self.assertFalse(behind.carry_out("feed_actuators", ("purge_valve",), work="wiring"))
        self.assertTrue(behind.carry_out("purge_valve", (), work="wiring"))

    def test_the_bus_tells_both_banks(self) -> None:
        car = built("dunlin_30")
        car.turn_key(Key.ON)
        car.run(1.0)
        module = EngineModule(car)
        for pid in (0x08, 0x09, 0x19, 0x38, 0x3D):
            answer = module.answer(bytes((0x01, pid)), False)[0]
            self.assertIn(pid, read_current(answer, (pid,))[0])
        self.assertEqual(module.answer(b"\x01\x13", False)[0][2], 0x33)  # J1979 PID 13: bank 1 low, bank 2 high
        self.assertEqual(module.answer(b"\x06\xa7", False)[0][1], 0xA7)
        self.assertEqual(module.answer(b"\x06\xa8", False), [b"\x7f\x06\x31"])


@tag("long")
class TurboWithPhaserAndSealedTank(unittest.TestCase):
    def test_each_system_sets_its_own_codes(self) -> None:
        for defect, codes in (
            ("boost-hose-off", {"P0299"}),
            ("boost-actuator-open", {"P0243"}),
            ("phaser-stuck", {"P0012"}),
            ("vent-open", {"P0447"}),
        ):
            self.assertEqual(confirmed("skua_14", defect), codes, defect)
        self.assertLessEqual({"P0010"}, confirmed("skua_14", "phaser-open"))
        self.assertIn("P0299", confirmed("skua_14", "gate-stuck"))

    def test_it_breathes_more_than_the_surroundings_give(self) -> None:
        car = built("skua_14", coolant_c=88.0)
        car.begin(MIXED)
        most = 0.0
        while car.driving:
            car.step()
            most = max(most, car.engine.state.manifold_pa)
        self.assertGreater(most, 115_000.0)
        self.assertLess(most, 101_000.0 * car.model.breath * 1.1)
        self.assertEqual(built("tern_16").engine.systems.boost_kpa, 0.0)


@tag("long")
class ThreeByPressure(unittest.TestCase):
    def test_a_leak_lifts_the_idle_and_leaves_the_mixture(self) -> None:
        car = driven("pipit_10", "crankcase-hose-split")
        self.assertEqual(set(car.memory.codes("confirmed")), {"P0507"})
        self.assertLess(abs(car.memory.ltft[0][0]), 0.05)

    def test_a_joint_at_one_runner_starves_its_cylinder(self) -> None:
        self.assertIn("P0303", confirmed("pipit_10", "manifold-gasket"))

    def test_a_sensor_that_reads_wrong_moves_every_trim(self) -> None:
        for defect, code, side in (("pressure-low", "P0171", 1), ("pressure-high", "P0172", -1)):
            car = driven("pipit_10", defect)
            self.assertLessEqual({code, "P0106"}, set(car.memory.codes("confirmed")))
            self.assertGreater(side * car.memory.ltft[0][0], 0.15)
            off = observe(car, "pressure_at_rest")
            assert off and off.value is not None
            self.assertLess(side * off.value, -6.0)

    def test_its_plug_carries_the_temperature_too(self) -> None:
        self.assertLessEqual({"P0107", "P0098"}, confirmed("pipit_10", "pressure-plug-off"))

    def test_it_has_no_air_flow_to_show(self) -> None:
        car = built("pipit_10")
        car.turn_key(Key.ON)
        car.run(1.0)
        self.assertNotIn("maf_gps", car.live_values())
        table = pid_table()
        answer = EngineModule(car).answer(b"\x01\x0b", False)[0]
        self.assertAlmostEqual(table[0x0B].decode(answer[2:])["map_kpa"], 101.0, delta=1.0)
