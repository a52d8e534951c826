"""The Work page: what to lay out, each line carried out, photographs, and the loose-ends ledger."""

from __future__ import annotations

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.entry import number_in
from gumshoe.core.maps import engine_map
from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.repairs import ends, offering, photos, working
from gumshoe.web.repairs.models import LooseEnd, Photo
from gumshoe.web.repairs.panel import back_to, ledger


@needs(Right.SEE)
def work(request: SignedIn, pk: int) -> HttpResponse:
    """What is approved, with steps and torques; what is done; what is off."""
    case = find(pk)
    knowledge = cases.knowledge_of(case)
    sheet = working.sheet(case)
    sheets = {item.repair.id: item for item in sheet.sheets}
    return render(
        request,
        "repairs/work.html",
        folder(
            case,
            "repair",
            part="work",
            sheet=sheet,
            jobs=[(line, sheets.get(line.repair)) for line in working.approved_lines(case)],
            works=case.works.select_related("line", "by"),
            photos=case.photos.select_related("by", "line"),
            photo_mb=photos.MAX_BYTES // 1_000_000,
            map=engine_map(knowledge.powertrain, knowledge.components.values()),
            **ledger(case, "work"),
        ),
    )


@needs(Right.SEE)
def work_printed(request: SignedIn, pk: int) -> HttpResponse:
    """Parts and tools to lay out before starting, on paper."""
    case = find(pk)
    return render(request, "repairs/work_printed.html", folder(case, "repair", sheet=working.sheet(case)))


@require_POST
@needs(Right.WORK)
def work_done(request: SignedIn, pk: int, line_pk: int) -> HttpResponse:
    """Record the work as done."""
    case, post = find(pk), request.POST
    fitting = working.Fitting(
        price=offering.money(post.get("price", ""), "Price"),
        warranty_months=offering.whole(post.get("warranty_months", ""), "Warranty in months", 240),
        warranty_km=offering.whole(post.get("warranty_km", ""), "Warranty in kilometres", 1_000_000),
    )
    working.do_work(
        case,
        request.user,
        line_pk,
        post.get("part_number", ""),
        post.get("part_make", ""),
        offering.whole(post.get("minutes", ""), "Minutes"),
        post.get("remark", ""),
        fitting,
    )
    messages.success(request, "Recorded as done. Put back what is on the ledger before you clear.")
    return redirect("repairs:work", case.pk)


# -- photographs ------------------------------------------------------------------------------------------


@require_POST
@needs(Right.WORK)
def photo_add(request: SignedIn, pk: int) -> HttpResponse:
    """Keep a photograph with the case."""
    line = request.POST.get("line", "")
    photos.keep(
        find(pk),
        request.user,
        request.FILES.get("photo"),
        request.POST.get("words", ""),
        number_in(line),
    )
    messages.success(request, "The photograph is kept, without the place and device the camera had written into it.")
    return redirect("repairs:work", pk)


@require_GET
@needs(Right.SEE)
def photo(request: SignedIn, pk: int, photo_pk: int) -> FileResponse:
    """One photograph."""
    row = get_object_or_404(Photo, case_id=pk, pk=photo_pk)
    path = photos.path_of(row)
    if not path.is_file():
        raise Http404("The file of this photograph is gone.")
    response = FileResponse(path.open("rb"), content_type="image/jpeg")
    response["Cache-Control"] = "private, max-age=86400"
    return response


# -- the ledger -------------------------------------------------------------------------------------------


@require_POST
@needs(Right.WORK)
def end_open(request: SignedIn, pk: int) -> HttpResponse:
    """Write a loose end down; a part chosen by name gives its own words."""
    case, post = find(pk), request.POST
    component, what, did = post.get("component", ""), post.get("what", "").strip(), post.get("did", "off")
    part = cases.knowledge_of(case).components.get(component)
    if not what and part is not None:
        what = f"{part.words} {dict(LooseEnd.Did.choices).get(did, '')}".strip()
    ends.open_end(case, request.user, what, component, did)
    return back_to(request, case)


@require_POST
@needs(Right.WORK)
def end_close(request: SignedIn, pk: int, end_pk: int) -> HttpResponse:
    """Tick a loose end; overruling needs the lead and a reason."""
    case, post = find(pk), request.POST
    overruled = post.get("overruled", "").strip()
    if overruled and not may(request.user, Right.OVERRULE):
        raise PermissionDenied
    key_on = {"yes": True, "no": False}.get(post.get("key_on", ""))
    ends.close_end(case, request.user, end_pk, overruled, key_on)
    return back_to(request, case)
