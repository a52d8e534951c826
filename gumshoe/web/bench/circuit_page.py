"""One circuit's page: diagram, controls, readings, what they rule out, the next probes, the conclusion."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from gumshoe.core.car import Shown
from gumshoe.core.circuits import Circuit, groups
from gumshoe.core.circuits.checks import checked
from gumshoe.core.circuits.instruments import SHINES, words_of
from gumshoe.core.circuits.judging import Conclusion, Pair, advice_on, conclusion, loading, pairs, struck
from gumshoe.core.circuits.probing import (
    Proposal,
    contradiction,
    expected,
    propose,
    shown_at,
    sound_range,
    weights_after,
)
from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.renamed import names_of
from gumshoe.core.maps.strip import Strip, between, strip, value_words
from gumshoe.web.bench import circuits
from gumshoe.web.bench.circuit_picture import Picture, controls, picture
from gumshoe.web.bench.models import CircuitConclusion
from gumshoe.web.bench.stand import Stand, stand_for
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import Page
from gumshoe.web.vehicles.cars import car_of

SHOWN_GROUPS, SHOWN_PROBES = 6, 3


@dataclass(frozen=True)
class Struck:
    """A fault that a reading rules out: what it would have shown there, and what was read."""

    words: str
    would: str
    where: str
    read: str


@dataclass(frozen=True)
class Loaded:
    """A reading that the meter makes itself: what would be there without it, and through how much it is fed."""

    where: str
    read: str
    likeliest: str
    without: str
    leakage: str


@dataclass(frozen=True, kw_only=True)
class CircuitPage(Page):
    """What ``bench/circuit.html`` shows."""

    TEMPLATE: ClassVar[str] = "bench/circuit.html"
    name: str
    stand: Stand
    circuit: Circuit
    picture: Picture
    controls: dict[str, Any]
    probe_words: str
    refused: str
    strip: Strip | None
    finding: Shown | None
    proposals: list[tuple[Proposal, str]]
    groups: list[tuple[str, float]]
    struck: list[Struck]
    stored: list[circuits.Stored]
    doubtful: str
    pairs: tuple[Pair, ...]
    loading: list[Loaded]
    conclusion: Conclusion
    advice: str
    concluded: CircuitConclusion | None
    words: dict[str, float] | None
    trouble: str = ""
    typed: str = ""


def page_of(case: Case, name: str, stand: Stand, *, trouble: str = "", typed: str = "") -> CircuitPage:
    """The page of a circuit as it stands. Raises BadInput for a circuit this vehicle has not."""
    made = circuits.model_of(case, name)
    circuit, readings = made.circuit, circuits.counting(case, name)
    doubtful, found = contradiction(made, readings), conclusion(made, readings)
    refused = ""
    at_probe: Strip | None = None
    finding: Shown | None = None
    try:
        checked(made, stand.probe)
        values = expected(made, readings, stand.probe)
        weights = weights_after(made, readings)
        sound = sound_range(made, readings, stand.probe)
        at_probe = strip(stand.probe, float(values[0]), shown_at(made, weights, values), sound)
        finding = car_of(case.vehicle).measure(circuit, stand.probe)
    except GumshoeError as error:
        refused = f"{error.what} Try: {'; '.join(error.remedies)}." if error.remedies else error.what
    likeliest = sorted(groups(made, readings), key=lambda group: -group.probability)[:SHOWN_GROUPS]
    telling = [row for row in propose(made, readings, most=SHOWN_PROBES) if row.tells]
    return CircuitPage(
        name=name,
        stand=stand,
        circuit=circuit,
        picture=picture(made, stand),
        controls=controls(circuit, stand),
        probe_words=words_of(circuit, stand.probe) if not refused else "",
        refused=refused,
        strip=at_probe,
        finding=finding,
        proposals=[(row, stand_for(row.probe).query) for row in telling],
        groups=[(", or ".join(fault.words for fault in group.faults), group.probability) for group in likeliest],
        struck=[
            Struck(
                row.fault.words,
                between(row.reading.probe, row.lowest, row.highest),
                words_of(circuit, row.reading.probe),
                value_words(row.reading.probe, row.reading.value),
            )
            for row in struck(made, readings)
        ],
        stored=circuits.stored(case, name),
        doubtful=words_of(circuit, doubtful.probe) if doubtful else "",
        pairs=tuple(pairs(made, readings)) if doubtful else (),
        loading=[
            Loaded(
                words_of(circuit, row.reading.probe),
                value_words(row.reading.probe, row.reading.value),
                row.fault.words,
                f"{row.open_volts:.1f} V",
                f"{row.leakage_ohm / 1e6:.0f} MΩ" if row.leakage_ohm < 5e9 else "more than 5000 MΩ",
            )
            for row in loading(made, readings)
        ],
        conclusion=found,
        advice=advice_on(found),
        concluded=case.circuitconclusions.filter(component__in=names_of(name)).select_related("by", "record").last(),
        words=SHINES.get(stand.instrument),
        trouble=trouble,
        typed=typed,
    )
