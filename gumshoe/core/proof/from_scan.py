"""A scan as an observation of a proof: the codes of every module, and whether their absence means anything."""

from __future__ import annotations

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.proof.plan import TURNS_RPM
from gumshoe.core.proof.tracker import Observation


def observation_of(after: Snapshot, before: Snapshot | None) -> Observation | None:
    """What a scan made since the clearing tells; None where no module was read. ``before``: the scan the proof is
    measured against."""
    if after.engine is None:
        return None
    standing = after.engine.values.get("rpm", TURNS_RPM) < TURNS_RPM
    return Observation(
        0.0 if standing else None,
        confirmed=after.codes_in(CodeState.CONFIRMED),
        pending=after.codes_in(CodeState.PENDING),
        permanent=after.codes_in(CodeState.PERMANENT),
        lamp=after.lamp,
        whole=_whole(after, before),
    )


def _whole(after: Snapshot, before: Snapshot | None) -> bool:
    """Whether the engine, and every module that held codes before, told its codes: a list that was not read is not an
    empty one."""
    held = {row.responder for row in before.modules if row.codes} if before else set()
    unread = {row.responder for row in after.modules if not row.codes_known} | {row.responder for row in after.silent}
    return bool(after.engine and after.engine.codes_known and not held & unread)
