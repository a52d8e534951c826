"""How figures are put into words: no more digits than they deserve, nothing made to look certain; values in a sentence
are marked."""

import re


def share(value: float) -> str:
    """A probability as a percentage: ``80 %``, ``2.4 %``, ``over 99 %``, ``under 0.1 %``."""
    percent = value * 100.0
    if percent > 99.0 and value < 1.0:
        return "over 99 %"
    if 0.0 < percent < 0.1:
        return "under 0.1 %"
    return f"{percent:.1f} %" if percent < 10.0 else f"{percent:.0f} %"


VALUE, DIFFERENCE = "\u2060", "\u2060\u2060"
"""What stands round a value inside a sentence, invisible (word joiner): the page turns it into the reader's units by
this mark, never by guessing at the sentence. A difference (5 degrees apart) is turned without its zero point."""
_WRITTEN = re.compile(r"\{([=~])([^{}]+)\}")


def measured(value: float, unit: str, digits: int = 0) -> str:
    """A value for a sentence: ``12,430 km``."""
    return f"{VALUE}{value:,.{digits}f} {unit}{VALUE}"


def marked(text: str) -> str:
    """A sentence of a table with its values marked: ``{=60 to 90 km/h}``, and ``{~5 °C}`` for a difference."""
    return _WRITTEN.sub(lambda found: _mark(found[1]) + found[2] + _mark(found[1]), text)


def plain(text: str) -> str:
    """The sentence without the marks."""
    return text.replace(VALUE, "")


def _mark(sign: str) -> str:
    return VALUE if sign == "=" else DIFFERENCE


_UNSEEN = dict.fromkeys((0, *range(0x202A, 0x202F), *range(0x2066, 0x206A)))


def readable(text: str) -> str:
    """A text as it reads: without signs that nobody sees and that turn the order of what follows (Unicode Standard
    Annex 9, explicit directional formatting characters [published]), and without NUL. Words from right to left stay."""
    return text.translate(_UNSEEN)
