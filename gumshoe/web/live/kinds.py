"""Kinds of evidence: recordings with what they show, and marks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import datetime
from typing import Any

import numpy as np

from gumshoe.core.casefile import CaseFile
from gumshoe.core.casefile.model import MarkFacts, RecordingFacts
from gumshoe.core.clues import OnRecord, TestOutcome
from gumshoe.core.signals.recording import Channel
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import stamp
from gumshoe.web.cases.models import Case
from gumshoe.web.cases.registry import Export, Import, Kind, Section, register
from gumshoe.web.live import looking, recordings, store
from gumshoe.web.live.models import Mark, Recording, Reference


def _written(export: Export, document: CaseFile) -> CaseFile:
    rows = export.added(export.case.recordings.prefetch_related("chunks").select_related("by"))
    read = (item for item in recordings.recorded(export.case) if export.is_added(item.recording))
    trims = tuple(trim for item in read for trim in item.trims)
    return replace(
        document,
        recordings=(*document.recordings, *map(_recording, rows)),
        trims=(*document.trims, *trims),
    )


def _recording(row: Recording) -> RecordingFacts:
    columns = {
        key: (tuple(channel.times.tolist()), tuple(channel.values.tolist()))
        for key, channel in store.load(row).channels.items()
    }
    good = row.reference.words if hasattr(row, "reference") else None
    return RecordingFacts(row.label, columns, row.purpose, row.at.isoformat(), str(row.by), row.origin, good)


def _read(file: Import) -> None:
    for told in file.document.recordings:
        columns = {key: Channel(np.array(times), np.array(values)) for key, (times, values) in told.columns.items()}
        facts = {"label": told.label, "purpose": told.purpose, "origin": told.origin}
        row = file.make(Recording, told.at, channels=looking.steps(file.case, columns), **facts)
        store.fill(row, Samples.sorted(columns))
        if told.good_car is not None:
            words, kind = told.good_car, file.case.vehicle.platform
            file.make(Reference, told.at, recording=row, platform=kind, words=words)


def _tells(case: Case, found: OnRecord, since: datetime | None) -> OnRecord:
    rows = [row for row in recordings.recorded(case) if since is None or row.recording.at > since]
    signed = [(row, row.recording.source, stamp(row.recording)) for row in rows]
    document = cases.imported_of(case)
    came = document.trims if document and not document.recordings and since is None else ()
    return replace(
        found,
        trims=(
            *((trim, "imported", "") for trim in came),
            *((trim, source, at) for row, source, at in signed for trim in row.trims),
        ),
        tests=tuple(
            TestOutcome(shown.test, shown.outcome, source, at)
            for row, source, at in signed
            for shown in row.judged.findings
            if shown.test
        ),
        misfires=tuple(
            (shown.cylinders, source, at)
            for row, source, at in signed
            for shown in row.judged.findings
            if shown.rule == "misfires"
        ),
    )


def _filed(case: Case) -> Mapping[str, Any]:
    rows = recordings.recorded(case)
    return {"recordings": rows, "trims": recordings.trim_reading(rows, cases.powertrain_of(case))}


register(
    Kind(
        name="recordings",
        models=(Recording, Reference),
        written=_written,
        read=_read,
        tells=_tells,
        sections=(Section(30, "live/filed.html", _filed),),
    )
)


# -- marks ------------------------------------------------------------------------------------------------


def _marks_written(export: Export, document: CaseFile) -> CaseFile:
    rows = export.added(export.case.marks.select_related("by"))
    facts = (MarkFacts(mark.moment, mark.text, mark.at.isoformat(), str(mark.by)) for mark in rows)
    return replace(document, marks=(*document.marks, *facts))


def _marks_read(file: Import) -> None:
    for mark in file.document.marks:
        file.make(Mark, mark.at, moment=mark.moment, text=mark.text)


register(Kind(name="marks", models=(Mark,), written=_marks_written, read=_marks_read))
