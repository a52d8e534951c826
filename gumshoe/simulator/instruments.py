"""A shop's instruments at a circuit as it really is: each is part of the circuit while it hangs on it.

Resistances and inaccuracies of usual instruments: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Callable
from random import Random

from gumshoe.core.circuits.netlist import GROUND, Circuit, Element, Instrument, Kind, Probe, Setting
from gumshoe.simulator.finding import Finding
from gumshoe.simulator.nodes import Nodes, State

METER = Element("meter", Kind.INPUT, "", "", "voltmeter", 10e6)
AMMETER = Element("ammeter", Kind.WIRE, "", "", "ammeter", 0.05)
TEST_LAMP = Element("test lamp", Kind.LAMP, "", "", "test lamp", volts=12.0, watts=4.0)
OVER_RANGE_OHM = 2e6
DIM_FROM_V, BRIGHT_FROM_V = 3.5, 9.0
MOVES, BLOCKS = 0.5, 4.0
"""A load works between these shares of its usual current: less moves nothing, more has blown or cannot turn."""
VOLTS, MILLIVOLTS, OHMS, AMPERES = (0.008, 0.024), (0.008, 0.006), (0.016, 0.16), (0.02, 0.008)
"""How a reading strays: share of it, and at least."""
FINE_V = 0.5
"""Below this a drop between two live places is read in the finer range."""


def shown(circuit: Circuit, sound: Circuit, probe: Probe, draw: Random) -> Finding:
    """What an instrument shows at ``circuit`` as it is; ``sound``: the same as it should be, by which one hears whether
    a load works."""
    instrument = probe.instrument
    if instrument is Instrument.HEARD:
        return Finding("works" if _works(circuit, sound, probe) else "nothing")
    if instrument is Instrument.LAMP:
        volts = abs(_over_time(probe, lambda state: _across(circuit, state, probe, TEST_LAMP)))
        return Finding("dark" if volts < DIM_FROM_V else "dim" if volts < BRIGHT_FROM_V else "bright")
    if instrument is Instrument.OHM:
        state = State(unplugged=probe.setting.unplugged, powered=False)
        ohm = Nodes(circuit, state).inner_ohm(probe.plus, probe.minus)
        if ohm >= OVER_RANGE_OHM:
            return Finding("OL")
        return _read(probe, max(_strayed(ohm, OHMS, draw), 0.0))
    if instrument is Instrument.AMMETER:
        amperes = _over_time(probe, lambda state: _across(circuit, state, probe, AMMETER) / AMMETER.ohm)
        return _read(probe, _strayed(amperes, AMPERES, draw))
    volts = _over_time(probe, lambda state: _across(circuit, state, probe, METER))
    fine = probe.minus != GROUND and abs(volts) < FINE_V
    return _read(probe, _strayed(volts, MILLIVOLTS if fine else VOLTS, draw))


def _over_time(probe: Probe, at: Callable[[State], float]) -> float:
    """What is shown of a command given as a share of time: the mean of its phases, or the scope's higher or lower."""
    setting, found = probe.setting, []
    for driven, share in ((True, setting.command), (False, 1.0 - setting.command)):
        if share > 0.0:
            found.append((at(state_of(setting, driven)), share))
    if probe.instrument is Instrument.SCOPE_HIGH:
        return max(value for value, _ in found)
    if probe.instrument is Instrument.SCOPE_LOW:
        return min(value for value, _ in found)
    return sum(value * share for value, share in found)


def state_of(setting: Setting, driven: bool) -> State:
    """One phase of a setting."""
    return State(driven, setting.unplugged, setting.powered, setting.jumpers, setting.alone)


def _across(circuit: Circuit, state: State, probe: Probe, instrument: Element) -> float:
    """Volts across an instrument that hangs between the leads."""
    hung = Element(
        instrument.id, instrument.kind, probe.plus, probe.minus, instrument.words, instrument.ohm, instrument.volts,
        instrument.watts,
    )  # fmt: skip
    return Nodes(circuit, state, (hung,)).between(probe.plus, probe.minus)


def _works(circuit: Circuit, sound: Circuit, probe: Probe) -> bool:
    usual = Nodes(sound, State(bool(sound.commanded))).amperes(probe.plus)
    share = _over_time(probe, lambda state: Nodes(circuit, state).amperes(probe.plus)) / usual
    return MOVES <= share <= BLOCKS


def _strayed(value: float, by: tuple[float, float], draw: Random) -> float:
    share, least = by
    return value + draw.gauss(0.0, 1.0) * (share * abs(value) + least)


def _read(probe: Probe, value: float) -> Finding:
    return Finding(str(probe.instrument), round(value, 2 if abs(value) < 100.0 else 0), probe.unit)
