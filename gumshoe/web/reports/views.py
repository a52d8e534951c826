"""The report page."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from gumshoe.core.casefile import write_case
from gumshoe.web.accounts.rights import Right, needs
from gumshoe.web.cases.context import find, folder
from gumshoe.web.reports import services
from gumshoe.web.reports.casefile import export


@needs(Right.SEE)
def report(request: HttpRequest, pk: int) -> HttpResponse:
    """One page, printable."""
    case = find(pk)
    return render(request, "reports/report.html", folder(case, "report", report=services.gather(case)))


@needs(Right.SEE)
def casefile(request: HttpRequest, pk: int) -> HttpResponse:
    """The case in the open format, as a download."""
    case = find(pk)
    response = HttpResponse(write_case(export(case)), content_type="application/json")
    response["Content-Disposition"] = f'attachment; filename="case-{case.number}.json"'
    return response


@require_POST
@needs(Right.WORK)
def close(request: HttpRequest, pk: int) -> HttpResponse:
    """Close the case."""
    case = find(pk)
    services.close(case, request.user)  # type: ignore[arg-type]
    messages.success(request, f"Case {case.number} is closed.")
    return redirect("reports:report", case.pk)
