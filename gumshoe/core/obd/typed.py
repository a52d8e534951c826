"""Codes typed in or pasted as text, for a vehicle that is not connected: text in, a Snapshot out.

A state word (confirmed, pending, permanent, history) counts for the code right before it, or for all codes before it on
its line where it stands alone after a colon or dash (``P0171 P0304: pending``); without one a code is taken as
confirmed. Two more digits after a dash are the failure type of a three-byte code (``U0121-87``). What is not
understood is kept as a remark, never dropped silently.
"""

from __future__ import annotations

import re
from datetime import UTC, datetime

from gumshoe.core.codes import CodeState, TroubleCode, find_codes
from gumshoe.core.errors import BadInput
from gumshoe.core.obd.snapshot import FIRST_RESPONDER, ModuleSnapshot, Snapshot, StoredCode

MAX_CHARACTERS = 20_000
MAX_CODES = 200
NO_CODE = "P0000"
"""What fills an empty place: no trouble code (SAE J2012)."""
_STATES = {
    "confirmed": CodeState.CONFIRMED,
    "stored": CodeState.CONFIRMED,
    "current": CodeState.CONFIRMED,
    "pending": CodeState.PENDING,
    "permanent": CodeState.PERMANENT,
    "history": CodeState.HISTORY,
    "old": CodeState.HISTORY,
}
_TOKEN = re.compile(r"[^\s,;]+")
_WITH_TYPE = re.compile(r"\b([PCBU][0-3][0-9A-F]{3})[-:]([0-9A-F]{2})\b", re.IGNORECASE)


def read_typed(text: str) -> Snapshot:
    """Read codes from text. Raises BadInput when there is none, or far too much text."""
    if len(text) > MAX_CHARACTERS:
        raise BadInput(
            f"That is {len(text):,} characters; at most {MAX_CHARACTERS:,} are read.",
            kept="Nothing was stored.",
            remedies=("paste only the lines with the codes",),
        )
    codes: dict[tuple[TroubleCode, CodeState], StoredCode] = {}
    types: dict[str, str] = {}
    remarks = []
    for number, line in enumerate(text.splitlines(), 1):
        waiting: list[TroubleCode] = []
        told: list[TroubleCode] = []  # the codes the last state word was said of: another may follow at once
        types |= {code.upper(): byte.upper() for code, byte in _WITH_TYPE.findall(line)}
        unread: list[str] = []
        together = False  # a colon after the codes: what follows is said of all of them
        for token in _TOKEN.findall(line):
            word = token.strip(".:()").lower()
            found = find_codes(token)
            if any(code == NO_CODE for code in found):
                unread.append(f"{token} (it says that there is no code)")
            elif found:
                waiting += found
                told, together = [], token.endswith((":", "-", "–"))
            elif word in _STATES:
                if waiting:
                    told, waiting = (waiting, []) if together else (waiting[-1:], waiting[:-1])
                    if waiting:
                        remarks.append(f"line {number}: {' '.join(waiting)}: no state told, taken as confirmed")
                        codes |= {(c, CodeState.CONFIRMED): _stored(c, CodeState.CONFIRMED, types) for c in waiting}
                        waiting = []
                for code in told:
                    codes[code, _STATES[word]] = _stored(code, _STATES[word], types)
            elif word:
                unread.append(token)
        for code in waiting:
            codes[code, CodeState.CONFIRMED] = _stored(code, CodeState.CONFIRMED, types)
        if unread:
            remarks.append(f"line {number}: not read: {' '.join(unread)[:80]}")
    if not codes:
        raise BadInput(
            "No trouble code was found in the text.",
            kept="Nothing was stored; the text is still in the form.",
            remedies=("write codes as P0171 P0304 pending",),
        )
    if len(codes) > MAX_CODES:
        raise BadInput(
            f"{len(codes)} codes are more than one vehicle holds.",
            kept="Nothing was stored.",
            remedies=("paste the codes of one vehicle only",),
        )
    module = ModuleSnapshot(FIRST_RESPONDER, name="typed in", codes=tuple(codes.values()))
    return Snapshot(datetime.now(UTC), "typed in", (module,), tuple(remarks[:20]))


def _stored(code: TroubleCode, state: CodeState, types: dict[str, str]) -> StoredCode:
    return StoredCode(code, state, types.get(code, ""))
