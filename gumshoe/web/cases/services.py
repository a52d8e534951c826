"""Opening cases, recording complaints, and where a case stands."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.urls import reverse
from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import Knowledge, expand, platform_for_vin, platforms
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.vin import check_vin
from gumshoe.core.proof.tracker import Verdict as ProofVerdict
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case, Complaint
from gumshoe.web.vehicles.models import Vehicle

STAGES = ("complaint", "scan", "read", "live", "suspects", "bench", "repair", "clear", "prove", "report")


@transaction.atomic
def open_case(user: User, vehicle: Vehicle, bay: str = "") -> Case:
    """A new case with the next number of the year."""
    year = timezone.localdate().year % 100
    prefix = f"{year:02d}-"
    last = Case.objects.filter(number__startswith=prefix).aggregate(top=Max("number"))["top"]
    number = f"{prefix}{int(last[3:]) + 1 if last else 1:04d}"
    return Case.objects.create(number=number, vehicle=vehicle, opened_by=user, bay=bay)


def save_vehicle(data: dict[str, Any]) -> Vehicle:
    """Add a vehicle by hand. Raises BadInput when the plate is taken or the VIN cannot be one."""
    vin = check_vin(data["vin"]).vin if data.get("vin") else ""
    if Vehicle.objects.filter(plate__iexact=data["plate"]).exists():
        raise BadInput(
            f"There is a vehicle with the plate {data['plate']} already.", remedies=("pick it from the list",)
        )
    platform = platform_for_vin(vin) if vin else None
    return Vehicle.objects.create(**{**data, "vin": vin, "platform": platform.platform.id if platform else ""})


def complain(case: Case, user: User, data: dict[str, Any]) -> Complaint:
    """Store what the customer said; it supersedes an earlier complaint visibly."""
    return Complaint.objects.create(case=case, by=user, **data)


def complaint_of(case: Case) -> Complaint | None:
    """The complaint that holds."""
    return case.complaints.last()


def knowledge_of(case: Case) -> Knowledge:
    """The tables expanded for the case's powertrain."""
    return expand(powertrain_of(case))


def powertrain_of(case: Case) -> Powertrain:
    """The powertrain of the platform, else the generic one."""
    found = platforms().get(case.vehicle.platform)
    return found.powertrain if found else Powertrain()


def specification_of(case: Case) -> Specification:
    """The vehicle's own values, else the defaults."""
    found = platforms().get(case.vehicle.platform)
    return found.specification if found else Specification()


@dataclass(frozen=True)
class Standing:
    """Where a case stands: the stage it is in, and the next action with its address."""

    stage: str
    action: str
    url: str
    tone: str = ""
    done: frozenset[str] = frozenset()


def standing(case: Case) -> Standing:
    """Derive the stage and the next action from the evidence alone."""
    scans = case.scans.filter(interrupted=False)
    recordings = case.recordings.count()
    tests = case.testrecords.count()
    verdict = case.verdicts.last()
    lines = list(case.lines.prefetch_related("works", "answers"))
    clearing = case.clearings.filter(triage=False).last()
    judgement = clearing.judgements.last() if clearing else None
    loose = case.looseends.filter(closed__isnull=True).count()
    done = set()
    for name, reached in (
        ("complaint", case.complaints.exists()),
        ("scan", scans.exists()),
        ("read", scans.exists()),
        ("live", recordings > 0),
        ("suspects", tests > 0),
        ("bench", tests > 0),
        ("repair", any(line.works.exists() for line in lines)),
        ("clear", clearing is not None),
        ("prove", judgement is not None and judgement.verdict == ProofVerdict.PROVEN),
        ("report", case.closed_at is not None),
    ):
        if reached:
            done.add(name)

    def at(stage: str, action: str, tone: str = "") -> Standing:
        return Standing(stage, action, reverse(f"{_APPS[stage]}:{stage}", args=[case.pk]), tone, frozenset(done))

    if case.closed_at:
        return at("report", "Closed: print the report")
    if "complaint" not in done:
        return at("complaint", "Write down the complaint")
    if "scan" not in done:
        return at("scan", "Connect and scan")
    came_back = judgement is not None and judgement.verdict == ProofVerdict.CAME_BACK
    worked_since = clearing is not None and any(work.at > clearing.at for line in lines for work in line.works.all())
    if came_back and not worked_since and not (verdict and judgement and verdict.at > judgement.at):
        return at("suspects", "The code came back: look at the suspects again", "bad")
    if clearing is not None and not worked_since and not came_back:
        if judgement is not None and judgement.verdict == ProofVerdict.PROVEN:
            return at("report", "Proven: hand over with the report", "good")
        return at("prove", "Drive and prove the repair")
    if verdict is None:
        if not recordings:
            return at("live", "Record warm idle and 2500 rpm")
        return at("suspects", "Make the next test")
    if not lines:
        return at("repair", "Propose the repair")
    open_lines = [line for line in lines if not line.works.exists()]
    if open_lines and any(not line.answers.exists() for line in open_lines):
        return at("repair", "Get the customer's answer")
    if any(line.answers.exists() and line.answers.last().kind == "approved" for line in open_lines):
        return at("repair", "Do the approved work")
    if loose:
        return at("repair", f"Put back {loose} loose end{'s' if loose > 1 else ''}", "bad")
    if "repair" in done:
        return at("clear", "Clear the codes")
    return at("report", "Nothing approved: report to the customer")


_APPS = {
    "complaint": "cases",
    "scan": "scans",
    "read": "scans",
    "live": "live",
    "suspects": "suspects",
    "bench": "bench",
    "repair": "repairs",
    "clear": "repairs",
    "prove": "proofs",
    "report": "reports",
}


def tabs(case: Case, current: str) -> list[dict[str, Any]]:
    """The folder's tabs: name, address, whether its stage has been reached."""
    where = standing(case)
    return [
        {
            "name": name.capitalize(),
            "url": reverse(f"{_APPS[name]}:{name}", args=[case.pk]),
            "current": name == current,
            "done": name in where.done,
            "next": name == where.stage,
            "key": (index + 1) % 10,
        }
        for index, name in enumerate(STAGES)
    ]
