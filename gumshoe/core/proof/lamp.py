"""What the malfunction indicator lamp says after the work, in plain words for whoever drives the car."""

from __future__ import annotations

from gumshoe.core.proof.tracker import ProofVerdict

MEANING = {
    ProofVerdict.PROVEN: "The lamp is out, and the control unit has checked the repaired system itself and found it "
    "good.",
    ProofVerdict.NOT_YET: "The lamp is out because the codes were cleared. That alone does not prove the repair; what "
    "is missing is listed below.",
    ProofVerdict.CAME_BACK: "The fault has shown itself again. The case goes on.",
}
NOT_PROVEN_YET = "Nothing has been cleared and proven yet."
PROVEN_UNTOLD = (
    "The lamp is out, and the fault has not come back on the drive that would show it; this car does not tell by "
    "itself when it has checked the repaired system."
)
NOTHING_DONE = (
    "Nothing was repaired: the lamp is expected to stay on, or to come on again. Should it flash, lift off and stop as "
    "soon as it is safe."
)
LEFT_ALONE = (
    "Nothing was cleared: the lamp goes out by itself after three good trips in a row. While it is on, that is "
    "expected; flashing is not: then stop driving."
)
LEFT_ALONE_PROVEN = (
    "The lamp has gone out by itself: the control unit has found the repaired system good on three trips."
)


def lamp_meaning(
    verdict: ProofVerdict | None, *, worked: bool, cleared: bool, by_itself: bool = False, untold: bool = False
) -> str:
    """What the lamp says now. ``verdict``: of the proof, None before there is one; ``worked``: a repair is on record;
    ``cleared``: codes were cleared after it, or (``by_itself``) the control unit is left to put the lamp out, which it
    does after three good driving cycles (SAE J1979, OBD II); ``untold``: this car does not tell when its monitors have
    run."""
    if not cleared and not worked:
        return NOTHING_DONE
    if cleared and by_itself and verdict is not ProofVerdict.CAME_BACK:
        return LEFT_ALONE_PROVEN if verdict is ProofVerdict.PROVEN else LEFT_ALONE
    if cleared and untold and verdict is ProofVerdict.PROVEN:
        return PROVEN_UNTOLD
    return MEANING[verdict] if verdict is not None else NOT_PROVEN_YET
