"""Approval at the counter: the customer answers each line on the tablet and signs; what was signed is kept with it."""

from __future__ import annotations

from collections.abc import Mapping

from gumshoe.core.errors import BadInput
from gumshoe.core.work.money import together
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.models import Answer, Signature
from gumshoe.web.proposal.services import Proposed
from gumshoe.web.settings.models import Settings

WIDTH, HEIGHT = 1000, 300
"""The field that is signed in, in its own units."""
MOST_POINTS, LEAST_POINTS = 6000, 8
HOW = "signed at the counter"
Strokes = list[list[tuple[int, int]]]


def to_sign(case: Case) -> list[Proposed]:
    """The lines that are not answered yet."""
    return [row for row in offering.proposed(case) if row.open]


@in_turn()
def sign(case: Case, user: User, name: str, answers: Mapping[int, str], strokes: Strokes, seen: str) -> Signature:
    """Store the answers and the signature under them. ``answers``: by line; ``seen``: the lines that were on the page.

    Raises BadInput where a line has no answer, nobody signed, or the offer changed meanwhile; then nothing is stored.
    """
    open_lines = to_sign(case)
    if not open_lines:
        raise BadInput("Nothing is left to be answered.", remedies=("look at the proposal again",))
    if seen != stamp(open_lines):
        raise BadInput(
            "The offer was changed after this page was opened.", remedies=("look at it again, and sign then",)
        )
    if not name.strip():
        raise BadInput("Who signs?", remedies=("write the name under the signature",))
    points = [point for stroke in strokes for point in stroke]
    if not LEAST_POINTS <= len(points) <= MOST_POINTS:
        raise BadInput("There is no signature.", remedies=("sign in the field", "or print the offer and sign on paper"))
    if any(not (0 <= x <= WIDTH and 0 <= y <= HEIGHT) for x, y in points):
        raise BadInput("The signature cannot be read.", remedies=("clear the field and sign again",))
    text, shop = [], Settings.load()
    # Approved ones last: of several ways the others are refused by then.
    for row in sorted(open_lines, key=lambda row: answers.get(row.line.pk, "") == Answer.Kind.APPROVED):
        kind = answers.get(row.line.pk, "")
        if kind not in Answer.Kind.values:
            raise BadInput(
                f"What is the answer to “{row.line.words}”?", remedies=("yes, no, or later, for every line",)
            )
        given = offering.answer(case, user, row.line.pk, kind, name, HOW)
        text.append(f"{row.line.words}: {shop.currency} {row.line.total}, {given.get_kind_display()}")
    approved = together(row.line for row in open_lines if answers[row.line.pk] == Answer.Kind.APPROVED)
    text.append(f"Approved together {shop.currency} {approved.gross}, tax included")
    if shop.terms:
        text.append(shop.terms)
    return Signature.objects.create(case=case, by=user, name=name.strip(), strokes=strokes, text="\n".join(text))


def stamp(rows: list[Proposed]) -> str:
    """What the page showed, so that nobody signs something else."""
    return ",".join(f"{row.line.pk}:{row.line.total}:{row.line.tax_percent}" for row in rows)
