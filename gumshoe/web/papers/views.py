"""How each system works on this powertrain; notes and makers' codes of the shop."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.code_catalogue import kinds
from gumshoe.core.maps import system_map, systems_of
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder, hidden_page
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pages import show
from gumshoe.web.library import services
from gumshoe.web.library.models import HeardRate, Note, ShopCode
from gumshoe.web.papers.forms import CodeForm, HeardForm, NoteForm, WithdrawForm
from gumshoe.web.papers.pages import NotesPage, PapersPage, SystemPage
from gumshoe.web.papers.papers import papers_of
from gumshoe.web.scans import services as scans


def _present(case: Case) -> tuple[str, ...]:
    """The codes of the telling scan."""
    stored = scans.telling(case)
    snapshot = scans.snapshot_of(stored) if stored else None
    return snapshot.codes_in() if snapshot else ()


@needs(Right.SEE)
def systems(request: SignedIn, pk: int, name: str = "") -> HttpResponse:
    """One system's page; without a name the first that a present code is about."""
    case = find(pk)
    if hidden := hidden_page(request, case, "read", "how"):
        return hidden
    knowledge, present = cases.knowledge_of(case), _present(case)
    rows = systems_of(knowledge)
    maps = {row.id: system_map(row, knowledge, present) for row in rows}
    chosen = name or next((row.id for row in rows if maps[row.id].codes), rows[0].id)
    if chosen not in maps:
        raise Http404("This powertrain has no such system.")
    drawn = maps[chosen]
    parts = {part.id for box in drawn.boxes for part in box.parts}
    return show(
        request,
        SystemPage(
            system=next(row for row in rows if row.id == chosen),
            systems=[(row.id, row.name, maps[row.id].codes) for row in rows],
            map=drawn,
            titles={code: knowledge.codes[code].title for code in drawn.codes},
            notes=services.notes_for(case.vehicle, drawn.codes, parts),
            powertrain=knowledge.powertrain,
        ),
        folder(case, "read"),
    )


@needs(Right.SEE)
def papers(request: SignedIn, pk: int) -> HttpResponse:
    """What is known of this kind of vehicle: description, control units, what it tells and takes, wires with pins."""
    case = find(pk)
    return show(request, PapersPage(papers=papers_of(case)), folder(case, "read"))


@needs(Right.SEE)
def notes(request: SignedIn, pk: int) -> HttpResponse:
    """Notes and own codes that matter to this vehicle, and the forms to add them."""
    return _notes_page(request, find(pk))


def _notes_page(request: SignedIn, case: Case, status: int = 200, **more: Any) -> HttpResponse:
    knowledge = cases.knowledge_of(case)
    platform = case.vehicle.platform
    return show(
        request,
        NotesPage(
            notes=Note.objects.filter(platform__in=("", platform)).select_related("by"),
            codes=ShopCode.objects.filter(platform__in=("", platform)).select_related("by"),
            heard=HeardRate.objects.filter(platform__in=("", platform)).select_related("by"),
            suspects=sorted(((row.id, row.words) for row in knowledge.faults.values()), key=lambda row: row[1]),
            suspect_words={row.id: row.words for row in knowledge.faults.values()},
            kinds=[(row.id, row.words) for row in kinds().values()],
            note_kinds=Note.Kind.choices,
            components=[(part.id, part.words) for part in knowledge.components.values()],
            unknown=[code for code in _present(case) if code not in knowledge.codes],
            platform=platform,
            **more,
        ),
        folder(case, "read"),
        status=status,
    )


@require_POST
@needs(Right.WORK)
def add_note(request: SignedIn, pk: int) -> HttpResponse:
    """Attach a note to a code, a component or the platform."""
    case, sent = find(pk), NoteForm.of(request)
    platform = case.vehicle.platform if sent.ticked("about_platform") else ""
    try:
        services.add_note(
            request.user,
            sent.read("text"),
            sent.read("kind"),
            services.About(sent.read("code"), sent.read("component"), platform),
            sent.read("origin"),
        )
    except BadInput as error:
        return _notes_page(request, case, 400, trouble=error, entered=sent.told)
    messages.success(request, "Note stored. It shows on Read wherever it matters.")
    return redirect("papers:notes", case.pk)


@require_POST
@needs(Right.WORK)
def add_code(request: SignedIn, pk: int) -> HttpResponse:
    """Record what a maker's code stands for."""
    case = find(pk)
    sent = CodeForm.of(request)
    try:
        stored = services.add_code(request.user, **sent.told, platform=case.vehicle.platform)
    except BadInput as error:
        return _notes_page(request, case, 400, trouble=error, entered=sent.told)
    messages.success(request, f"{stored.number} is known from now on and takes part in reading and suspects.")
    return redirect("papers:notes", case.pk)


@require_POST
@needs(Right.WORK)
def add_heard(request: SignedIn, pk: int) -> HttpResponse:
    """Record a hit rate heard elsewhere, with its origin."""
    case = find(pk)
    sent = HeardForm.of(request)
    try:
        known = cases.knowledge_of(case).faults
        services.add_heard(request.user, **sent.told, platform=case.vehicle.platform, known=known)
    except BadInput as error:
        return _notes_page(request, case, 400, trouble=error, entered=sent.told)
    messages.success(request, "Stored. It moves the base rate a little; it never counts as a test.")
    return redirect("papers:notes", case.pk)


@require_POST
@needs(Right.WORK)
def withdraw(request: SignedIn, pk: int) -> HttpResponse:
    """Withdraw a note or an own code; it stays on record, struck out."""
    case = find(pk)
    sent = WithdrawForm.of(request)
    model = {"note": Note, "heard": HeardRate}.get(sent.read("what"), ShopCode)
    row = get_object_or_404(model, pk=sent.whole("entry") or 0)
    row.withdrawn = not row.withdrawn
    row.save(update_fields=["withdrawn"])
    messages.success(request, "Withdrawn; press again to take it back." if row.withdrawn else "Back in force.")
    return redirect("papers:notes", case.pk)
