"""Situations at a circuit that must come out right: numbers of our own, rules of the trade (common practice, no
source)."""

import unittest
from random import Random

import numpy as np

from gumshoe.core.circuits import (
    GROUND,
    Circuit,
    Instrument,
    Probe,
    ProbeReading,
    Setting,
    contradiction,
    left,
    model,
    propose,
    templates,
)
from gumshoe.core.circuits.checks import checked, read_value, reading_of
from gumshoe.core.circuits.instruments import (
    HEARD_WORDS,
    LAMP_WORDS,
    LOOK_WORDS,
    SHINES,
    minutes_of,
    predicted,
    spread,
    words_of,
)
from gumshoe.core.circuits.judging import conclusion, loading, pairs, struck
from gumshoe.core.circuits.library import circuit_for, circuits_of
from gumshoe.core.circuits.probing import weights_after
from gumshoe.core.circuits.templates import Member, drawn
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.maps.strip import value_words

TERN = platforms()["ostrel_tern_16"]
KNOWN = expand(TERN.powertrain, TERN.local)
PART = frozenset({"part"})
FIVE = tuple(Member(name, f"solenoid {name.upper()}") for name in ("a", "b", "c", "d", "e"))
FOUR = tuple(Member(name, f"sensor {name.upper()}", 3.0 + n) for n, name in enumerate(("a", "b", "c", "d")))


def volts(node: str, value: float, command: float = 0.0, off: frozenset[str] = frozenset()) -> ProbeReading:
    return ProbeReading(Probe(Instrument.METER, node, GROUND, Setting(command, off)), value)


def lamp(plus: str, minus: str, shine: str, command: float = 0.0, off: frozenset[str] = frozenset()) -> ProbeReading:
    return ProbeReading(Probe(Instrument.LAMP, plus, minus, Setting(command, off)), LAMP_WORDS[shine])


def heard(element: str, what: str, command: float = 1.0) -> ProbeReading:
    return ProbeReading(Probe(Instrument.HEARD, element, "", Setting(command)), HEARD_WORDS[what])


def looked(connector: str, what: str) -> ProbeReading:
    return ProbeReading(Probe(Instrument.LOOK, connector, "", Setting()), LOOK_WORDS[what])


def shared(name: str, words: str, members: tuple[Member, ...]) -> Circuit:
    return drawn(templates()[name], words, words, members)


def simulated(
    circuit: Circuit, fault: str, seed: int, readings: list[ProbeReading], most: int = 14
) -> list[ProbeReading]:
    """Follow the proposed probes at a circuit with that fault in it, read with the instrument's noise."""
    made, draw = model(circuit), Random(seed)
    index = next(i for i, row in enumerate(made.faults) if row.id == fault)
    sizes = np.flatnonzero(made.owner == index)
    agree = weights_after(made, readings)[sizes]  # a size that fits what was read before
    variant = int(draw.choice(list(sizes[agree >= 0.5 * agree.max()])))
    readings = list(readings)
    while len(readings) < most and not conclusion(made, readings).stands:
        probe = propose(made, readings, most=1)[0].probe
        value = float(predicted(made, probe)[variant])
        if probe.instrument not in SHINES:
            value += 0.5 * draw.gauss(0, 1) * float(spread(probe, np.array([value]))[0])
        shown = value_words(probe, value) if probe.instrument in SHINES else abs(value)
        readings.append(reading_of(made, probe, shown))
    return readings


class Solenoid(unittest.TestCase):
    def setUp(self) -> None:
        self.made = model(circuit_for(KNOWN, "vent_valve" if "vent_valve" in KNOWN.components else "purge_valve"))

    def test_low_control_and_a_lamp_that_follows_acquit_wire_and_driver(self) -> None:
        low = volts("control", 0.1)
        readings = [
            low,
            volts("feed", 12.5, 1.0),
            lamp("feed", "control", "dark", 0.0, PART),
            lamp("feed", "control", "bright", 1.0, PART),
        ]
        found = conclusion(self.made, readings)
        names = {fault.id for fault in found.faults} | {f.id for f in conclusion(self.made, readings[:3]).faults}
        likely = {row.fault.id for row in left(self.made, readings) if row.probability > 0.02}
        self.assertLessEqual(likely, {"open:load", "open:feed_contact", "open:control_contact"})
        self.assertIn("open:load", likely)
        self.assertTrue(names)
        for name in ("stuck_on:driver", "stuck_off:driver", "short_ground:control_wire", "open:control_wire"):
            (row,) = [row for row in struck(self.made, readings) if row.fault.id == name]
            self.assertFalse(row.lowest <= row.reading.value <= row.highest, name)
        # The low reading is the meter's own doing: with nothing connected the pin would stand higher.
        (own,) = [row for row in loading(self.made, readings) if row.reading is low]
        self.assertGreater(own.open_volts, low.value)
        self.assertAlmostEqual(own.leakage_ohm, 10e6 * (12.6 / 0.1 - 1.0), delta=1e6)  # Ohm's law

    def test_the_part_measured_at_its_own_pins_settles_it(self) -> None:
        pins = Probe(Instrument.OHM, "part_plus", "part_minus", Setting(0.0, PART, powered=False))
        readings = [volts("control", 0.1), lamp("feed", "control", "bright", 1.0, PART), ProbeReading(pins, 2e6)]
        found = conclusion(self.made, readings)
        self.assertTrue(found.stands)
        self.assertEqual((found.of, found.outcome), ("part", "part"))

    def test_the_same_with_the_lamp_dark_is_wire_or_driver(self) -> None:
        readings = [
            volts("control", 12.5),
            volts("feed", 12.5, 1.0),
            lamp("feed", "control", "dark", 1.0, PART),
            heard("load", "nothing"),
        ]
        likely = {row.fault.id for row in left(self.made, readings) if row.probability > 0.02}
        self.assertIn("stuck_off:driver", likely)
        self.assertIn("open:control_wire", likely)
        self.assertFalse([name for name in likely if name.endswith((":load", "feed_wire", "fuse"))])

    def test_low_with_the_load_unplugged_is_a_wire_to_ground(self) -> None:
        unit = frozenset({"unit"})
        readings = [
            volts("control", 0.02),
            lamp("feed", "control", "bright", 0.0, PART),
            ProbeReading(Probe(Instrument.OHM, "control", GROUND, Setting(0.0, unit, powered=False)), 0.6),
        ]
        found = conclusion(self.made, readings)
        self.assertEqual(found.outcome, "short_ground")
        self.assertTrue(found.stands)

    def test_a_short_is_struck_out_in_the_words_of_a_reading(self) -> None:
        readings = [volts("control", 12.4), volts("feed", 12.5, 1.0)]
        (row,) = [row for row in struck(self.made, readings) if row.fault.id == "stuck_on:driver"]
        self.assertIs(row.reading, readings[0])
        self.assertLess(row.highest, 1.0)


class Grounds(unittest.TestCase):
    def test_five_dead_solenoids_with_good_feed(self) -> None:
        """Common ground broken beyond a splice: at most three further readings."""
        circuit = shared("ground of feed-side load", "ground G7", FIVE)
        dead = [heard(f"load_{m.key}", "nothing") for m in FIVE]
        fed = [volts(f"feed_{m.key}", 12.3, 1.0) for m in FIVE]
        for fault in ("open:trunk", "open:ground_point"):
            for seed in range(4):
                readings = simulated(circuit, fault, seed, dead + fed)
                found = conclusion(model(circuit), readings)
                self.assertTrue(found.stands, fault)
                self.assertEqual((found.of, found.outcome), ("ground", "bad"))
                self.assertLessEqual(len(readings) - 10, 3)

    def test_one_dead_of_five_is_its_own(self) -> None:
        circuit = shared("ground of feed-side load", "ground G7", FIVE)
        readings = [heard(f"load_{m.key}", "nothing" if m.key == "c" else "works") for m in FIVE]
        found = conclusion(model(circuit), simulated(circuit, "open:load_c", 1, readings))
        self.assertEqual((found.of, found.outcome), ("c", "part"))

    def test_a_bank_of_coils_and_the_jumper_that_hides_the_ring(self) -> None:
        circuit = circuit_for(KNOWN, "ground_coils")
        made = model(circuit)
        keys = list(circuit.members)
        at_coil = f"ground_{keys[0]}"
        readings = [
            *(volts(f"trigger_{key}", 4.8, 1.0) for key in keys),
            *(heard(f"coil_{key}", "nothing") for key in keys),
            volts(at_coil, 10.5, 1.0),
            volts("ring", 10.5, 1.0),
        ]
        found = conclusion(made, readings)
        self.assertEqual((found.of, found.outcome), ("ground", "bad"))
        broken = next(i for i, fault in enumerate(made.faults) if fault.id == "open:ring_wire")
        variant = int(np.flatnonzero(made.owner == broken)[-1])
        jumped = Setting(1.0, jumpers=frozenset({(at_coil, GROUND)}))
        checked(made, Probe(Instrument.METER, at_coil, GROUND, jumped))  # a jumper ground to ground is no harm
        works = predicted(made, Probe(Instrument.HEARD, f"coil_{keys[0]}", "", jumped))[variant]
        self.assertEqual(float(works), HEARD_WORDS["works"])  # the coil fires, the ring is as broken as before

    def test_low_reference_open_skews_several_sensors(self) -> None:
        circuit = shared("reference", "5 V reference", FOUR)
        made = model(circuit)
        probe = [Probe(Instrument.METER, f"signal_{m.key}", GROUND, Setting()) for m in FOUR]
        broken = next(i for i, fault in enumerate(made.faults) if fault.id == "open:low_trunk")
        variant = int(np.flatnonzero(made.owner == broken)[-1])
        for item in probe:
            self.assertGreater(float(predicted(made, item)[variant]), 4.5)
        found = conclusion(made, [ProbeReading(item, 4.9) for item in probe])
        self.assertEqual((found.of, found.outcome), ("low_reference", "bad"))


class References(unittest.TestCase):
    def test_a_reference_pulled_down_by_one_of_four(self) -> None:
        """Whichever it is: unplugging in the proposed order ends with that sensor."""
        circuit = shared("reference", "5 V reference", FOUR)
        made = model(circuit)
        for seed, member in enumerate(FOUR):
            readings = simulated(circuit, f"there:inside_{member.key}", seed, [volts("reference_a", 0.2)])
            found = conclusion(made, readings)
            self.assertTrue(found.stands, member.key)
            self.assertEqual((found.of, found.outcome), (member.key, "part"))

    def test_the_order_is_by_information_per_minute(self) -> None:
        made = model(shared("reference", "5 V reference", FOUR))
        found = propose(made, [volts("reference_a", 0.4)], most=8)
        worth = [row.bits / row.minutes for row in found]
        self.assertEqual(worth, sorted(worth, reverse=True))
        self.assertTrue(any(row.probe.setting.unplugged for row in found))

    def test_an_open_signal_wire_reads_the_coldest_value(self) -> None:
        made = model(circuit_for(KNOWN, "coolant_sensor"))
        found = conclusion(made, [volts("signal", 0.0), volts("unit_signal", 5.0)])
        self.assertEqual(found.outcome, "open")
        self.assertTrue(found.stands)


class Actuator(unittest.TestCase):
    def test_feed_ground_and_command_good_and_feedback_constant(self) -> None:
        made = model(drawn(templates()["actuator"], "boost_valve", "boost actuator"))
        readings = [
            lamp("feed", GROUND, "bright"),
            volts("ground", 0.02, 0.95),
            volts("command", 12.0, 0.05),
            volts("command", 0.6, 0.95),
            volts("feedback", 5.0, 0.05),
            volts("feedback", 5.0, 0.95),
            volts("unit_feedback", 5.0, 0.95),
            looked("part", "clean and tight"),
        ]
        found = conclusion(made, readings)
        self.assertTrue(found.stands)
        self.assertEqual((found.of, found.outcome), ("part", "part"))
        others = {r.fault.id for r in left(made, readings) if r.fault.of != "part" and r.probability > 0.02}
        self.assertFalse(others)

    def test_an_oscilloscope_shows_both_levels(self) -> None:
        made = model(drawn(templates()["actuator"], "boost_valve", "boost actuator"))
        half = Setting(0.5)
        high = predicted(made, Probe(Instrument.SCOPE_HIGH, "command", GROUND, half))[0]
        low = predicted(made, Probe(Instrument.SCOPE_LOW, "command", GROUND, half))[0]
        mean = predicted(made, Probe(Instrument.METER, "command", GROUND, half))[0]
        self.assertAlmostEqual(float(mean), float(high + low) / 2.0, places=6)


class Bus(unittest.TestCase):
    def ohms(self, value: float) -> str:
        made = model(circuit_for(KNOWN, "bus_bus"))
        rows = left(made, [ProbeReading(Probe(Instrument.OHM, "high", "low", Setting(powered=False)), value)])
        return rows[0].fault.id

    def test_sixty_one_hundred_twenty_and_forty_ohms(self) -> None:
        """ISO 11898-2: two terminators of 120 Ω."""
        self.assertEqual(self.ohms(60.0), "none")
        self.assertRegex(self.ohms(120.0), "open|terminator")
        self.assertEqual(self.ohms(40.0), "there:third_terminator")
        self.assertEqual(self.ohms(1.0), "there:pair")


class Two(unittest.TestCase):
    def test_two_faults_at_once_are_offered(self) -> None:
        """Feed resistance and a broken control wire: no single fault explains both readings."""
        made = model(circuit_for(KNOWN, "purge_valve"))
        readings = [
            lamp("feed", GROUND, "dark"),
            volts("feed", 12.4),
            ProbeReading(Probe(Instrument.OHM, "part_plus", "part_minus", Setting(0.0, PART, powered=False)), 2e6),
        ]
        self.assertIsNotNone(contradiction(made, readings))
        names = [{pair.first.element, pair.second.element} for pair in pairs(made, readings)]
        self.assertTrue(names)
        self.assertIn("load", names[0])
        self.assertTrue(names[0] & {"fuse", "feed_splice", "feed_wire"})


class Refused(unittest.TestCase):
    def setUp(self) -> None:
        self.made = model(circuit_for(KNOWN, "purge_valve"))

    def refused(self, words: str, probe: Probe, value: float | str = 1.0, made=None) -> None:  # type: ignore[no-untyped-def]
        with self.assertRaisesRegex(BadInput, words):
            reading_of(made or self.made, probe, value)

    def test_where_it_stands(self) -> None:
        plain = Setting()
        sensor = model(circuit_for(KNOWN, "coolant_sensor"))
        self.refused("test lamp does not go", Probe(Instrument.LAMP, "signal", GROUND, plain), "dark", sensor)
        bus = model(circuit_for(KNOWN, "bus_bus"))
        self.refused("data line", Probe(Instrument.LAMP, "high", GROUND, plain), "dark", bus)
        self.refused("supply off", Probe(Instrument.OHM, "feed", GROUND, plain))
        self.refused(
            "nothing to measure but resistance", Probe(Instrument.METER, "feed", GROUND, Setting(powered=False))
        )
        self.refused("same place", Probe(Instrument.METER, "feed", "feed", plain))
        self.refused("no place", Probe(Instrument.METER, "moon", GROUND, plain))
        self.refused("no connector", Probe(Instrument.METER, "feed", GROUND, Setting(0.0, frozenset({"tow bar"}))))
        self.refused("only with the plug", Probe(Instrument.METER, "part_plus", GROUND, plain))
        self.refused("cannot be", Probe(Instrument.METER, "feed", GROUND, Setting(1.5)))
        self.refused("fuse would blow", Probe(Instrument.AMMETER, "feed", GROUND, plain))
        self.refused("cannot be read here", Probe(Instrument.METER, "feed", GROUND, plain), 1260.0)
        self.refused("shows a number", Probe(Instrument.METER, "feed", GROUND, plain), "bright")
        self.refused("not a reading", Probe(Instrument.LAMP, "feed", GROUND, plain), 12.0)
        self.refused("nothing one hears", Probe(Instrument.HEARD, "fuse", "", plain), "works")
        jumper = Setting(jumpers=frozenset({("feed", GROUND)}))
        self.refused("never from feed to ground", Probe(Instrument.METER, "feed", GROUND, jumper))

    def test_an_ammeter_in_series_shows_the_loads_current(self) -> None:
        probe = Probe(Instrument.AMMETER, "battery", "fuse_out", Setting(1.0, frozenset({"fuse"})))
        shown = float(predicted(self.made, probe)[0])
        load = next(item for item in self.made.circuit.elements if item.id == "load")
        self.assertAlmostEqual(shown, 12.6 / (load.ohm + 0.5), delta=0.02)
        self.assertEqual(read_value(probe, 0.55), 0.55)


class Shared(unittest.TestCase):
    def test_every_circuit_of_every_platform_can_be_drawn_and_proposed(self) -> None:
        for platform in platforms().values():
            known = expand(platform.powertrain, platform.local)
            found = circuits_of(known)
            self.assertGreater(len(found), 25)
            for name, words in found.items():
                circuit = circuit_for(known, name)
                self.assertIn(words, circuit.words)

    def test_far_parts_take_longer(self) -> None:
        circuit = circuit_for(KNOWN, "reference_reference_a")
        minutes = {minutes_of(circuit, Probe(Instrument.METER, p.node, GROUND, Setting())) for p in circuit.places}
        self.assertGreater(len(minutes), 1)
        self.assertIn("battery negative", words_of(circuit, Probe(Instrument.METER, "unit_low", GROUND, Setting())))


class WhatWearsOut(unittest.TestCase):
    """Contacts under load, a weak battery, one load of several, a reference pulled down in part (common practice)."""

    THREE = tuple(Member(name, f"solenoid {name.upper()}") for name in ("a", "b", "c"))

    @staticmethod
    def alone(node: str, member: str, value: float) -> ProbeReading:
        return ProbeReading(Probe(Instrument.METER, node, GROUND, Setting(1.0, alone=member)), value)

    def test_a_burnt_relay_contact_drops_where_the_coil_pulls(self) -> None:
        # A pump of 1.8 Ω takes some 6 A; a fifth of an ohm in the contact keeps more than a volt from it.
        made = model(drawn(templates()["relay"], "pump", "the pump"))
        burnt = [
            volts("battery", 12.3, 1.0),
            volts("fuse_out", 12.2, 1.0),
            volts("load_feed", 11.0, 1.0),
            heard("coil", "works"),
            heard("load", "works"),
        ]
        first = left(made, burnt)[0].fault
        self.assertIn(first.element, {"switch", "switch_in_contact", "switch_out_contact"})
        self.assertEqual(first.mode, "resistance")
        # With the coil unfed it stays open, whatever the contact is like.
        row = next(i for i, fault in enumerate(made.faults) if fault.id == "resistance:switch")
        shut = predicted(made, Probe(Instrument.METER, "load_feed", GROUND, Setting(1.0)))[made.owner == row]
        open_ = predicted(made, Probe(Instrument.METER, "load_feed", GROUND, Setting(0.0)))[made.owner == row]
        self.assertGreater(float(shut[0]), 11.0)
        self.assertLess(float(np.abs(open_).max()), 0.1)

    def test_a_starter_clamp_that_keeps_half_a_volt(self) -> None:
        made = model(drawn(templates()["starting"], "starter", "the starter"))
        drop = ProbeReading(Probe(Instrument.METER, "battery", "plus_clamp", Setting(1.0)), 0.5)
        found = [volts("battery", 10.6, 1.0), drop, volts("engine", 0.25, 1.0)]
        self.assertEqual(left(made, found)[0].fault.id, "resistance:plus_post")

    def test_a_weak_battery_is_said_where_the_drops_are_small(self) -> None:
        made = model(drawn(templates()["starting"], "starter", "the starter"))
        found = [volts("battery", 12.4), volts("battery", 8.6, 1.0), volts("starter_plus", 8.2, 1.0)]
        found += [volts("engine", 0.2, 1.0)]
        told = conclusion(made, found)
        self.assertEqual((told.outcome, told.stands), ("battery", True))

    def test_one_load_of_a_shared_ground_at_a_time(self) -> None:
        made = model(drawn(templates()["ground of feed-side load"], "point", "the point", self.THREE))
        ground = next(i for i, fault in enumerate(made.faults) if fault.id == "resistance:ground_point")
        rows = made.owner == ground

        def at(setting: Setting) -> np.ndarray:
            return predicted(made, Probe(Instrument.METER, "spliced", GROUND, setting))[rows]

        together, one = at(Setting(1.0)), at(Setting(1.0, alone="a"))
        size = int(np.argmin(np.abs(np.array(made.faults[ground].ohms) - 1.0)))
        self.assertAlmostEqual(together[size] / one[size], 3.0, delta=0.6)  # three currents through it against one
        self.assertTrue(any(probe.setting.alone for probe in made.shown))
        with self.assertRaises(BadInput):
            checked(made, Probe(Instrument.METER, "spliced", GROUND, Setting(1.0, alone="nobody")))
        self.assertIn("solenoid A alone", words_of(made.circuit, self.alone("spliced", "a", 0.1).probe))

    def test_a_reference_pulled_down_in_part_is_the_sensor_that_lets_go_of_it(self) -> None:
        made = model(drawn(templates()["reference"], "five", "5 V reference", FOUR))
        held = volts("reference_a", 3.9)
        self.assertFalse(conclusion(made, [held]).stands)
        let_go = [volts("reference_a", 3.9, off=frozenset({f"part_{key}"})) for key in ("b", "d")]
        freed = volts("reference_a", 4.9, off=frozenset({"part_c"}))
        told = conclusion(made, [held, *let_go, freed])
        self.assertEqual(left(made, [held, *let_go, freed])[0].fault.of, "c")
        self.assertTrue(told.probability > 0.6)
