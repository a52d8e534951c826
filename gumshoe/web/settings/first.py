"""The first start of a shop's server: a code that whoever started it can read, and nobody else."""

from __future__ import annotations

from django.utils.crypto import constant_time_compare, salted_hmac

from gumshoe.web.accounts.people import PLAIN


def code() -> str:
    """Two groups of five; it follows from the secret key, so it is the same until the shop is set up."""
    digest = salted_hmac("gumshoe.first start", "", algorithm="sha256").digest()
    letters = "".join(PLAIN[byte % len(PLAIN)] for byte in digest[:10])
    return f"{letters[:5]}-{letters[5:]}"


def fits(told: str) -> bool:
    """Whether that is it, however it is written."""
    plain = "".join(told.lower().split())
    return constant_time_compare(plain, code()) or constant_time_compare(plain, code().replace("-", ""))
