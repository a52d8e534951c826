"""The stand-ins' wires: every fault of every circuit, solved, against closed forms and what is common practice."""

import unittest
from collections import Counter

from gumshoe.core.circuits.netlist import Instrument, Probe
from gumshoe.core.codes import TroubleCode
from gumshoe.simulator.defects import defects_of, part_defects
from gumshoe.simulator.electrics import HIGH_V, LOW_V, Electrics, cranking, stand_of
from gumshoe.simulator.hands import observe
from gumshoe.simulator.models import models
from gumshoe.simulator.parts import healthy
from gumshoe.simulator.sensors import thermistor_ohm
from gumshoe.simulator.vehicle import Identity, Key, Vehicle
from gumshoe.simulator.wires import wired_parts, wrong_in
from gumshoe.simulator.wiring import measure

OPEN = 1e9


def car(kind: str = "tern_16", *defects: str, coolant_c: float = 84.0) -> Vehicle:
    return Vehicle(Identity("UY0TN16A9G2000001", "T", 1), models()[kind], defects=defects, coolant_c=coolant_c)


def told(vehicle: Vehicle, seconds: float = 3.0, start: bool = False) -> set[str]:
    """The codes after key on (and start), and some seconds."""
    vehicle.turn_key(Key.ON)
    vehicle.run(0.5)
    if start:
        vehicle.turn_key(Key.START)
    vehicle.run(seconds)
    return set(vehicle.memory.codes("confirmed"))


class Whole(unittest.TestCase):
    def test_a_whole_circuit_works_rests_and_says_nothing(self) -> None:
        for kind in models():
            for name, wired in wired_parts(kind).items():
                stand = stand_of(wired.kind, wired.track, (), apart=False)
                self.assertTrue(stand.works, name)
                self.assertFalse(stand.sticks, name)
                self.assertEqual(stand.verdict, "", name)

    def test_every_part_has_codes_of_its_own(self) -> None:
        for kind in models():
            used = Counter(code for wired in wired_parts(kind).values() for code in set(wired.codes.values()))
            self.assertEqual([code for code, times in used.items() if times > 1 and code != "P0650"], [], kind)
            for code in used:
                self.assertEqual(TroubleCode(code), code)

    def test_series_of_codes_are_counted_as_the_standard_does(self) -> None:
        """SAE J2012: injector circuits P0201 to P0212, coil primaries P0351 to P0362 (numbers from memory)."""
        eight = wired_parts("gannet_52")
        self.assertEqual(eight["injector_8"].codes["open"], "P0208")
        self.assertEqual(eight["injector_3"].codes["low"], "P0267")
        self.assertEqual(eight["ignition_coil_8"].codes["open"], "P0358")
        self.assertEqual(wired_parts("dunlin_30")["oxygen_heater_b2s1"].codes["open"], "P0050")


class EveryFault(unittest.TestCase):
    def test_hundreds_on_each_kind_and_every_one_changes_something(self) -> None:
        total = 0
        for kind, model in models().items():
            found = defects_of(model)
            total += len(found)
            self.assertGreaterEqual(len(part_defects(model)), 60, kind)
            for key in (key for key in found if ":" in key):
                parts = healthy(model)
                found[key].apply(parts)
                name = key.partition(":")[0]
                self.assertTrue(dict(wrong_in(parts, name, wired_parts(kind)[name].circuit)), key)
        self.assertGreaterEqual(total, 120)

    def test_what_breaks_a_path_kills_and_what_shorts_it_tells(self) -> None:
        """Trade practice: open, to ground and to a feed are told apart at the pin of a ground-side switched load."""
        for element, verdict, works, sticks in (
            ("feed_wire", "open", False, False),
            ("control_wire", "open", False, False),
            ("load", "open", False, False),
            ("to_ground:control_wire", "low", False, True),
            ("to_feed:control_wire", "high", False, False),
            ("driver", "open", False, False),
        ):
            ohm = 0.1 if ":" in element else OPEN
            stand = stand_of("load", 0, ((element, ohm),), apart=False)
            self.assertEqual((stand.verdict, stand.sticks), (verdict, sticks), element)
            self.assertEqual(stand.works, works or sticks, element)
        self.assertEqual(stand_of("load", 0, (), apart=True).verdict, "open")

    def test_a_bad_contact_weakens_before_it_is_told(self) -> None:
        little = stand_of("load", 0, (("control_contact", 5.0),), apart=False)
        much = stand_of("load", 0, (("control_contact", 60.0),), apart=False)
        self.assertTrue(little.works)
        self.assertFalse(much.works)  # 22 Ω and 60 Ω: a quarter of the current
        self.assertEqual((little.verdict, much.verdict), ("", ""))

    def test_a_coil_without_ground_is_an_open_circuit(self) -> None:
        self.assertEqual(stand_of("smart coil", 0, (("ring", OPEN),), apart=False).verdict, "open")
        feedback = stand_of("smart coil", 0, (("feedback_wire", OPEN),), apart=False)
        self.assertTrue(feedback.works)  # it sparks, and nobody hears of it
        self.assertEqual(feedback.verdict, "open")

    def test_a_pulse_sensor_lacks_pulses_or_is_held(self) -> None:
        for element, verdict in (
            ("signal_wire", "open"),
            ("reference_wire", "open"),
            ("to_ground:signal_wire", "low"),
            ("to_feed:signal_wire", "high"),
        ):
            ohm = 0.1 if ":" in element else OPEN
            stand = stand_of("hall sensor", 0, ((element, ohm),), apart=False)
            self.assertEqual((stand.verdict, stand.works), (verdict, False), element)


class Curves(unittest.TestCase):
    def volts(self, kind: str, has: float, *wrong: tuple[str, float], track: int = 0, apart: bool = False) -> float:
        stand = stand_of(kind, track, wrong, apart)
        assert stand.curve
        return stand.curve(has)

    def test_a_bad_contact_at_a_thermistor_against_the_divider(self) -> None:
        # 5 V through 2200 Ω pull-up, contact and sensor in series (Ohm's law); wires below an ohm.
        for celsius in (-20.0, 20.0, 90.0):
            ohm = thermistor_ohm(celsius)
            expected = 5.0 * (ohm + 4000.0) / (ohm + 4000.0 + 2200.0)
            self.assertAlmostEqual(self.volts("thermistor", ohm, ("signal_contact", 4000.0)), expected, delta=0.01)

    def test_open_reads_coldest_shorted_hottest(self) -> None:
        """Common practice: a thermistor on a pull-up."""
        self.assertGreater(self.volts("thermistor", 1200.0, ("signal_wire", OPEN)), HIGH_V)
        self.assertGreater(self.volts("thermistor", 1200.0, ("low_wire", OPEN)), HIGH_V)
        self.assertLess(self.volts("thermistor", 1200.0, ("to_ground:signal_wire", 0.1)), LOW_V)
        self.assertGreater(self.volts("thermistor", 1200.0, apart=True), HIGH_V)

    def test_a_reference_sensor_follows_its_share_until_it_breaks(self) -> None:
        for share in (0.1, 0.5, 0.9):
            self.assertAlmostEqual(self.volts("reference sensor", share), 5.0 * share, delta=0.03)
        self.assertLess(self.volts("reference sensor", 0.5, ("reference_wire", OPEN)), LOW_V)
        self.assertGreater(self.volts("reference sensor", 0.5, ("low_wire", OPEN)), HIGH_V)
        self.assertLess(self.volts("reference sensor", 0.5, apart=True), LOW_V)

    def test_two_tracks_mirror_each_other(self) -> None:
        """Common practice: their sum is constant."""
        for position in (0.2, 0.5, 0.8):
            first = self.volts("two tracks", position, track=1)
            second = self.volts("two tracks", 1.0 - position, track=2)
            self.assertAlmostEqual(first + second, 5.0, delta=0.05)

    def test_a_worn_spot_is_seen_only_where_it_is(self) -> None:
        worn = ("spot_1", OPEN)
        self.assertAlmostEqual(self.volts("two tracks", 0.20, worn, track=1), 1.0, delta=0.05)
        self.assertLess(self.volts("two tracks", 0.31, worn, track=1), LOW_V)
        self.assertAlmostEqual(self.volts("two tracks", 0.60, worn, track=1), 3.0, delta=0.05)
        self.assertAlmostEqual(self.volts("two tracks", 0.40, worn, track=2), 2.0, delta=0.05)


class TheControlUnit(unittest.TestCase):
    def test_it_stores_the_code_of_what_it_sees(self) -> None:
        for key, code in (
            ("coolant_sensor:signal_wire:to-ground", "P0117"),
            ("coolant_sensor:low_wire:open", "P0118"),
            ("purge_valve:control_wire:to-ground", "P0458"),
            ("purge_valve:control_wire:to-a-feed", "P0459"),
            ("purge_valve:feed_contact:open", "P0443"),
            ("injector_2:load:open", "P0202"),
            ("ignition_coil_3:trigger_wire:to-ground", "P2306"),
            ("pedal_sensor:wire_1:to-ground", "P2122"),
            ("throttle_sensor_b:wire_2:to-a-feed", "P0223"),
            ("throttle_motor:wire_a:open", "P2100"),
            ("warning_lamp:bulb:open", "P0650"),
        ):
            self.assertEqual(told(car("tern_16", key)), {code}, key)

    def test_a_shared_reference_takes_every_sensor_on_it(self) -> None:
        found = told(car("fulmar_20", "reference-reference-b-open"))
        self.assertEqual(found, {"P0192", "P2454", "P0237", "P0405"})

    def test_a_bad_contact_moves_the_reading_and_sets_nothing(self) -> None:
        vehicle = car("tern_16", "coolant_sensor:signal_contact:bad-contact", coolant_c=88.0)
        self.assertEqual(told(vehicle), set())
        self.assertLess(vehicle.live_values()["coolant_c"], 30.0)

    def test_no_crank_signal_no_start(self) -> None:
        vehicle = car("tern_16", "crank_sensor:signal_wire:open")
        self.assertEqual(told(vehicle, 4.0, start=True), {"P0335"})
        self.assertLess(vehicle.engine.state.rpm, 300.0)

    def test_without_the_cam_it_cranks_longer(self) -> None:
        vehicle = car("tern_16", "cam_sensor_intake:signal_wire:open")
        vehicle.turn_key(Key.ON)
        vehicle.run(0.5)
        vehicle.turn_key(Key.START)
        vehicle.run(1.5)
        self.assertLess(vehicle.engine.state.rpm, 300.0)
        vehicle.run(6.0)
        self.assertGreater(vehicle.engine.state.rpm, 500.0)
        self.assertEqual(vehicle.memory.codes("confirmed"), ["P0340"])

    def test_a_pump_without_its_fuse_has_no_code_and_no_pressure(self) -> None:
        vehicle = car("tern_16", "fuel_pump:fuse:open")
        self.assertEqual(told(vehicle, 6.0, start=True), set())
        self.assertLess(vehicle.engine.state.rpm, 300.0)

    def test_a_plate_that_tells_two_positions_is_let_go(self) -> None:
        vehicle = car("tern_16", "throttle_sensor:wire_1:to-a-feed")
        told(vehicle, 5.0, start=True)
        vehicle.driver.want_kmh = 90.0
        vehicle.run(20.0)
        self.assertLess(vehicle.engine.systems.plate, 0.9)
        both = car("tern_16", "throttle_sensor:low_wire:open")
        self.assertLessEqual({"P0123", "P0223"}, told(both, 5.0, start=True))
        both.driver.want_kmh = 90.0
        both.run(15.0)
        self.assertLessEqual(both.engine.systems.plate, 0.07)
        self.assertLess(both.speed_kmh, 60.0)

    def test_mended_it_is_whole_again(self) -> None:
        vehicle = car("tern_16", "purge_valve:control_wire:to-ground")
        self.assertIn("purge_valve", vehicle.electrics.stuck_on)
        self.assertTrue(vehicle.carry_out("purge_valve", (), work="wiring"))
        self.assertEqual(vehicle.electrics.disturbed, {})


class ComesAndGoes(unittest.TestCase):
    def drops(self, defect: str, *, wet: bool = False, coolant_c: float = 84.0, rpm: float = 0.0) -> int:
        """In how many of 200 looks its wire had parted."""
        vehicle = car("tern_16", defect, coolant_c=coolant_c)
        vehicle.air.wet = wet
        vehicle.turn_key(Key.ON)
        vehicle.run(0.5)
        vehicle.turn_key(Key.START)
        vehicle.run(4.0)
        vehicle.driver.want_rpm = rpm
        vehicle.run(10.0)
        seen = 0
        for _ in range(200):
            vehicle.run(0.2)
            seen += bool(vehicle.parts.acting)
        return seen

    def test_by_vibration_only_while_it_shakes(self) -> None:
        self.assertEqual(self.drops("coolant-sensor-vibration"), 0)
        self.assertTrue(5 <= self.drops("coolant-sensor-vibration", rpm=2500.0) <= 50)

    def test_by_heat_only_when_hot(self) -> None:
        self.assertEqual(self.drops("coolant-sensor-heat", coolant_c=40.0), 0)
        self.assertGreater(self.drops("coolant-sensor-heat", coolant_c=95.0), 150)

    def test_by_moisture_only_on_a_wet_day_and_cold(self) -> None:
        self.assertEqual(self.drops("coolant-sensor-moisture", coolant_c=30.0), 0)
        self.assertEqual(self.drops("coolant-sensor-moisture", wet=True, coolant_c=90.0), 0)
        self.assertGreater(self.drops("coolant-sensor-moisture", wet=True, coolant_c=30.0), 150)

    def test_contacts_that_come_and_go_have_a_code_of_their_own(self) -> None:
        vehicle = car("tern_16", "coolant-sensor-vibration")
        told(vehicle, 4.0, start=True)
        vehicle.driver.want_rpm = 2500.0
        vehicle.run(60.0)
        self.assertIn("P0119", vehicle.memory.codes("confirmed"))


class Starting(unittest.TestCase):
    def test_a_sound_battery_cranks_above_the_limit(self) -> None:
        share, volts = cranking(1.0, 0.001)
        self.assertAlmostEqual(share, 1.0)
        self.assertTrue(9.6 <= volts <= 11.5, volts)  # common practice: cranking not under 9.6 V

    def test_weak_battery_and_bad_strap_slow_it(self) -> None:
        weak, weak_v = cranking(0.15, 0.001)
        strap, strap_v = cranking(1.0, 0.06)
        self.assertLess(weak, 0.85)
        self.assertLess(weak_v, 9.2)
        self.assertLess(strap, 0.75)
        self.assertGreater(strap_v, 10.5)  # the battery is not loaded: the drop is in the strap

    def test_what_is_not_charged_runs_flat(self) -> None:
        vehicle = car("tern_16", "alternator-dead")
        told(vehicle, 5.0, start=True)
        self.assertLess(vehicle.supply_v, 12.8)
        vehicle.run(1500.0)
        self.assertIn("P0562", vehicle.memory.codes("confirmed"))


class Measured(unittest.TestCase):
    """The bench's instruments see the same wires as the control unit does."""

    def test_hands_find_what_is_wrong_in_its_circuit(self) -> None:
        for key, words in (
            ("purge_valve:control_wire:to-ground", "wire shorted to ground"),
            ("purge_valve:load:open", "part does not answer"),
            ("purge_valve:feed_wire:open", "circuit open"),
            ("coolant_sensor:signal_wire:to-a-feed", "wire shorted to a feed"),
            ("coolant_sensor:signal_contact:bad-contact", "contact loose"),
        ):
            found = observe(car("tern_16", key), f"check_{key.partition(':')[0]}")
            assert found
            self.assertIn(words, found.words, key)

    def test_meter_and_pin_agree(self) -> None:
        vehicle = car("tern_16", "coolant_sensor:signal_contact:bad-contact", coolant_c=60.0)
        told(vehicle, 1.0)
        circuit = wired_parts("tern_16")["coolant_sensor"].circuit
        real = measure(vehicle, circuit, Probe.at(Instrument.METER, "unit_signal", "0"))
        self.assertIsNotNone(real.value)
        self.assertAlmostEqual(real.value or 0.0, vehicle.readings.coolant_v, delta=2.0)  # its sensor is the drawing's

    def test_unplugging_a_housing_takes_all_that_is_in_it(self) -> None:
        electrics, parts = Electrics(models()["tern_16"]), healthy(models()["tern_16"])
        parts.unplugged.add("throttle_sensor")
        electrics.look(parts)
        self.assertLessEqual({"throttle_sensor", "throttle_sensor_b", "throttle_motor"}, set(electrics.disturbed))
        self.assertIn("throttle_motor", electrics.dead)


if __name__ == "__main__":
    unittest.main()
