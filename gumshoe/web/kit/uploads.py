"""A file that somebody sent: whether there is one, how large it is, and what is in it."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest

from gumshoe.core.errors import BadInput


@dataclass(frozen=True)
class Upload:
    """A file as it came. ``name`` is for people and for its ending, never a path."""

    name: str
    content: bytes


def sent_file(request: HttpRequest, most_bytes: int, choose: str, otherwise: str = "") -> Upload:
    """The file of a form. ``choose``, ``otherwise``: what to do where there is none, or one beyond ``most_bytes``.
    Raises BadInput; then nothing was read."""
    found = request.FILES.get("file")
    if found is None:
        raise BadInput("No file was chosen.", remedies=(choose,))
    if (found.size or 0) > most_bytes:
        most = f"{most_bytes // 1_000_000} MB" if most_bytes >= 1_000_000 else f"{most_bytes // 1000} kB"
        raise BadInput(
            f"The file is larger than {most}.", kept="Nothing of it was read.", remedies=(otherwise or choose,)
        )
    return Upload((found.name or "file")[-120:], found.read())
