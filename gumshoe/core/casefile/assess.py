"""What the core makes of a case file: the codes read together, drive advice, suspects, next tests."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from gumshoe.core.casefile.model import CaseFile
from gumshoe.core.clues import Evidence, TestOutcome, extract, known_causes, scan_notes, unknown_entries
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.parts import GENERIC, Local
from gumshoe.core.knowledge.platform import Platform, platform_for_vin, platforms
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.obd.snapshot import Snapshot, failure_types, states_by_code
from gumshoe.core.planning import Costs, Outlook, Proposal, outlooks, propose
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.derived import derived_channels, with_derived
from gumshoe.core.signals.detectors import Context, judge_recording
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.trims import LeakFit, fit_leak
from gumshoe.core.suspects import Assessment, assess
from gumshoe.core.suspects.driving import DriveAdvice, drive_advice, situation_of
from gumshoe.core.suspects.relations import CodesRead, read_codes
from gumshoe.core.suspects.roots import root_causes

SHOWN_SUSPECTS = 8
SHOWN_TESTS = 5


TAKES_OFF = ("off", "removed", "flat")
"""What was done to a part so that its plug was off (or its battery empty)."""


@dataclass(frozen=True)
class CaseAssessment:
    """The result as typed values; ``document()`` is its stable JSON form (docs/case-format.md)."""

    knowledge: Knowledge
    read: CodesRead
    advice: DriveAdvice
    assessment: Assessment
    proposals: tuple[Proposal, ...]
    leak: LeakFit | None
    notes: tuple[str, ...] = ()
    outlooks: tuple[Outlook, ...] = ()
    unknown: tuple[str, ...] = ()
    unread: tuple[str, ...] = ()

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
            "root_causes": [
                {
                    "id": root.id,
                    "words": root.row.words,
                    "probability": root.probability,
                    "settled_by": root.settled_by.id if root.settled_by else "",
                }
                for root in root_causes(self.assessment, self.knowledge, self.assessment.suspects[0].id)
            ],
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
    """Read a case file as the Read and Suspects pages would."""
    platform, knowledge = _platform(case), knowledge_of(case)
    snapshot = _telling(case)
    engine = (snapshot.engine if snapshot else None) or case.module
    stored = (*(snapshot.stored_codes if snapshot else ()), *case.stored_codes)
    symptoms = case.complaint.symptoms if case.complaint else ()
    evidence = Evidence(
        symptoms=symptoms,
        symptom_source=("complaint", ""),
        module=engine,
        others=tuple(module for module in snapshot.modules if module is not engine) if snapshot else (),
        known=known_causes(
            knowledge,
            symptoms,
            ((event.off, event.at) for event in case.events if event.did in TAKES_OFF and event.key_on is not False),
        ),
        scan_source=("scan", ""),
        trims=tuple((trim, "trims", "") for trim in case.trims),
        tests=(
            *shown_by_recordings(case, knowledge.powertrain, platform),
            *(TestOutcome(row.test, row.outcome, f"test-{i}", row.at) for i, row in enumerate(case.tests)),
        ),
        failed_repairs=tuple((row.repair, f"work-{i}", row.at) for i, row in enumerate(case.work) if row.did_not_help),
        specification=platform.specification if platform else Specification(),
    )
    clues = extract(evidence, knowledge)
    found = assess(knowledge, clues, odometer_km=case.vehicle.odometer_km, age_years=_age(case))
    read = read_codes(states_by_code(stored), knowledge, found, failure_types(stored))
    known = {clue.variable for clue in clues} & set(knowledge.variables)
    done = [row.test for row in case.tests]
    proposals = propose(found, knowledge, costs or Costs(), done=done, known=known)
    advice = drive_advice(
        situation_of(
            read.codes,
            knowledge,
            found,
            lamp=case.complaint.lamp if case.complaint else "",
            symptoms=symptoms,
            tests=evidence.tests,
            snapshot=snapshot,
            scanned=bool(snapshot or case.codes),
        )
    )
    notes = scan_notes(snapshot, engine, knowledge)
    ways = outlooks(found, knowledge, costs or Costs(), done=done, known=known)
    return CaseAssessment(
        knowledge,
        read,
        advice,
        found,
        proposals,
        fit_leak(case.trims),
        notes,
        ways,
        unknown_entries(evidence, knowledge),
        snapshot.unread if snapshot else (),
    )


def shown_by_recordings(case: CaseFile, powertrain: Powertrain, platform: Platform | None) -> tuple[TestOutcome, ...]:
    """What the rules see in the case's recordings, as outcomes of tests."""
    context = Context(powertrain, platform.specification if platform else Specification())
    found = []
    for number, row in enumerate(case.recordings):
        columns = {key: Channel(np.array(times), np.array(values)) for key, (times, values) in row.columns.items()}
        samples = with_derived(Recording.sorted(columns), derived_channels(powertrain))
        for item in judge_recording(samples, context).findings:
            if item.test:
                found.append(TestOutcome(item.test, item.outcome, f"recording-{number}", row.at))
    return tuple(found)


def knowledge_of(case: CaseFile) -> Knowledge:
    """What is known of the case's powertrain: platform, own codes and wiring included."""
    platform = _platform(case)
    powertrain = case.powertrain or (platform.powertrain if platform else Powertrain())
    local = platform.local if platform else GENERIC
    if case.own_codes or case.wiring:
        codes = (*local.codes, *case.own_codes)
        local = Local(local.id, (*local.wiring, *case.wiring), local.parts, codes, local.access, local.pins)
    return expand(powertrain, local)


def _age(case: CaseFile) -> float | None:
    """Years from the model year to the last scan, in so far as the file says."""
    taken = max((scan.taken_at.year for scan in case.scans), default=None)
    return float(taken - case.vehicle.year) if taken and case.vehicle.year else None


def _platform(case: CaseFile) -> Platform | None:
    named = platforms().get(case.vehicle.platform)
    return named or (platform_for_vin(case.vehicle.vin) if case.vehicle.vin else None)


def _telling(case: CaseFile) -> Snapshot | None:
    """The newest scan that holds codes, else the newest: one made right after clearing says nothing of the fault."""
    newest_first = sorted(case.scans, key=lambda item: item.taken_at, reverse=True)
    holding = [item for item in newest_first if item.codes_in(CodeState.CONFIRMED, CodeState.PENDING)]
    return next(iter(holding or newest_first), None)
