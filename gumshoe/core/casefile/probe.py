"""What the readings at a circuit in a case file say: the faults that are left, and where to put the leads next."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from gumshoe.core.casefile.assess import knowledge_of, probe_of
from gumshoe.core.casefile.model import CaseFile, CircuitFacts
from gumshoe.core.circuits import (
    Circuit,
    ProbeReading,
    circuit_for,
    contradiction,
    groups,
    left,
    model,
    propose,
)
from gumshoe.core.circuits.checks import reading_of
from gumshoe.core.circuits.instruments import words_of
from gumshoe.core.circuits.judging import Conclusion, Loading, Pair, conclusion, loading, pairs
from gumshoe.core.circuits.probing import Group, Left, Proposal

SHOWN = 8


@dataclass(frozen=True)
class CircuitRead:
    """One circuit of a case: its readings, what is left, the groups that no probe separates, the next probes."""

    circuit: Circuit
    readings: tuple[ProbeReading, ...]
    left: tuple[Left, ...]
    groups: tuple[Group, ...]
    proposals: tuple[Proposal, ...]
    doubtful: ProbeReading | None
    conclusion: Conclusion
    pairs: tuple[Pair, ...]
    loading: tuple[Loading, ...]

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
            "conclusion": {
                "of": self.conclusion.of,
                "outcome": self.conclusion.outcome,
                "probability": self.conclusion.probability,
                "stands": self.conclusion.stands,
            },
            "pairs": [[item.first.id, item.second.id] for item in self.pairs],
            "meter_loading": [
                {
                    "probe": words_of(self.circuit, item.reading.probe),
                    "without_meter_v": item.open_volts,
                    "leakage_ohm": item.leakage_ohm,
                }
                for item in self.loading
            ],
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
                        {"fault": row.fault.id, "lowest": row.lowest, "highest": row.highest}
                        for row in item.shows[:SHOWN]
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
    readings = tuple(reading_of(made, probe_of(row), row.value) for row in facts.readings)
    doubtful = contradiction(made, readings)
    return CircuitRead(
        circuit,
        readings,
        left(made, readings),
        groups(made, readings),
        propose(made, readings),
        doubtful,
        conclusion(made, readings),
        pairs(made, readings) if doubtful else (),
        loading(made, readings),
    )
