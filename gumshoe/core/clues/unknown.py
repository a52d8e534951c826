"""Entries of a case that this version, or this powertrain, has no row for: shown and counted, never dropped."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.clues.record import OnRecord
from gumshoe.core.knowledge.catalogue import Knowledge, tables


def unknown_entries(evidence: OnRecord, knowledge: Knowledge, ruled: Iterable[str] = ()) -> tuple[str, ...]:
    """What stands on record and moves no suspect because nobody knows what it is, in words, each once. ``ruled``: the
    suspects that somebody ruled about."""
    shipped = tables()
    symptoms = {row.id for row in shipped.symptoms}
    tests, repairs = {row.id for row in shipped.tests}, {row.id for row in shipped.repairs}
    found = [f"symptom “{name}” is not known to this version" for name in evidence.symptoms if name not in symptoms]
    for done in evidence.tests:
        test = knowledge.tests.get(done.test)
        if test is None:
            where = "this powertrain" if done.test in tests else "this version"
            found.append(f"test “{done.test}” ({done.outcome}) is not known to {where}")
        elif test.outcome(done.outcome) is None:
            found.append(f"outcome “{done.outcome}” of “{test.words}” is not known to this version")
    for repair, _, _ in evidence.failed_repairs:
        if repair not in knowledge.repairs:
            where = "this powertrain" if repair in repairs else "this version"
            found.append(f"repair “{repair}”, which did not help, is not known to {where}")
    strangers = (name for name in ruled if name not in knowledge.faults)
    found += [f"suspect “{name}”, ruled about, is not known to this powertrain" for name in strangers]
    return tuple(dict.fromkeys(found))
