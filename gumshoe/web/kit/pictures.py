"""Pictures that people send: checked, size-limited, and made again from their pixels, so that nothing else comes
along."""

from __future__ import annotations

import io
from typing import Literal

from PIL import Image, ImageOps, UnidentifiedImageError

from gumshoe.core.errors import BadInput

MAX_BYTES = 12_000_000
MAX_PIXELS = 50_000_000
KINDS = ("JPEG", "PNG", "WEBP")


def made_again(
    data: bytes, longest: int, kind: Literal["JPEG", "PNG"] = "JPEG", called: str = "photograph"
) -> tuple[bytes, int, int]:
    """The picture upright, no side longer than ``longest`` pixels, with nothing but its pixels; its width and height.

    Raises BadInput for what is no picture, or too large a one.
    """
    remedies = (f"JPEG, PNG or WebP up to {MAX_BYTES // 1_000_000} MB and {MAX_PIXELS // 1_000_000} megapixels",)
    if len(data) > MAX_BYTES:
        raise BadInput(f"The {called} has {len(data) / 1e6:.1f} MB.", remedies=remedies)
    mode = "RGB" if kind == "JPEG" else "RGBA"
    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as image:
            if image.width * image.height > MAX_PIXELS:
                raise BadInput(f"The {called} has {image.width} × {image.height} pixels.", remedies=remedies)
            image.load()
            upright = ImageOps.exif_transpose(image).convert(mode)
    except BadInput:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise BadInput(f"This is no {called} that can be read.", remedies=remedies) from error
    upright.thumbnail((longest, longest))
    pixels = Image.new(mode, upright.size)  # a new picture: nothing comes along but the pixels
    pixels.paste(upright)
    out = io.BytesIO()
    if kind == "JPEG":
        pixels.save(out, kind, quality=85, optimize=True)
    else:
        pixels.save(out, kind, optimize=True)
    return out.getvalue(), pixels.width, pixels.height
