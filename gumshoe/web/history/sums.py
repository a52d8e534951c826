"""The sums of the shop's past, kept as they change: what a case taught, how long parts lived, how often a car was here.

Every entry that bears on them marks its case (``Evidence.COUNTS``), every change its vehicle or customer; what is
marked is counted anew before the sums are read next, and nothing else is looked at. ``rebuild`` makes all of it from
nothing.
"""

from __future__ import annotations

import logging
from collections import Counter
from collections.abc import Iterable
from functools import cache
from typing import Any

from django.db import connection
from django.db.models import Count, Exists, Max, OuterRef, Q, QuerySet, Subquery, Sum

from gumshoe.core.errors import GumshoeError
from gumshoe.core.history.parts import Fitted, part_lives
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.parts import GENERIC
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.proof.tracker import ProofVerdict
from gumshoe.web.cases.models import Case, State
from gumshoe.web.history.models import FittedPart, LifeSum, Outcome, OutcomeSum
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import once
from gumshoe.web.ledger.ends import put_in_new
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.vehicles import description
from gumshoe.web.vehicles.models import Customer, Vehicle
from gumshoe.web.verdicts.models import Verdict
from gumshoe.web.work.models import Work

log = logging.getLogger("gumshoe.sums")
AT_ONCE = 500
"""So many rows are counted in one go."""
CASE, VEHICLE, CUSTOMER = "case", "vehicle", "customer"
Part = tuple[int, str, str, int, bool]
"""A part that was fitted: vehicle, kind, make, how far it came, whether it failed."""


@once
def up_to_date() -> None:
    """Count what has changed since the sums were read last."""
    while count_some():
        pass


def count_some(most: int = AT_ONCE) -> int:
    """Count so many of the rows that are marked; how many there were."""
    marked = _marked(most)
    if not marked:
        return 0
    with in_turn():
        _count({kind: {pk for of, pk in marked if of == kind} for kind in (CASE, VEHICLE, CUSTOMER)})
    return len(marked)


def rebuild() -> None:
    """Forget every sum and count the whole shop."""
    with in_turn():
        for kept in (Outcome, OutcomeSum, FittedPart, LifeSum):
            kept._default_manager.all().delete()
        for counted in (State, Vehicle, Customer):
            counted._base_manager.update(counted=False)
    while count_some():
        pass


@cache
def _question() -> str:
    """Asked on most pages: it is put together once."""
    return " UNION ALL ".join(
        f"SELECT '{kind}', {model._meta.pk.column} FROM {model._meta.db_table} WHERE NOT counted"
        for kind, model in ((CASE, State), (VEHICLE, Vehicle), (CUSTOMER, Customer))
    )


def _marked(most: int) -> list[tuple[str, int]]:
    with connection.cursor() as cursor:
        cursor.execute(f"{_question()} LIMIT {most:d}")
        return [(str(kind), int(pk)) for kind, pk in cursor.fetchall()]


def _count(marked: dict[str, set[int]]) -> None:
    """A vehicle's past is that of its cases; a car that changed hands bears on whoever has it or had it."""
    concerned = Case.objects.filter(Q(pk__in=marked[CASE]) | Q(vehicle__in=marked[VEHICLE]))
    held = list(concerned.order_by().values_list("pk", "vehicle", "customer"))
    vehicles = {vehicle for _, vehicle, _ in held} | marked[VEHICLE]
    owners = Customer.objects.filter(
        Q(vehicles__in=marked[VEHICLE]) | Q(ownings__vehicle__in=marked[VEHICLE])
    ).values_list("pk", flat=True)
    customers = {pk for *_, pk in held if pk is not None} | set(owners) | marked[CUSTOMER]
    _count_cases([pk for pk, *_ in held])
    _count_vehicles(vehicles)
    # What is practised on is in no sum, and need not be looked at again.
    State.objects.filter(case__in=marked[CASE], case__practice=True).update(counted=True)
    Vehicle.every.filter(pk__in=marked[VEHICLE], practice=True).update(counted=True)
    _count_customers(customers)


# -- cases: how they ended, and what they teach -----------------------------------------------------------


def _count_cases(pks: list[int] | set[int]) -> None:
    rows = list(
        State.objects.select_for_update(of=("self",))  # whoever enters something now, waits
        .filter(case__in=pks)
        .annotate(last=Subquery(_newest_judged(OuterRef("case"))))
        .annotate(worked=Exists(Work.objects.filter(case=OuterRef("case"))))
    )
    for row in rows:
        row.proof, row.counted = row.last or "", True
        row.unproven = row.worked and row.proof != ProofVerdict.PROVEN
    State.objects.bulk_update(rows, ["proof", "unproven", "counted"])
    before = set(Outcome.objects.filter(case__in=pks).values_list("case", "suspect", "platform", "proven", "number"))
    now = _outcomes(pks)
    if before == now:
        return
    Outcome.objects.filter(case__in=pks).delete()
    Outcome.objects.bulk_create(
        Outcome(case_id=case, suspect=suspect, platform=platform, proven=proven, number=number)
        for case, suspect, platform, proven, number in now
    )
    _sum_up_outcomes({suspect for _, suspect, *_ in before ^ now})


def _newest_judged(case: OuterRef) -> QuerySet[Any, Any]:
    return Judgement.objects.filter(case=case).order_by("-at", "-pk").values("verdict")[:1]


def _outcomes(pks: list[int] | set[int]) -> set[tuple[int, str, str, bool, int]]:
    """What each case says of the suspects that were named in it, and how often: only the last verdict can be proven. A
    file's proof is not the shop's."""
    later = Verdict.objects.filter(
        Q(at__gt=OuterRef("at")) | Q(at=OuterRef("at"), pk__gt=OuterRef("pk")), case=OuterRef("case")
    )
    rows = (
        Verdict.objects.filter(case__in=pks, case__importeds__isnull=True)
        .annotate(judged=Subquery(_newest_judged(OuterRef("case"))), later=Exists(later))
        .filter(judged__in=(ProofVerdict.PROVEN, ProofVerdict.CAME_BACK))
        .order_by()
        .values_list("case", "suspect", "case__vehicle__platform", "judged", "later")
    )
    found = Counter(
        (case, suspect, platform, verdict == ProofVerdict.PROVEN and not superseded)
        for case, suspect, platform, verdict, superseded in rows
    )
    return {(*key, number) for key, number in found.items()}


def _sum_up_outcomes(suspects: set[str]) -> None:
    """What all cases say of some suspects."""
    rows = Outcome.objects.filter(suspect__in=suspects).order_by().values_list("suspect", "platform", "proven")
    now = rows.annotate(total=Sum("number"))
    OutcomeSum.objects.filter(suspect__in=suspects).delete()
    OutcomeSum.objects.bulk_create(
        OutcomeSum(suspect=suspect, platform=platform, proven=proven, number=number)
        for suspect, platform, proven, number in now
    )


# -- vehicles: how often they were here, and what was fitted -----------------------------------------------


def _count_vehicles(pks: list[int] | set[int]) -> None:
    rows = list(Vehicle.objects.select_for_update().filter(pk__in=pks))
    here = {
        pk: told
        for pk, *told in Case.objects.filter(vehicle__in=pks)
        .order_by()
        .values_list("vehicle")
        .annotate(times=Count("pk", distinct=True), last=Max("opened_at"), km=Max("complaints__odometer_km"))
    }
    works: dict[int, list[Work]] = {}
    for work in Work.objects.filter(case__vehicle__in=pks).exclude(line__component="").select_related("line", "case"):
        works.setdefault(work.case.vehicle_id, []).append(work)
    now: Counter[Part] = Counter()
    for row in rows:
        row.visits, row.seen, km = here.get(row.pk, (0, None, None))
        row.counted = True
        try:
            now.update(_fitted(row, works.get(row.pk, []), km))
        except GumshoeError as error:  # its own pages say so too; the rest of the shop is counted
            log.warning("parts of vehicle %s are not counted: %s", row.pk, error.what)
    Vehicle.objects.bulk_update(rows, ["visits", "seen", "counted"])
    before = Counter(FittedPart.objects.filter(vehicle__in=pks).values_list("vehicle", "kind", "make", "km", "failed"))
    if before == now:
        return
    FittedPart.objects.filter(vehicle__in=pks).delete()
    FittedPart.objects.bulk_create(
        FittedPart(vehicle_id=vehicle, kind=kind, make=make, km=km, failed=failed)
        for vehicle, kind, make, km, failed in now.elements()
    )
    for kind, make in {(kind, make) for _, kind, make, *_ in (before - now) | (now - before)}:
        _sum_up_lives(kind, make)


def _fitted(vehicle: Vehicle, works: Iterable[Work], last_km: int | None) -> Iterable[Part]:
    """Every part that the shop put new into a vehicle: how far it came, and whether it had to be renewed there."""
    by_place: dict[str, list[Work]] = {}
    for work in works:
        if put_in_new(_knowledge(vehicle), work):
            by_place.setdefault(work.line.component, []).append(work)
    for component, rows in by_place.items():
        part = _knowledge(vehicle).components.get(component)
        for work, following in zip(rows, [*rows[1:], None], strict=True):
            end = following.odometer_km if following else last_km
            if work.odometer_km is None or end is None or end < work.odometer_km:
                continue
            kind = part.row.id if part else component
            yield vehicle.pk, kind, work.part_make.strip(), end - work.odometer_km, following is not None


def _knowledge(vehicle: Vehicle) -> Knowledge:
    """What is known of a vehicle's kind, which is enough to name its parts."""
    found = platforms().get(vehicle.platform)
    return expand(description.powertrain_of(vehicle), found.local if found else GENERIC)


def _sum_up_lives(kind: str, make: str) -> None:
    """Part life of one kind and make, from every part of it."""
    rows = FittedPart.objects.filter(kind=kind, make=make).values_list("km", "failed")
    LifeSum.objects.filter(kind=kind, make=make).delete()
    LifeSum.objects.bulk_create(
        LifeSum(
            kind=kind, make=make, fitted=life.fitted, failed=life.failed, longest_km=life.longest_km,
            first_km=life.first_km, median_km=life.median_km,
        )
        for life in part_lives(Fitted(kind, make, float(km), failed) for km, failed in rows)
    )  # fmt: skip


# -- customers --------------------------------------------------------------------------------------------


def _count_customers(pks: list[int] | set[int]) -> None:
    rows = list(Customer.objects.select_for_update().filter(pk__in=pks))
    owned = dict(
        Vehicle.objects.filter(customer__in=pks, same_as=None)
        .order_by()
        .values_list("customer")
        .annotate(number=Count("pk"))
    )
    seen = dict(Case.objects.filter(customer__in=pks).order_by().values_list("customer").annotate(at=Max("opened_at")))
    for row in rows:
        row.cars, row.seen, row.counted = owned.get(row.pk, 0), seen.get(row.pk), True
    Customer.objects.bulk_update(rows, ["cars", "seen", "counted"])
