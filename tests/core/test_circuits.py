"""Circuits against closed forms, against ngspice (Debian's package, an independent simulator), and situations.

Node voltages of every shipped circuit under every fault in every size, command and plug: within a millivolt of ngspice.
Situations: numbers of our own, rules of the trade (common practice, no source).
"""

import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path
from random import Random
from typing import Any

import numpy as np
from django.test import tag

from gumshoe.core.circuits import (
    GROUND,
    Circuit,
    FaultModel,
    Instrument,
    Probe,
    ProbeReading,
    Setting,
    contradiction,
    groups,
    left,
    model,
    propose,
    templates,
)
from gumshoe.core.circuits.instruments import LAMP_WORDS, minutes_of, predicted, probes, spread
from gumshoe.core.circuits.library import circuit_for
from gumshoe.core.circuits.netlist import Element, Kind, Place
from gumshoe.core.circuits.solver import filament_ohm, lamp_voltage, meter, resistances, solve
from gumshoe.core.circuits.templates import Member, drawn
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import platforms

KNOWN = expand(platforms()["ostrel_tern_16"].powertrain)
PART = frozenset({"part"})


def built(*elements: Element, places: tuple[Place, ...] = ()) -> Circuit:
    return Circuit("t", "t", elements, places)


def resistor(name: str, a: str, b: str, ohm: float) -> Element:
    return Element(name, Kind.WIRE, a, b, name, ohm)


def battery(volts: float = 12.0, ohm: float = 1e-6) -> Element:
    return Element("battery", Kind.SUPPLY, "plus", GROUND, "battery", ohm, volts)


def sound(circuit: Circuit, setting: Setting | None = None, driven: bool = False):  # type: ignore[no-untyped-def]
    stands = setting or Setting()
    return solve(circuit, resistances(circuit, stands, driven)[None, :], stands)


class ClosedForms(unittest.TestCase):
    def test_a_meter_loads_a_divider(self) -> None:
        # Two equal resistors of 10 MΩ: half of the supply with nothing on it, a third with a meter of 10 MΩ.
        found = sound(built(battery(), resistor("a", "plus", "m", 10e6), resistor("b", "m", GROUND, 10e6)))
        self.assertAlmostEqual(float(found.open_voltage("m", GROUND)[0]), 6.0, places=3)
        self.assertAlmostEqual(float(meter(found, "m")[0]), 4.0, places=3)

    def test_a_bridge(self) -> None:
        # Wheatstone: balanced 0 V; else U·(R2/(R1+R2) − R4/(R3+R4)).
        for r4, expected in ((200.0, 0.0), (300.0, 12.0 * (200 / 300 - 300 / 400))):
            found = sound(
                built(
                    battery(),
                    resistor("r1", "plus", "x", 100.0),
                    resistor("r2", "x", GROUND, 200.0),
                    resistor("r3", "plus", "y", 100.0),
                    resistor("r4", "y", GROUND, r4),
                )
            )
            self.assertAlmostEqual(float(found.open_voltage("x", "y")[0]), expected, places=4)

    def test_thevenin_of_a_divider(self) -> None:
        found = sound(built(battery(), resistor("a", "plus", "m", 100.0), resistor("b", "m", GROUND, 300.0)))
        self.assertAlmostEqual(float(found.inner_ohm("m", GROUND)[0]), 75.0, places=3)

    def test_the_lamp_draws_what_its_filament_lets_through(self) -> None:
        # v = v0 − R·v / R_filament(v), to be satisfied at the root.
        for inner in (0.05, 5.0, 30.0, 5000.0):
            found = sound(built(battery(), resistor("a", "plus", "m", inner), resistor("b", "m", GROUND, 1e9)))
            volts = lamp_voltage(found, "m", GROUND)
            drawn_a = volts / filament_ohm(volts, 12.0, 4.0)
            self.assertAlmostEqual(float((12.0 - inner * drawn_a - volts)[0]), 0.0, places=5)
        self.assertAlmostEqual(float(filament_ohm(np.array([12.0]), 12.0, 4.0)[0]), 36.0)
        self.assertLess(float(filament_ohm(np.array([0.1]), 12.0, 4.0)[0]), 5.0)

    def test_an_ohmmeter_needs_the_supply_off(self) -> None:
        circuit = built(battery(), resistor("a", "plus", "m", 40.0), resistor("b", "m", GROUND, 60.0))
        off = sound(circuit, Setting(powered=False))
        self.assertAlmostEqual(float(off.inner_ohm("m", GROUND)[0]), 60.0, places=3)
        self.assertAlmostEqual(float(off.open_voltage("m", GROUND)[0]), 0.0)

    def test_a_lamp_in_the_circuit(self) -> None:
        lamp = Element("lamp", Kind.LAMP, "m", GROUND, "lamp", 1.0, 12.0, 4.0)
        circuit = built(battery(), resistor("a", "plus", "m", 20.0), lamp)
        found = model(circuit).solved(Setting(), driven=False)  # the sound circuit is its first variant
        volts = float(found.open_voltage("m", GROUND)[0])
        self.assertAlmostEqual((12.0 - volts) / 20.0, volts / float(filament_ohm(np.array([volts]), 12.0, 4.0)[0]), 5)


class AgainstNodalAnalysis(unittest.TestCase):
    """Random nets: our loops against the node equations (Kirchhoff's current law) and numpy's solver."""

    def net(self, draw: Random, nodes: int) -> Circuit:
        names = ["plus", *(f"n{number}" for number in range(1, nodes)), GROUND]
        elements = [battery(ohm=0.02)]
        for number, node in enumerate(names[1:-1], 1):  # every node hangs on an earlier one
            elements.append(resistor(f"t{number}", node, draw.choice([*names[:number], GROUND]), self.ohm(draw)))
        for number in range(nodes):
            a, b = draw.sample(names, 2)
            elements.append(resistor(f"l{number}", a, b, self.ohm(draw)))
        return built(*elements)

    def ohm(self, draw: Random) -> float:
        return 10.0 ** draw.uniform(-2.0, 6.0)

    def nodal(self, circuit: Circuit, ohms: Any) -> Any:
        """Node voltages and node resistances."""
        index = {node: place for place, node in enumerate(circuit.nodes)}
        matrix, injected = np.zeros((len(index), len(index))), np.zeros(len(index))
        for item, ohm in zip(circuit.elements, ohms, strict=True):
            for at, other in ((item.a, item.b), (item.b, item.a)):
                if at in index:
                    matrix[index[at], index[at]] += 1.0 / ohm
                    if other in index:
                        matrix[index[at], index[other]] -= 1.0 / ohm
            if item.kind is Kind.SUPPLY:
                injected[index[item.a]] += item.volts / ohm
        return np.linalg.solve(matrix, injected), np.linalg.inv(matrix)

    def test_voltages_and_inner_resistances_of_random_nets(self) -> None:
        draw = Random(7)
        for nodes in (2, 3, 5, 9, 17, 30):
            for _ in range(5):
                circuit = self.net(draw, nodes)
                ohms = resistances(circuit, Setting(), False)
                found, (volts, inverse) = sound(circuit), self.nodal(circuit, ohms)
                np.testing.assert_allclose(found.volts[0], volts, rtol=1e-6, atol=1e-6)
                inner = [float(found.inner_ohm(node, GROUND)[0]) for node in circuit.nodes]
                np.testing.assert_allclose(inner, np.diag(inverse), rtol=1e-5, atol=1e-6)

    def test_every_fault_and_size_of_random_nets(self) -> None:
        draw = Random(8)
        for nodes in (3, 6, 12):
            made = model(self.net(draw, nodes))
            found, states = made.solved(Setting(), driven=False), made.states(Setting(), driven=False)
            for variant, ohms in enumerate(states):
                volts, inverse = self.nodal(made.wired, ohms)
                np.testing.assert_allclose(found.volts[variant], volts, rtol=1e-5, atol=1e-4)
                node = draw.choice(made.circuit.nodes)
                place = made.circuit.nodes.index(node)
                self.assertAlmostEqual(
                    float(found.inner_ohm(node, GROUND)[variant]) / float(inverse[place, place]), 1.0, delta=1e-4
                )

    def test_several_settings_at_once_are_each_as_alone(self) -> None:
        circuit = drawn(templates()["ground of smart coil"], "ring", "the ring")
        some = [
            (Setting(command, frozenset(off)), command > 0.0) for command in (0.0, 1.0) for off in ((), ("part_one",))
        ]
        together = model(circuit)
        together.prepare([*some, (Setting(powered=False), False)])
        for setting, driven in some:
            alone = model(circuit).solved(setting, driven=driven)
            np.testing.assert_allclose(together.solved(setting, driven=driven).volts, alone.volts, atol=1e-9)


class Names(unittest.TestCase):
    def test_what_does_not_fit_is_named(self) -> None:
        with self.assertRaisesRegex(DataError, "hangs on nothing"):
            sound(built(battery(), resistor("a", "x", "y", 1.0)))
        with self.assertRaisesRegex(DataError, "no node “nowhere”"):
            built(battery(), places=(Place("nowhere", "", 1.0),))
        with self.assertRaisesRegex(DataError, "appears twice"):
            built(battery(), battery())
        with self.assertRaisesRegex(BadInput, "no component"):
            circuit_for(KNOWN, "flux_box")
        with self.assertRaisesRegex(BadInput, "No circuit is known for"):
            circuit_for(KNOWN, "catalyst")
        self.assertIn("purge valve", circuit_for(KNOWN, "purge_valve").words)


@tag("long")
@unittest.skipUnless(shutil.which("ngspice"), "ngspice is installed by run.py test")
class AgainstNgspice(unittest.TestCase):
    """Every variant is a circuit of its own in one deck: the same elements, nothing of our solver."""

    def deck(self, made: FaultModel, setting: Setting, driven: bool) -> tuple[str, list[tuple[int, str]]]:
        wired, rows, asked = made.wired, ["every variant"], list[tuple[int, str]]()
        for variant, ohms in enumerate(made.states(setting, driven=driven)):
            for number, item in enumerate(wired.elements):
                if not np.isfinite(ohms[number]):
                    continue  # a latent path that this fault has not
                a, b = (n if n == GROUND else f"{n}_{variant}" for n in (item.a, item.b))
                name = f"{number}x{variant}"
                if item.kind is Kind.SUPPLY:
                    rows.append(f"V{name} s{name} {b} {item.volts}")
                    a, b = f"s{name}", a
                filament = item.volts**2 / item.watts if item.kind is Kind.LAMP else 0.0
                if filament and abs(ohms[number] / filament - 1.0) < 1e-9:  # the same filament law, given to both
                    law = f"{filament:.12g}*max(pow(max(abs(v({a},{b})),1e-9)/{item.volts},0.45),0.08)"
                    rows.append(f"B{name} {a} {b} I=v({a},{b})/({law})")
                else:
                    rows.append(f"R{name} {a} {b} {ohms[number]:.12g}")
            asked += [(variant, node) for node in wired.nodes]
        rows += [".options gmin=1e-15 reltol=1e-9 abstol=1e-15 vntol=1e-9", ".control", "op", "print all"]
        return "\n".join([*rows, ".endc", ".end", ""]), asked

    def compared(self, made: FaultModel, setting: Setting, driven: bool) -> tuple[float, int]:
        """Worst difference of a node voltage and how many were compared. Also: at the other simulator's voltages, every
        relay and output stands as its needs say."""
        text, asked = self.deck(made, setting, driven)
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "deck.cir"
            file.write_text(text)
            out = subprocess.run(["ngspice", "-b", str(file)], capture_output=True, text=True, check=False)
        shown = (line.split(" = ") for line in out.stdout.splitlines() if line.count(" = ") == 1)
        values = {name: float(value) for name, value in shown if "_" in name}
        self.assertFalse([1 for number, node in asked if f"{node}_{number}" not in values], out.stderr[-500:])
        told = [values[f"{node}_{number}"] for number, node in asked]
        solved, states = made.solved(setting, driven=driven), made.states(setting, driven=driven)
        theirs = np.array(told).reshape(len(states), -1)
        found = dict(zip(made.wired.nodes, theirs.T, strict=True)) | {GROUND: np.zeros(len(states))}
        for column, item in enumerate(made.wired.elements):
            if not item.needs or (item.id in made.circuit.commanded and not driven):
                continue
            met = np.logical_and.reduce([found[n.plus] - found[n.minus] >= n.volts for n in item.needs])
            own = made.column == column  # a relay or output that is itself at fault heeds nothing
            pulled = item.connector in setting.unplugged
            on = states[:, column] < 0.5 * item.off_ohm
            # Off though its needs are met: switching on would take them away again (a bad ground under its own load).
            chatters = met & ~on
            self.assertTrue(np.all((on == met) | own | pulled | chatters), f"{made.circuit.id}: {item.id}")
            self.assertLess(np.mean(chatters & ~own) * (not pulled), 0.1, f"{made.circuit.id}: {item.id}")
        return float(np.abs(theirs - solved.volts).max()), theirs.size

    def test_every_circuit_fault_size_command_and_plug(self) -> None:
        worst, compared = 0.0, 0
        for name, template in templates().items():
            made = model(drawn(template, name, "the part"))
            for unplugged in (frozenset[str](), *(frozenset({name}) for name in made.circuit.connectors)):
                for driven in (False, True) if template.commanded else (False,):
                    off, count = self.compared(made, Setting(1.0 if driven else 0.0, unplugged), driven)
                    with self.subTest(name, unplugged=set(unplugged), driven=driven):
                        self.assertLess(off, 1e-3)
                    worst, compared = max(worst, off), compared + count
        self.assertGreater(compared, 300_000)

    def test_shared_points_with_as_many_parts_as_they_show(self) -> None:
        for name, template in templates().items():
            if not template.each:
                continue
            parts = tuple(Member(f"p{number}", f"part {number}") for number in range(template.most))
            made = model(drawn(template, name, "the part", parts))
            for driven in (False, True) if template.commanded else (False,):
                with self.subTest(name, driven=driven):
                    self.assertLess(self.compared(made, Setting(1.0 if driven else 0.0), driven)[0], 1e-3)

    def test_without_supply_and_with_a_jumper(self) -> None:
        for name in ("load", "relay", "ground of smart coil"):
            made = model(drawn(templates()[name], name, "the part"))
            some = made.circuit.places[-1].node
            for setting in (Setting(powered=False), Setting(1.0, jumpers=frozenset({(some, GROUND)}))):
                if setting.powered:
                    ohms = made.states(setting, driven=True)
                    alone = solve(made.wired, ohms, setting)
                    np.testing.assert_allclose(made.solved(setting, driven=True).volts, alone.volts, atol=1e-4)
                else:
                    self.assertLess(float(np.abs(made.solved(setting, driven=False).volts).max()), 1e-9)


@tag("long")
class Situations(unittest.TestCase):
    def setUp(self) -> None:
        self.circuit = circuit_for(KNOWN, "purge_valve")
        self.made = model(self.circuit)

    def meter(self, node: str, volts: float, command: float = 0.0, off: frozenset[str] = frozenset()) -> ProbeReading:
        return ProbeReading(Probe(Instrument.METER, node, GROUND, Setting(command, off)), volts)

    def in_its_place(self, shine: str) -> ProbeReading:
        """A lamp between feed and control terminal, the valve off, commanded on."""
        return ProbeReading(Probe(Instrument.LAMP, "feed", "control", Setting(1.0, PART)), LAMP_WORDS[shine])

    def leaders(self, *readings: ProbeReading) -> set[str]:
        return {fault.id for fault in groups(self.made, readings)[0].faults}

    def test_low_with_the_load_on_and_a_lamp_that_follows_is_the_load(self) -> None:
        found = self.leaders(self.meter("control", 0.0), self.meter("feed", 12.5, 1.0), self.in_its_place("bright"))
        self.assertIn("open:load", found)
        self.assertFalse(any("driver" in name or name == "open:control_wire" for name in found))

    def test_the_same_with_a_dark_lamp_is_wire_or_driver(self) -> None:
        rows = left(self.made, [self.meter("control", 12.5), self.meter("feed", 12.5, 1.0), self.in_its_place("dark")])
        likely = {row.fault.id for row in rows if row.probability > 0.02}
        self.assertLessEqual(
            likely,
            {
                "open:control_wire",
                "open:unit_contact",
                "stuck_off:driver",
                "open:unit_ground_wire",
                "resistance:control_wire",
                "resistance:unit_contact",
                "resistance:unit_ground_wire",
            },
        )
        self.assertIn("stuck_off:driver", likely)

    def test_a_control_that_stays_down_without_the_load_and_the_unit_is_a_short(self) -> None:
        pulled = ProbeReading(Probe(Instrument.LAMP, "feed", "control", Setting(0.0, PART)), LAMP_WORDS["bright"])
        found = {row.fault.id for row in left(self.made, [pulled]) if row.probability > 0.05}
        self.assertLessEqual(found, {"short_ground:control_wire", "stuck_on:driver"})
        self.assertIn("short_ground:control_wire", found)
        self.assertGreater(len(found), 1)  # the driver stuck on is told apart only at the control unit

    def test_a_coil_with_feed_and_trigger_and_no_ground(self) -> None:
        made = model(drawn(templates()["smart coil"], "coil", "the coil"))
        readings = [
            self.meter("feed", 12.5, 1.0),
            self.meter("trigger", 4.8, 1.0),
            self.meter("ground", 11.5, 1.0),
        ]
        likely = {row.fault.id for row in left(made, readings) if row.probability > 0.05}
        self.assertTrue(likely)
        self.assertTrue(all("ground_wire" in name or "ring" in name for name in likely), likely)
        at_the_ring = left(made, [*readings, self.meter("ring", 11.5, 1.0)])[0]
        self.assertTrue(at_the_ring.fault.id.endswith(":ring"))

    def test_a_jumper_near_the_coil_hides_the_broken_ring(self) -> None:
        made = model(drawn(templates()["smart coil"], "coil", "the coil"))
        at = [index for index, fault in enumerate(made.faults) if fault.id == "open:ring"]
        variant = int(np.flatnonzero(made.owner == at[0])[0])
        jumped = Setting(1.0, jumpers=frozenset({("ground", GROUND)}))
        for node in ("ground", "ring"):
            open_ring = predicted(made, Probe(Instrument.METER, node, GROUND, Setting(1.0)))[variant]
            hidden = predicted(made, Probe(Instrument.METER, node, GROUND, jumped))[variant]
            self.assertGreater(float(open_ring), 10.0)
            self.assertLess(float(hidden), 0.1)

    def test_a_thermistor_with_an_open_wire_and_with_an_open_low_reference(self) -> None:
        made = model(drawn(templates()["thermistor"], "t", "the sensor"))
        signal = {row.fault.id for row in left(made, [self.meter("signal", 0.0)]) if row.probability > 0.1}
        low = left(made, [self.meter("signal", 5.0), self.meter("low", 4.95)])
        self.assertTrue({"open:signal_wire", "open:unit_contact"} & signal)
        self.assertTrue(
            {row.fault.id for row in low if row.probability > 0.1}
            <= {
                "open:low_wire",
                "open:unit_low_contact",
            }
        )

    def test_a_lamp_never_goes_on_a_sensor_or_trigger(self) -> None:
        for name, template in templates().items():
            circuit = drawn(template, name, "x")
            takes = {place.node for place in circuit.places if place.takes_lamp} | {GROUND}
            for probe in probes(circuit):
                if probe.instrument is Instrument.LAMP:
                    self.assertLessEqual({probe.plus, probe.minus}, takes)
                if probe.instrument is Instrument.OHM:
                    self.assertFalse(probe.setting.powered)

    def test_readings_that_no_single_fault_explains(self) -> None:
        good = [self.meter("feed", 12.5), self.meter("control", 12.5)]
        self.assertIsNone(contradiction(self.made, good))
        slipped = self.meter("fuse_out", 3.3)
        self.assertIs(contradiction(self.made, [*good, slipped]), slipped)

    def test_a_sound_circuit_accuses_nobody(self) -> None:
        draw = Random(4)
        for template in templates().values():
            made = model(drawn(template, template.id, "x"))
            readings: list[ProbeReading] = []
            for _ in range(8):
                best = propose(made, readings, most=1)[0]
                if best.bits < 0.03:
                    break
                probe = best.probe
                value = float(predicted(made, probe)[0])
                noise = 0.5 * float(spread(probe, np.array([value]))[0]) * draw.gauss(0.0, 1.0)
                readings.append(ProbeReading(probe, value + noise))
            leading = groups(made, readings)[0]
            self.assertIn("none", [fault.id for fault in leading.faults], template.id)


class EveryKind(unittest.TestCase):
    def test_most_components_of_an_engine_have_a_circuit(self) -> None:
        kinds = {item.row.circuit for item in KNOWN.components.values() if item.row.circuit}
        self.assertLessEqual(kinds - set(templates()), {"oxygen sensor", "module"})
        for component in KNOWN.components.values():
            if component.row.circuit in templates():
                self.assertIn(component.words, circuit_for(KNOWN, component.id).words)

    def test_sound_values_are_those_of_the_trade(self) -> None:
        """Common practice: feed at battery voltage, ground within a few millivolts, a switch pulls its signal down."""

        def shows(name: str, node: str, command: float = 0.0) -> float:
            made = model(drawn(templates()[name], name, "x"))
            return float(predicted(made, Probe(Instrument.METER, node, GROUND, Setting(command)))[0])

        self.assertAlmostEqual(shows("load", "control"), 12.6, delta=0.1)
        self.assertLess(shows("load", "control", 1.0), 0.3)
        self.assertAlmostEqual(shows("load", "control", 0.5), 6.4, delta=0.3)
        self.assertAlmostEqual(shows("switch", "signal"), 5.0, delta=0.05)
        self.assertLess(shows("switch", "signal", 1.0), 0.05)
        self.assertLess(abs(shows("hall sensor", "low")), 0.02)
        self.assertTrue(0.4 < shows("reference sensor", "signal") < 4.6)
        self.assertTrue(1.0 < shows("thermistor", "signal") < 4.0)
        self.assertGreater(shows("motor", "plug_a", 1.0) - shows("motor", "plug_b", 1.0), 9.0)

    def test_a_lost_low_reference_lifts_signal_and_low_alike(self) -> None:
        made = model(drawn(templates()["reference sensor"], "r", "the sensor"))
        at = [
            ProbeReading(Probe(Instrument.METER, node, GROUND, Setting()), volts)
            for node, volts in (("signal", 4.9), ("low", 4.9))
        ]
        likely = {row.fault.id for row in left(made, at) if row.probability > 0.05}
        self.assertLessEqual(likely, {"open:low_wire", "open:unit_low_contact"})
        self.assertTrue(likely)


class NextProbe(unittest.TestCase):
    def test_proposals_fall_by_bits_per_minute_and_are_new(self) -> None:
        made = model(circuit_for(KNOWN, "purge_valve"))
        first = propose(made, [])
        rates = [item.bits / item.minutes for item in first]
        self.assertEqual(rates, sorted(rates, reverse=True))
        self.assertTrue(all(item.minutes == minutes_of(made.circuit, item.probe) for item in first))
        reading = ProbeReading(first[0].probe, float(predicted(made, first[0].probe)[0]))
        self.assertNotIn(first[0].probe, [item.probe for item in propose(made, [reading])])

    def test_following_the_proposals_finds_the_fault(self) -> None:
        """Every fault of a thermistor's circuit at a size of its own, readings with noise: it ends with that fault or
        with those that no probe tells from it."""
        draw = Random(7)
        made = model(drawn(templates()["thermistor"], "t", "the sensor"))
        found = tried = 0
        for index, fault in enumerate(made.faults):
            variant = int(draw.choice(list(np.flatnonzero(made.owner == index))))
            readings: list[ProbeReading] = []
            for _ in range(6):
                wanted = propose(made, readings, most=1)
                if not wanted or wanted[0].bits < 0.01:
                    break
                probe = wanted[0].probe
                value = predicted(made, probe)[variant]
                noise = 0.5 * float(spread(probe, np.array([value]))[0]) * draw.gauss(0.0, 1.0)
                readings.append(ProbeReading(probe, float(value) + noise))
            tried += 1
            ended = groups(made, readings, least=0.001)
            found += any(fault in group.faults and group.probability > 0.02 for group in ended)
        self.assertGreaterEqual(found / tried, 0.9)
