"""What an instrument shows at a stand-in's wires: its circuit with what is really wrong put in, solved.

The stand-in is given the circuit (how such a part is wired) and knows its own condition; of faults that could be, or
how likely they are, it knows nothing, and its solver and instruments are its own.
"""

from __future__ import annotations

from dataclasses import replace
from random import Random

import numpy as np

from gumshoe.core.circuits.netlist import Circuit, Instrument, Probe
from gumshoe.simulator.car import Car
from gumshoe.simulator.finding import Finding
from gumshoe.simulator.identity import Key
from gumshoe.simulator.instruments import shown
from gumshoe.simulator.nodes import Floats
from gumshoe.simulator.wires import with_wrong, wrong_in

SAMPLES = 20_000
SCOPE_NOISE_V = 0.02


def measure(vehicle: Car, circuit: Circuit, probe: Probe) -> Finding:
    """What an instrument shows at a probe of a circuit; the same probe shows the same again until something is
    mended."""
    parts = vehicle.parts
    wrong = list(wrong_in(parts, circuit.id, circuit))
    if probe.instrument is Instrument.LOOK:
        apart = probe.plus in _plugs_of(parts.unplugged | parts.loose, circuit)
        terminals = {item.id for item in circuit.elements if item.connector == probe.plus}
        return Finding("bad" if apart or any(name in terminals for name, _ in wrong) else "clean and tight")
    if probe.setting.powered and vehicle.key is Key.OFF:
        return Finding("The key is off: nothing is fed.")
    off = frozenset(_plugs_of(parts.unplugged, circuit))
    real = replace(probe, setting=replace(probe.setting, unplugged=probe.setting.unplugged | off))
    draw = Random(f"{vehicle.identity.vin} {circuit.id} {probe}")
    return shown(with_wrong(circuit, wrong), circuit, real, draw)


def record(
    vehicle: Car, circuit: Circuit, probe: Probe, *, hz: float, seconds: float, moving: bool
) -> tuple[Floats, Floats]:
    """An oscilloscope's record at a probe (times in s, volts): its command as pulses at ``hz`` (0: steady on), the
    harness moved meanwhile or not. A half seated plug loses contact while it is moved."""
    draw = np.random.default_rng(list(f"{vehicle.identity.vin} {circuit.id} {probe.plus} {moving}".encode()))
    times = np.arange(0.0, seconds, seconds / SAMPLES)
    duty = probe.setting.command
    on = (times * hz) % 1.0 < duty if hz > 0.0 else np.full(SAMPLES, duty > 0.0)
    home = frozenset[str]()
    values = np.where(on, _level(vehicle, circuit, probe, 1.0, home), _level(vehicle, circuit, probe, 0.0, home))
    plugs = _plugs_of(vehicle.parts.loose, circuit)
    if moving and plugs and vehicle.key is not Key.OFF:
        gone = np.zeros(SAMPLES, dtype=np.bool_)
        for start in draw.uniform(0.35 * seconds, 0.6 * seconds, 5):
            gone |= (times >= start) & (times < start + draw.uniform(0.004, 0.02))
        off = frozenset(plugs)
        apart = np.where(on, _level(vehicle, circuit, probe, 1.0, off), _level(vehicle, circuit, probe, 0.0, off))
        values = np.where(gone, apart, values)
    return times, values + draw.normal(0.0, SCOPE_NOISE_V, SAMPLES)


def _level(vehicle: Car, circuit: Circuit, probe: Probe, command: float, off: frozenset[str]) -> float:
    """The steady voltage at a probe with the command off or on."""
    steady = replace(probe.setting, command=command, unplugged=probe.setting.unplugged | off)
    found = measure(vehicle, circuit, replace(probe, instrument=Instrument.METER, setting=steady))
    return found.value or 0.0


def _plugs_of(components: set[str], circuit: Circuit) -> list[str]:
    """The connectors of those components in this circuit: its own, or those of members of a shared point."""
    names = ["part"] * (circuit.id in components) + [f"part_{key}" for key in circuit.members if key in components]
    return [name for name in names if name in circuit.connectors]
