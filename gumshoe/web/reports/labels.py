"""Labels to print: a key tag and one for the case, with a code that opens the case on a phone in the same network."""

from __future__ import annotations

import io

import segno


def here_only(host: str) -> bool:
    """Whether a host, as a browser names it, is this machine as it calls itself."""
    name = host.rpartition(":")[0] or host if not host.startswith("[") else host[1:].partition("]")[0]
    return name == "localhost" or name == "::1" or name.startswith("127.")


def qr_svg(address: str) -> str:
    """The address as a QR code (ISO/IEC 18004), SVG without a size: the page gives it one."""
    out = io.BytesIO()
    segno.make(address, error="m").save(out, kind="svg", xmldecl=False, svgns=True, omitsize=True, border=2)
    return out.getvalue().decode("utf-8")
