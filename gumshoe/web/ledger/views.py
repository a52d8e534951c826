"""The loose-ends ledger: an end written down, an end ticked."""

from __future__ import annotations

from django.core.exceptions import PermissionDenied
from django.http import HttpResponse
from django.views.decorators.http import require_POST

from gumshoe.web.accounts.rights import Right, SignedIn, may, needs
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.context import find
from gumshoe.web.ledger import ends
from gumshoe.web.ledger.forms import CloseForm, EndForm
from gumshoe.web.ledger.models import LooseEnd
from gumshoe.web.ledger.panel import back_to


@require_POST
@needs(Right.WORK)
def end_open(request: SignedIn, pk: int) -> HttpResponse:
    """Write a loose end down; a part chosen by name gives its own words."""
    case, sent = find(pk), EndForm.of(request)
    component, what, did = sent.read("component"), sent.read("what"), sent.read("did") or LooseEnd.Did.OFF
    part = cases.knowledge_of(case).components.get(component)
    if not what and part is not None:
        what = f"{part.words} {dict(LooseEnd.Did.choices).get(did, '')}".strip()
    ends.open_end(case, request.user, what, component, did)
    return back_to(sent.read("back"), case)


@require_POST
@needs(Right.WORK)
def end_close(request: SignedIn, pk: int, end_pk: int) -> HttpResponse:
    """Tick a loose end; overruling needs the lead and a reason."""
    case, sent = find(pk), CloseForm.of(request)
    overruled, key_on = sent.read("overruled"), CloseForm.KEY.get(sent.read("key_on"))
    if overruled and not may(request.user, Right.OVERRULE):
        raise PermissionDenied
    ends.close_end(case, request.user, end_pk, overruled, key_on)
    return back_to(sent.read("back"), case)
