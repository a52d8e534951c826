"""The stand-in's own bench: its solver against one written by others, its instruments as part of the circuit."""

from __future__ import annotations

import shutil
import subprocess
import unittest
from random import Random

from gumshoe.core.circuits.netlist import GROUND, OPEN_OHM, Circuit, Element, Instrument, Kind, Probe
from gumshoe.core.circuits.templates import drawn, templates
from gumshoe.simulator.hands import observe
from gumshoe.simulator.instruments import shown
from gumshoe.simulator.models import models
from gumshoe.simulator.nodes import Nodes, State
from gumshoe.simulator.vehicle import Identity, Vehicle
from gumshoe.simulator.wires import with_wrong


def divider(upper: float, lower: float) -> Circuit:
    return Circuit(
        "divider", "divider",
        (
            Element("battery", Kind.SUPPLY, "top", GROUND, "battery", 0.01, 12.6),
            Element("upper", Kind.SENSOR, "top", "middle", "upper", upper),
            Element("lower", Kind.SENSOR, "middle", GROUND, "lower", lower),
        ), (),
    )  # fmt: skip


def read(circuit: Circuit, probe: Probe, sound: Circuit | None = None) -> float:
    """The mean of many readings: what is shown, less the hand's and the instrument's straying."""
    values = [shown(circuit, sound or circuit, probe, Random(seed)).value for seed in range(200)]
    return sum(value for value in values if value is not None) / len(values)


class Solver(unittest.TestCase):
    def test_a_divider_and_its_inner_resistance(self) -> None:
        """Ohm's law; Thévenin: two resistances side by side."""
        nodes = Nodes(divider(2000.0, 1000.0), State())
        self.assertAlmostEqual(nodes.between("middle", GROUND), 12.6 / 3.0, places=3)
        self.assertAlmostEqual(nodes.inner_ohm("middle", GROUND), 2000.0 / 3.0, delta=0.1)
        self.assertAlmostEqual(nodes.amperes("upper"), 12.6 / 3000.0, places=6)

    @unittest.skipUnless(shutil.which("ngspice"), "ngspice is not here")
    def test_every_circuit_against_ngspice(self) -> None:
        """General-purpose reference: ngspice, operating point of every linear circuit without self-switching parts."""
        for name, template in templates().items():
            circuit = drawn(template, name, name)
            if any(item.kind is Kind.LAMP or item.needs for item in circuit.elements):
                continue
            for driven in (False, True):
                with self.subTest(name, driven=driven):
                    nodes = Nodes(circuit, State(driven))
                    for node, volts in self.spice(circuit, driven).items():
                        self.assertAlmostEqual(nodes.between(node, GROUND), volts, delta=0.002, msg=node)

    def spice(self, circuit: Circuit, driven: bool) -> dict[str, float]:
        number = {node: str(place + 1) for place, node in enumerate(circuit.nodes)} | {GROUND: "0"}
        lines = ["circuit"]
        for place, item in enumerate(circuit.elements):
            a, b = number[item.a], number[item.b]
            ohm = item.off_ohm if item.id in circuit.commanded and not driven else item.ohm
            if item.kind is Kind.SUPPLY:
                lines += [f"V{place} {a} s{place} {item.volts}", f"Rs{place} s{place} {b} {ohm}"]
            elif item.kind is not Kind.LATENT:
                lines.append(f"R{place} {a} {b} {ohm}")
        lines += [".options rshunt=1e15 reltol=1e-7", ".control", "op"]
        lines += [f"print v({number[node]})" for node in circuit.nodes] + [".endc", ".end"]
        told = subprocess.run(["ngspice", "-b"], input="\n".join(lines), capture_output=True, text=True, check=False)
        found = [float(line.split("=")[1]) for line in told.stdout.splitlines() if line.startswith("v(")]
        self.assertEqual(len(found), len(circuit.nodes), told.stdout + told.stderr)
        return dict(zip(circuit.nodes, found, strict=True))


class Instruments(unittest.TestCase):
    def test_a_voltmeter_loads_what_it_reads(self) -> None:
        """10 MΩ at the middle of twice 10 MΩ reads a third of the supply, not half."""
        self.assertAlmostEqual(read(divider(10e6, 10e6), Probe.at(Instrument.METER, "middle", GROUND)), 4.2, delta=0.05)

    def test_an_ammeter_and_an_ohmmeter(self) -> None:
        circuit = divider(11.0, 1.0)
        amperes = read(circuit, Probe.at(Instrument.AMMETER, "middle", GROUND))
        self.assertAlmostEqual(amperes, 12.6 / 11.06 * (1.0 / 1.05), delta=0.05)
        self.assertAlmostEqual(read(circuit, Probe.at(Instrument.OHM, "middle", GROUND)), 1.0, delta=0.05)
        self.assertEqual(
            shown(divider(OPEN_OHM, OPEN_OHM), circuit, Probe.at(Instrument.OHM, "middle", GROUND), Random(1)).words,
            "OL",
        )

    def test_a_test_lamp_shines_behind_a_good_feed_only(self) -> None:
        for ohm, words in ((0.05, "bright"), (30.0, "dim"), (2000.0, "dark")):
            found = shown(divider(ohm, 1e6), divider(ohm, 1e6), Probe.at(Instrument.LAMP, "middle", GROUND), Random(1))
            self.assertEqual(found.words, words, ohm)

    def test_a_load_is_heard_by_its_current(self) -> None:
        sound = drawn(templates()["load"], "purge_valve", "purge valve")
        part = next(item.id for item in sound.elements if item.heard)
        probe = Probe.at(Instrument.HEARD, part, "", 1.0)
        self.assertEqual(shown(sound, sound, probe, Random(1)).words, "works")
        wire = next(item.id for item in sound.elements if item.kind is Kind.WIRE)
        self.assertEqual(shown(with_wrong(sound, [(wire, 400.0)]), sound, probe, Random(1)).words, "nothing")

    def test_a_duty_is_a_mean_to_the_meter_and_two_levels_to_the_scope(self) -> None:
        sound = drawn(templates()["load"], "purge_valve", "purge valve")
        at = [read(sound, Probe.at(kind, "control", GROUND, 0.25))
              for kind in (Instrument.METER, Instrument.SCOPE_HIGH, Instrument.SCOPE_LOW)]  # fmt: skip
        self.assertAlmostEqual(at[0], 0.75 * at[1] + 0.25 * at[2], delta=0.1)

    def test_a_relay_that_lacks_its_coil_feeds_nothing(self) -> None:
        circuit = drawn(templates()["relay"], "fuel_pump", "fuel pump")
        load = next(item for item in circuit.elements if item.heard)
        on, off = Nodes(circuit, State(True)), Nodes(circuit, State(False))
        self.assertGreater(on.between(load.a, load.b), 11.0)
        self.assertLess(abs(off.between(load.a, load.b)), 0.5)


class Hands(unittest.TestCase):
    def test_a_lost_reference_is_found_lost(self) -> None:
        """Else the test by unplugging would acquit what is truly gone."""
        car = Vehicle(Identity("UY0TN16A9G2000001", "T", 1), models()["fulmar_20"], seed=3)
        for lost, words in (({}, "stand."), ({"reference_reference_b": ("boost_sensor",)}, "stay away")):
            car.parts.open_points = dict(lost)
            found = observe(car, "reference_bus")
            assert found
            self.assertIn(words, found.words)
