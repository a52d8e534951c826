"""Guided tests: check what was typed, compute the verdict, store it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gumshoe.core.circuits.library import circuits_of
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.by_place import ASKED, decided
from gumshoe.core.knowledge.outcomes import check_reading
from gumshoe.core.knowledge.rows import OutcomeRow, TestRow
from gumshoe.core.planning.where import wants_standing, where
from gumshoe.core.signals.regions import RUNS_RPM
from gumshoe.web.accounts.models import User
from gumshoe.web.bench.models import TestRecord, TestWithdrawn
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.memo import once
from gumshoe.web.ui.readers import said_in_shop, shop_scale, typed_in_shop
from gumshoe.web.vehicles.cars import car_of
from gumshoe.web.vehicles.links import speed_where_connected
from gumshoe.web.vehicles.services import words_of


def test_of(case: Case, name: str) -> TestRow:
    """The test of that name for this powertrain. Raises BadInput when there is none."""
    found = cases.knowledge_of(case).tests.get(name)
    if found is None:
        raise BadInput("There is no such test for this powertrain.", remedies=("choose one from the list",))
    return found


def record(
    case: Case, user: User, test: TestRow, typed: Mapping[str, str], note: str, worked_out: str = ""
) -> TestRecord:
    """Check every reading, decide, store. ``worked_out``: the outcome a hand test came to by what was typed there.
    Raises BadInput naming the field; then nothing is stored."""
    with said_in_shop():
        readings = {
            row.key: check_reading(row, typed_in_shop(typed.get(row.key, ""), row.unit))
            for row in test.readings
            if row.key not in ASKED or typed.get(row.key)
        }
    outcome = test.outcome(worked_out)
    if outcome is None:
        readings, outcome = decided(test, readings, cases.specification_of(case))
    return TestRecord.objects.create(
        case=case, by=user, test=test.id, readings=readings, outcome=outcome.id, note=note.strip()
    )


def where_to(case: Case, test: TestRow) -> str:
    """Where the test is made on this car, as its suspects stand."""
    found = judged(case)
    seen = found.misfire
    hand = found.grounds.evidence.by_hand
    bad = next((row.cylinders for row in reversed(hand) if row.cylinders), seen.misfiring if seen else ())
    return where(test, found.grounds.knowledge, found.assessment, bad)


def speed_against(case: Case, test: TestRow) -> float | None:
    """The engine speed that speaks against a test which is made with the engine off; None where nothing does."""
    if not wants_standing(test):
        return None
    speed = speed_where_connected(case.vehicle)
    return speed if speed is not None and speed >= RUNS_RPM else None


def withdraw(case: Case, user: User, number: int, reason: str) -> TestWithdrawn:
    """Take a result back: it stays on record, struck out, and counts no more. Raises BadInput without a reason, or for
    one that is not there or is withdrawn already."""
    row = case.testrecords.filter(pk=number, withdrawn__isnull=True).first()
    if row is None:
        raise BadInput("There is no such result, or it is withdrawn already.", remedies=("look at the page again",))
    if not reason.strip():
        raise BadInput("What was wrong with it?", remedies=("write it in a few words",))
    return TestWithdrawn.objects.create(case=case, by=user, record=row, reason=reason.strip())


def circuit_of(case: Case, test: TestRow) -> str:
    """The circuit that a generated check is about, where one is known; empty otherwise."""
    return test.checks if test.checks in circuits_of(cases.knowledge_of(case)) else ""


def findings(case: Case, test: TestRow) -> list[dict[str, str]]:
    """What would be found at each point of the stand-in; empty for a real vehicle."""
    car, rows = car_of(case.vehicle), []
    if not car.has_wires:
        return []
    for reading in {row.point: row for row in reversed(test.readings)}.values():  # a point shows what it shows once
        words = words_of(car.finding(reading.point, engine_on=test.runs))
        rows.append({"label": reading.label, "words": words or "The stand-in has nothing to show at this point."})
    return rows[::-1]


def _shown(value: float | str, unit: str) -> str:
    """A reading in the shop's units."""
    scale = shop_scale(unit)
    return (
        f"{value} {unit}".strip() if scale.digits is None else f"{scale.of(float(value)):.{scale.digits}f} {scale.unit}"
    )


@dataclass(frozen=True)
class Performed:
    """A recorded test as it is read: its row in the tables (None for one they do not know), what was read, and whether
    it counts."""

    record: TestRecord
    test: TestRow | None
    outcome: OutcomeRow | None
    readings: tuple[str, ...]
    superseded: bool
    withdrawn: TestWithdrawn | None


@once
def performed(case: Case) -> list[Performed]:
    """Every recorded test with its words; superseded ones marked."""
    knowledge = cases.knowledge_of(case)
    rows, newest = [], {row.test: row.pk for row in entries(case, "testrecords") if row.counts}
    for row in entries(case, "testrecords"):
        test = knowledge.tests.get(row.test)
        outcome = test.outcome(row.outcome) if test else None
        labels = {item.key: item for item in test.readings} if test else {}
        shown = [
            f"{labels[key].label}: {_shown(value, labels[key].unit)}"
            for key, value in row.readings.items()
            if key in labels
        ]
        rows.append(
            Performed(
                row,
                test,
                outcome,
                tuple(shown),
                row.counts and newest[row.test] != row.pk,
                None if row.counts else row.withdrawn,
            )
        )
    return rows
