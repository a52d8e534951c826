"""Answers for scripts: an error says what happened, what is kept and what to do."""

from __future__ import annotations

from django.http import JsonResponse

from gumshoe.core.errors import GumshoeError


def problem(error: GumshoeError, status: int) -> JsonResponse:
    """A GumshoeError as JSON."""
    return JsonResponse({"error": error.what, "kept": error.kept, "remedies": list(error.remedies)}, status=status)
