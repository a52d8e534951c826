"""May the codes be cleared now, what will be lost, what will remain, and what stands again at once."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.snapshot import ModuleSnapshot, Part, Snapshot
from gumshoe.core.proof.provoked import Found
from gumshoe.core.words import measured


@dataclass(frozen=True)
class ClearCheck:
    """``blocks`` must be empty before clearing; ``warnings`` are to be thought about; ``losses`` and ``remains`` are
    shown before it is done."""

    blocks: tuple[str, ...]
    losses: tuple[str, ...]
    remains: tuple[str, ...]
    warnings: tuple[str, ...] = ()

    @property
    def allowed(self) -> bool:
        return not self.blocks


def check_clear(
    snapshot: Snapshot | None,
    loose_ends: tuple[str, ...],
    rpm: float | None,
    found: Iterable[Found] = (),
    *,
    cut_off: bool = False,
) -> ClearCheck:
    """Judge a clearing. ``rpm`` is the engine speed now, None when the vehicle does not answer; ``found``: the codes of
    the last scan, sorted by what the work explains; ``cut_off``: a clearing was begun and has no end on record."""
    blocks = []
    if cut_off:
        blocks.append("A clearing was cut off: close it first, so that what it did is on record.")
    if snapshot is None:
        blocks.append("No scan is stored for this case: scan first, so that nothing is lost.")
    for end in loose_ends:
        blocks.append(f"Loose end: {end}. Put it back and tick it off first.")
    if rpm is None:
        blocks.append("The vehicle does not answer: key on, engine off.")
    elif rpm > 50.0:
        blocks.append("The engine is running: stop it and leave the key on.")
    if snapshot is None or snapshot.engine is None:
        return ClearCheck(tuple(blocks), (), ())
    module = snapshot.engine
    losses = []
    codes = snapshot.codes_in(CodeState.CONFIRMED, CodeState.PENDING)
    if codes:
        losses.append("Codes: " + ", ".join(codes))
    for frame in module.frames:
        losses.append(f"The freeze frame of {frame.code} (kept here with the scan)")
    if module.status is not None:
        done = [item.name for item in module.status.monitors if item.supported and item.complete]
        if done:
            losses.append("Readiness of: " + ", ".join(done) + ". An inspection will turn the car away until they ran.")
    if module.results:
        losses.append("Monitor results and misfire counters (kept here with the scan)")
    for words in snapshot.codes_unread:
        losses.append(f"Not read: {words}. That unit is not asked to clear: what it holds is not known.")
    losses.append("Learnt fuel trims: idle can be rough until they are learnt again")
    permanent = snapshot.codes_in(CodeState.PERMANENT)
    remains = []
    if permanent:
        remains.append(
            "Permanent: "
            + ", ".join(permanent)
            + ". No tool clears these; the control unit removes them itself once the monitor has run and passed."
        )
    hidden = [module.label for module in snapshot.modules if _unknown(module, Part.PERMANENT)]
    if hidden:
        remains.append(f"Permanent codes of {', '.join(hidden)}: not read, so whether there are any is not known.")
    history = snapshot.codes_in(CodeState.HISTORY)
    if history:
        remains.append("Codes of the past in modules that keep a record of their own may stay: " + ", ".join(history))
    warnings = [
        f"{row.code} in {row.module} is new, and the work does not explain it: look into it before it is wiped away."
        for row in found
        if row.flagged
    ]
    return ClearCheck(tuple(blocks), tuple(losses), tuple(remains), tuple(warnings))


def _unknown(module: ModuleSnapshot, part: Part) -> bool:
    """Whether a part may be there and was not read."""
    missing = module.missing(part)
    return missing is not None and missing.offered


@dataclass(frozen=True)
class AtOnce:
    """A code that stands again with the key on, directly after clearing: a hard fault."""

    code: str
    module: str
    state: CodeState

    @property
    def words(self) -> str:
        return f"{self.code} is {self.state.value} again in {self.module}: a hard fault, there with the key on."


def back_at_once(after: Snapshot) -> tuple[AtOnce, ...]:
    """What the scan made directly after clearing still or again holds, each code of a module once, confirmed before
    pending. Permanent codes and history are no return."""
    found: dict[tuple[int, str], AtOnce] = {}
    for state in (CodeState.CONFIRMED, CodeState.PENDING):
        for module in after.modules:
            for code in module.with_state(state):
                told = AtOnce(code, module.name or f"{module.responder:X}", state)
                found.setdefault((module.responder, code), told)
    return tuple(found.values())


def permanent_words(codes: Mapping[str, str]) -> str:
    """Why permanent codes are still there after a good repair, and what takes them away (13 CCR 1968.2 [S]).

    ``codes``: each with the monitor that has to run; empty words for none.
    """
    if not codes:
        return ""
    it = "it" if len(codes) == 1 else "them"
    named = ", ".join(f"{code} (monitor “{monitor}”)" for code, monitor in codes.items())
    return (
        f"Permanent: {named}. No tool and no battery takes {it} away. The control unit removes {it} by itself once "
        "the monitor has run to the end and found nothing in a proper trip (ten minutes' running, five of them at "
        f"{measured(40, 'km/h')} or more, half a minute's idle). The repair is not in doubt because of {it}; an "
        f"inspection may ask for {it} to be gone."
    )
