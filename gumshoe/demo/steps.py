"""Steps of the demo's cases, through the services the pages use, with simulated time skipped where a person would
wait."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from datetime import timedelta
from typing import Any

from django.db.models.signals import pre_save
from django.utils import timezone

from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.obd.current import Values
from gumshoe.core.obd.lists import ListsNow
from gumshoe.core.obd.poller import Poller
from gumshoe.core.signals.derived import Deriver, derived_channels
from gumshoe.core.signals.strips import needed_by
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing import services as clearing
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.live import looking, store
from gumshoe.web.live import services as live
from gumshoe.web.live.models import Recording
from gumshoe.web.proofs import runner as proofs_runner
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs.models import HandTried, ProofChunk, ProofDrive
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles.cars import StandInCar
from gumshoe.web.vehicles.links import connection
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.vehicles.register import customer_named
from gumshoe.web.work import services as working


def open_case(user: User, car: Vehicle, bay: str, complaint: dict[str, Any]) -> Case:
    case = cases.open_case(user, car, bay)
    case.opened_at = timezone.now() - timedelta(hours=3 * int(bay))
    case.save(update_fields=["opened_at"])
    cases.complain(case, user, complaint)
    return case


def turn_key(car: Vehicle, position: str) -> None:
    running = StandInCar(car.stand_in).runner()
    running.stop_driving()
    running.skip(2.0)
    running.key(position)
    running.skip(1.0)


def record(case: Case, user: User, purpose: str, rpm: float) -> None:
    """A guided recording with simulated time skipped between the answers."""
    running = StandInCar(case.vehicle.stand_in).runner()
    running.key("on")
    running.key("start")
    running.hold_rpm(rpm)
    running.skip(45.0)
    row = next(item for item in live.PURPOSES if item.key == purpose)
    powertrain = cases.powertrain_of(case)
    keys = live.recorded_keys(powertrain)
    channels = looking.steps(case, keys)
    recording = Recording.objects.create(case=case, by=user, label=row.label, purpose=purpose, channels=channels)
    samples = []
    with connection(case.vehicle).use() as link:
        poller, deriver = (
            Poller(link, connection(case.vehicle).engine(link), needed_by(keys, powertrain)),
            Deriver(derived_channels(powertrain)),
        )
        origin = running.vehicle.clock_s
        for _ in range(75):
            running.skip(0.2)
            moment = recording.at.timestamp() + running.vehicle.clock_s - origin
            samples += deriver.add([replace(sample, time=moment) for sample in poller.poll()])
    samples = [sample for sample in samples if sample.key in channels]
    store.append(recording, 0, samples, last=True)
    running.hold_rpm(0.0)
    running.key("off")
    running.skip(3.0)
    running.key("on")


def repair(case: Case, user: User, repair: str, who: str, how: str) -> None:
    line = offering.propose_line(case, user, repair)
    offering.answer(case, user, line.pk, "approved", who, how)
    working.do_work(case, user, line.pk)


def on_paper(plate: str, platform: str, year: int, owner: str) -> Vehicle:
    """A car of the shop that is not connected."""
    head = platforms()[platform].platform
    found, _ = Vehicle.objects.get_or_create(
        plate=plate,
        defaults={
            "make": head.make,
            "model": head.model,
            "year": year,
            "customer": customer_named(owner),
            "platform": platform,
        },
    )
    return found


@contextmanager
def days_ago(days: float) -> Iterator[None]:
    """Evidence written inside is of so many days ago, twenty minutes from one entry to the next. Kept evidence cannot
    be re-dated, so it is dated as it is stored."""
    at = timezone.now() - timedelta(days=days)

    def date(instance: object, **_: object) -> None:
        nonlocal at
        if isinstance(instance, Evidence):
            instance.at = at
            at += timedelta(minutes=20)

    pre_save.connect(date)
    try:
        yield
    finally:
        pre_save.disconnect(date)


def earlier(user: User, car: Vehicle, days: int, km: int, words: str, codes: str) -> Case:
    """A case of so many days ago, its codes typed in."""
    case = cases.open_case(user, car)
    if days:
        case.opened_at = timezone.now() - timedelta(days=days)
        case.save(update_fields=["opened_at"])
    cases.complain(case, user, {"text": words, "symptoms": [], "lamp": "steady", "odometer_km": km})
    scans.type_in(case, user, codes)
    return case


def clear_and_drive(case: Case, user: User) -> None:
    """Clear, drive the stand-in as the plan says with time skipped, try by hand what is asked, judge."""
    turn_key(case.vehicle, "on")
    cleared = clearing.clear(case, user, triage=False)
    drive_skipped(case, user, cleared)
    for row in proofs.plan_of(cleared).circumstances:
        if row.by_hand and not row.advised:
            proofs.tell_tried(case, user, row.id, HandTried.How.RIGHT, "")
    proofs.finish(case, user)


def drive_skipped(case: Case, user: User, cleared: Clearing, trips: tuple[tuple[str, ...], ...] = ()) -> None:
    """Watch a proof drive of a stand-in (the plan's, or these trips of named segments) with simulated time skipped."""
    tracker = proofs.tracker_of(cleared)
    wanted = trips or proofs.pieces_of(proofs.still_to_drive(cleared, tracker))
    drive = ProofDrive.objects.create(
        case=case, by=user, clearing=cleared, how=f"stand-in, {len(wanted)} trips, time skipped"
    )
    running = StandInCar(case.vehicle.stand_in).runner()
    StandInCar(case.vehicle.stand_in, speedup=1.0).drive(wanted)
    observations, codes_at = [], 0.0
    unit: Values | None = None
    lists: ListsNow | None = None
    with connection(case.vehicle).use() as link:
        while running.vehicle.driving:
            running.skip(2.0)
            with_codes = running.vehicle.clock_s - codes_at > 30.0
            try:
                engine = connection(case.vehicle).engine(link)
                unit, lists = unit or proofs_runner.watched(link, engine), lists or proofs_runner.lists_of(link, engine)
                seen = proofs_runner.observe(unit, lists if with_codes else None)
            except GumshoeError:
                continue  # one look lost, as on the road
            codes_at = running.vehicle.clock_s if with_codes else codes_at
            observations.append(seen)
    ProofChunk.objects.create(drive=drive, number=0, data=proofs_runner.pack(observations), last=True)
