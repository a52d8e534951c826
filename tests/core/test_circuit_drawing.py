"""The diagram laid out from a netlist, and the scale of what every fault would show."""

import unittest
from itertools import combinations

from gumshoe.core.circuits import GROUND, Instrument, Probe, Setting, model, templates
from gumshoe.core.circuits.instruments import predicted
from gumshoe.core.circuits.library import circuit_for, circuits_of
from gumshoe.core.circuits.netlist import Kind
from gumshoe.core.circuits.pins import pin_table
from gumshoe.core.circuits.probing import shown_at, weights_after
from gumshoe.core.circuits.templates import Member, drawn
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.maps.circuit import NUDGE, Drawing, draw
from gumshoe.core.maps.strip import between, strip, value_words

SIX = tuple(Member(name, f"part {name}") for name in "abcdef")


def every() -> list[tuple[str, Drawing]]:
    return [(name, draw(drawn(row, name, "the part", SIX))) for name, row in templates().items()]


class Diagram(unittest.TestCase):
    def test_every_element_once_and_every_place_reachable(self) -> None:
        for name, template in templates().items():
            circuit = drawn(template, name, "the part", SIX)
            found = draw(circuit)
            shown = {run.element.id for run in found.runs}
            wanted = {item.id for item in circuit.elements if item.kind is not Kind.LATENT and item.id != "battery"}
            self.assertEqual(shown, wanted, name)
            self.assertEqual(len(found.runs), len(shown), name)
            places = {rail.place.node for rail in found.rails if rail.place}
            self.assertEqual(places, {place.node for place in circuit.places}, name)

    def test_current_runs_down_from_the_feed_to_ground(self) -> None:
        for name, found in every():
            self.assertTrue(all(run.y2 > run.y1 for run in found.runs), name)
            top = min(rail.y for rail in found.rails)
            feeds = [rail.y for rail in found.rails if rail.node == "battery"]
            self.assertTrue(all(y <= top + 2.0 * NUDGE for y in feeds), name)
            for run in found.runs:
                self.assertEqual(run.grounded, run.element.b == GROUND, name)

    def test_no_two_nodes_share_a_line(self) -> None:
        for name, found in every():
            for one, other in combinations(found.rails, 2):
                touches = max(one.x1, other.x1) <= min(one.x2, other.x2)
                self.assertFalse(touches and abs(one.y - other.y) < 8.0, f"{name}: {one.node} and {other.node}")

    def test_crossings_are_few(self) -> None:
        for name, found in every():
            self.assertLessEqual(found.crossings, 14 if templates()[name].each else 1, name)

    def test_pins_and_colours_where_the_platform_gives_them(self) -> None:
        platform = platforms()["ostrel_tern_16"]
        circuit = circuit_for(expand(platform.powertrain, platform.local), "purge_valve")
        self.assertEqual(
            {(item.id, item.pin, item.colour) for item in circuit.elements if item.pin},
            {
                ("feed_contact", "1", "red/white"),
                ("control_contact", "2", "brown/green"),
                ("unit_contact", "B31", "brown/green"),
            },
        )
        generic = expand(platform.powertrain)
        self.assertTrue(circuits_of(generic))
        self.assertFalse([item.pin for item in circuit_for(generic, "purge_valve").elements if item.pin])


class Scale(unittest.TestCase):
    def test_marks_stand_where_the_readings_are(self) -> None:
        made = model(drawn(templates()["load"], "x", "the valve"))
        probe = Probe(Instrument.METER, "control", GROUND, Setting())
        values = predicted(made, probe)
        found = strip(probe, float(values[0]), shown_at(made, weights_after(made, []), values))
        self.assertEqual(found.good, "12.60 V")
        good = next(row for row in found.rows if row.good)
        self.assertAlmostEqual(good.x + good.width / 2.0, found.good_x, delta=1.0)
        low = next(row for row in found.rows if "does not switch off" in row.words)
        self.assertLess(low.x, good.x)
        self.assertEqual(found.ticks[0][1], "0 V")

    def test_readings_in_words(self) -> None:
        ohm = Probe(Instrument.OHM, "a", "b", Setting(powered=False))
        lamp = Probe(Instrument.LAMP, "a", "b", Setting())
        volt = Probe(Instrument.METER, "a", GROUND, Setting())
        self.assertEqual(value_words(ohm, 2e6), "over range")
        self.assertEqual(value_words(ohm, 4700.0), "4.7 kΩ")
        self.assertEqual(value_words(lamp, 11.0), "bright")
        self.assertEqual(value_words(volt, -0.0001), "0 mV")
        self.assertEqual(between(volt, 0.2, 12.4), "0.20 V to 12.40 V")


class PinTables(unittest.TestCase):
    def test_every_platform_has_one_and_no_pin_is_used_twice(self) -> None:
        for key, platform in platforms().items():
            table = pin_table(expand(platform.powertrain, platform.local))
            self.assertGreaterEqual(len(table), 25, key)
            heater = {"oxygen_heater"}
            ends = [
                (line.at_unit, line.colour)
                for plug in table
                if not plug.component.startswith(tuple(heater))  # its wires are the sensor's own
                for line in plug.lines
                if line.at_unit
            ]
            self.assertEqual(len({pin for pin, _ in ends}), len(ends), key)
            for plug in table:
                for line in plug.lines:
                    self.assertTrue(line.words and line.colour and (line.at_part or line.at_unit), (key, plug))

    def test_a_wire_is_one_line_with_both_ends(self) -> None:
        platform = platforms()["ostrel_tern_16"]
        plugs = {plug.component: plug for plug in pin_table(expand(platform.powertrain, platform.local))}
        rows = {(line.at_part, line.at_unit, line.colour) for line in plugs["purge_valve"].lines}
        self.assertEqual(rows, {("1", "", "red/white"), ("2", "B31", "brown/green")})

    def test_nothing_known_no_table(self) -> None:
        self.assertEqual(pin_table(expand(platforms()["ostrel_tern_16"].powertrain)), ())
