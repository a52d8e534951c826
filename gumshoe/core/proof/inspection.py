"""When an inspection is possible: the lamp out, no code confirmed, the readiness monitors run, no permanent code left.

What an inspection allows is local law; usual is that the lamp must be out, and that at most one monitor may be open
(US EPA's guidance for cars of 2001 and later [S, M for the number]). The page says so and defers to it.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.obd.snapshot import ModuleSnapshot
from gumshoe.core.proof.drive_plan import DrivePlan, Need, plan_drive, segments_file, segments_for
from gumshoe.core.words import measured


@dataclass(frozen=True)
class Inspection:
    """Whether an inspection would see nothing against the car, what stands in the way, and the drive that helps.

    ``one_open``: the one monitor that has not run, where that is all there is."""

    clear: bool
    reasons: tuple[str, ...]
    plan: DrivePlan | None = None
    one_open: str = ""

    @property
    def words(self) -> str:
        """In one or two sentences."""
        if self.clear:
            return "An inspection that asks for readiness is possible now: the lamp is out and every monitor has run."
        told = "An inspection would turn the car away now: " + "; ".join(self.reasons) + "."
        if self.one_open:
            told = (
                f"One monitor is open ({self.one_open}) and nothing else: some inspections accept that, others do not."
            )
        if self.plan is not None and self.plan.trips:
            rest = f", after {self.plan.rest_hours:.0f} hours' rest" if self.plan.rest_hours else ""
            told += (
                f" About {self.plan.minutes:.0f} minutes and {measured(self.plan.km, 'km')} of mixed driving{rest} "
                "usually let the open monitors run."
            )
        return told + " The local rules say what counts."


def inspection(module: ModuleSnapshot | None, lamp: bool | None, features: frozenset[str]) -> Inspection | None:
    """Judge the newest scan of the engine's unit. None while nothing was scanned, or it does not tell readiness."""
    if module is None or module.status is None:
        return None
    reasons = []
    if lamp:
        reasons.append("the lamp is on")
    confirmed = [item.code for item in module.codes if item.state.value == "confirmed"]
    if confirmed:
        reasons.append("codes are stored: " + ", ".join(confirmed))
    permanent = [item.code for item in module.codes if item.state.value == "permanent"]
    if permanent:
        reasons.append("permanent codes are left: " + ", ".join(permanent))
    open_ones = module.status.incomplete
    if open_ones:
        reasons.append("not yet run: " + ", ".join(open_ones))
    needs = [Need(f"monitor “{name}”", 1, name) for name in open_ones]
    plan = plan_drive(needs, segments_for(features), segments_file().monitor) if needs else None
    alone = open_ones[0] if len(open_ones) == 1 and len(reasons) == 1 else ""
    return Inspection(not reasons, tuple(reasons), plan, alone)
