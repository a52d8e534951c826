"""What the pages of a case must know where it is an exercise: whose, how much is shown, clock and bill."""

from __future__ import annotations

import json
from copy import deepcopy

from gumshoe.practice.exercise import Exercise
from gumshoe.simulator.garage import StandIn, vehicle_of
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import HIDDEN_FROM, Practising
from gumshoe.web.cases.models import Case
from gumshoe.web.practice import steps
from gumshoe.web.practice.models import Attempt, Level
from gumshoe.web.vehicles import garage

CALIBRATION, VERIFICATION = "PR00-0000-0001", 0x1D5A0C77
HIDES = {
    Level.GUIDED: frozenset[str](),
    Level.NO_SUSPECTS: HIDDEN_FROM - {"read"},
    Level.NO_READ: HIDDEN_FROM,
    Level.BARE: HIDDEN_FROM | {"how"},
}
"""Which pages a level hides."""


def of(case: Case) -> Practising | None:
    """The exercise a case is; None for the shop's own."""
    if not case.practice:
        return None
    attempt = Attempt.objects.select_related("person").defer("prepared", "told").filter(case=case).first()
    if attempt is None:
        return None
    minutes, money = steps.clock_of(case)
    return Practising(
        attempt.pk,
        attempt.exercise.title,
        str(attempt.person),
        attempt.person_id,
        attempt.level,
        HIDES[Level(attempt.level)] if attempt.ended is None else frozenset(),
        attempt.ended is not None,
        steps.time_of_day(minutes),
        minutes,
        money,
    )


def stand_in(key: str) -> StandIn | None:
    """The stand-in of an attempt that is not ended, by its key."""
    number = key.removeprefix(garage.PRACTICE)
    attempt = Attempt.objects.select_related("case").filter(case__number=number, ended=None).first()
    if attempt is None:
        return None
    if not garage.practice_state(key).exists():
        put_into_the_bay(attempt)
    return stand_in_of(attempt)


def put_into_the_bay(attempt: Attempt) -> None:
    """Its car as it came, with the repairs that are on record: where its state is not there (a backup has none)."""
    state = garage.practice_state(attempt.key)
    state.parent.mkdir(parents=True, exist_ok=True)
    vehicle = vehicle_of(stand_in_of(attempt))
    vehicle.restore(deepcopy(attempt.prepared.state))
    known = cases.knowledge_of(attempt.case)
    for work in attempt.case.works.select_related("line"):
        row = known.repairs.get(work.line.repair)
        if row is not None:
            vehicle.carry_out(row.component, known.reached_by(row.id), work=row.work)
    state.write_text(json.dumps(vehicle.save()), encoding="utf-8")


def stand_in_of(attempt: Attempt) -> StandIn:
    """What its stand-in is."""
    exercise: Exercise = attempt.exercise
    car = exercise.kind
    return StandIn(
        attempt.key,
        f"the {car.built.words} of an exercise",
        car.vin,
        CALIBRATION,
        VERIFICATION,
        exercise.faults,
        exercise.seed,
        exercise.odometer_km or car.odometer_km,
        (),
        car.coolant_c if exercise.coolant_c is None else exercise.coolant_c,
        car.model,
    )
