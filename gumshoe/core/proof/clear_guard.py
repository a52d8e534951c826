"""May the codes be cleared now, what will be lost, what will remain."""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.snapshot import Snapshot


@dataclass(frozen=True)
class ClearCheck:
    """``blocks`` must be empty before clearing; ``losses`` and ``remains`` are shown before it is done."""

    blocks: tuple[str, ...]
    losses: tuple[str, ...]
    remains: tuple[str, ...]

    @property
    def allowed(self) -> bool:
        return not self.blocks


def check_clear(snapshot: Snapshot | None, loose_ends: tuple[str, ...], rpm: float | None) -> ClearCheck:
    """Judge a clearing. ``rpm`` is the engine speed now, None when the vehicle does not answer."""
    blocks = []
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
    losses.append("Learnt fuel trims: idle can be rough until they are learnt again")
    permanent = snapshot.codes_in(CodeState.PERMANENT)
    remains = []
    if permanent:
        remains.append(
            "Permanent: "
            + ", ".join(permanent)
            + ". No tool clears these; the control unit removes them itself once the monitor has run and passed."
        )
    return ClearCheck(tuple(blocks), tuple(losses), tuple(remains))
