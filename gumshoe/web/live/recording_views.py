"""Recordings: replay, figures of a stretch, parts cut out, files read and given out."""

from __future__ import annotations

from pathlib import PurePath

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.signals import mdf
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder
from gumshoe.web.kit.beside import Outcome
from gumshoe.web.kit.pages import show
from gumshoe.web.kit.uploads import sent_file
from gumshoe.web.live import files, looking, recordings, services
from gumshoe.web.live.forms import GoodForm, StretchForm
from gumshoe.web.live.pages import ReplayPage
from gumshoe.web.live.reader import Reader
from gumshoe.web.live.views import BYTES, keys_of, number_from, number_of
from gumshoe.web.ui.responses import problem, read_beside


@require_GET
@needs(Right.SEE)
def replay(request: SignedIn, pk: int, number: int) -> HttpResponse:
    """A stored recording on the same strips."""
    case = find(pk)
    recording = recordings.find(case, number)
    shown, reader = recordings.on_strips(case, recording), Reader(case)
    beside, trouble = None, ""
    if request.GET.get("beside"):
        try:
            beside = recordings.compared(case, reader, recording, int(number_of(request, "beside")))
        except BadInput as error:
            trouble = str(error)
    args = [pk, number]
    return show(
        request,
        ReplayPage(
            recording=recording,
            strips=reader.strips(looking.drawn(shown)),
            judged=recordings.read(case, recording).judged,
            tests=cases.knowledge_of(case).tests,
            names={key: told.name for key, told in looking.channels(case).items()},
            has_mdf=mdf.available(),
            beside=beside,
            trouble=trouble,
            good_ones=[row for row in recordings.good_ones(case) if row.recording_id != recording.pk],
            others=[row for row in case.recordings.all() if row.pk != recording.pk],
            setup={
                "strips": reader.strips(looking.drawn(shown)),
                "data": reverse("live:data", args=args),
                "figures": reverse("live:recorded_figures", args=args),
                "cut": reverse("live:cut", args=args),
                "mark": reverse("live:mark", args=[pk]),
                "marks": services.marks(case),
            },
        ),
        folder(case, "live"),
    )


@require_GET
@needs(Right.SEE)
def data(request: SignedIn, pk: int, number: int) -> HttpResponse:
    """All its samples, as bytes, with what disturbs them."""
    case = find(pk)
    samples = recordings.samples_of(case, recordings.find(case, number))
    disturbed = [
        {"key": key, "kind": row.kind.value, "from": row.begin, "to": row.end}
        for key, row in recordings.disturbed(looking.car_of(case), samples.channels)
    ]
    reader = Reader(case)
    columns, bands = reader.columns(samples.channels), reader.bands(recordings.bands_of(case, samples))
    return HttpResponse(recordings.as_bytes(columns, disturbed=disturbed, bands=bands), content_type=BYTES)


@require_GET
@needs(Right.SEE)
def figures(request: SignedIn, pk: int, number: int) -> JsonResponse:
    """Least, most and mean of a stretch."""
    case = find(pk)
    samples = recordings.samples_of(case, recordings.find(case, number))
    wanted = set(keys_of(request))
    columns = {key: channel for key, channel in samples.channels.items() if not wanted or key in wanted}
    try:
        rows = recordings.figures(Reader(case), columns, *_stretch(request))
    except GumshoeError as error:
        return problem(error, 400)
    return JsonResponse({"rows": [vars(row) for row in rows]})


@require_POST
@needs(Right.WORK)
def cut(request: SignedIn, pk: int, number: int) -> JsonResponse:
    """Keep a stretch as a recording of its own."""
    case, sent = find(pk), StretchForm.of(request)
    begin, end = (number_from(sent.read(name)) for name in ("from", "to"))
    try:
        made = recordings.cut(case, request.user, recordings.find(case, number), begin, end)
    except GumshoeError as error:
        return problem(error, 400)
    return JsonResponse({"url": reverse("live:replay", args=[pk, made.pk])})


@require_POST
@needs(Right.WORK)
def keep_as_good(request: SignedIn, pk: int, number: int) -> HttpResponse:
    """Let a recording stand for a good car of its kind."""
    case = find(pk)
    try:
        recordings.keep_as_good(case, request.user, recordings.find(case, number), GoodForm.of(request).read("words"))
    except GumshoeError as error:
        messages.error(request, str(error))
    else:
        messages.success(request, "It stands for a good car of this kind now, in every case.")
    return redirect("live:replay", pk, number)


@require_GET
@needs(Right.SEE)
def export_csv(request: SignedIn, pk: int, number: int) -> HttpResponse:
    """A recording as CSV: a column a channel, or a line a sample (``?long=1``)."""
    case = find(pk)
    name, text = files.csv_of(case, recordings.find(case, number), long=request.GET.get("long") == "1")
    answer = HttpResponse(text, content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@require_GET
@needs(Right.SEE)
def export_mdf(request: SignedIn, pk: int, number: int) -> HttpResponse:
    """A recording as ASAM MDF 4."""
    case = find(pk)
    name, content = files.mdf_of(case, recordings.find(case, number))
    answer = HttpResponse(content, content_type="application/octet-stream")
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@require_POST
@needs(Right.WORK)
def import_file(request: SignedIn, pk: int) -> HttpResponse:
    """Read a file of another tool as a recording."""
    case = find(pk)
    try:
        sent = sent_file(
            request, files.MOST_BYTES, "choose a CSV file or a bus log", "cut it to the stretch that matters"
        )
    except BadInput as error:
        messages.error(request, str(error))
        return redirect("live:live", pk)
    name = PurePath(sent.name).name[-80:]

    def read() -> Outcome:
        made = files.read(case, request.user, name, sent.content)
        page = ("live:replay", [pk, made.recording.pk]) if made.recording else ("scans:scan", [pk])
        return Outcome(made.words, reverse(page[0], args=page[1]))

    return read_beside(request, name, len(sent.content), reverse("live:live", args=[pk]), read)


def _stretch(request: SignedIn) -> tuple[float, float]:
    return number_of(request, "from"), number_of(request, "to")
