"""What the core makes of a case file: the codes read together, drive advice, suspects, next tests."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np

from gumshoe.core.casefile.model import CaseFile, ProbeFacts, RecordingFacts
from gumshoe.core.circuits import Instrument, Probe, circuit_for, model
from gumshoe.core.circuits.checks import reading_of
from gumshoe.core.circuits.judging import conclusion, told_by
from gumshoe.core.clues import FoundDead, OnRecord, TestOutcome
from gumshoe.core.judgement import Grounds, Judged, mended_by, telling
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.parts import GENERIC, Local
from gumshoe.core.knowledge.platform import Platform, platform_for_vin, platforms
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.knowledge.told_parts import by_codes
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.planning import Costs, Outlook, Proposal
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.proof.provoked import Did, Happening, causes_on_record, key_was_on, said_by_customer
from gumshoe.core.signals.derived import derived_channels, with_derived
from gumshoe.core.signals.detectors import Context, judge_recording
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.trims import LeakFit, fit_leak
from gumshoe.core.suspects import Assessment
from gumshoe.core.suspects.driving import DriveAdvice, Mended
from gumshoe.core.suspects.relations import CodesRead
from gumshoe.core.suspects.roots import root_causes

SHOWN_SUSPECTS = 8
SHOWN_TESTS = 5
NO_TIME = datetime(2000, 1, 1, tzinfo=UTC)


@dataclass(frozen=True)
class CaseAssessment:
    """The result as typed values; ``document()`` is its stable JSON form (docs/case-format.md)."""

    judged: Judged
    leak: LeakFit | None

    @property
    def knowledge(self) -> Knowledge:
        return self.judged.grounds.knowledge

    @property
    def read(self) -> CodesRead:
        return self.judged.read

    @property
    def advice(self) -> DriveAdvice:
        return self.judged.advice

    @property
    def assessment(self) -> Assessment:
        return self.judged.assessment

    @property
    def proposals(self) -> tuple[Proposal, ...]:
        return self.judged.proposals

    @property
    def notes(self) -> tuple[str, ...]:
        return self.judged.notes

    @property
    def outlooks(self) -> tuple[Outlook, ...]:
        return self.judged.outlooks

    @property
    def unknown(self) -> tuple[str, ...]:
        return self.judged.unknown

    @property
    def unread(self) -> tuple[str, ...]:
        found = self.judged.grounds.snapshot
        return found.unread if found else ()

    def document(self) -> dict[str, Any]:
        """Plain values for JSON; keys are documented and only ever added to."""
        return {
            "format": "gumshoe-assessment",
            "version": 1,
            "powertrain": self.knowledge.powertrain.words,
            "drive": {
                "stop": self.advice.stop,
                "title": self.advice.title,
                "words": self.advice.words,
                "reasons": list(self.advice.reasons),
            },
            "codes": [
                {
                    "code": row.code,
                    "states": [state.value for state in row.states],
                    "title": row.row.title if row.row else row.structure_words,
                    "kind": row.row.kind if row.row else "",
                    "component": row.row.component if row.row else "",
                    "role": row.role.name.lower(),
                    "after": row.after,
                    "reason": row.reason,
                }
                for row in self.read.codes
            ],
            "chase": [row.code for row in self.read.codes],
            "shared": [
                {
                    "id": item.id,
                    "words": item.words,
                    "kind": item.field,
                    "probability": item.probability,
                    "codes": list(item.codes),
                    "members": list(item.members),
                }
                for item in self.read.shared
            ],
            "relations": [{"from": item.source, "to": item.target, "why": item.why} for item in self.read.relations],
            "known_causes": list(self.read.known),
            "notes": list(self.notes),
            "unknown": list(self.unknown),
            "unread": list(self.unread),
            "best": {"suspects": list(self.assessment.best), "probability": self.assessment.best_probability},
            "nothing": self.assessment.nothing,
            "left_out": {"threes": self.assessment.left_out.threes, "beyond": self.assessment.left_out.beyond},
            "suspects": [
                {
                    "id": item.id,
                    "words": item.row.words,
                    "probability": item.probability,
                    "support": [entry.clue.words for entry in item.support],
                    "against": [entry.clue.words for entry in item.against],
                }
                for item in self.assessment.suspects[:SHOWN_SUSPECTS]
            ],
            "conflict": (
                {
                    "test": self.judged.conflict.odd.variable,
                    "words": self.judged.conflict.words,
                    "before": self.judged.conflict.before,
                    "now": self.judged.conflict.now,
                }
                if self.judged.conflict
                else None
            ),
            "root_causes": [
                {
                    "id": root.id,
                    "words": root.row.words,
                    "probability": root.probability,
                    "settled_by": root.settled_by.id if root.settled_by else "",
                }
                for root in root_causes(self.assessment, self.knowledge, self.assessment.suspects[0].id)
            ],
            "next": {
                "act": self.judged.next.act.value,
                "words": self.judged.next.words,
                "why": self.judged.next.why,
                "test": self.judged.next.test.id if self.judged.next.test else "",
                "suspect": self.judged.next.suspect,
            },
            "next_tests": [
                {
                    "id": item.test.id,
                    "words": item.test.words,
                    "bits": item.bits,
                    "minutes": item.minutes,
                    "bits_per_minute": item.bits_per_minute,
                    "score": item.bits_per_minute,
                    "saving": item.saving,
                }
                for item in self.proposals[:SHOWN_TESTS]
            ],
            "strategies": [
                {
                    "name": item.strategy.value,
                    "minutes": item.minutes,
                    "money": item.money,
                    "good_part": item.good_part,
                    "first": [{"kind": step.kind, "id": step.id, "words": step.words} for step in item.first],
                }
                for item in self.outlooks
            ],
            "unmetered_air_gps": self.leak.leak_gps if self.leak else None,
        }


def assess_file(case: CaseFile, costs: Costs | None = None) -> CaseAssessment:
    """Read a case file as the pages would."""
    return CaseAssessment(Judged(grounds_of(case, costs)), fit_leak(case.trims))


def grounds_of(case: CaseFile, costs: Costs | None = None) -> Grounds:
    """What the file has on record, as the grounds of a judgement."""
    platform, knowledge = _platform(case), knowledge_of(case)
    scans = scans_of(case)
    newest_first = sorted(scans, key=lambda item: item.taken_at, reverse=True)
    place = telling(newest_first)
    snapshot = newest_first[place] if place is not None else None
    engine = snapshot.engine if snapshot else None
    symptoms = case.complaint.symptoms if case.complaint else ()
    evidence = OnRecord(
        symptoms=symptoms,
        symptom_source=("complaint", ""),
        lamp=case.complaint.lamp if case.complaint else "",
        module=engine,
        others=tuple(module for module in snapshot.modules if module is not engine) if snapshot else (),
        known=causes_on_record(knowledge, (*said_by_customer(symptoms), *happenings_of(case, scans)), scans, snapshot),
        scan_source=("scan", ""),
        trims=tuple((trim, "trims", "") for trim in case.trims),
        tests=(
            *shown_by_recordings(case, knowledge.powertrain, platform),
            *concluded(case, knowledge),
            *(
                TestOutcome(row.test, row.outcome, f"test-{i}", row.at)
                for i, row in enumerate(case.tests)
                if not row.withdrawn
            ),
        ),
        by_hand=tuple(
            FoundDead(row.cylinders, row.lacks, row.how, f"hand-{i}", row.at) for i, row in enumerate(case.hand_tests)
        ),
        failed_repairs=tuple((row.repair, f"work-{i}", row.at) for i, row in enumerate(case.work) if row.did_not_help),
        specification=platform.specification if platform else Specification(),
    )
    return Grounds(
        knowledge,
        evidence,
        snapshot,
        case.complaint.lamp if case.complaint else "",
        case.vehicle.odometer_km,
        _age(case),
        case.vehicle.climate,
        costs=costs or Costs(),
        mended=mended_by(case.proof.verdict) if case.proof and case.work else Mended.NO,
    )


def scans_of(case: CaseFile) -> tuple[Snapshot, ...]:
    """The scans of the file; codes told without a scan stand for one made after all that has a time."""
    if case.module is None:
        return case.scans
    told = (_moment(text) for event in case.events for text in (event.at, event.back_at))
    events = (datetime.fromtimestamp(moment, UTC) for moment in told if moment is not None)
    last = max((*(scan.taken_at for scan in case.scans), *events), default=NO_TIME)
    return (*case.scans, Snapshot(last + timedelta(seconds=1), "file", (case.module,)))


def happenings_of(case: CaseFile, scans: Iterable[Snapshot]) -> tuple[Happening, ...]:
    """What the file says the work did. An event without a time stands before the first scan; a plug that is still off
    was off with the key on, since the car was scanned so."""
    times = [scan.taken_at.timestamp() for scan in scans]
    first = min(times, default=0.0) - 1.0
    found = []
    for event in case.events:
        since = first if (moment := _moment(event.at)) is None else moment
        back = _moment(event.back_at)
        told = True if back is None and moment is None and event.key_on is None else event.key_on
        key = True if event.did == "flat" else key_was_on(since, back, [(time, time) for time in times], told)
        words = event.what or f"{event.off.replace('_', ' ')} off"
        found.append(
            Happening(event.off, Did(event.did), f"{words}{f' ({event.at})' if event.at else ''}", since, back, key)
        )
    return tuple(found)


def _moment(text: str) -> float | None:
    """Seconds of Unix time (a time without a zone is the reader's); None where no moment is told."""
    try:
        return datetime.fromisoformat(text).timestamp()
    except ValueError:
        return None


def shown_by_recordings(case: CaseFile, powertrain: Powertrain, platform: Platform | None) -> tuple[TestOutcome, ...]:
    """What the rules see in the case's recordings, as outcomes of tests."""
    context = Context(powertrain, platform.specification if platform else Specification())
    found = []
    for number, row in enumerate(case.recordings):
        for item in judge_recording(recorded(row, powertrain), context).findings:
            if item.test:
                found.append(TestOutcome(item.test, item.outcome, f"recording-{number}", row.at))
    return tuple(found)


def recorded(row: RecordingFacts, powertrain: Powertrain) -> Recording:
    """A recording of the file, with what is computed from its channels."""
    columns = {key: Channel(np.array(times), np.array(values)) for key, (times, values) in row.columns.items()}
    return with_derived(Recording.sorted(columns), derived_channels(powertrain))


def concluded(case: CaseFile, knowledge: Knowledge) -> tuple[TestOutcome, ...]:
    """What the readings at the circuits come to where they decide, as outcomes of circuit checks; a check that the file
    has on record itself stands for its own readings."""
    told = {row.test for row in case.tests}
    found = []
    for number, facts in enumerate(case.circuits):
        made = model(circuit_for(knowledge, facts.component))
        result = conclusion(made, [reading_of(made, probe_of(row), row.value) for row in facts.readings])
        at = facts.readings[-1].at if facts.readings else ""
        for test, outcome in told_by(knowledge, made.circuit, result) if result.stands else ():
            if test not in told:
                found.append(TestOutcome(test, outcome, f"circuit-{number}", at))
    return tuple(found)


def probe_of(row: ProbeFacts) -> Probe:
    """Where the leads were, as the file says it."""
    return Probe.at(Instrument(row.instrument), row.plus, row.minus, row.command, row.unplugged, row.jumpers, row.alone)


def knowledge_of(case: CaseFile) -> Knowledge:
    """What is known of the case's powertrain: platform, own codes and wiring included."""
    platform = _platform(case)
    powertrain = case.powertrain or (platform.powertrain if platform else Powertrain())
    local = platform.local if platform else GENERIC
    if case.own_codes or case.wiring:
        codes = (*local.codes, *case.own_codes)
        local = Local(local.id, (*local.wiring, *case.wiring), local.parts, codes, local.access, local.pins)
    told = {code.code for scan in scans_of(case) for code in scan.stored_codes}
    return expand(*by_codes(powertrain, local, told))


def _age(case: CaseFile) -> float | None:
    """Years from the model year to the last scan, in so far as the file says."""
    taken = max((scan.taken_at.year for scan in case.scans), default=None)
    return float(taken - case.vehicle.year) if taken and case.vehicle.year else None


def _platform(case: CaseFile) -> Platform | None:
    named = platforms().get(case.vehicle.platform)
    return named or (platform_for_vin(case.vehicle.vin) if case.vehicle.vin else None)
