"""The catalogue of standardised codes, composed from components × positions × kinds; no title is copied from a list.

Numbers: SAE J2012 / ISO 15031-6, from memory [M]. Rows of ``codes.toml`` say more about some codes and take the place
of the composed row.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from functools import cache
from pathlib import Path
from string import ascii_uppercase

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.rows import (
    ApartFile,
    CodeRow,
    FailureTypeRow,
    FailureTypesFile,
    FamiliesFile,
    KindRow,
    KindsFile,
    SeriesRow,
)
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import LampTold, Severity

FOLDER = Path(__file__).parent
DEFAULT_LEAK = 0.0005
UNCERTAIN = "(not certain: see the maker's service information)"
APART = "code_apart.toml"
FAMILIES = ("code_families.toml", "code_families_more.toml")


@cache
def kinds() -> dict[str, KindRow]:
    """Every kind by id."""
    return {row.id: row for row in load_table(FOLDER / "code_kinds.toml", KindsFile).kind}


@cache
def composed_codes() -> dict[str, CodeRow]:
    """Every composed code by number. Raises DataError for a number that appears twice, an unknown kind, or words that
    tell apart a code which is not there."""
    advice = load_table(FOLDER / "code_kinds.toml", KindsFile).advice
    apart = load_table(FOLDER / APART, ApartFile).apart
    found: dict[str, CodeRow] = {}
    for number, component, kind, severity, monitor, uncertain in _entries():
        if number in found:
            both = f"{found[number].component}, {component}"
            raise DataError(f"{' or '.join(FAMILIES)}: {number} appears twice ({both}).")
        row = compose(number, component, kinds()[kind], severity, advice[severity], monitor)
        row = replace(row, title=f"{row.title} ({apart[number]})") if number in apart else row
        found[number] = replace(row, title=f"{row.title} {UNCERTAIN}") if uncertain else row
    lost = next((number for number in apart if number not in found), "")
    if lost:
        raise DataError(f"{APART}: there is no code {lost} to tell apart.")
    return found


def compose(number: str, component: str, kind: KindRow, severity: Severity, advice: str, monitor: str) -> CodeRow:
    """One code's row from its component and its kind."""

    def fill(text: str) -> str:
        return text.replace("{c}", component)

    flashing: LampTold = "flashing while it can harm the catalyst" if kind.id == "misfire" else "steady"
    return CodeRow(
        number=number,
        title=f"{component[0].upper()}{component[1:]}: {kind.words}",
        kind=kind.id,
        component=component,
        monitor=monitor,
        watches=_sentence(fill(kind.watches)),
        enable=fill(kind.enable),
        trips=kind.trips,
        lamp=flashing,
        severity=severity,
        advice=advice,
        causes=tuple(map(fill, kind.causes)),
        cannot=tuple(map(fill, kind.cannot)),
        echo_of=(),
        echo_why="",
        first_tests=tuple(map(fill, kind.first_tests)),
        leak=DEFAULT_LEAK,
        evidence="misfire" if kind.id == "misfire" else "",
    )


def monitor_of(number: str) -> str:
    """The readiness monitor that a standardised code belongs to; nothing for one that is not known."""
    row = composed_codes().get(number)
    return row.monitor if row else ""


def own_code(number: str, component: str, kind: str, severity: str, title: str = "") -> CodeRow:
    """The row of a maker's own code whose component and kind somebody has told. Raises DataError for unknown ones."""
    advice = load_table(FOLDER / "code_kinds.toml", KindsFile).advice
    urgent = next((item for item in advice if item == severity), None)
    if kind not in kinds() or urgent is None or not component:
        raise DataError(f"{number}: there is no kind “{kind}” or severity “{severity}”, or no component is named.")
    row = compose(number, component, kinds()[kind], urgent, advice[urgent], "comprehensive components")
    return replace(row, title=title) if title else row


@cache
def failure_types() -> dict[str, FailureTypeRow]:
    """Every failure type by its two hexadecimal digits. Raises DataError with file and line."""
    return load_table(FOLDER / "failure_types.toml", FailureTypesFile).types


def failure_words(byte: str) -> str:
    """A failure-type byte in words; one we do not know is named by its number."""
    row = failure_types().get(byte)
    return row.words if row else f"failure type {byte}: see the maker's service information"


def rank_of(kind: str) -> int:
    """The place of a kind in the order of chasing: circuit before performance before functional."""
    row = kinds().get(kind)
    return row.rank if row else 2


def _entries() -> Iterator[tuple[str, str, str, Severity, str, bool]]:
    """(number, component, kind, severity, monitor, uncertain) of every family and series."""
    for name in FAMILIES:
        tables = load_table(FOLDER / name, FamiliesFile)
        for family in tables.family:
            for number, kind in family.numbers.items():
                yield number, family.component, kind, family.severity, family.monitor, family.uncertain
        for series in tables.series:
            yield from _unrolled(series)


def _unrolled(series: SeriesRow) -> Iterator[tuple[str, str, str, Severity, str, bool]]:
    letter, base = series.start[0], int(series.start[1:])
    for index in range(series.count):
        name = ascii_uppercase[index] if series.letters else str(index + 1)
        for place, kind in enumerate(series.kinds):
            number = f"{letter}{base + index * series.step + place:04d}"
            yield number, series.component.replace("{n}", name), kind, series.severity, series.monitor, False


def _sentence(text: str) -> str:
    return text[0].upper() + text[1:]
