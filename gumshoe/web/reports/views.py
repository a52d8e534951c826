"""The report page."""

from __future__ import annotations

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from gumshoe.core.casefile import CaseFileError, write_case
from gumshoe.core.casefile.files import MAX_BYTES
from gumshoe.web.accounts.rights import Right, needs
from gumshoe.web.cases.context import find, folder
from gumshoe.web.reports import importing, services
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


@needs(Right.WORK)
def import_case(request: HttpRequest) -> HttpResponse:
    """Read a case file in. A bad file gets the place and the reason, and nothing is imported."""
    if request.method != "POST":
        return render(request, "reports/import.html", {"limit_mb": MAX_BYTES // 1_000_000})
    upload = request.FILES.get("file")
    try:
        if upload is None:
            raise CaseFileError("No file was chosen.", remedies=("choose a file ending in .json",))
        if (upload.size or 0) > MAX_BYTES:
            raise CaseFileError(f"The file is larger than {MAX_BYTES // 1_000_000} MB.")
        case = importing.import_case(request.user, upload.read(), upload.name or "")  # type: ignore[arg-type]
    except CaseFileError as error:
        return render(
            request, "reports/import.html", {"trouble": error, "limit_mb": MAX_BYTES // 1_000_000}, status=400
        )
    messages.success(request, f"Imported as case {case.number}. The file is kept with the case as it was.")
    return redirect("scans:read", case.pk)


@require_POST
@needs(Right.WORK)
def close(request: HttpRequest, pk: int) -> HttpResponse:
    """Close the case."""
    case = find(pk)
    services.close(case, request.user)  # type: ignore[arg-type]
    messages.success(request, f"Case {case.number} is closed.")
    return redirect("reports:report", case.pk)
