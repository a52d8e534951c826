"""What an instrument shows at a stand-in's wires: its circuit with what is really wrong put in, solved.

The stand-in is given the circuit (how such a part is wired) and knows its own condition; of faults that could be, or
how likely they are, it knows nothing.
"""

from __future__ import annotations

from dataclasses import replace
from random import Random

import numpy as np

from gumshoe.core.circuits.faults import Fault, FaultModel
from gumshoe.core.circuits.instruments import MOST_OHM, SHINES, Instrument, Probe, predicted, spread
from gumshoe.core.circuits.loops import Floats
from gumshoe.core.circuits.netlist import Circuit
from gumshoe.simulator.finding import Finding
from gumshoe.simulator.vehicle import Key, Vehicle
from gumshoe.simulator.wires import with_wrong, wrong_in

SAMPLES = 20_000
SCOPE_NOISE_V = 0.02
NOISE = 0.4
"""Share of an instrument's stated inaccuracy that a careful hand shows (common practice)."""


def measure(vehicle: Vehicle, circuit: Circuit, probe: Probe) -> Finding:
    """What an instrument shows at a probe of a circuit; the same probe shows the same again until something is
    mended."""
    if probe.setting.powered and probe.instrument is not Instrument.LOOK and vehicle.key is Key.OFF:
        return Finding("The key is off: nothing is fed.")
    # One fault as a variant of the sound circuit (what works is told by its usual current), any further ones put in.
    wrong = list(wrong_in(vehicle.parts, circuit.id, circuit))
    first = [Fault(f"real:{name}", "", name, (ohm,), 1.0) for name, ohm in wrong[:1]]
    made = FaultModel(with_wrong(circuit, wrong[1:]), (Fault("none", "", "", (1.0,), 1.0), *first))
    off = frozenset(_plugs_of(vehicle.parts.unplugged, circuit))
    real = replace(probe, setting=replace(probe.setting, unplugged=probe.setting.unplugged | off))
    if probe.instrument is Instrument.LOOK:
        bad = probe.plus in _plugs_of(vehicle.parts.unplugged | vehicle.parts.loose, circuit)
        return Finding("bad" if bad else _word(probe, float(predicted(made, probe)[-1])))
    value = float(predicted(made, real)[-1])
    if probe.instrument in SHINES:
        return Finding(_word(probe, value))
    if probe.instrument is Instrument.OHM and value >= MOST_OHM:
        return Finding("OL")
    draw = Random(f"{vehicle.identity.vin} {circuit.id} {probe}")
    value += NOISE * draw.gauss(0.0, 1.0) * float(spread(real, np.array([value]))[0])
    if probe.instrument is Instrument.OHM:
        value = max(value, 0.0)
    digits = 2 if abs(value) < 100.0 else 0
    return Finding(str(probe.instrument), round(value, digits), probe.unit)


def record(
    vehicle: Vehicle, circuit: Circuit, probe: Probe, *, hz: float, seconds: float, moving: bool
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


def _level(vehicle: Vehicle, circuit: Circuit, probe: Probe, command: float, off: frozenset[str]) -> float:
    """The steady voltage at a probe with the command off or on."""
    steady = replace(probe.setting, command=command, unplugged=probe.setting.unplugged | off)
    found = measure(vehicle, circuit, replace(probe, instrument=Instrument.METER, setting=steady))
    return found.value or 0.0


def _word(probe: Probe, value: float) -> str:
    words = SHINES[probe.instrument]
    return min(words, key=lambda word: abs(words[word] - value))


def _plugs_of(components: set[str], circuit: Circuit) -> list[str]:
    """The connectors of those components in this circuit: its own, or those of members of a shared point."""
    names = ["part"] * (circuit.id in components) + [f"part_{key}" for key in circuit.members if key in components]
    return [name for name in names if name in circuit.connectors]
