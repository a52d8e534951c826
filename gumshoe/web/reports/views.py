"""The reports: customer's page, technical file, one self-contained page, case file."""

from __future__ import annotations

from pathlib import PurePath

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from gumshoe.core.casefile import write_case
from gumshoe.core.casefile.files import MAX_BYTES
from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.obd.buslog import SUFFIXES
from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find, folder, hidden_page
from gumshoe.web.kit.beside import Outcome
from gumshoe.web.kit.pages import show
from gumshoe.web.kit.uploads import sent_file
from gumshoe.web.reports import closing, importing, labels, mailing, services, standalone
from gumshoe.web.reports.casefile import export
from gumshoe.web.reports.forms import MailForm, ReasonForm
from gumshoe.web.reports.pages import FilePage, ImportPage, LabelPage, ReportPage
from gumshoe.web.ui.responses import read_beside


@needs(Right.SEE)
def report(request: SignedIn, pk: int) -> HttpResponse:
    """The customer's page, printable."""
    case = find(pk)
    return show(
        request,
        ReportPage(report=services.customer(case), left=closing.left_in(case)),
        folder(case, "report"),
    )


@needs(Right.SEE)
def file(request: SignedIn, pk: int) -> HttpResponse:
    """The technical file with every reading, printable."""
    case = find(pk)
    if hidden := hidden_page(request, case, "report", "file"):
        return hidden
    return show(request, FilePage(file=services.file(case)), folder(case, "report"))


@needs(Right.SEE)
def label(request: SignedIn, pk: int) -> HttpResponse:
    """Key tag and case label, to print."""
    case = find(pk)
    address = request.build_absolute_uri(reverse("standing:resume", args=[pk]))
    return show(
        request,
        LabelPage(address=address, code=labels.qr_svg(address), here_only=labels.here_only(request.get_host())),
        folder(case, "report"),
    )


@needs(Right.SEE)
def page(request: SignedIn, pk: int) -> HttpResponse:
    """Both in one HTML file that needs nothing else, as a download."""
    case = find(pk)
    response = HttpResponse(standalone.page(case), content_type="text/html; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="case-{case.number}.html"'
    return response


@require_POST
@needs(Right.APPROVE)
def mail(request: SignedIn, pk: int) -> HttpResponse:
    """Send the report to the customer, the self-contained page with it."""
    case = find(pk)
    sent = mailing.send_report(case, request.user, MailForm.of(request).read("to"))
    messages.success(request, f"Sent to {sent.to}; a copy is with the case.")
    return redirect("reports:report", pk)


@needs(Right.SEE)
def casefile(request: SignedIn, pk: int) -> HttpResponse:
    """The case in the open format, as a download."""
    case = find(pk)
    response = HttpResponse(write_case(export(case)), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="case-{case.number}.json"'
    return response


@needs(Right.WORK)
def import_case(request: SignedIn) -> HttpResponse:
    """Read a case file in. A bad file gets the place and the reason, and nothing is imported."""
    if request.method != "POST":
        return show(request, ImportPage())

    def refused(error: GumshoeError) -> HttpResponse:
        return show(request, ImportPage(trouble=error), status=400)

    try:
        sent = sent_file(request, MAX_BYTES, "choose a file ending in .json")
    except BadInput as error:
        return refused(error)
    name, content, again = sent.name, sent.content, "again" in request.POST

    def read() -> Outcome:
        if PurePath(name).suffix.lower() in SUFFIXES:
            case = importing.import_car(request.user, content, name)
            words = f"{case.vehicle.plate} answers as {name} holds it. Scan it like any car."
            return Outcome(words, reverse("scans:scan", args=[case.pk]))
        case = importing.import_case(request.user, content, name, again=again)
        words = f"Imported as case {case.number}. The file is kept with the case as it was."
        return Outcome(words, reverse("scans:read", args=[case.pk]))

    return read_beside(request, name, len(content), reverse("reports:import"), read, refused)


@require_POST
@needs(Right.WORK)
def reopen(request: SignedIn, pk: int) -> HttpResponse:
    """Open a closed case again, with a reason."""
    case = find(pk)
    cases.reopen(case, request.user, ReasonForm.of(request).read("reason"))
    messages.success(request, f"Case {case.number} is open again.")
    return redirect("standing:resume", case.pk)


@require_POST
@needs(Right.WORK)
def close(request: SignedIn, pk: int) -> HttpResponse:
    """Close the case."""
    case = find(pk)
    closing.close(case, request.user, ReasonForm.of(request).read("reason"))
    messages.success(request, f"Case {case.number} is closed.")
    return redirect("reports:report", case.pk)


@require_POST
@needs(Right.APPROVE)
def mail_proposal(request: SignedIn, pk: int) -> HttpResponse:
    """Send the proposal to the customer."""
    case = find(pk)
    sent = mailing.send_proposal(case, request.user, MailForm.of(request).read("to"))
    messages.success(request, f"Sent to {sent.to}; a copy is with the case.")
    return redirect("proposal:lines", case.pk)
