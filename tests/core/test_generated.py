"""What follows from a powertrain: positions, components, suspects, maps; over random powertrains and the presets."""

from __future__ import annotations

import tempfile
import unittest
from itertools import pairwise
from pathlib import Path

from django.test import tag
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from gumshoe.core import spread
from gumshoe.core.clues import OnRecord, extract, told_by_bus
from gumshoe.core.clues.known import unplugged
from gumshoe.core.codes import CodeState
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.catalogue import expand, tables
from gumshoe.core.knowledge.code_catalogue import failure_types, failure_words, kinds
from gumshoe.core.knowledge.code_index import CodeIndex, OwnCode, standard_index
from gumshoe.core.knowledge.parts import Local, WiringRow, components, components_file, shared_points
from gumshoe.core.knowledge.platform import Platform, load_platform
from gumshoe.core.knowledge.presets import describe, facts_of, presets
from gumshoe.core.knowledge.systems import systems
from gumshoe.core.knowledge.values import CheckOutcome
from gumshoe.core.maps import code_map, engine_map, system_map, systems_of
from gumshoe.core.obd.results import MonitorResult
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.obd.status import Monitor, MonitorStatus, decode_status
from gumshoe.core.powertrain import description
from gumshoe.core.powertrain.description import Layout, Mounting, Numbering, Powertrain, usual_firing_order
from gumshoe.core.powertrain.positions import bank_members, bank_of, companion, neighbours, pattern_of
from gumshoe.core.suspects import assess
from gumshoe.core.suspects.relations import read_codes
from gumshoe.core.validation import check_file

FULL_V6 = {
    "layout": "V",
    "cylinders": 6,
    "phasers": "both",
    "injection": "direct",
    "induction": "turbo",
    "egr": True,
    "secondary_air": True,
    "evap": "leak detection pump",
    "gearbox": "automatic with torque converter",
    "air_metering": "both",
}


@st.composite
def powertrains(draw: st.DrawFn) -> Powertrain:
    """Any powertrain that the form would accept."""
    layout = draw(st.sampled_from(list(Layout)))
    cylinders = draw(st.integers(1, 8)) if layout is Layout.IN_LINE else draw(st.sampled_from([2, 4, 6, 8, 10, 12]))
    diesel = draw(st.booleans())
    facts: dict[str, object] = {
        "fuel": "diesel" if diesel else draw(st.sampled_from(["petrol", "flex", "hybrid"])),
        "layout": layout.value,
        "cylinders": cylinders,
        "mounting": draw(st.sampled_from([item.value for item in Mounting])),
        "numbering": draw(st.sampled_from([item.value for item in Numbering])),
        "induction": draw(st.sampled_from([item.value for item in description.Induction])),
        "air_metering": draw(st.sampled_from([item.value for item in description.AirMetering])),
        "phasers": draw(st.sampled_from([item.value for item in description.Phasers])),
        "egr": draw(st.booleans()),
        "secondary_air": draw(st.booleans()),
        "gearbox": draw(st.sampled_from([item.value for item in description.Gearbox])),
    }
    if not diesel:
        ignitions = [item.value for item in description.Ignition if item is not description.Ignition.NONE]
        facts["ignition"] = draw(st.sampled_from(ignitions))
        facts["injection"] = draw(st.sampled_from(["port", "direct"]))
        facts["evap"] = draw(st.sampled_from([item.value for item in description.Evap]))
    return describe(facts)


class Positions(unittest.TestCase):
    def test_companions_of_common_engines(self) -> None:
        """Waste-spark pairs: four in line 1+4 and 2+3, six in line 1+6, 2+5, 3+4 (common practice)."""
        four, six = describe({}), describe({"cylinders": 6})
        self.assertEqual([companion(four, n) for n in (1, 2, 3, 4)], [4, 3, 2, 1])
        self.assertEqual([companion(six, n) for n in range(1, 7)], [6, 5, 4, 3, 2, 1])
        self.assertIsNone(companion(describe({"cylinders": 3}), 1))

    def test_banks_by_numbering(self) -> None:
        odd_even = describe({"layout": "V", "cylinders": 6, "numbering": "alternating"})
        in_turn = describe({"layout": "V", "cylinders": 6})
        self.assertEqual((bank_members(odd_even, 1), bank_members(odd_even, 2)), ((1, 3, 5), (2, 4, 6)))
        self.assertEqual((bank_members(in_turn, 1), bank_members(in_turn, 2)), ((1, 2, 3), (4, 5, 6)))

    def test_patterns_have_their_names(self) -> None:
        four, v6 = describe({}), describe({"layout": "V", "cylinders": 6, "numbering": "alternating"})
        for engine, cylinders, name in (
            (four, (), "none"),
            (four, (3,), "cylinder 3"),
            (four, (1, 4), "companions 1 and 4, half a cycle apart"),
            (four, (1, 2), "neighbours 1 and 2"),
            (four, (1, 2, 3, 4), "all cylinders"),
            (v6, (1, 5), "several cylinders of bank 1"),
            (v6, (2, 4, 6), "the whole of bank 2"),
            (v6, (1, 3), "neighbours 1 and 3"),
            (v6, (1, 2, 3), "cylinders 1, 2 and 3"),
        ):
            self.assertEqual(pattern_of(engine, cylinders).words, name, cylinders)

    @settings(max_examples=60, deadline=None)
    @given(powertrains())
    def test_everyone_stands_in_one_bank(self, engine: Powertrain) -> None:
        everyone = [n for bank in range(1, engine.banks + 1) for n in bank_members(engine, bank)]
        self.assertEqual(sorted(everyone), list(range(1, engine.cylinders + 1)))
        for n in everyone:
            self.assertIn(n, bank_members(engine, bank_of(engine, n)))
            self.assertTrue(all(n in neighbours(engine, other) for other in neighbours(engine, n)))
            other = companion(engine, n)
            self.assertTrue(other is None or companion(engine, other) == n)


class Describing(unittest.TestCase):
    def test_usual_firing_orders_name_each_cylinder_once(self) -> None:
        for (layout, cylinders, numbering), order in description.USUAL_FIRING_ORDERS.items():
            self.assertEqual(sorted(order), list(range(1, cylinders + 1)), (layout, cylinders))
            self.assertEqual(usual_firing_order(layout, cylinders, numbering), order)

    def test_v_engines_fire_banks_evenly(self) -> None:
        """No more than two firings in a row on one bank (common practice for even V6 and V8)."""
        for (layout, cylinders, numbering), order in description.USUAL_FIRING_ORDERS.items():
            if layout == "V" and cylinders in (6, 8):
                engine = describe({"layout": layout, "cylinders": cylinders, "numbering": numbering})
                banks = [bank_of(engine, n) for n in (*order, *order[:2])]
                runs = max(sum(1 for a, b in pairwise(banks[i : i + 3]) if a == b) for i in range(len(order)))
                self.assertLess(runs, 2, order)

    def test_facts_survive_storing(self) -> None:
        for _, engine in presets().values():
            self.assertEqual(describe(facts_of(engine)), engine)

    def test_contradictions_say_what_and_what_to_do(self) -> None:
        for facts in (
            {"cylinders": 0},
            {"layout": "V", "cylinders": 5},
            {"fuel": "diesel", "ignition": "coil per plug"},
            {"injection": "common rail"},
            {"firing_order": [1, 2, 3, 3]},
            {"displacement_l": 900},
            {"mounting": "along", "bank_1": "rear"},
            {"fuel": "steam"},
        ):
            with self.assertRaises(BadInput) as caught:
                describe(facts)
            self.assertTrue(caught.exception.remedies, facts)


@tag("long")
class Generating(unittest.TestCase):
    def test_size_of_the_model(self) -> None:
        """Issue C asks for some 300 suspects of a full V6 and 200 of a diesel; the generator gives more."""
        self.assertGreater(len(expand(describe(FULL_V6)).faults), 300)
        self.assertGreater(len(expand(describe({"fuel": "diesel"})).faults), 200)

    @settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
    @given(powertrains())
    def test_any_powertrain_hangs_together(self, engine: Powertrain) -> None:
        known = expand(engine)
        for name, fault in known.faults.items():
            self.assertEqual(name, fault.id)
            self.assertNotIn("{", fault.id + fault.words + fault.component + fault.repair)
            self.assertIn(fault.repair, known.repairs)
            self.assertTrue(all(0.0 < chance < 1.0 for chance in fault.codes.values()), name)
            self.assertTrue(set(fault.codes) <= set(known.codes), name)
            for table in fault.graded.values():
                self.assertAlmostEqual(sum(table.values()), 1.0)
        for test in known.tests.values():
            self.assertTrue(set(test.given) <= set(known.faults), test.id)
        drawn = engine_map(engine, known.components.values())
        self.assertEqual(sorted(c.number for c in drawn.cylinders), list(range(1, engine.cylinders + 1)))
        self.assertEqual(len({part.id for part in drawn.parts}), len(known.components))
        for part in drawn.parts:
            self.assertTrue(0 <= part.x <= drawn.width and 0 <= part.y <= drawn.height, (engine.words, part))

    def test_coils_of_each_kind_of_ignition(self) -> None:
        for ignition, count in (("coil per plug", 4), ("wasted spark", 2), ("coil pack", 1), ("distributor", 1)):
            found = components(describe({"ignition": ignition}))
            coils = [item for item in found if "coil" in item.row.id or item.row.id == "distributor"]
            self.assertEqual(len(coils), count, ignition)

    def test_both_banks_have_their_own_parts_and_codes(self) -> None:
        known = expand(describe(FULL_V6))
        self.assertEqual(known.components_of("P0154"), ("oxygen_sensor_b2s1",))
        self.assertEqual(known.components_of("P0345"), ("cam_sensor_b2_intake",))
        self.assertIn("P0174", known.faults["upstream_sensor_lean_b2"].codes)
        self.assertNotIn("P0171", known.faults["upstream_sensor_lean_b2"].codes)
        self.assertLessEqual({"P0171", "P0174"}, set(known.faults["crankcase_hose_split"].codes))

    def test_whatever_a_circuit_check_can_find_somebody_explains(self) -> None:
        """A contact found loose must not leave the case where it was: there is a suspect that it speaks for. (What is
        wrong with the wires of a control unit is the bus's or its supply's, and has checks of its own.)"""
        for name, powertrain, local in spread.powertrains():
            knowledge = expand(powertrain, local)
            for test in knowledge.tests.values():
                part = knowledge.components.get(test.checks)
                for outcome in test.outcomes if part and part.row.circuit != "module" else ():
                    enough = {CheckOutcome.GOOD: 0.0, CheckOutcome.PART: 0.2}.get(CheckOutcome(outcome.id), 0.5)
                    most = max((table[outcome.id] for table in test.given.values()), default=0.0)
                    self.assertGreaterEqual(most, enough, f"{name}: {test.id}: {outcome.words}")

    def test_a_circuit_check_also_sees_modes_described_by_hand(self) -> None:
        test = expand(Powertrain()).tests["check_ignition_coil_2"]
        table = test.given["coil_circuit_open_2"]
        self.assertGreater(table["open"] + table["part"], 0.8)  # open in its wires, or inside
        self.assertGreater(table["open"], table["part"])
        self.assertNotIn("coil_circuit_open_1", test.given)
        self.assertIn("coil_circuit_open_2", next(o for o in test.outcomes if o.id == "open").proves)

    def test_a_platforms_wiring_takes_its_members_from_the_usual(self) -> None:
        own = Local("x", (WiringRow("G1", "ground", "ground G1", ("ignition_coil_1", "ignition_coil_2")),))
        points = {item.id: item for item in shared_points(Powertrain(), own)}
        usual = {item.id: item for item in shared_points(Powertrain())}
        self.assertEqual(len(usual["ground_coils"].members), 4)
        self.assertEqual(len(points["ground_coils"].members), 2)
        self.assertEqual([item.id for item in points["G1"].members], ["ignition_coil_1", "ignition_coil_2"])

    def test_bad_wiring_names_the_component(self) -> None:
        with self.assertRaisesRegex(DataError, "no component “warp_core”"):
            shared_points(Powertrain(), Local("x", (WiringRow("G1", "ground", "g", ("warp_core",)),)))

    def test_every_catalogue_part_has_codes(self) -> None:
        for row in components_file().part:
            self.assertTrue(row.codes, row.id)


class Stands(unittest.TestCase):
    def test_where_no_cylinder_works_nothing_runs(self) -> None:
        """The feed of all injectors keeps it from starting, or stalls it; that of one bank's coils does neither by
        itself; what feeds no cylinder never does (common practice)."""
        knowledge = expand(describe(FULL_V6))
        every, none = knowledge.faults["shared_feed_injectors"], knowledge.faults["shared_feed_heaters"]
        for name in ("no_start", "stalls"):
            self.assertGreater(every.symptoms[name], 0.3)
            self.assertNotIn(name, none.symptoms)


class Codes(unittest.TestCase):
    def test_references(self) -> None:
        index = standard_index()
        self.assertEqual(index.numbers("P0455", 1), ("P0455",))
        self.assertEqual(index.numbers("mixture, bank *: lean", 2), ("P0171", "P0174"))
        self.assertEqual(index.numbers("mixture, bank *: lean", 1), ("P0171",))
        self.assertIn("U0100", index.numbers("*: lost", 1))
        with self.assertRaisesRegex(DataError, "no code for"):
            index.numbers("mixture, bank 1: melancholic", 1)

    def test_an_own_code_joins_its_component(self) -> None:
        index = CodeIndex([OwnCode("P1234", "purge valve", "circuit open", "Own words")])
        self.assertIn(("P1234", "circuit open"), index.of_component("purge valve"))
        self.assertEqual(index.rows["P1234"].title, "Own words")
        with self.assertRaises(DataError):
            OwnCode("P1234", "purge valve", "mood").row()

    def test_failure_types_of_three_byte_codes(self) -> None:
        """SAE J2012-DA, numbers from memory: 11 short to ground, 12 to battery, 13 open, 87 missing message."""
        for byte, kind in (("11", "circuit low"), ("12", "circuit high"), ("13", "circuit open"), ("87", "lost")):
            self.assertEqual(failure_types()[byte].kind, kind)
        self.assertTrue(all(int(byte, 16) < 256 for byte in failure_types()))
        self.assertIn("service information", failure_words("EE"))
        self.assertIn("correlation", kinds())

    def test_effects_name_codes_of_the_catalogue(self) -> None:
        for effect in tables().effects:
            for reference in effect.raises:
                self.assertTrue(standard_index().numbers(reference, 2))


class PlatformFiles(unittest.TestCase):
    """A shop can write its own: wiring, parts, makers' codes, modules; errors name file and line."""

    TEXT = """
[platform]
id = "x"
make = "Morrow"
model = "Gannet"
years = "2013"
vin_prefix = "UYX"

[powertrain]
fuel = "petrol"

[[wiring]]
id = "G103"
field = "ground"
words = "ground G103"
members = ["purge_valve", "left_headlamp"]

[[part]]
id = "left_headlamp"
words = "left headlamp"
codes = ["left headlamp"]
needs = []
circuit = "load"
place = "front"
rate = 1.0
price = 80
minutes = 20

[[code]]
number = "B1A20"
component = "left headlamp"
kind = "circuit open"
"""

    def load(self, text: str) -> Platform:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.toml"
            path.write_text(text, encoding="utf-8")
            check_file(path, text)
            return load_platform(path)

    def test_own_part_code_and_ground_meet_in_one_suspect(self) -> None:
        platform = self.load(self.TEXT)
        known = expand(platform.powertrain, platform.local)
        self.assertEqual(known.components_of("B1A20"), ("left_headlamp",))
        self.assertLessEqual({"B1A20", "P0444"}, set(known.faults["shared_G103"].codes))
        self.assertIs(platform.local, platform.local)

    def test_errors_name_file_and_line(self) -> None:
        with self.assertRaisesRegex(DataError, r"x.toml, line \d+: wiring.0.members"):
            self.load(self.TEXT.replace('members = ["purge_valve", "left_headlamp"]', "members = 3"))
        with self.assertRaisesRegex(DataError, r"x.toml, line \d+: wiring.0.members.1: .*no component “engine_room”"):
            self.load(self.TEXT.replace('"left_headlamp"]', '"engine_room"]'))
        with self.assertRaisesRegex(DataError, "x.toml"):
            self.load(self.TEXT.replace('fuel = "petrol"', 'fuel = "petrol"\ncylinders = 99'))
        with self.assertRaisesRegex(DataError, "x.toml"):
            self.load(self.TEXT.replace('kind = "circuit open"', 'kind = "mood"'))


class ToldByTheBus(unittest.TestCase):
    def test_facts_from_a_scan(self) -> None:
        """Readiness of compression ignition, counters to A7, PIDs 0B, 10, 08, 70 (SAE J1979 [S])."""
        monitors = (Monitor("particulate filter", True, False),)
        module = ModuleSnapshot(
            0x7E8,
            status=MonitorStatus(False, 0, True, monitors),
            pids=(0x06, 0x08, 0x0B, 0x10, 0x70),
            results=tuple(MonitorResult(0xA1 + n, 0x0C, "misfire", "counts", 0.0, 0.0, 65535.0) for n in range(1, 7)),
        )
        told = {item.fact: item.value for item in told_by_bus(module)}
        self.assertEqual(told["fuel"], "diesel")
        self.assertEqual(told["cylinders"], 6)
        self.assertEqual(told["layout"], "V")
        self.assertEqual(told["air_metering"], "both")
        self.assertEqual(told["induction"], "turbo")
        engine = describe(told)
        self.assertEqual((engine.cylinders, engine.banks, engine.ignition.value), (6, 2, "none"))
        self.assertEqual(told_by_bus(None), ())

    def test_every_monitor_that_tells_a_part_is_one_the_status_decodes(self) -> None:
        """EGR / VVT and secondary air are readiness bits of a spark engine; kind of fuel 3 ethanol (SAE J1979 [S])."""
        status = decode_status(bytes([0, 0b111, 0b10001000, 0]))
        told = {
            item.fact: item.value for item in told_by_bus(ModuleSnapshot(0x7E8, status=status, values={"fuel_type": 3}))
        }
        self.assertEqual(told, {"fuel": "flex", "egr": True, "secondary_air": True})


class OpenCircuits(unittest.TestCase):
    """Which suspects mean an open circuit is said by their ``mode``, never read out of their names."""

    def setUp(self) -> None:
        self.knowledge = expand(Powertrain())

    def test_unplugging_sets_circuit_codes_only(self) -> None:
        """A plug that is off sets the code of its circuit; a thermostat that stays open has no plug."""
        self.assertIn("P0443", unplugged(self.knowledge, "purge_valve").codes)
        self.assertEqual(unplugged(self.knowledge, "thermostat").codes, {})

    def test_a_check_of_the_heater_circuit_tells_a_burnt_out_heater_from_its_wire(self) -> None:
        test = self.knowledge.tests["check_oxygen_heater_b1s1"]
        self.assertGreater(test.given["sensor_heater_open"]["part"], 0.8)
        wire = test.given["open_oxygen_heater_b1s1"]
        self.assertGreater(wire["open"] + wire["part"], 0.8)  # open in its wires, or inside
        self.assertGreater(wire["open"], wire["part"])


class Maps(unittest.TestCase):
    def test_where_is_bank_2_sensor_1(self) -> None:
        """Across with bank 1 at the bulkhead, bank 2 is in front; along, left is to the right of who faces the car."""
        across = describe(FULL_V6 | {"mounting": "across", "bank_1": "rear", "numbering": "alternating"})
        part = self.part(across, "oxygen_sensor_b2s1")
        self.assertIn("nearest to you when you stand in front", part.where)
        self.assertLess(part.y, self.part(across, "oxygen_sensor_b1s1").y)
        along = describe(FULL_V6 | {"mounting": "along", "bank_1": "right"})
        part = self.part(along, "oxygen_sensor_b2s1")
        self.assertIn("on the left of the car: to your right", part.where)
        self.assertLess(part.x, self.part(along, "oxygen_sensor_b1s1").x)

    def part(self, engine: Powertrain, name: str):  # type: ignore[no-untyped-def]
        drawn = engine_map(engine, expand(engine).components.values(), {name: ("P0150",)})
        found = drawn.marked[0]
        self.assertEqual((found.id, found.mark, found.codes), (name, 1, ("P0150",)))
        return found

    def test_the_code_map_holds_every_code_and_reason(self) -> None:
        known = expand(describe(FULL_V6))
        codes = ("P0018", "P000C", "P0300", "P0031", "P0037", "P0051", "P0057", "U0401")
        engine = ModuleSnapshot(0x7E8, codes=tuple(StoredCode(code, CodeState.CONFIRMED) for code in codes))
        found = assess(known, extract(OnRecord(module=engine), known))
        read = read_codes(dict.fromkeys(codes, (CodeState.CONFIRMED,)), known, found)
        drawn = code_map(read, known)
        self.assertLessEqual(set(codes), {node.id for node in drawn.nodes})
        self.assertIn("point", {node.kind for node in drawn.nodes})
        self.assertEqual(drawn.left_out, 0)
        self.assertTrue(drawn.arrows)
        for arrow in drawn.arrows:
            self.assertEqual(drawn.reasons[arrow.number - 1], arrow.why)

    def test_too_many_codes_are_counted_not_drawn(self) -> None:
        known = expand(Powertrain())
        codes = [f"B1{n:03d}" for n in range(60)]
        read = read_codes(dict.fromkeys(codes, (CodeState.CONFIRMED,)), known, assess(known, []))
        self.assertEqual(len(read.codes), 60)
        self.assertEqual(code_map(read, known).left_out, 36)

    def test_every_system_is_drawn_for_every_preset(self) -> None:
        seen = set()
        for words, engine in presets().values():
            known = expand(engine)
            for row in systems_of(known):
                drawn = system_map(row, known, ("P0171", "P0300", "P0299"))
                self.assertGreaterEqual(len(drawn.boxes), 4, (words, row.id))
                self.assertGreaterEqual(len(drawn.flows), 2, (words, row.id))
                seen.add(row.id)
        self.assertEqual(seen, set(systems()))
        self.assertGreaterEqual(len(seen), 13)


if __name__ == "__main__":
    unittest.main()
