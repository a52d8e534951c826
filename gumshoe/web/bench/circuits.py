"""The circuit bench: readings stored as they are taken, what is left after them, and the conclusion as a clue."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from gumshoe.core.circuits import (
    FaultModel,
    Instrument,
    Probe,
    ProbeReading,
    circuit_for,
    model,
    propose,
)
from gumshoe.core.circuits.checks import checked, typed_value
from gumshoe.core.circuits.instruments import words_of
from gumshoe.core.circuits.judging import conclusion, told_by
from gumshoe.core.circuits.library import circuits_of
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.parts import Local
from gumshoe.core.knowledge.renamed import names_of
from gumshoe.core.maps.strip import value_words
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.work.offers import Located, check_outcomes, located
from gumshoe.web.accounts.models import User
from gumshoe.web.bench.models import CircuitConclusion, CircuitDoubt, CircuitReading, TestRecord
from gumshoe.web.bench.stand import Stand
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn

KEPT = 32
LEADING = 8


@dataclass(frozen=True)
class Stored:
    """A stored reading with its probe in words; ``counts`` unless it was set aside."""

    row: CircuitReading
    reading: ProbeReading
    words: str
    shown: str
    counts: bool


def listed(case: Case) -> dict[str, str]:
    """Every part and shared point of this vehicle that has a circuit."""
    return circuits_of(cases.knowledge_of(case))


def model_of(case: Case, name: str) -> FaultModel:
    """The circuit of a component with all that can be wrong in it. Raises BadInput when there is none."""
    return _model(cases.powertrain_of(case), cases.local_of(case), name)


@lru_cache(maxsize=KEPT)
def _model(powertrain: Powertrain, local: Local, name: str) -> FaultModel:
    return model(circuit_for(expand(powertrain, local), name))


def named(case: Case) -> list[tuple[str, str, str]]:
    """Circuits that the leading suspects are about, with the reason: what one would measure first."""
    every = listed(case)
    assessment = judging.judged(case).assessment
    found: dict[str, tuple[str, str, str]] = {}
    for item in assessment.suspects[:LEADING]:
        for name in (item.row.component, *item.row.members):
            if name in every and name not in found:
                found[name] = (name, every[name], item.row.words)
    return list(found.values())


def first_probe(case: Case, name: str) -> Probe | None:
    """The probe that tells most per minute now."""
    found = propose(model_of(case, name), counting(case, name), most=1)
    return found[0].probe if found else None


def off_words(case: Case, name: str, stand: Stand) -> str:
    """The plugs that are off, for the ledger."""
    connectors = model_of(case, name).circuit.connectors
    return ", ".join(connectors[key] for key in sorted(stand.unplugged)) + " off"


def stored(case: Case, name: str) -> list[Stored]:
    """Every reading at that circuit, in the order they were taken."""
    circuit = model_of(case, name).circuit
    found = []
    for row in (
        case.circuitreadings.filter(component__in=names_of(name)).prefetch_related("doubts").select_related("by")
    ):
        probe = probe_of(row)
        doubts = list(row.doubts.all())
        counts = not doubts or doubts[-1].back
        found.append(Stored(row, ProbeReading(probe, row.value), words_of(circuit, probe), row.shown, counts))
    return found


def reported(case: Case) -> list[tuple[str, list[Stored], CircuitConclusion | None]]:
    """Every circuit that was measured: its words, its readings, its conclusion."""
    found = []
    for name in dict.fromkeys(case.circuitreadings.values_list("component", flat=True)):
        concluded = case.circuitconclusions.filter(component__in=names_of(name)).select_related("by").last()
        found.append((model_of(case, name).circuit.words, stored(case, name), concluded))
    return found


def probe_of(row: CircuitReading) -> Probe:
    """Where the leads were at a stored reading."""
    return Probe.at(Instrument(row.instrument), row.plus, row.minus, row.command, row.unplugged, row.jumpers, row.alone)


def counting(case: Case, name: str) -> list[ProbeReading]:
    """The readings that count; the newest of a probe supersedes the older ones."""
    newest = {item.reading.probe: item.reading for item in stored(case, name) if item.counts}
    return list(newest.values())


def record(case: Case, user: User, name: str, stand: Stand, typed: str) -> CircuitReading:
    """Check a reading and store it. Raises BadInput naming what cannot be; then nothing is stored."""
    made = model_of(case, name)
    probe = stand.probe
    checked(made, probe)
    number = typed_value(probe, typed)
    return CircuitReading.objects.create(case=case, by=user, **columns_of(name, probe, number))


def columns_of(name: str, probe: Probe, number: float) -> dict[str, Any]:
    """A reading as it is stored."""
    return {
        "component": name,
        "instrument": str(probe.instrument),
        "plus": probe.plus,
        "minus": probe.minus,
        "command": probe.setting.command,
        "unplugged": sorted(probe.setting.unplugged),
        "jumpers": sorted(map(list, probe.setting.jumpers)),
        "alone": probe.setting.alone,
        "value": number,
        "shown": value_words(probe, number),
    }


def set_aside(case: Case, user: User, reading: int, *, back: bool) -> CircuitDoubt:
    """A reading no longer counts, or counts again. Raises BadInput when the case has no such reading."""
    row = case.circuitreadings.filter(pk=reading).first()
    if row is None:
        raise BadInput("This case has no such reading.", remedies=("choose one from the list",))
    return CircuitDoubt.objects.create(case=case, by=user, reading=row, back=back)


def check_told(case: Case, name: str) -> str:
    """The circuit check whose outcome the readings decide; empty while they decide nothing."""
    made = model_of(case, name)
    found = conclusion(made, counting(case, name))
    said = told_by(cases.knowledge_of(case), made.circuit, found) if found.stands else ()
    return said[0][0] if said else ""


def shown_at(case: Case) -> Located:
    """Of which suspects a circuit's conclusion or check says that it is the part itself, or its plug or wire. The
    newest conclusion at a circuit holds; one whose result was withdrawn says nothing."""
    knowledge = cases.knowledge_of(case)
    checks = check_outcomes(knowledge, judging.judged(case).grounds.evidence.tests)
    return located(knowledge, checks | {name: row.outcome for name, row in _holding(case).items() if row.outcome})


def found_at(case: Case, suspect: str) -> str:
    """Where in its circuit a suspect was found (wire, terminal, part, unit), in words; empty where no conclusion that
    holds shows it."""
    knowledge = cases.knowledge_of(case)
    for row in reversed(_holding(case).values()):
        test = knowledge.tests.get(row.record.test) if row.record else None
        outcome = test.outcome(row.record.outcome) if test and row.record else None
        if outcome and suspect in knowledge.proven_by(outcome.proves):
            return row.words
    return ""


def _holding(case: Case) -> dict[str, CircuitConclusion]:
    """The conclusion that holds at each circuit."""
    rows = case.circuitconclusions.select_related("record__withdrawn")
    return {row.component: row for row in rows if row.record is None or row.record.counts}


def conclude(case: Case, user: User, name: str) -> CircuitConclusion:
    """Store what the readings come to; as ``concluded``."""
    return concluded(case, user, name)[0]


@in_turn()
def concluded(case: Case, user: User, name: str) -> tuple[CircuitConclusion, tuple[TestRecord, ...]]:
    """Store what the readings come to; it becomes a clue through the tests that say the same.

    Raises BadInput while nothing stands, or when no single fault explains the readings.
    """
    made, readings = model_of(case, name), counting(case, name)
    found = conclusion(made, readings)
    if readings and not found.explained:
        raise BadInput("No single fault explains these readings.", remedies=("measure the least believable one again",))
    if not found.stands:
        raise BadInput("The readings do not decide yet.", remedies=("make the next probe",))
    knowledge, records = cases.knowledge_of(case), []
    for test, outcome in told_by(knowledge, made.circuit, found):
        row = knowledge.tests[test]
        typed = {"found": next(item.words for item in row.outcomes if item.id == outcome)}
        note = f"from {len(readings)} readings"
        records.append(
            TestRecord.objects.create(case=case, by=user, test=test, readings=typed, outcome=outcome, note=note)
        )
    stays = CircuitConclusion.objects.create(
        case=case,
        by=user,
        component=name,
        of=found.of,
        outcome=found.outcome,
        probability=found.probability,
        words=found.words[:600],
        record=records[0] if records else None,
    )
    stays.readings.set([item.row for item in stored(case, name) if item.counts])
    return stays, tuple(records)
