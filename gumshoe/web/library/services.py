"""Store and find notes and makers' codes; what the core is told of a vehicle beyond the generic tables."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import cast

from gumshoe.core.codes import TroubleCode, structure
from gumshoe.core.entry import number_in
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.knowledge.code_index import OwnCode
from gumshoe.core.knowledge.parts import GENERIC, Local, WiringRow
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.values import Severity
from gumshoe.web.accounts.models import User
from gumshoe.web.library.models import HeardRate, Note, ShopCode
from gumshoe.web.vehicles.models import Vehicle

KEPT = 64


def local_for(vehicle: Vehicle, codes: tuple[OwnCode, ...] = (), wiring: tuple[WiringRow, ...] = ()) -> Local:
    """What platform, shop and (``codes``, ``wiring``) case file know of this vehicle; the same object each time."""
    rows = ShopCode.objects.filter(withdrawn=False, platform__in=("", vehicle.platform)).order_by("pk")
    latest = {
        row.number: OwnCode(row.number, row.component, row.kind, "", cast(Severity, row.severity), row.part)
        for row in rows
    }
    latest |= {code.number: code for code in codes}
    return _local(vehicle.platform, tuple(latest.values()), wiring)


@lru_cache(maxsize=KEPT)
def _local(platform: str, codes: tuple[OwnCode, ...], wiring: tuple[WiringRow, ...]) -> Local:
    found = platforms().get(platform)
    base = found.local if found else GENERIC
    if not codes and not wiring:
        return base
    return Local(base.id, (*base.wiring, *wiring), base.parts, (*base.codes, *codes), base.access, base.pins)


def add_code(
    user: User, number: str, component: str, kind: str, severity: str = "", part: str = "", platform: str = ""
) -> ShopCode:
    """Record what a maker's code stands for. Raises BadInput for a standardised or impossible one."""
    code = TroubleCode.parse(number)
    if structure(code).standardised:
        raise BadInput(
            f"{code} is a standardised code; the catalogue says what it stands for.",
            remedies=("enter makers' codes only: P1, P30 to P33, B1, C1, U1 and the like",),
        )
    told = cast(Severity, severity or "soon")  # ``row`` refuses any other
    own = OwnCode(code, component, kind, "", told)
    try:
        own.row()
    except DataError as error:
        raise BadInput(error.what, remedies=("name the component and choose the kind of code",)) from error
    return ShopCode.objects.create(
        by=user,
        platform=platform,
        number=own.number,
        component=component,
        kind=kind,
        severity=told,
        part=part,
    )


@dataclass(frozen=True)
class About:
    """What a note is attached to: a code, a component, a platform."""

    code: str = ""
    component: str = ""
    platform: str = ""


def add_note(user: User, text: str, kind: str, about: About, origin: str = "") -> Note:
    """Attach a note. Raises BadInput when there is no text or nothing to attach it to."""
    number = TroubleCode.parse(about.code) if about.code else ""
    if not text:
        raise BadInput("The note is empty.", remedies=("write what is known and where from",))
    if kind not in Note.Kind.values:
        raise BadInput("Choose what sort of note it is.")
    if not (number or about.component or about.platform):
        raise BadInput(
            "The note is not attached to anything.", remedies=("attach it to a code, a component or a platform",)
        )
    return Note.objects.create(
        by=user,
        kind=kind,
        platform=about.platform,
        code=number,
        component=about.component,
        text=text,
        origin=origin,
    )


def add_heard(
    user: User, suspect: str, hits: str, cases: str, origin: str, platform: str, known: Iterable[str]
) -> HeardRate:
    """Record a hit rate heard elsewhere. Raises BadInput for one that cannot be, or without its origin."""
    if suspect not in set(known):
        raise BadInput("Choose the suspect it is about.")
    right, of = number_in(hits), number_in(cases)
    if right is None or of is None or not 0 < of <= 100_000 or right > of:
        raise BadInput(
            f"“{hits[:12]} of {cases[:12]}” cannot be.", remedies=("enter how often it helped and of how many cases",)
        )
    if not origin:
        raise BadInput("Where was it heard?", remedies=("name the origin: it stands beside the figure for ever",))
    return HeardRate.objects.create(by=user, platform=platform, suspect=suspect, hits=right, cases=of, origin=origin)


def notes_for(vehicle: Vehicle, codes: Iterable[str], components: Iterable[str]) -> list[Note]:
    """The notes that matter: of this platform or any, about one of these codes or components or the platform itself."""
    wanted_codes, wanted_parts = set(codes), set(components)
    found = []
    for note in Note.objects.filter(withdrawn=False, platform__in=("", vehicle.platform)).select_related("by"):
        about_all = not note.code and not note.component
        if note.code in wanted_codes or note.component in wanted_parts or (about_all and note.platform):
            found.append(note)
    return found
