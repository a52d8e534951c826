"""A page as a value: what its template shows, each name with its type."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import ClassVar

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render


@dataclass(frozen=True, kw_only=True)
class Shown:
    """Values under the names by which a template shows them."""

    def values(self) -> dict[str, object]:
        """By name."""
        return {item.name: getattr(self, item.name) for item in fields(self)}


@dataclass(frozen=True, kw_only=True)
class Page(Shown):
    """What one template shows."""

    TEMPLATE: ClassVar[str]


def show(request: HttpRequest, page: Page, around: Shown | None = None, status: int = 200) -> HttpResponse:
    """The page as HTML; ``around``: what is shown around it on every page of its kind."""
    outer = around.values() if around is not None else {}
    return render(request, page.TEMPLATE, outer | page.values(), status=status)
