"""Photographs of the work: checked, size-limited, and made again without what a camera hides in them."""

from __future__ import annotations

import hashlib
import io
import os
from pathlib import Path

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from PIL import Image, ImageOps, UnidentifiedImageError

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.models import Case
from gumshoe.web.work.models import Photo

MAX_BYTES = 12_000_000
MAX_PIXELS = 50_000_000
LONGEST_PX = 2000
KINDS = ("JPEG", "PNG", "WEBP")
MOST_A_CASE = 60


def folder() -> Path:
    """Where the photographs lie."""
    return Path(settings.DATA_DIR) / "photos"


def path_of(photo: Photo) -> Path:
    """The file of a photograph."""
    return folder() / f"{photo.digest}.jpg"


def clean(data: bytes) -> tuple[bytes, int, int]:
    """The picture as JPEG, upright, no side longer than 2000 px, with nothing but its pixels; its width and height.

    Raises BadInput for what is no picture, or too large a one.
    """
    remedies = (f"JPEG, PNG or WebP up to {MAX_BYTES // 1_000_000} MB and {MAX_PIXELS // 1_000_000} megapixels",)
    if len(data) > MAX_BYTES:
        raise BadInput(f"The photograph has {len(data) / 1e6:.1f} MB.", remedies=remedies)
    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as image:
            if image.width * image.height > MAX_PIXELS:
                raise BadInput(f"The photograph has {image.width} × {image.height} pixels.", remedies=remedies)
            image.load()
            upright = ImageOps.exif_transpose(image).convert("RGB")
    except BadInput:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise BadInput("This is no photograph that can be read.", remedies=remedies) from error
    upright.thumbnail((LONGEST_PX, LONGEST_PX))
    pixels = Image.new("RGB", upright.size)  # a new picture: nothing comes along but the pixels
    pixels.paste(upright)
    out = io.BytesIO()
    pixels.save(out, "JPEG", quality=85, optimize=True)
    return out.getvalue(), pixels.width, pixels.height


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
    data, width, height = clean(upload.read())
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
