"""Photographs of the work: checked, size-limited, and made again without what a camera hides in them."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.pictures import MAX_BYTES, made_again
from gumshoe.web.work.models import Photo

LONGEST_PX = 2000
MOST_A_CASE = 60


def folder() -> Path:
    """Where the photographs lie."""
    return Path(settings.DATA_DIR) / "photos"


def path_of(photo: Photo) -> Path:
    """The file of a photograph."""
    return folder() / f"{photo.digest}.jpg"


def keep(case: Case, user: User, upload: UploadedFile[bytes] | None, words: str, line_pk: int | None = None) -> Photo:
    """Store a photograph with the case. Raises BadInput for a bad one, or too many."""
    if upload is None:
        raise BadInput("No photograph was chosen.", remedies=("take or choose one",))
    if case.photos.count() >= MOST_A_CASE:
        raise BadInput(f"{MOST_A_CASE} photographs are with this case already.")
    if (upload.size or 0) > MAX_BYTES:
        raise BadInput(
            f"The photograph has {(upload.size or 0) / 1e6:.1f} MB.", remedies=(f"up to {MAX_BYTES // 1_000_000} MB",)
        )
    line = case.lines.filter(pk=line_pk).first() if line_pk else None
    data, width, height = made_again(upload.read(), LONGEST_PX)
    digest = hashlib.sha256(data).hexdigest()
    folder().mkdir(parents=True, exist_ok=True)
    target = folder() / f"{digest}.jpg"
    if not target.exists():
        part = target.with_suffix(".part")
        part.write_bytes(data)
        os.replace(part, target)
    return Photo.objects.create(
        case=case, by=user, digest=digest, width=width, height=height, words=words.strip(), line=line
    )
