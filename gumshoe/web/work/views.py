"""The Work page: what to lay out, each line carried out, photographs, and the loose-ends ledger."""

from __future__ import annotations

from django.contrib import messages
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.maps import engine_map
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.cases.judging import judged
from gumshoe.web.kit.pages import show
from gumshoe.web.kit.pictures import MAX_BYTES
from gumshoe.web.ledger.panel import ledger
from gumshoe.web.work import photos
from gumshoe.web.work import services as working
from gumshoe.web.work.forms import DoneForm, PhotoForm
from gumshoe.web.work.models import Photo
from gumshoe.web.work.pages import WorkPage, WorkPrintedPage


@needs(Right.SEE)
def work(request: SignedIn, pk: int) -> HttpResponse:
    """What is approved, with steps and torques; what is done; what is off."""
    case = find(pk)
    knowledge = cases.knowledge_of(case)
    sheet, found = working.sheet(case), judged(case)
    sheets = {item.repair.id: item for item in sheet.sheets}
    return show(
        request,
        WorkPage(
            part="work",
            sheet=sheet,
            jobs=[
                (line, sheets.get(line.repair), found.once_more_at(line.component))
                for line in working.approved_lines(case)
            ],
            works=case.works.select_related("line", "by"),
            photos=case.photos.select_related("by", "line"),
            photo_mb=MAX_BYTES // 1_000_000,
            map=engine_map(knowledge.powertrain, knowledge.components.values()),
            ledger=ledger(case, "work"),
        ),
        folder(case, "repair"),
    )


@needs(Right.SEE)
def work_printed(request: SignedIn, pk: int) -> HttpResponse:
    """Parts and tools to lay out before starting, on paper."""
    case = find(pk)
    return show(request, WorkPrintedPage(sheet=working.sheet(case)), folder(case, "repair"))


@require_POST
@needs(Right.WORK)
def work_done(request: SignedIn, pk: int, line_pk: int) -> HttpResponse:
    """Record the work as done."""
    case, sent = find(pk), DoneForm.of(request)
    fitting = working.Fitting(
        number=sent.read("part_number"),
        make=sent.read("part_make"),
        price=sent.amount("price"),
        warranty_months=sent.whole("warranty_months"),
        warranty_km=sent.whole("warranty_km"),
    )
    working.do_work(case, request.user, line_pk, fitting, sent.whole("minutes"), sent.read("remark"))
    messages.success(request, "Recorded as done. Put back what is on the ledger before you clear.")
    return redirect("work:work", case.pk)


# -- photographs ------------------------------------------------------------------------------------------


@require_POST
@needs(Right.WORK)
def photo_add(request: SignedIn, pk: int) -> HttpResponse:
    """Keep a photograph with the case."""
    sent = PhotoForm.of(request)
    photos.keep(find(pk), request.user, request.FILES.get("photo"), sent.read("words"), sent.whole("line"))
    messages.success(request, "The photograph is kept, without the place and device the camera had written into it.")
    back = sent.read("back")
    return redirect(back) if back.startswith(f"/cases/{pk}/") else redirect("work:work", pk)


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
