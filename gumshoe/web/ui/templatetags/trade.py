"""How values look: big number, small unit; percentages; icons; money."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from decimal import Decimal
from functools import lru_cache
from typing import Any

from django import template
from django.templatetags.static import static
from django.urls import reverse
from django.utils.formats import date_format
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString
from django.utils.timezone import localtime

from gumshoe.core.knowledge.code_catalogue import failure_words
from gumshoe.core.obd.pids import fields_by_key
from gumshoe.core.obd.snapshot import ModuleSnapshot, Part, Unread
from gumshoe.core.obd.status import FUEL_STATES
from gumshoe.core.signals.units import for_reader, scale_for, text_for_reader
from gumshoe.core.words import share
from gumshoe.web.settings.models import Settings

register = template.Library()
MARKS = {
    "proven": ("is-good", "✓"),
    "came back": ("is-bad", "✕"),
    "not yet": ("is-wait", "…"),
    "countersigned": ("is-good", "✓"),
    "sent back": ("is-bad", "✕"),
    "approved": ("is-good", "✓"),
    "right": ("is-good", "✓"),
    "again": ("is-bad", "✕"),
    "confirmed": ("is-bad", "■"),
    "pending": ("is-wait", "◧"),
    "permanent": ("is-plain", "◇"),
    "history": ("is-plain", "◷"),
}
"""How a verdict, an answer or the state of a code is marked: colour and sign; the word always goes with it."""
STANDING = {
    "within the limit": "is-good",
    "follows": "is-good",
    "near the limit": "is-wait",
    "no limit": "is-plain",
    "not judged": "is-plain",
}


@register.filter
def whole(value: float | None) -> str:
    """A coordinate of a drawing, in whole steps."""
    return "" if value is None else str(round(value))


@register.simple_tag
def options(pairs: Iterable[tuple[object, object]], chosen: object = None) -> SafeString:
    """The options of a list that may be long: values with their words, one of them chosen."""
    marked = SafeString(" selected")
    return format_html_join(
        "", '<option value="{}"{}>{}</option>', ((key, marked if key == chosen else "", words) for key, words in pairs)
    )


@register.filter
def percent(value: float | None) -> str:
    """0.804 → 80 %; nothing is made to look impossible or certain."""
    return "–" if value is None else share(value)


@register.simple_tag
def mark(kind: str, words: str = "") -> SafeString:
    """A word in its colour with its sign; the kind itself where nothing else is said."""
    colour, sign = MARKS.get(kind, ("is-wait", "–"))
    return format_html('<span class="mark-tag {}">{} {}</span>', colour, sign, words or kind)


@register.filter
def colour(kind: str) -> str:
    """The colour of a verdict."""
    return MARKS.get(kind, ("is-wait", ""))[0]


@register.simple_tag
def signed(entry: Any) -> str:
    """When an entry was made, and by whom: ``29 Nov, 08:52, Name``."""
    return f"{date_format(localtime(entry.at), 'j M, H:i')}, {entry.by}"


@register.filter
def standing_class(verdict: str) -> str:
    """How a verdict of the bench is marked; the word always goes with it."""
    return STANDING.get(verdict, "is-bad")


@register.filter
def tiny(value: float) -> str:
    """A share that may be very small: ``0.26 %``, ``less than a millionth``."""
    return "less than a millionth" if value < 1e-6 else f"{100.0 * value:.2g} %"


@register.filter
def width(value: float | None) -> str:
    """A share as a bar width class, in steps of two per cent: ``w-64``."""
    return f"bar-{min(100, max(0, round((value or 0.0) * 50) * 2))}"


@register.simple_tag(takes_context=True)
def reading(context: dict[str, Any], key: str, value: float | None) -> SafeString:
    """A channel's value with its unit in the reader's units, as many digits as it deserves; a state in its words."""
    item = fields_by_key().get(key)
    unit = item.unit if item else ""
    if not isinstance(value, int | float):  # a missing key reaches us as an empty string
        return format_html('<span class="value">–</span>')
    if key.startswith("fuel_status_"):
        return format_html('<span class="value">{}</span>', FUEL_STATES.get(int(value), f"state {value:.0f}"))
    settings = context.get("shop_settings")
    shown, into = for_reader(float(value), unit, customary=bool(settings and settings.customary_units))
    scale = item.scale if item else 0.1
    digits = 0 if scale >= 0.25 or abs(shown) >= 1000 else (1 if scale >= 0.05 else 2)
    return format_html('<span class="value">{}</span> <span class="unit">{}</span>', f"{shown:.{digits}f}", into)


@register.filter
def failure(byte: str) -> str:
    """A failure-type byte in words."""
    return failure_words(byte)


@register.filter
def spaced(name: str) -> str:
    """A name of the tables in words: ``air_flow_meter`` → air flow meter."""
    return name.replace("_", " ")


@register.filter
def channel_name(key: str) -> str:
    """The name of a channel."""
    item = fields_by_key().get(key)
    return item.name if item else key


@register.simple_tag
@lru_cache(maxsize=20_000)
def address(name: str, pk: int) -> str:
    """The address of a row of a list: as ``url``, found once."""
    return reverse(name, args=[pk])


@register.simple_tag
def icon(name: str) -> SafeString:
    """An icon of the shipped sprite; decoration only, so hidden from screen readers."""
    return format_html(
        '<svg class="icon" aria-hidden="true" focusable="false"><use href="{}#{}"></use></svg>',
        static("vendor/icons/bootstrap-icons.svg"),
        name,
    )


@register.filter
def not_read(module: ModuleSnapshot | None, part: str) -> Unread | None:
    """Why a part of a module is not known; None when it was read. Of no module nothing was."""
    return Unread(Part(part), "no module answered") if module is None else module.missing(Part(part))


@register.filter
def hex(value: int) -> str:
    """A bus id: 7E8."""
    return f"{value:X}"


@register.filter
def of(held: Mapping[Any, Any], key: Any) -> Any:
    """What is held under a key; nothing where there is none."""
    return held.get(key, ())


@register.filter
def normal(number: Decimal) -> str:
    """20.00 → 20; 7.70 → 7.7."""
    return f"{number.normalize():f}"


@register.simple_tag(takes_context=True)
def money(context: dict[str, Any], amount: Decimal | float | None) -> str:
    """An amount in the shop's currency."""
    settings: Settings = context.get("shop_settings") or Settings(currency="")
    return settings.in_money(amount)


@register.simple_tag(takes_context=True)
def measure(context: dict[str, Any], value: float | None, unit: str) -> str:
    """A value with its unit, in the units the shop's readers use: ``12,430 km``, ``7,724 mi``."""
    if not isinstance(value, int | float):
        return "–"
    settings = context.get("shop_settings")
    shown, into = for_reader(float(value), unit, customary=bool(settings and settings.customary_units))
    digits = 0 if abs(shown) >= 100 or shown == int(shown) else 1
    return f"{shown:,.{digits}f} {into}"


@register.simple_tag(takes_context=True)
def shown_unit(context: dict[str, Any], unit: str) -> str:
    """A unit as the shop's readers have it."""
    settings = context.get("shop_settings")
    return scale_for(unit, customary=bool(settings and settings.customary_units)).unit


@register.simple_tag(takes_context=True)
def readers(context: dict[str, Any], text: str) -> str:
    """A sentence with its values in the units the shop's readers use."""
    settings = context.get("shop_settings")
    return text_for_reader(str(text), customary=bool(settings and settings.customary_units))


@register.filter
def get(mapping: Any, key: Any) -> Any:
    """A value of a mapping by key; None when it is not there."""
    return mapping.get(key) if hasattr(mapping, "get") else None


@register.filter
def last_probability(suspects: Any) -> float:
    """The probability of the last of a list of suspects."""
    return float(suspects[-1].probability) if suspects else 0.0
