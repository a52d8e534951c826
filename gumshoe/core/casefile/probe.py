"""What the readings at a circuit in a case file say: the faults that are left, and where to put the leads next."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gumshoe.core.casefile.assess import knowledge_of
from gumshoe.core.casefile.model import CaseFile, CircuitFacts, ProbeFacts
from gumshoe.core.circuits import (
    GROUND,
    Circuit,
    Instrument,
    Probe,
    Reading,
    Setting,
    circuit_for,
    contradiction,
    groups,
    left,
    model,
    propose,
)
from gumshoe.core.circuits.probing import LAMP_WORDS, Group, Left, Proposal, words_of
from gumshoe.core.errors import BadInput

SHOWN = 8


@dataclass(frozen=True)
class CircuitRead:
    """One circuit of a case: its readings, what is left, the groups that no probe separates, the next probes."""

    circuit: Circuit
    readings: tuple[Reading, ...]
    left: tuple[Left, ...]
    groups: tuple[Group, ...]
    proposals: tuple[Proposal, ...]
    doubtful: Reading | None

    def document(self) -> dict[str, Any]:
        """Plain values for JSON; keys are documented and only ever added to."""
        return {
            "component": self.circuit.id,
            "circuit": self.circuit.words,
            "readings": [
                {"probe": words_of(self.circuit, item.probe), "value": item.value, "unit": item.probe.unit}
                for item in self.readings
            ],
            "doubtful": words_of(self.circuit, self.doubtful.probe) if self.doubtful else "",
            "faults": [
                {"id": item.fault.id, "words": item.fault.words, "probability": item.probability}
                for item in self.left[:SHOWN]
            ],
            "groups": [
                {"faults": [fault.id for fault in item.faults], "probability": item.probability} for item in self.groups
            ],
            "next": [
                {
                    "probe": item.words,
                    "bits": item.bits,
                    "minutes": item.minutes,
                    "unit": item.probe.unit,
                    "shows": [
                        {"fault": fault.id, "lowest": lowest, "highest": highest}
                        for fault, lowest, highest in item.shows[:SHOWN]
                    ],
                }
                for item in self.proposals
            ],
        }


def probe_file(case: CaseFile) -> tuple[CircuitRead, ...]:
    """Every circuit of a case file. Raises BadInput naming the component, node, connector or value that cannot be."""
    knowledge = knowledge_of(case)
    return tuple(_read(circuit_for(knowledge, facts.component), facts) for facts in case.circuits)


def _read(circuit: Circuit, facts: CircuitFacts) -> CircuitRead:
    made = model(circuit)
    readings = tuple(reading_of(circuit, row) for row in facts.readings)
    return CircuitRead(
        circuit,
        readings,
        left(made, readings),
        groups(made, readings),
        propose(made, readings),
        contradiction(made, readings),
    )


def reading_of(circuit: Circuit, row: ProbeFacts) -> Reading:
    """One reading of the file, checked against what the circuit has and can take."""
    places = {place.node: place for place in circuit.places}
    for node in (row.plus, row.minus):
        if node != GROUND and node not in places:
            raise BadInput(
                f"{circuit.id}: there is no place “{node[:30]}” for a lead.", remedies=(f"one of {', '.join(places)}",)
            )
    for name in row.unplugged:
        if name not in circuit.connectors:
            raise BadInput(
                f"{circuit.id}: there is no connector “{name[:30]}”.",
                remedies=(f"one of {', '.join(circuit.connectors)}",),
            )
    for node in (row.plus, row.minus):
        if node in places and places[node].behind and places[node].behind not in row.unplugged:
            plug = circuit.connectors[places[node].behind]
            raise BadInput(
                f"{circuit.id}: {places[node].words} is reached only with the {plug} off.",
                remedies=(f"unplug it and write “{places[node].behind}” under unplugged",),
            )
    if not 0.0 <= row.command <= 1.0 or (row.command and not circuit.commanded):
        raise BadInput(f"{circuit.id}: a command of {row.command:g} cannot be.", remedies=("0 (off) to 1 (on)",))
    instrument = Instrument(row.instrument)
    if instrument is Instrument.LAMP:
        bare = [node for node in (row.plus, row.minus) if node != GROUND and not places[node].takes_lamp]
        if bare:
            raise BadInput(
                f"{circuit.id}: a test lamp does not go on {places[bare[0]].words}.",
                remedies=("it would load a sensor or a control output: use the meter",),
            )
    if isinstance(row.value, str) != (instrument is Instrument.LAMP):
        raise BadInput(
            f"{circuit.id}: {row.value} is not a reading of a {instrument}.",
            remedies=("a lamp is dark, dim or bright; meter and ohmmeter show a number",),
        )
    value = LAMP_WORDS[row.value] if isinstance(row.value, str) else row.value
    if (instrument is Instrument.METER and abs(value) > 60.0) or (instrument is Instrument.OHM and value < 0.0):
        raise BadInput(f"{circuit.id}: {value:g} cannot be read here.", remedies=("check the unit: volts or ohms",))
    powered = instrument is not Instrument.OHM
    setting = Setting(row.command, frozenset(row.unplugged), powered=powered)
    return Reading(Probe(instrument, row.plus, row.minus, setting), value)
