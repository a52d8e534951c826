"""What the codes mean together: which one to chase first, which is an echo, and why.

The order comes from the same fault model that ranks the suspects: a code that the best explanation already predicts is
an echo of the code that explanation raises most strongly. On top of it the dependency order of monitors: circuit before
performance before functional (common practice).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from enum import StrEnum

from gumshoe.core.codes import CodeState, TroubleCode, structure
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.code_catalogue import rank_of
from gumshoe.core.knowledge.rows import CodeRow
from gumshoe.core.suspects.posterior import Assessment
from gumshoe.core.words import share

PREDICTS = 0.10
"""From this chance on, the best explanation is said to predict a code."""


class Role(StrEnum):
    """What part a code plays in the whole."""

    CHASE = "chase first"
    ECHO = "can wait: echo"
    SEPARATE = "separate matter"
    UNKNOWN = "decoded by structure only"


@dataclass(frozen=True)
class CodeReading:
    """One code, read: its row (None when only its structure is known), states, role and the reason for it."""

    code: str
    states: tuple[CodeState, ...]
    row: CodeRow | None
    structure_words: str
    role: Role
    reason: str


def _strength(code: CodeRow, best: Iterable[str], knowledge: Knowledge) -> tuple[float, str]:
    """How strongly the best explanation predicts the code: (probability, the suspect that does it most)."""
    top, who = 0.0, ""
    for fault in best:
        row = knowledge.faults[fault]
        chance = row.codes.get(code.number, 0.0)
        if code.evidence and code.evidence in row.graded:
            chance = max(chance, 1.0 - row.graded[code.evidence].get("none", 1.0))
        if chance > top:
            top, who = chance, fault
    return top, who


def read_codes(
    codes: dict[str, tuple[CodeState, ...]], knowledge: Knowledge, assessment: Assessment
) -> tuple[CodeReading, ...]:
    """Read the codes of one vehicle together, in the order to chase them."""
    known = [(code, knowledge.codes[code]) for code in codes if code in knowledge.codes]
    rated = {code: _strength(row, assessment.best, knowledge) for code, row in known}
    active = [(code, row) for code, row in known if any(state is not CodeState.PERMANENT for state in codes[code])]
    ordered = sorted(active, key=lambda item: (rank_of(item[1].kind), -rated[item[0]][0], item[0]))
    leader_of: dict[str, str] = {}
    for code, _ in ordered:
        chance, fault = rated[code]
        if chance >= PREDICTS:
            leader_of.setdefault(fault, code)
    readings = []
    for code, row in ordered:
        role, reason = _role(code, row, rated[code], leader_of, knowledge)
        readings.append(CodeReading(code, codes[code], row, structure(TroubleCode(code)).words, role, reason))
    if readings and not any(item.role is Role.CHASE for item in readings):
        first = readings[0]
        readings[0] = CodeReading(
            first.code,
            first.states,
            first.row,
            first.structure_words,
            Role.CHASE,
            "Nothing else explains it yet, and circuit codes come before performance before functional codes.",
        )
    readings.sort(key=lambda item: {Role.CHASE: 0, Role.SEPARATE: 1, Role.ECHO: 2, Role.UNKNOWN: 3}[item.role])
    for code, states in codes.items():
        if all(item.code != code for item in readings):
            known_row = knowledge.codes.get(code)
            only_permanent = known_row is not None
            readings.append(
                CodeReading(
                    code,
                    states,
                    known_row,
                    structure(TroubleCode(code)).words,
                    Role.SEPARATE if only_permanent else Role.UNKNOWN,
                    "Permanent only: it leaves by itself once its monitor has run and passed."
                    if only_permanent
                    else "Not in the catalogue: look it up in the maker's service information.",
                )
            )
    return tuple(readings)


def _role(
    code: str, row: CodeRow, rated: tuple[float, str], leader_of: dict[str, str], knowledge: Knowledge
) -> tuple[Role, str]:
    chance, fault = rated
    if chance < PREDICTS:
        return Role.SEPARATE, "The best explanation of the rest does not predict this code: look at it by itself."
    words = knowledge.faults[fault].words
    leader = leader_of[fault]
    if leader == code:
        how_often = share(chance)
        return Role.CHASE, f"The likeliest suspect ({words}) raises this code most directly ({how_often} of the time)."
    lead = knowledge.codes[leader]
    why = f": {row.echo_why}" if lead.group and lead.group in row.echo_of else ""
    return Role.ECHO, f"{words.capitalize()} explains it as well as {leader}{why}. Repair that first, then look again."


@dataclass(frozen=True)
class DriveAdvice:
    """Whether the vehicle may be driven, in words for the customer."""

    stop: bool
    title: str
    words: str


def drive_advice(readings: Iterable[CodeReading], lamp_flashing: bool) -> DriveAdvice:
    """The advice that follows from lamp and codes (common practice)."""
    if lamp_flashing:
        return DriveAdvice(
            True,
            "Stop driving",
            "The lamp flashes: misfire that can destroy the catalyst. Lift off, stop as soon as it is safe, do not "
            "drive on; have it towed.",
        )
    rows = [item.row for item in readings if item.row is not None]
    urgent = [row for row in rows if row.severity == "now"]
    if urgent:
        return DriveAdvice(True, "Do not drive on", urgent[0].advice)
    soon = [row for row in rows if row.severity != "can wait"]
    if soon:
        return DriveAdvice(False, "May be driven gently", soon[0].advice)
    if rows:
        return DriveAdvice(False, "May be driven", rows[0].advice)
    return DriveAdvice(False, "No code that limits driving", "Watch the lamp: if it flashes, stop.")
