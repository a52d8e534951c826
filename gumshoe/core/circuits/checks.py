"""Whether a reading can be: leads where the circuit has places, instruments where they may go, values in their range.

Cautions: a test lamp loads what it touches, an ohmmeter is wrong and may be harmed on a live circuit, an ammeter or a
jumper is a short for whatever feeds it (common practice).
"""

from __future__ import annotations

import math

import numpy as np

from gumshoe.core.circuits.faults import FaultModel
from gumshoe.core.circuits.instruments import FUSE_A, MOST_OHM, SHINES, place_words, predicted
from gumshoe.core.circuits.loops import JUMPER_OHM
from gumshoe.core.circuits.netlist import GROUND, Circuit, Instrument, Probe, Setting
from gumshoe.core.circuits.sitting import ProbeReading
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.outcomes import number_of

MOST_V = 60.0
MOST_A = 1500.0
OVER_RANGE = ("OL", "OVER RANGE", "∞")


def checked(model: FaultModel, probe: Probe) -> None:
    """Raises BadInput when the leads, the instrument, the command or the plugs of a probe cannot be, or must not."""
    circuit, setting = model.circuit, probe.setting
    _check_setting(model, setting)
    if probe.instrument is Instrument.HEARD:
        if probe.plus not in [item.id for item in circuit.elements if item.heard]:
            raise BadInput(
                f"{circuit.id}: “{probe.plus[:30]}” is nothing one hears or feels.", remedies=("measure it",)
            )
        return
    if probe.instrument is Instrument.LOOK:
        if probe.plus not in circuit.connectors:
            raise BadInput(f"{circuit.id}: there is no connector “{probe.plus[:30]}”.", remedies=("choose one",))
        return
    for node in (probe.plus, probe.minus):
        _check_place(circuit, node, setting)
    if probe.plus == probe.minus:
        raise BadInput("Both leads are on the same place.", remedies=("move one of them",))
    places = {place.node: place for place in circuit.places}
    if probe.instrument is Instrument.LAMP:
        bare = [node for node in (probe.plus, probe.minus) if node != GROUND and not places[node].takes_lamp]
        if bare:
            raise BadInput(
                f"A test lamp does not go on {places[bare[0]].words}: it would load a sensor, a data line or a control"
                " output that is not made for it.",
                remedies=("use the meter",),
            )
    if probe.instrument is Instrument.OHM and setting.powered:
        raise BadInput(
            "An ohmmeter needs the supply off: with it on the reading is nonsense and the meter at risk.",
            remedies=("take the battery off, and choose “supply off”",),
        )
    if probe.instrument is not Instrument.OHM and not setting.powered:
        raise BadInput(
            "With the supply off there is nothing to measure but resistance.", remedies=("use the ohmmeter",)
        )
    if probe.instrument is Instrument.AMMETER:
        sound = float(predicted(model, probe)[0])
        if abs(sound) > FUSE_A:
            raise BadInput(
                f"In the sound circuit {abs(sound):.0f} A would flow through the ammeter between these places: its"
                f" {FUSE_A:.0f} A fuse would blow.",
                remedies=("put it in series with the load: in the place of the fuse",),
            )


def read_value(probe: Probe, value: float | str) -> float:
    """The number a reading stands for. Raises BadInput when the instrument cannot show that."""
    words = SHINES.get(probe.instrument)
    if words:
        if value not in words:
            raise BadInput(
                f"{value} is not a reading of “{probe.instrument}”.", remedies=(f"one of {', '.join(words)}",)
            )
        return words[str(value)]
    if isinstance(value, str) or not math.isfinite(value):
        raise BadInput(f"{value} is not a reading of a {probe.instrument}: it shows a number.")
    most = MOST_V if probe.unit == "V" else MOST_A
    if (probe.instrument is Instrument.OHM and value < 0.0) or (probe.unit != "Ω" and abs(value) > most):
        raise BadInput(
            f"{value:g} {probe.unit} cannot be read here.",
            remedies=("check the unit", "a reading over range of the ohmmeter is “OL”"),
        )
    return min(float(value), MOST_OHM) if probe.instrument is Instrument.OHM else float(value)


def typed_value(probe: Probe, text: str) -> float:
    """The number a typed reading stands for: ``12,4``, ``11.9 V``, ``0.47 kΩ``, ``OL``, a word. Raises BadInput."""
    shown = text.strip()
    if probe.instrument in SHINES:
        return read_value(probe, shown)
    if probe.instrument is Instrument.OHM and shown.upper() in OVER_RANGE:
        return MOST_OHM
    return read_value(probe, number_of(shown, probe.unit))


def reading_of(model: FaultModel, probe: Probe, value: float | str) -> ProbeReading:
    """A reading, checked. Raises BadInput as ``checked`` and ``read_value``."""
    checked(model, probe)
    return ProbeReading(probe, read_value(probe, value))


def _check_place(circuit: Circuit, node: str, setting: Setting) -> None:
    if node == GROUND:
        return
    places = {place.node: place for place in circuit.places}
    if node not in places:
        raise BadInput(
            f"{circuit.id}: there is no place “{node[:30]}” for a lead.", remedies=(f"one of {', '.join(places)}",)
        )
    behind = places[node].behind
    if behind and behind not in setting.unplugged:
        raise BadInput(
            f"{places[node].words} is reached only with the {circuit.connectors[behind]} off.",
            remedies=(f"unplug it (“{behind}”) first",),
        )


def _check_setting(model: FaultModel, setting: Setting) -> None:
    circuit = model.circuit
    for name in setting.unplugged:
        if name not in circuit.connectors:
            raise BadInput(
                f"{circuit.id}: there is no connector “{name[:30]}”.",
                remedies=(f"one of {', '.join(circuit.connectors) or 'none: nothing can be unplugged here'}",),
            )
    if not 0.0 <= setting.command <= 1.0 or (setting.command and not circuit.commanded):
        raise BadInput(f"{circuit.id}: a command of {setting.command:g} cannot be.", remedies=("0 (off) to 1 (on)",))
    if setting.alone and setting.alone not in circuit.drives.values():
        raise BadInput(
            f"{circuit.id}: there is no “{setting.alone[:30]}” to command alone.",
            remedies=(f"one of {', '.join(dict.fromkeys(circuit.drives.values())) or 'none: nothing is shared here'}",),
        )
    for ends in setting.jumpers:
        for node in ends:
            _check_place(circuit, node, setting)
        if setting.powered:
            _check_jumper(model, setting, ends)


def _check_jumper(model: FaultModel, setting: Setting, ends: tuple[str, str]) -> None:
    """A jumper must not blow its fuse on the sound circuit, commanded or not."""
    jumped = Setting(setting.command, setting.unplugged, jumpers=frozenset({ends}), alone=setting.alone)
    phases = (False, True) if model.circuit.commanded else (False,)
    across = [model.solved(jumped, driven=driven).open_voltage(*ends)[0] for driven in phases]
    current = float(np.max(np.abs(across))) / JUMPER_OHM
    if current > FUSE_A:
        names = place_words(model.circuit)
        raise BadInput(
            f"A jumper from {names[ends[0]]} to {names[ends[1]]} would carry {current:.0f} A: its {FUSE_A:.0f} A fuse"
            " would blow, and without one a wire would burn.",
            remedies=("jump past a switch or a contact, never from feed to ground",),
        )
