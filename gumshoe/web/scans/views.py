"""Scan page, one press to scan, raw log, comparison, and the Read page."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from gumshoe.core.casefile.files import MAX_BYTES
from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.maps import code_map, engine_map
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.powertrain.vin import check_vin
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder, hidden_page
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.beside import Outcome
from gumshoe.web.kit.pages import show
from gumshoe.web.kit.uploads import sent_file
from gumshoe.web.library import services as library
from gumshoe.web.scans import services, sorting
from gumshoe.web.scans.forms import AdapterChoice, TypedForm, VinForm
from gumshoe.web.scans.models import Scan, VinAnswer
from gumshoe.web.scans.pages import CodesPage, ComparePage, ScanPage
from gumshoe.web.ui.responses import read_beside
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.vehicles.sockets import plug_in, sockets

# Freeze-frame values in the order a technician asks for them.
FRAME_KEYS = (
    "rpm",
    "load_pct",
    "coolant_c",
    "speed_kmh",
    "stft_b1_pct",
    "ltft_b1_pct",
    "maf_gps",
    "throttle_pct",
    "intake_c",
    "run_time_s",
    "module_v",
    "spark_deg",
)


def _page(request: SignedIn, case: Case, shown: Scan | None, status: int = 200, **more: Any) -> HttpResponse:
    """The Scan page around one stored scan (or none)."""
    snapshot = services.snapshot_of(shown) if shown else None
    return show(
        request,
        ScanPage(
            scans=list(case.scans.order_by("-at", "-pk")),
            shown=shown,
            vin=_vin(snapshot),
            snapshot=services.engine_with_names(snapshot) if snapshot else None,
            titles={code: row.title for code, row in cases.knowledge_of(case).codes.items()},
            frame_keys=FRAME_KEYS,
            marks=sorting.marks_of(case, shown),
            sockets=sockets(case.vehicle),
            **more,
        ),
        folder(case, "scan"),
        status=status,
    )


def _vin(snapshot: Snapshot | None) -> object:
    """What the page says of the VIN: its check, or why it cannot be one."""
    if snapshot is None or not snapshot.vin:
        return None
    try:
        return check_vin(snapshot.vin)
    except BadInput as error:
        return {"vin": snapshot.vin, "note": error.what}


@needs(Right.SEE)
def scan(request: SignedIn, pk: int) -> HttpResponse:
    """The newest snapshot on one page, older ones listed."""
    case = find(pk)
    whole = list(case.scans.filter(interrupted=False).order_by("-at", "-pk"))
    chosen = request.GET.get("scan", "")
    shown = next((item for item in whole if str(item.pk) == chosen), whole[0] if whole else None)
    return _page(request, case, shown)


@require_POST
@needs(Right.WORK)
def scan_now(request: SignedIn, pk: int) -> HttpResponse:
    """Scan and store; an error is shown on the scan page with its remedies."""
    case = find(pk)
    why = Scan.Why.AGAIN if case.scans.exists() else Scan.Why.INTAKE
    try:
        stored = services.perform(case, request.user, why)
    except services.AnotherCar as error:
        return _page(request, case, None, 409, trouble=error, other=error, answers=VinAnswer.Kind.choices)
    except GumshoeError as error:
        return _page(request, case, None, 409, trouble=error)
    messages.success(request, f"Scan stored: {stored.seconds:.1f} s, {stored.frames.count(chr(10))} frames.")
    return redirect("scans:scan", case.pk)


@require_POST
@needs(Right.WORK)
def through(request: SignedIn, pk: int) -> HttpResponse:
    """Which adapter the vehicle is plugged into."""
    case = find(pk)
    try:
        words = plug_in(case.vehicle, AdapterChoice.of(request).read("adapter"))
    except GumshoeError as error:
        return _page(request, case, None, 400, trouble=error)
    messages.success(request, f"{case.vehicle.plate} is reached through {words}.")
    return redirect("scans:scan", pk)


@require_POST
@needs(Right.WORK)
def vin_answer(request: SignedIn, pk: int) -> HttpResponseBase:
    """Whose the VIN is that was read; then the scan goes on, in this case or in one of the other vehicle."""
    case, sent = find(pk), VinForm.of(request)
    if sent.read("answer") == "other":
        other = get_object_or_404(Vehicle, vin=sent.read("vin"))
        open_one = other.cases.filter(closed_at__isnull=True).first()
        found = open_one or cases.open_case(request.user, other)
        messages.info(request, f"This is {other}. Scan here.")
        return redirect("scans:scan", found.pk)
    services.answer_vin(case, request.user, sent.read("vin"), sent.read("answer"))
    return scan_now(request, pk)


@require_POST
@needs(Right.WORK)
def typed(request: SignedIn, pk: int) -> HttpResponse:
    """Store codes typed in, pasted or read from a file for a car that is not connected."""
    case, text = find(pk), TypedForm.of(request).read("codes")

    def refused(error: GumshoeError) -> HttpResponse:
        return _page(request, case, None, 400, trouble=error, typed_text=text[:20_000])

    def work() -> Outcome:
        user = request.user
        stored = [services.type_in(case, user, text)] if sent is None else services.take_file(case, user, sent.content)
        words = "Codes stored as typed in. They say nothing about monitors that have or have not run."
        unread = [item for row in stored if (read := services.snapshot_of(row)) for item in read.problems]
        again = f" Look at these again: {'; '.join(unread[:5])}." if unread else ""
        return Outcome(words + again, reverse("scans:read", args=[pk]), doubtful=bool(unread))

    try:
        sent = sent_file(request, MAX_BYTES, "choose a file with codes") if request.FILES else None
    except BadInput as error:
        return refused(error)
    name, size = (sent.name, len(sent.content)) if sent else ("typed codes", 0)
    return read_beside(request, name, size, reverse("scans:scan", args=[pk]), work, refused)


@needs(Right.SEE)
def frames(request: SignedIn, pk: int, scan_pk: int) -> HttpResponse:
    """The raw frames of a scan as a candump log."""
    stored = get_object_or_404(Scan, pk=scan_pk, case_id=pk)
    response = HttpResponse(stored.frames, content_type="text/plain; charset=ascii")
    name = f"case-{stored.case.number}-scan-{stored.pk}.log"
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@needs(Right.SEE)
def compare(request: SignedIn, pk: int) -> HttpResponse:
    """Two scans side by side; the oldest against the newest unless chosen."""
    case = find(pk)
    scans = [item for item in case.scans.all() if not item.interrupted]
    if len(scans) < 2:
        messages.info(request, "There is only one scan to look at yet.")
        return redirect("scans:scan", case.pk)
    wanted = {str(item.pk): item for item in scans}
    before = wanted.get(request.GET.get("before", ""), scans[0])
    after = wanted.get(request.GET.get("after", ""), scans[-1])
    old, new = services.snapshot_of(before), services.snapshot_of(after)
    assert old is not None and new is not None
    return show(
        request,
        ComparePage(
            scans=scans,
            before=before,
            after=after,
            rows=services.compare(old, new),
            readiness=services.readiness(case),
            old=old,
            new=new,
        ),
        folder(case, "scan"),
    )


@needs(Right.SEE)
def read(request: SignedIn, pk: int) -> HttpResponse:
    """What the codes mean together."""
    case = find(pk)
    if hidden := hidden_page(request, case, "read"):
        return hidden
    found = judging.judged(case)
    assessment, knowledge = found.assessment, cases.knowledge_of(case)
    reading = services.read(found)
    named = reading.named(knowledge) if reading else {}
    return show(
        request,
        CodesPage(
            reading=reading,
            assessment=assessment,
            best=[knowledge.faults[name].words for name in assessment.best],
            map=engine_map(knowledge.powertrain, knowledge.components.values(), named),
            code_map=code_map(reading.read, knowledge) if reading else None,
            parts={item.code: " ".join(knowledge.components_of(item.code)) for item in reading.codes}
            if reading
            else {},
            powertrain=knowledge.powertrain,
            generic=not case.vehicle.platform and not case.vehicle.powertrain,
            notes=library.notes_for(case.vehicle, reading.states if reading else (), named),
            caution_text=knowledge.cautions.get(knowledge.powertrain.caution, ""),
        ),
        folder(case, "read"),
    )
