"""What hands find must not acquit a stand-in's own fault: at every point that a fault reaches, it is found there."""

import unittest

from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.shipped import tables
from gumshoe.simulator.drives import start
from gumshoe.simulator.hands import observe
from gumshoe.simulator.vehicle import Key
from tests.simulator.test_systems import built

FOUND = (
    ("ostrel_tern_16", "purge-open", "purge_opens", "does not follow"),
    ("ostrel_tern_16", "purge-plug-off", "purge_opens", "does not follow"),
    ("ostrel_tern_16", "purge-passing", "purge_opens", "does not follow"),
    ("ostrel_tern_16", "injectors-fouled", "injector_flow", "all deliver too little"),
    ("ostrel_tern_16", "injector-3-clogged", "injector_flow", "one differs"),
    ("ostrel_tern_16", "fuel-bad", "better_fuel", "gone or far less"),
    ("ostrel_tern_16", "insulator-3-cracked", "plug_insulator", "one cracked or tracking"),
    ("ostrel_tern_16", "insulator-3-cracked", "plug_swap", "moved with the plug"),
    ("ostrel_tern_16", "plug-4-worn", "plug_swap", "moved with the plug"),
    ("ostrel_tern_16", "coil-4-weak", "coil_swap", "moved with the coil"),
    ("ostrel_tern_16", "ignition-coil-1-vibration", "wiggle", "a gap at one place"),
    ("ostrel_tern_16", "fuel-pump-heat", "provoke", "a gap at one place"),
    ("ostrel_tern_16", "crank-sensor-moisture", "provoke", "a gap at one place"),
    ("ostrel_tern_16", "coolant-sensor-skewed", "coolant_curve", "open or off"),
    ("ostrel_tern_16", "coil-4-off", "coil_trigger", "feed, ground or trigger missing"),
    ("ostrel_tern_16", "coil-4-weak", "coil_trigger", "all there, no spark"),
    ("ostrel_tern_16", "injector-2-off", "injector_drive", "none at one"),
    ("havsel_skua_14", "stage-2-dead", "injector_drive", "none at any of two that share a stage"),
    ("havsel_skua_14", "pump-weak", "rail_supply", "low under load"),
    ("ostrel_fulmar_20", "pump-weak", "rail_supply", "low under load"),
    ("ostrel_fulmar_20", "pump-weak", "rail_hold", "stays below its target under load"),
    ("ostrel_fulmar_20", "fuel-filter-clogged", "rail_supply", "low under load"),
    ("ostrel_fulmar_20", "high-pump-weak", "fuel_sample", "glitter of metal"),
    ("ostrel_fulmar_20", "filter-cracked", "tailpipe", "dry black soot"),
    ("ostrel_fulmar_20", "filter-cracked", "filter_pressure", "hardly any for the flow"),
    ("ostrel_fulmar_20", "filter-full-of-ash", "filter_pressure", "too high or implausible"),
    ("havsel_skua_14", "high-pump-weak", "rail_hold", "stays below its target under load"),
    ("ostrel_fulmar_20", "boost-actuator-open", "boost_control", "leaks or does not switch"),
    ("ostrel_eider_50", "idle-valve-stuck", "idle_valve", "sticks or does nothing"),
    ("ostrel_tern_16", "warning_lamp:bulb:open", "lamp_at_key_on", "never lights"),
    ("ostrel_tern_16", "warning_lamp:control_wire:to-ground", "lamp_at_key_on", "stays lit unasked"),
)


class Tell(unittest.TestCase):
    def test_a_fault_is_found_where_it_can_be_and_a_sound_car_is_sound(self) -> None:
        for platform, defect, point, told in FOUND:
            kind = platform.partition("_")[2]
            with self.subTest(defect, point=point):
                self.assertIn(platform, platforms())
                options = next(
                    reading.options
                    for test in tables().tests
                    for reading in test.readings
                    if reading.point == point and reading.kind == "choice"
                )
                self.assertIn(told, options)
                for defects, expected in (((defect,), True), ((), False)):
                    car = built(kind, *defects)
                    car.key = Key.ON
                    car.run(2.0)
                    finding = observe(car, point)
                    assert finding
                    self.assertEqual(told in finding.words.lower(), expected, finding.words)

    def test_a_dead_output_stage_is_not_a_broken_wire(self) -> None:
        for what, how in (("stuck-off", "does not drive it"), ("stuck-on", "drives it all the time")):
            finding = observe(built("tern_16", f"purge_valve:driver:{what}"), "check_purge_valve")
            assert finding
            self.assertIn(f"the control unit {how}", finding.words)

    def test_a_load_that_is_on_all_the_time_does_not_follow_its_command(self) -> None:
        for kind, name, point, told in (
            ("tern_16", "purge_valve", "purge_opens", "whatever the command says"),
            ("skua_14", "boost_valve", "boost_gate", "by command nothing moves"),
            ("dunlin_30", "intake_phaser_valve", "cams", "does not follow its command"),
            ("fulmar_20", "egr_valve", "egr_command", "No change"),
        ):
            for ends, expected in (("stuck-on", True), ("stuck-off", point != "purge_opens")):
                with self.subTest(name, ends=ends):
                    car = built(kind, f"{name}:driver:{ends}")
                    car.key = Key.ON
                    car.run(2.0)
                    finding = observe(car, point)
                    assert finding
                    self.assertEqual(told in finding.words, expected, finding.words)

    def test_what_is_heard_before_anything_is_measured(self) -> None:
        """A pump at key on, an injector by a rod (common practice): silent without its current."""
        for defect, point, told in (
            ("fuel_pump:control_wire:open", "pump_sound", "silent"),
            ("fuel_pump:driver:stuck-on", "pump_sound", "on and on"),
            ("", "pump_sound", "for a moment"),
            ("injector_3:control_wire:open", "injector_listen", "silent or dull: cylinder 3"),
            ("injector_3:driver:stuck-on", "injector_listen", "silent or dull: cylinder 3"),
            ("", "injector_listen", "alike"),
        ):
            with self.subTest(defect, point=point):
                car = built("tern_16", *filter(None, (defect,)))
                car.key = Key.ON
                car.run(2.0)
                finding = observe(car, point)
                assert finding
                self.assertIn(told, finding.words)

    def test_the_rail_does_not_build_up_without_its_valve_or_pump(self) -> None:
        for kind in ("skua_14", "fulmar_20"):
            dead = ("rail_pressure_valve:driver:stuck-off", False), ("fuel_pump:load_wire:open", False)
            for defect, builds in (("", True), *dead):
                with self.subTest(kind, defect=defect):
                    car = built(kind, *filter(None, (defect,)))
                    car.begin(start(60.0))
                    car.run(62.0)
                    finding = observe(car, "rail_cranking")
                    assert finding
                    self.assertEqual("builds up" in finding.words, builds, finding.words)

    def test_a_coil_that_is_held_on_makes_no_spark(self) -> None:
        """It sparks when its current is broken off (physics); so does one whose trigger reaches a feed."""
        for defect in ("ignition_coil_2:driver:stuck-on", "ignition_coil_2:trigger_wire:to-a-feed"):
            car = built("tern_16", defect)
            car.run(1.0)
            self.assertIn("ignition_coil_2", car.electrics.dead, defect)

    def test_a_bridge_of_the_control_unit_is_no_wire(self) -> None:
        car = built("tern_16", "throttle_motor:high_side:stuck-on")
        finding = observe(car, "check_throttle_motor")
        assert finding
        self.assertIn("the control unit drives it all the time", finding.words)
        self.assertFalse(car.carry_out("throttle_motor", ("throttle_motor",), work="wiring"))
        self.assertTrue(car.carry_out("engine_module", ("engine_module",), work="renew"))

    def test_a_glow_plug_is_driven_by_its_own_module(self) -> None:
        car = built("fulmar_20", "glow_plug_2:driver:stuck-on")
        self.assertFalse(car.carry_out("engine_module", ("engine_module",), work="renew"))
        self.assertTrue(car.carry_out("glow_module", ("glow_module",), work="renew"))

    def test_the_low_reference_of_a_pedal_is_its_own_wire(self) -> None:
        """Who measures where both tracks hang finds it, and who mends it there has mended it."""
        car = built("tern_16", "pedal_sensor:unit_low_contact:open")
        finding = observe(car, "check_low_reference_pedal")
        assert finding
        self.assertIn("Lost", finding.words)
        self.assertTrue(car.carry_out("low_reference_pedal", ("pedal_sensor", "pedal_sensor_b"), work="wiring"))
        finding = observe(car, "check_low_reference_pedal")
        assert finding
        self.assertIn("good under load", finding.words)
        signal = observe(built("tern_16", "pedal_sensor:wire_1:open"), "check_low_reference_pedal")
        assert signal
        self.assertIn("good under load", signal.words, "another wire of the same part")

    def test_without_its_pump_no_gauge_shows_pressure(self) -> None:
        finding = observe(built("tern_16", "fuel_pump:control_wire:open"), "fuel_pressure_load")
        assert finding
        self.assertEqual(finding.value, 0.0)

    def test_a_module_without_its_feed_does_not_answer_its_check(self) -> None:
        for defects, told in ((("body-module-silent",), "circuit open"), ((), "the part answers")):
            finding = observe(built("dunlin_30", *defects), "check_body_module")
            assert finding
            self.assertIn(told, finding.words)

    def test_a_heater_measured_at_its_own_pins_knows_nothing_of_its_wire(self) -> None:
        for defect, volts in (("heater-open", 99_999.0), ("oxygen_heater_b1s1:feed_contact:open", 6.4)):
            finding = observe(built("tern_16", defect), "heater_ohm")
            assert finding
            self.assertEqual(finding.value, volts, defect)

    def test_where_the_volts_of_a_starter_are_lost(self) -> None:
        """Common practice: under 9.6 V at the posts it is the battery; what the starter lacks of it, the way."""
        for defects, told in (
            ((), "turns as it should"),
            (("starter-worn",), "slowly or not at all"),
            (("ground-strap-corroded",), "lost on the way"),
            (("battery-weak",), "posts themselves fall"),
        ):
            finding = observe(built("tern_16", *defects), "starter_volts")
            assert finding
            self.assertIn(told, finding.words, defects)

    def test_a_second_sensor_tells_what_the_rail_holds(self) -> None:
        """One that shows 1.6 times what is there shows 60 % too much, and the rail still follows its target."""
        for defects, off in (((), 0.0), (("rail-sensor-high",), 60.0), (("rail-sensor-low",), -40.0)):
            car = built("skua_14", *defects)
            still = observe(car, "rail_second_sensor")
            assert still
            self.assertIsNone(still.value, "nothing to compare at a standing engine")
            car.begin(start(20.0))
            car.run(22.0)
            finding, held = observe(car, "rail_second_sensor"), observe(car, "rail_hold")
            assert finding and held
            assert finding.value is not None
            self.assertAlmostEqual(float(finding.value), off, delta=5.0)
            self.assertIn("follows its target", held.words)

    def test_a_dead_fan_does_not_run(self) -> None:
        car = built("tern_16")
        car.parts.unplugged.add("fan")
        car.key = Key.ON
        car.run(2.0)
        finding = observe(car, "cooling_flow")
        assert finding
        self.assertIn("the fan does not run", finding.words)


if __name__ == "__main__":
    unittest.main()
