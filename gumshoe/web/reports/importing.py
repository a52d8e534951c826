"""Read a case file in: a new case whose entries stand for those of the file, all in one transaction."""

from __future__ import annotations

import json
from hashlib import sha256
from pathlib import PurePath
from typing import Any

from django.utils import timezone

from gumshoe.core.casefile import CaseFile, plain_case
from gumshoe.core.casefile.untrusted import case_apart, log_apart
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.platform import platform_for_vin, platforms
from gumshoe.core.knowledge.presets import facts_of
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case, Imported
from gumshoe.web.cases.registry import Import, kinds
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.vehicles import description
from gumshoe.web.vehicles.models import Vehicle, VehicleLog


def import_case(user: User, content: bytes, name: str = "", *, again: bool = False) -> Case:
    """A new case from a file. Raises CaseFileError with the place and the reason, BadInput for what was imported before
    (``again``: all the same); then nothing was imported."""
    document = case_apart(content)  # read before: nobody waits for the database meanwhile
    plain = plain_case(document)
    digest = sha256(json.dumps(plain, sort_keys=True).encode()).hexdigest()
    earlier = Imported.objects.filter(digest=digest).select_related("case").last()
    if earlier is not None and not again:
        raise BadInput(
            f"What is in this file was imported on {timezone.localtime(earlier.at):%d %b %Y}, as {earlier.case}.",
            kept="Nothing was stored.",
            remedies=(f"open {earlier.case}", "or tick “Take it in once more”"),
        )
    return _enter(user, document, plain, digest, name)


@in_turn()
def _enter(user: User, document: CaseFile, plain: dict[str, Any], digest: str, name: str) -> Case:
    case = cases.open_case(user, _vehicle(document))
    coming = Import(case, user, document)
    for kind in kinds():
        if kind.read is not None:
            kind.read(coming)
    Imported.objects.create(case=case, by=user, document=plain, name=name[:120], entries=coming.entries, digest=digest)
    return case


def import_car(user: User, content: bytes, name: str) -> Case:
    """A car in a file: a logged session becomes a vehicle that answers again what it answered then, with a case.

    Raises BadInput saying what cannot be read, or that nobody answers in it; then nothing was stored.
    """
    found = log_apart(content, PurePath(name).suffix.lower())
    if found.snapshot is None or not found.snapshot.modules:
        raise BadInput(
            f"In “{name}” ({found.frames} frames) no module tells its codes: it is no session that could be replayed.",
            kept="Nothing was stored.",
            remedies=("log a whole scan with the diagnostic frames in it",),
        )
    vin = found.snapshot.vin
    platform = platform_for_vin(vin) if vin else None
    with in_turn():  # the file is read before: nobody waits for the database meanwhile
        vehicle = Vehicle.objects.create(
            plate=f"LOG {Vehicle.objects.count() + 1}",
            vin=vin,
            make="logged",
            model=PurePath(name).stem[:40],
            platform=platform.platform.id if platform else "",
            from_log=name[:120],
        )
        VehicleLog.objects.create(vehicle=vehicle, frames="\n".join(found.lines))
        return cases.open_case(user, vehicle)


def _vehicle(document: CaseFile) -> Vehicle:
    """The vehicle we know by VIN or plate, else a new one; a description it lacks is taken from the file."""
    facts = document.vehicle
    found = (Vehicle.objects.filter(vin=facts.vin, from_log="").first() if facts.vin else None) or (
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
