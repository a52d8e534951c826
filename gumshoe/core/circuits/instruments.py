"""What an instrument shows at a circuit, how exactly, where it may go, and the minutes it takes to put it there."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from itertools import combinations, pairwise

import numpy as np

from gumshoe.core.circuits.faults import FaultModel
from gumshoe.core.circuits.loops import Floats
from gumshoe.core.circuits.netlist import GROUND, Circuit, Instrument, Probe, Setting
from gumshoe.core.circuits.solver import Solved, ammeter, lamp_voltage, meter

SUPPLY_SHARE = 0.02
METER_V = 0.06
DROP_V = 0.015
"""How exactly a voltage drop is read between two places of one side, in the millivolt range."""
METER_SHARE = 0.01
"""How exactly a meter reads when the supply is known."""
AMP_SHARE, AMP_LEAST = 0.05, 0.02
OHM_SHARE, OHM_LEAST = 0.04, 0.4
LEAKY_SHARE, LEAKY_OHM = 0.14, 5e5
"""Towards the megohms a reading is made by moisture, dirt and the inputs of control units as well."""
MOST_OHM = 2e6
"""An ohmmeter shows over range from here on."""
LAMP_V, LAMP_SHARE = 0.6, 0.08
"""How well an eye tells the volts of a lamp by its light, and what an unknown supply adds."""
LAMP_WORDS = {"dark": 1.0, "dim": 6.0, "bright": 12.0}
HEARD_WORDS = {"nothing": 1.0, "works": 12.0}
LOOK_WORDS = {"bad": 1.0, "clean and tight": 12.0}
LOOKS_BAD, LOOKS_BAD_THOUGH_GOOD = 0.96, 0.03
"""How often a bad terminal is seen or felt with a spare pin, and how often a good one is blamed (common practice)."""
WORKS_FROM, WORKS_TO = 0.5, 4.0
"""A load works between these shares of its usual current: less moves nothing, more has blown or cannot turn."""
PLUG_MINUTES = 2.0
SUPPLY_OFF_MINUTES = 4.0
"""To take the battery off before an ohmmeter goes on, and to put it back."""
LISTEN_MINUTES, LOOK_MINUTES = 0.5, 2.0
DUTIES = (0.05, 0.95)
"""What a command given as a share of time is set to."""
CANNOT_BE = 1e-5
"""Chance of a reading that no fault explains: a lead slipped, a wrong pin (common practice)."""
FUSE_A = 10.0
"""The fuse of an ammeter or of a jumper."""


VOLTMETERS = (Instrument.METER, Instrument.SCOPE_HIGH, Instrument.SCOPE_LOW)
SHINES = {Instrument.LAMP: LAMP_WORDS, Instrument.HEARD: HEARD_WORDS, Instrument.LOOK: LOOK_WORDS}
"""Instruments that show a word, and the volts it stands for."""


def sweep(model: FaultModel, asked: Sequence[Probe]) -> list[Floats]:
    """What every variant shows at each of many probes; every setting that they need is solved at once."""
    settings = {stand(probe) for probe in asked if probe not in model.shown}
    model.prepare([(setting, driven) for setting in settings for driven, _ in phases(setting)])
    return [predicted(model, probe) for probe in asked]


def predicted(model: FaultModel, probe: Probe) -> Floats:
    """What every variant shows at a probe: volts, ohms or amperes; computed once for a model."""
    if probe in model.shown:
        return model.shown[probe]

    def shown(driven: bool) -> Floats:
        if probe.instrument is Instrument.HEARD:
            return _heard(model, probe, driven)
        if probe.instrument is Instrument.LOOK:
            return _looked(model, probe)
        return shows(model.solved(stand(probe), driven=driven), probe)

    found = model.shown[probe] = over_phases(probe, shown)
    return found


def stand(probe: Probe) -> Setting:
    """How the circuit stands while it is measured: an ohmmeter goes on without supply and without command."""
    setting = probe.setting
    return Setting(0.0, setting.unplugged, powered=False) if probe.instrument is Instrument.OHM else setting


def phases(setting: Setting) -> list[tuple[bool, float]]:
    """Command on and off, each with its share of the time; without what never is."""
    duty = setting.command
    return [(driven, share) for driven, share in ((True, duty), (False, 1.0 - duty)) if share > 0.0]


def over_phases(probe: Probe, shown: Callable[[bool], Floats]) -> Floats:
    """What is shown on a command given as a share of time: a meter the mean of the phases, an oscilloscope the higher
    or the lower. ``shown`` gives what is shown with the command on or off."""
    parts = [(shown(driven), share) for driven, share in phases(stand(probe))]
    first, last = parts[0][0], parts[-1][0]
    if probe.instrument is Instrument.SCOPE_HIGH:
        return np.maximum(first, last)
    if probe.instrument is Instrument.SCOPE_LOW:
        return np.minimum(first, last)
    return first if len(parts) == 1 else parts[0][1] * first + parts[1][1] * last


def shows(solved: Solved, probe: Probe) -> Floats:
    """What an instrument shows on solved variants, in one phase of the command."""
    if probe.instrument is Instrument.OHM:
        return np.minimum(solved.inner_ohm(probe.plus, probe.minus), MOST_OHM)
    if probe.instrument is Instrument.LAMP:
        return lamp_voltage(solved, probe.plus, probe.minus)
    if probe.instrument is Instrument.AMMETER:
        return ammeter(solved, probe.plus, probe.minus)
    return meter(solved, probe.plus, probe.minus)


def _heard(model: FaultModel, probe: Probe, driven: bool) -> Floats:
    """Whether a load works, as the volts of its word: by its current against that in the sound circuit, commanded."""
    currents = _current(model, probe.plus, probe.setting, driven)
    usual = float(_current(model, probe.plus, Setting(), bool(model.circuit.commanded))[0])
    share = currents / usual
    works = (share >= WORKS_FROM) & (share <= WORKS_TO)
    result: Floats = np.where(works, HEARD_WORDS["works"], HEARD_WORDS["nothing"])
    return result


def _looked(model: FaultModel, probe: Probe) -> Floats:
    """Whether the pins of a plug are good, as the number of its word."""
    terminals = {item.id for item in model.circuit.elements if item.connector == probe.plus}
    bad = np.array([fault.element in terminals for fault in model.faults])[model.owner]
    result: Floats = np.where(bad, LOOK_WORDS["bad"], LOOK_WORDS["clean and tight"])
    return result


def _current(model: FaultModel, element: str, setting: Setting, driven: bool) -> Floats:
    """Amperes through an element in every variant."""
    item = model.circuit.element(element)
    solved = model.solved(setting, driven=driven)
    result: Floats = np.abs(solved.open_voltage(item.a, item.b)) / model.ohms_of(element, setting, driven=driven)
    return result


def spread(probe: Probe, values: Floats) -> Floats:
    """Standard deviation of a reading around what was predicted."""
    if probe.instrument is Instrument.OHM:
        return (OHM_SHARE + LEAKY_SHARE * values / (values + LEAKY_OHM)) * np.abs(values) + OHM_LEAST
    if probe.instrument is Instrument.AMMETER:
        return AMP_SHARE * np.abs(values) + AMP_LEAST
    if probe.instrument in SHINES:
        return SUPPLY_SHARE * np.abs(values) + LAMP_V
    # A drop between two live places is read in a finer range than a voltage to the negative post.
    least = METER_V if probe.minus == GROUND else np.where(np.abs(values) < 0.5, DROP_V, METER_V)
    result: Floats = SUPPLY_SHARE * np.abs(values) + least
    return result


def exactness(probe: Probe, values: Floats) -> Floats:
    """Standard deviation of a reading where supply and sound parts are accounted for."""
    if probe.instrument in VOLTMETERS:
        return spread(probe, values) - (SUPPLY_SHARE - METER_SHARE) * np.abs(values)
    return spread(probe, values)


def fit(probe: Probe, value: float, values: Floats) -> Floats:
    """How well a reading fits what is predicted there; never quite not at all."""
    if probe.instrument is Instrument.LOOK:
        return looked_likelihood(values, value)
    if probe.instrument is Instrument.LAMP and value in LAMP_WORDS.values():
        return _shone_likelihood(values, value)
    density = np.exp(-0.5 * ((value - values) / spread(probe, values)) ** 2)
    result: Floats = np.maximum(density, CANNOT_BE)
    return result


def _shone_likelihood(values: Floats, word: float) -> Floats:
    """How likely a lamp is called so, ``values`` being the volts across it: every word has its range."""
    words = sorted(LAMP_WORDS.values())
    between = [-np.inf, *((a + b) / 2.0 for a, b in pairwise(words)), np.inf]
    place = words.index(word)
    deviation = np.hypot(LAMP_V, LAMP_SHARE * np.abs(values))
    below, above = (normal_cdf((edge - np.abs(values)) / deviation) for edge in between[place : place + 2])
    result: Floats = np.maximum(above - below, CANNOT_BE)
    return result


def normal_cdf(z: Floats) -> Floats:
    """Standard normal distribution function to three places (tanh form: Page, Applied Statistics 26(1), 1977)."""
    z = np.clip(z, -9.0, 9.0)
    result: Floats = 0.5 * (1.0 + np.tanh(math.sqrt(2.0 / math.pi) * (z + 0.044715 * z * z * z)))
    return result


def looked_likelihood(values: Floats, value: float) -> Floats:
    """How likely a plug looks as it does, ``values`` being what it is."""
    seen = np.where(values == LOOK_WORDS["bad"], LOOKS_BAD, LOOKS_BAD_THOUGH_GOOD)
    result: Floats = seen if value == LOOK_WORDS["bad"] else 1.0 - seen
    return result


def probes(circuit: Circuit) -> tuple[Probe, ...]:
    """Every probe worth proposing: the lamp only where it may load, the ohmmeter only without supply."""
    return tuple(_probes(circuit))


def commands(circuit: Circuit) -> tuple[float, ...]:
    """What the command is set to while one measures."""
    if not circuit.commanded:
        return (0.0,)
    return DUTIES if circuit.duty else (0.0, 1.0)


def _probes(circuit: Circuit) -> Iterator[Probe]:
    nodes = {place.node: place for place in circuit.places if not place.behind}
    for element in circuit.elements:
        if element.heard:
            for command in commands(circuit):
                yield Probe(Instrument.HEARD, element.id, "", Setting(command))
    for name in circuit.connectors:
        yield Probe(Instrument.LOOK, name, "", Setting())
    everywhere = nodes
    for unplugged in (frozenset[str](), *(frozenset({name}) for name in circuit.connectors)):
        off = Setting(0.0, unplugged, powered=False)
        pulled = {circuit.plug_of[name] for name in unplugged if name in circuit.plug_of}
        # One measures where one has unplugged, or at what the parts on a shared point share.
        nodes = {node: p for node, p in everywhere.items() if not pulled or p.member in ("", *pulled)}
        for command in commands(circuit):
            setting = Setting(command, unplugged)
            for node, place in nodes.items():
                yield Probe(Instrument.METER, node, GROUND, setting)
                if place.takes_lamp:
                    yield Probe(Instrument.LAMP, node, GROUND, setting)
            for plus, minus in circuit.drops:
                yield Probe(Instrument.METER, plus, minus, setting)
            for plus, minus in in_place_of(circuit, unplugged):
                yield Probe(Instrument.LAMP, plus, minus, setting)
        if not unplugged:
            yield from _one_at_a_time(circuit)
        for plus, minus in (*in_place_of(circuit, unplugged), *_own_pins(circuit, unplugged), *circuit.drops):
            yield Probe(Instrument.OHM, plus, minus, off)
        for node in nodes:
            yield Probe(Instrument.OHM, node, GROUND, off)


def _one_at_a_time(circuit: Circuit) -> Iterator[Probe]:
    """A shared point with one of its loads commanded alone: the drop tells whether the point or that load's branch
    makes it."""
    for member in dict.fromkeys(circuit.drives.values()):
        setting = Setting(1.0, alone=member)
        for place in circuit.places:
            if not place.behind and place.member in ("", member):
                yield Probe(Instrument.METER, place.node, GROUND, setting)


def in_place_of(circuit: Circuit, unplugged: frozenset[str]) -> list[tuple[str, str]]:
    """Two terminals of a pulled plug between which a lamp takes the part's place."""
    found = []
    for name in sorted(unplugged):
        ends = [end for item in circuit.elements if item.connector == name for end in (item.a, item.b)]
        sides = [place.node for place in circuit.places if place.takes_lamp and place.node in ends]
        found += list(combinations(sides, 2))
    return found


def _own_pins(circuit: Circuit, unplugged: frozenset[str]) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    for name in sorted(unplugged):
        found += combinations([place.node for place in circuit.places if place.behind == name], 2)
    return found


def minutes_of(circuit: Circuit, probe: Probe) -> float:
    """Minutes for a probe: the farther of its places, the plug, the battery where an ohmmeter goes on the harness."""
    if probe.instrument is Instrument.HEARD:
        return LISTEN_MINUTES
    reach = {place.node: place.minutes for place in circuit.places}
    if probe.instrument is Instrument.LOOK:
        ends = {end for item in circuit.elements if item.connector == probe.plus for end in (item.a, item.b)}
        return min((minutes for node, minutes in reach.items() if node in ends), default=0.0) + LOOK_MINUTES
    extra = PLUG_MINUTES * bool(probe.setting.unplugged)
    behind = {place.node for place in circuit.places if place.behind}
    if probe.instrument is Instrument.OHM and not {probe.plus, probe.minus} <= behind:
        extra += SUPPLY_OFF_MINUTES
    return max(reach.get(probe.plus, 0.0), reach.get(probe.minus, 0.0)) + extra


def stand_words(circuit: Circuit, setting: Setting) -> str:
    """How the circuit stands, in words."""
    if not setting.powered:
        stands = "supply off"
    elif not circuit.commanded:
        stands = "key on"
    else:
        off, on = circuit.stands
        duty = setting.command
        stands = off if duty <= 0.0 else (on if duty >= 1.0 else f"commanded {100.0 * duty:.0f} %")
        if setting.alone:
            stands = f"{circuit.members[setting.alone]} alone {stands.removeprefix('key on, ')}"
    pulled = "; ".join(f"{circuit.connectors[name]} off" for name in sorted(setting.unplugged))
    names = place_words(circuit)
    jumped = "; ".join(f"jumper from {names[a]} to {names[b]}" for a, b in sorted(setting.jumpers))
    return ", ".join(part for part in (stands, pulled, jumped) if part)


def place_words(circuit: Circuit) -> dict[str, str]:
    """Every place a lead can go, and the battery's negative post, in words."""
    return {place.node: place.words for place in circuit.places} | {GROUND: "battery negative"}


def words_of(circuit: Circuit, probe: Probe) -> str:
    """A probe in words."""
    named = place_words(circuit)
    if probe.instrument is Instrument.HEARD:
        where = f"{probe.instrument} at {circuit.element(probe.plus).words}"
    elif probe.instrument is Instrument.LOOK:
        return f"{probe.instrument}: {circuit.connectors[probe.plus]} off"
    else:
        where = f"{probe.instrument}: {named[probe.plus]} to {named[probe.minus]}"
    return f"{where}, {stand_words(circuit, probe.setting)}"
