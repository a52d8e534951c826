"""Read a case file in: a new case whose entries stand for those of the file, all in one transaction."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone

from gumshoe.core.casefile import CaseFile, plain_case, read_case
from gumshoe.core.casefile.assess import probe_of
from gumshoe.core.casefile.model import CircuitFacts, ClearedFacts, EventFacts, LineFacts, RecordingFacts
from gumshoe.core.circuits.checks import reading_of
from gumshoe.core.knowledge.platform import platform_for_vin, platforms
from gumshoe.core.knowledge.presets import facts_of
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.obd.stored import plain_snapshot
from gumshoe.core.signals.recording import Channel
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import circuits
from gumshoe.web.bench.models import CircuitReading, TestRecord, TestWithdrawn
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case, Complaint, Imported
from gumshoe.web.live import looking, store
from gumshoe.web.live.models import Mark, Recording, Reference
from gumshoe.web.proofs.models import Judgement, Recurrence
from gumshoe.web.repairs.models import (
    Answer,
    Clearing,
    Line,
    LooseEnd,
    LooseEndClosed,
    ProcedureRun,
    Review,
    Verdict,
    Work,
)
from gumshoe.web.scans.models import HandTest, Scan
from gumshoe.web.vehicles import description
from gumshoe.web.vehicles.models import Vehicle


@transaction.atomic
def import_case(user: User, content: bytes, name: str = "") -> Case:
    """A new case from a file. Raises CaseFileError with the place and the reason; then nothing was imported."""
    document = read_case(content)
    case = cases.open_case(user, _vehicle(document))
    made = _Maker(case, user)
    made.everything(document)
    Imported.objects.create(case=case, by=user, document=plain_case(document), name=name[:120], entries=made.entries)
    return case


def _vehicle(document: CaseFile) -> Vehicle:
    """The vehicle we know by VIN or plate, else a new one; a description it lacks is taken from the file."""
    facts = document.vehicle
    found = (Vehicle.objects.filter(vin=facts.vin).first() if facts.vin else None) or (
        Vehicle.objects.filter(plate__iexact=facts.plate).first() if facts.plate else None
    )
    if found is None:
        by_vin = platform_for_vin(facts.vin) if facts.vin else None
        platform = facts.platform if facts.platform in platforms() else (by_vin.platform.id if by_vin else "")
        found = Vehicle.objects.create(
            plate=facts.plate or f"FILE {Vehicle.objects.count() + 1}",
            vin=facts.vin,
            make=facts.make or "unknown",
            model=facts.model or "vehicle",
            year=facts.year,
            platform=platform,
        )
    told = document.powertrain
    if told is not None and not found.powertrain and description.powertrain_of(found) != told:
        found.powertrain = facts_of(told)
        found.save(update_fields=["powertrain"])
    return found


class _Maker:
    """Makes the entries and remembers which they are."""

    def __init__(self, case: Case, user: User) -> None:
        self.case, self.user = case, user
        self.entries: dict[str, list[int]] = {}
        self.lines: dict[str, Line] = {}
        self.begun = ""
        """Before the first scan: where the file gives an event no time, it happened before the car was read."""

    def make(self, model: Any, at: str = "", **values: Any) -> Any:
        row = model.objects.create(case=self.case, by=self.user, at=_time(at), **values)
        self.entries.setdefault(row._meta.model_name, []).append(row.pk)
        return row

    def _recording(self, told: RecordingFacts) -> None:
        columns = {key: Channel(np.array(times), np.array(values)) for key, (times, values) in told.columns.items()}
        facts = {"label": told.label[:80], "purpose": told.purpose[:20], "origin": told.origin[:120]}
        row = self.make(Recording, told.at, channels=looking.steps(self.case, columns), **facts)
        store.fill(row, Samples.sorted(columns))
        if told.good_car is not None:
            words, kind = told.good_car[:120], self.case.vehicle.platform
            self.make(Reference, told.at, recording=row, platform=kind, words=words)

    def everything(self, document: CaseFile) -> None:
        taken = [_time(scan.taken_at.isoformat()) for scan in document.scans]
        self.begun = (min([timezone.now(), *taken]) - timedelta(seconds=1)).isoformat()
        if document.complaint:
            told = document.complaint
            self.make(
                Complaint,
                text=told.text or "(from a case file)",
                symptoms=list(told.symptoms),
                lamp=told.lamp,
                conditions=told.conditions[:200],
                since=told.since[:80],
                recent_work=told.recent_work[:200],
                odometer_km=document.vehicle.odometer_km,
            )
        self._scans(document)
        for recording in document.recordings:
            self._recording(recording)
        for mark in document.marks:
            self.make(Mark, mark.at, moment=mark.moment, text=mark.text[:200])
        for hand in document.hand_tests:
            self.make(HandTest, hand.at, cylinders=list(hand.cylinders), how=hand.how[:80])
        for test in document.tests:
            made = self.make(
                TestRecord, test.at, test=test.test[:60], outcome=test.outcome[:40], readings=test.readings
            )
            if test.withdrawn:
                self.make(TestWithdrawn, test.at, record=made, reason=test.withdrawn[:200])
        for circuit in document.circuits:
            self._circuit(circuit, {row.test for row in document.tests})
        for event in document.events:
            self._event(event)
        for line in document.lines:
            self._line(line)
        for work in document.work:
            self.make(
                Work,
                work.at,
                line=self.lines.get(work.repair) or self._line(LineFacts(work.repair, at=work.at)),
                part_number=work.part_number[:60],
                part_make=work.part_make[:60],
                minutes_taken=work.minutes_taken,
                remark=work.remark[:300],
                price=work.price,
                warranty_months=work.warranty_months,
                warranty_km=work.warranty_km,
            )
        for run in document.procedures:
            self.make(
                ProcedureRun,
                run.at,
                procedure=run.procedure[:60],
                words=(run.words or run.procedure)[:160],
                outcome=run.outcome,
                reason=run.reason[:300],
                left=run.left[:300],
            )
        if document.recurrence:
            often = document.recurrence
            self.make(
                Recurrence,
                times=often.times,
                over=often.over,
                unit=often.unit,
                belief=often.belief,
                why=often.why[:200],
            )
        if document.verdict:
            named = document.verdict
            given = self.make(
                Verdict,
                suspect=named.suspect[:80],
                words=(named.words or named.suspect)[:200],
                probability=0.0,
                guess=named.guess,
                standing="taken over from the case file",
                root_cause=named.root_cause[:200],
            )
            if named.review:
                self.make(Review, verdict=given, kind=named.review, reason=named.review_reason[:300])
        self._proof(document)

    def _circuit(self, facts: CircuitFacts, told: set[str]) -> None:
        """Readings at a circuit, checked as if they were typed now; what they come to, unless the file says it."""
        made = circuits.model_of(self.case, facts.component)
        for row in facts.readings:
            probe = probe_of(row)
            value = reading_of(made, probe, row.value).value
            self.make(CircuitReading, row.at, **circuits.columns_of(facts.component, probe, value))
        test = circuits.check_told(self.case, facts.component)
        if test and test not in told:
            stays = circuits.conclude(self.case, self.user, facts.component)
            for entry in (stays, stays.record):
                if entry is not None:
                    self.entries.setdefault(str(entry._meta.model_name), []).append(entry.pk)

    def _scans(self, document: CaseFile) -> None:
        for snapshot in document.scans:
            self._scan(snapshot)
        if document.module:
            self._scan(Snapshot(timezone.now(), "case file", (document.module,)))

    def _scan(self, snapshot: Snapshot) -> None:
        at = snapshot.taken_at if snapshot.taken_at.tzinfo else timezone.make_aware(snapshot.taken_at)
        why = Scan.Why.AGAIN if self.case.scans.exists() else Scan.Why.INTAKE
        plain = plain_snapshot(replace(snapshot, taken_at=at))
        self.make(Scan, at.isoformat(), why=why, link="case file", snapshot=plain)

    def _event(self, event: EventFacts) -> None:
        words = event.what or f"{event.off.replace('_', ' ')} off"
        end = self.make(LooseEnd, event.at or self.begun, what=words[:160], component=event.off[:80], did=event.did)
        if event.back_at:
            self.make(LooseEndClosed, event.back_at, end=end, key_on=event.key_on)

    def _line(self, facts: LineFacts) -> Line:
        known = cases.knowledge_of(self.case).repairs.get(facts.repair)
        line: Line = self.make(
            Line,
            facts.at,
            repair=facts.repair[:80],
            words=(facts.words or (known.words if known else facts.repair))[:200],
            component=known.component if known else "",
            minutes=facts.minutes or (known.minutes if known else 0),
            parts=facts.parts,
            labour=facts.labour,
            kind=facts.kind,
            choice=facts.choice,
            quality=facts.quality[:12],
            scope=facts.scope[:14],
            notes=facts.notes[:300],
        )
        if facts.answer == "approved" or facts.repair not in self.lines:
            self.lines[facts.repair] = line  # of several ways, the one that was approved is the one carried out
        if facts.answer:
            told = {"who": facts.who[:80], "how": facts.how[:40], "risk": facts.risk}
            self.make(Answer, facts.at, line=line, kind=facts.answer, **told)
        return line

    def _proof(self, document: CaseFile) -> None:
        """The last judgement hangs on a clearing; a file without a scan has none to hang it on."""
        told = document.proof
        newest = self.case.scans.last()
        if told is None or newest is None:
            return
        cleared = told.cleared or ClearedFacts()
        taken = {row.at.isoformat(): row for row in self.case.scans.all()}
        clearing = self.make(
            Clearing,
            cleared.at,
            before=taken.get(_stamp(cleared.before)) or newest,
            after=taken.get(_stamp(cleared.after)),
            by_itself=cleared.by_itself,
            expected=list(cleared.expected),
            modules=[dict(row) for row in cleared.modules],
        )
        self.make(
            Judgement,
            told.at,
            clearing=clearing,
            verdict=told.verdict,
            reasons=list(told.reasons),
            conditions=[asdict(row) for row in told.conditions],
        )


def _time(text: str) -> datetime:
    """The time of an entry; now where the file gives none. What cannot be a time was refused when it was read."""
    if not text:
        return timezone.now()
    found = datetime.fromisoformat(text)
    return found if found.tzinfo else timezone.make_aware(found)


def _stamp(text: str) -> str:
    """A time as our own rows write it."""
    return _time(text).astimezone(UTC).isoformat() if text else ""
