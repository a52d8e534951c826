"""The board."""

from __future__ import annotations

from django.http import HttpResponse

from gumshoe.web.accounts.rights import Right, SignedIn, needs
from gumshoe.web.board import services
from gumshoe.web.board.pages import BoardPage
from gumshoe.web.kit.pages import show
from gumshoe.web.proofs import waiting


@needs(Right.SEE)
def board(request: SignedIn) -> HttpResponse:
    """Every open case, by what it waits for."""
    by = services.By(request.GET.get("by", "")) if request.GET.get("by", "") in list(services.By) else services.By.STAGE
    columns = services.board(by)
    under_way = any(not card.standing.known for _, cards in columns for card in cards)
    page = BoardPage(by=by, columns=columns, closed=services.closed(), due=waiting.due_list(), under_way=under_way)
    return show(request, page)
