"""What a read tells of an engine that stands, what a check says of an output stage, and that nothing measured good is
mended while something is left to measure (common practice, no source)."""

from __future__ import annotations

import unittest
from typing import Any

from gumshoe.core.casefile.assess import CaseAssessment
from gumshoe.core.circuits.faults import Fault
from gumshoe.core.circuits.judging import UNIT, Conclusion, check_of
from gumshoe.core.circuits.library import circuit_for
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.parts import Local
from gumshoe.core.knowledge.values import CheckOutcome
from gumshoe.core.planning.next_action import Act
from gumshoe.core.powertrain.description import Fuel, Gearbox, Ignition, Injection, Powertrain
from tests.core.one_read import assessed

FOUR = {"cylinders": 4, "air_metering": "flow"}
MAP = {"cylinders": 3, "air_metering": "pressure"}
DIRECT = {"cylinders": 4, "injection": "direct", "induction": "turbo"}
RECIRCULATES = {"cylinders": 4, "fuel": "diesel", "injection": "common rail", "ignition": "none", "egr": True}


def diesel_of(cylinders: int) -> Powertrain:
    rail = Injection.COMMON_RAIL
    order = (1, 3, 4, 2) if cylinders == 4 else tuple(range(1, cylinders + 1))
    return Powertrain(cylinders=cylinders, firing_order=order, fuel=Fuel.DIESEL, injection=rail, ignition=Ignition.NONE)


def read(
    powertrain: dict[str, Any],
    *codes: str,
    said: tuple[str, ...] = (),
    tests: dict[str, str] | None = None,
    **values: float,
) -> CaseAssessment:
    """A car that was read with these live values."""
    return assessed(powertrain, codes, said, tests=tests, values=values)


def told(found: CaseAssessment, variable: str) -> str:
    return next((clue.value for clue in found.assessment.clues if clue.variable == variable), "")


class AtRest(unittest.TestCase):
    def test_air_that_flows_though_the_engine_stands_is_the_meters_circuit(self) -> None:
        found = read(FOUR, said=("no_start", "stalls"), rpm=0.0, maf_gps=303.0)
        self.assertEqual(told(found, "air_at_rest"), "flows")
        meter = sum(s.probability for s in found.assessment.suspects if s.id.endswith("_air_flow_meter"))
        before = read(FOUR, said=("no_start", "stalls"), rpm=0.0, maf_gps=0.0)
        was = sum(s.probability for s in before.assessment.suspects if s.id.endswith("_air_flow_meter"))
        self.assertGreater(meter, 0.3)
        self.assertLess(was, 0.05)
        self.assertIn("check_air_flow_meter", {item.test.id for item in found.proposals[:4]})

    def test_of_a_running_engine_and_of_one_whose_speed_is_not_known_it_says_nothing(self) -> None:
        """Unknown is not at rest."""
        self.assertEqual(told(read(FOUR, rpm=720.0, maf_gps=3.6), "air_at_rest"), "")
        self.assertEqual(told(read(FOUR, maf_gps=303.0), "air_at_rest"), "")

    def test_pressures_are_held_against_the_air_of_the_day(self) -> None:
        """At 1,600 m the air has some 84 kPa: a sensor that says so is right."""
        self.assertEqual(told(read(MAP, rpm=0.0, map_kpa=84.0, baro_kpa=84.0), "manifold_at_rest"), "normal")
        self.assertEqual(told(read(MAP, rpm=0.0, map_kpa=84.0, baro_kpa=101.0), "manifold_at_rest"), "low")
        self.assertEqual(told(read(DIRECT, rpm=0.0, boost_kpa=140.0, baro_kpa=101.0), "boost_at_rest"), "high")
        self.assertEqual(told(read(MAP, rpm=0.0, map_kpa=84.0), "manifold_at_rest"), "", "the air is not known")

    def test_who_has_read_it_need_not_look_again(self) -> None:
        seen = read(MAP, "P0106", rpm=0.0, map_kpa=101.0, baro_kpa=101.0)
        self.assertNotIn("pressure_at_rest", {item.test.id for item in seen.proposals})
        self.assertIn("pressure_at_rest", {item.test.id for item in read(MAP, "P0106").proposals})

    def test_what_is_read_at_rest_shows_the_sensor_as_the_test_would(self) -> None:
        seen = read(MAP, "P0106", rpm=0.0, map_kpa=60.0, baro_kpa=101.0)
        leader = seen.assessment.suspects[0]
        self.assertEqual(leader.id, "pressure_sensor_low")
        self.assertEqual([clue.result for clue in leader.proven_by], [("pressure_at_rest", "low")])
        sound = read(MAP, "P0106", rpm=0.0, map_kpa=101.0, baro_kpa=101.0).assessment
        self.assertEqual([item.id for item in sound.suspects if item.proven_by], [])

    def test_more_than_any_pump_makes_is_the_rail_sensor(self) -> None:
        found = read(DIRECT, said=("no_start",), rpm=0.0, rail_kpa=70_800.0)
        self.assertEqual(told(found, "rail_at_rest"), "high")
        self.assertIn("rail_pressure_sensor", found.assessment.suspects[0].row.component)
        self.assertEqual(told(read(DIRECT, rpm=0.0, rail_kpa=9_000.0), "rail_at_rest"), "normal", "petrol holds it")


class Undriven(unittest.TestCase):
    def test_what_is_driven_may_be_undriven_and_a_sensor_may_not(self) -> None:
        known = expand(Powertrain(cylinders=4), Local())
        self.assertIn("undriven_purge_valve", known.faults)
        self.assertNotIn("undriven_coolant_sensor", known.faults)
        self.assertEqual(known.faults["undriven_purge_valve"].repair, "renew_control_unit")
        self.assertEqual(known.faults["undriven_purge_valve"].component, "engine_module")
        said = {row.id for row in known.tests["check_purge_valve"].outcomes}
        self.assertIn(CheckOutcome.UNDRIVEN, said)
        self.assertNotIn(CheckOutcome.UNDRIVEN, {row.id for row in known.tests["check_coolant_sensor"].outcomes})

    def test_the_gearbox_has_a_unit_of_its_own(self) -> None:
        known = expand(Powertrain(gearbox=Gearbox.AUTOMATIC), Local())
        valves = [row for name, row in known.faults.items() if name.startswith("undriven_shift_valve")]
        self.assertTrue(valves)
        for row in valves:
            self.assertEqual((row.component, row.repair), ("gearbox_module", "renew_gearbox_module"))

    def test_it_does_as_little_as_an_open_circuit_and_its_plug_is_home(self) -> None:
        known = expand(Powertrain(cylinders=4), Local())
        name = "undriven_injector_2"
        drive = known.tests["injector_drive"]
        self.assertEqual(drive.given[name], drive.given["injector_circuit_open_2"])
        self.assertNotIn(name, known.tests["look_connectors"].given)

    def test_an_output_that_is_always_on_does_what_its_wire_to_ground_does(self) -> None:
        known = expand(Powertrain(cylinders=4), Local())
        held, wire = known.faults["stays_on_injector_2"], known.faults["short_ground_injector_2"]
        self.assertEqual((held.graded, held.misfire), (wire.graded, wire.misfire))
        self.assertGreater(held.codes["P0172"], 0.5, "it floods")
        self.assertEqual((held.component, held.repair), ("engine_module", "renew_control_unit"))
        opens = known.tests["purge_opens"]
        self.assertEqual(opens.given["stays_on_purge_valve"], opens.given["short_ground_purge_valve"])
        said = {row.id for row in known.tests["check_purge_valve"].outcomes}
        self.assertIn(CheckOutcome.STAYS_ON, said)
        self.assertNotIn(CheckOutcome.STAYS_ON, {row.id for row in known.tests["check_coolant_sensor"].outcomes})

    def test_with_its_plug_left_on_an_output_that_is_always_on_looks_like_a_wire_to_ground(self) -> None:
        """Who does not unplug the control unit finds the short and mends a wire that is whole (common practice)."""
        known = expand(Powertrain(cylinders=4), Local())
        given = known.tests["check_purge_valve"].given["stays_on_purge_valve"]
        others = {name: chance for name, chance in given.items() if name != CheckOutcome.STAYS_ON}
        self.assertEqual(max(others, key=others.__getitem__), CheckOutcome.SHORT_GROUND)

    def test_glow_plugs_have_a_unit_of_their_own(self) -> None:
        known = expand(diesel_of(4), Local())
        for mode in ("undriven", "stays_on"):
            row = known.faults[f"{mode}_glow_plug_3"]
            self.assertEqual((row.component, row.repair), ("glow_module", "renew_glow_module"))

    def test_what_is_on_all_the_time_tells_its_wire_from_an_open_one(self) -> None:
        """A recirculation valve that is held open lets through too much; one without current nothing (physics)."""
        found = read(RECIRCULATES, "P0489", "P0402").assessment.suspects
        self.assertEqual(found[0].id, "short_ground_egr_valve")
        low = read(RECIRCULATES, "P0489", "P0401").assessment.suspects
        self.assertNotEqual(low[0].id, "short_ground_egr_valve")

    def test_a_short_sets_the_code_of_an_open_circuit_where_it_is_the_only_one(self) -> None:
        """Codes told as circuit/open are all that older cars have (common practice): what is measured leads then."""
        found = read(RECIRCULATES, "P0403", tests={"check_egr_valve": CheckOutcome.SHORT_FEED}).assessment.suspects
        self.assertEqual(found[0].id, "short_feed_egr_valve")
        self.assertEqual(read(RECIRCULATES, "P0403").assessment.suspects[0].id, "open_egr_valve")

    def test_an_injector_that_never_shuts_makes_the_others_fall_behind(self) -> None:
        """The cylinders are measured against each other (physics): the one with the circuit code is looked at."""
        found = read(RECIRCULATES, "P0267", "P0263", "P0266", "P0272").assessment.suspects
        self.assertEqual(found[0].id, "short_ground_injector_3")
        petrol = expand(Powertrain(cylinders=4, injection=Injection.DIRECT), Local()).faults["short_ground_injector_3"]
        self.assertLess(petrol.codes.get("P0263", 0.0), 0.05)
        three = expand(diesel_of(3), Local())
        self.assertNotIn("P0272", three.faults["short_ground_injector_3"].codes, "there is no fourth cylinder")

    def test_the_bench_tells_a_fault_in_the_unit_where_somebody_can_be_asked_of_it(self) -> None:
        """Of what is driven at its own check; of a sensor, which has no output stage, still at the unit."""
        known = expand(Powertrain(cylinders=4), Local())
        for part, mode, told in (
            ("purge_valve", "stuck_off", ("check_purge_valve", CheckOutcome.UNDRIVEN)),
            ("purge_valve", "stuck_on", ("check_purge_valve", CheckOutcome.STAYS_ON)),
            ("coolant_sensor", "open", ("check_engine_module", CheckOutcome.PART)),
        ):
            fault = Fault(f"{mode}:driver", "driver in the control unit", "driver", (1.0,), 1.0, UNIT)
            in_unit = Conclusion(UNIT, UNIT, 0.97, (fault,), True, False, 0.9)
            self.assertEqual(check_of(known, circuit_for(known, part), in_unit), told)

    def test_it_leads_only_once_wires_and_part_were_measured_good(self) -> None:
        before = read(FOUR, "P0443").assessment
        after = read(FOUR, "P0443", tests={"check_purge_valve": CheckOutcome.UNDRIVEN}).assessment
        name = "undriven_purge_valve"
        self.assertLess(next(s.probability for s in before.suspects if s.id == name), 0.1)
        self.assertEqual(after.suspects[0].id, name)

    def test_a_short_that_is_measured_is_there(self) -> None:
        """Hardly anybody measures a short that is none: it outweighs how rare shorts are."""
        found = read(FOUR, "P0131", tests={"check_oxygen_sensor_b1s1": CheckOutcome.SHORT_GROUND}).assessment
        self.assertEqual(found.suspects[0].id, "short_ground_oxygen_sensor_b1s1")


class MeasuredGood(unittest.TestCase):
    def test_what_its_own_check_did_not_show_is_looked_at_again_before_it_is_mended(self) -> None:
        both = ("P2123", "P2128")
        good = {"check_low_reference_pedal": CheckOutcome.GOOD, "check_plug_pedal": CheckOutcome.GOOD}
        found = read(FOUR, *both, tests=good).judged.next
        self.assertIsNot(found.act, Act.GUESS)
        assert found.test
        self.assertIn(found.test.checks, ("pedal_sensor", "pedal_sensor_b"))

    def test_a_circuit_found_good_though_its_code_stands_is_measured_once_more(self) -> None:
        """Nobody is pointed at then, but the car does not go home on one reading."""
        looked = {"check_fuel_level_sensor": CheckOutcome.GOOD, "wiggle": "good", "provoke": "good"}
        once = read(FOUR, "P0462", tests=looked).judged.next
        self.assertEqual((once.act, once.test and once.test.id), (Act.TEST, "check_fuel_level_sensor"))
        self.assertIn("A code of this circuit stands", once.why)

    def test_a_finding_that_fits_nothing_still_speaks_for_its_own_circuit(self) -> None:
        """A short to a feed does not explain a low signal: one of the two is misread, and all is well no likelier."""
        before = read(FOUR, "P0102").assessment.nothing
        after = read(FOUR, "P0102", tests={"check_air_flow_meter": CheckOutcome.SHORT_FEED}).assessment.nothing
        self.assertLess(after, before + 0.05)


if __name__ == "__main__":
    unittest.main()
