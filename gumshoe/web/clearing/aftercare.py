"""After-work procedures on a car: what is asked for, whether it may begin, and the run of one with its outcome."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import Any

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.procedures import ProcedureRow, procedures
from gumshoe.core.knowledge.rows import RoutineRow
from gumshoe.core.obd.present import present_values
from gumshoe.core.obd.routines import Outcome, run_routine
from gumshoe.core.obd.snapshot import FIRST_RESPONDER
from gumshoe.core.obd.uds import ModuleAddress
from gumshoe.core.work import Needed, Precondition, needed_after, readiness
from gumshoe.web.accounts.models import User
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.entries import entries
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing.models import ProcedureRun
from gumshoe.web.kit.memo import once
from gumshoe.web.ledger import ends
from gumshoe.web.vehicles.links import Connection, connection

LIVE_KEYS = ("rpm", "speed_kmh", "coolant_c", "module_v")


@dataclass(frozen=True)
class Asked:
    """A procedure that this case's work asks for, and the run that holds."""

    row: ProcedureRow
    because: str
    routine: RoutineRow | None
    run: ProcedureRun | None

    @property
    def settled(self) -> bool:
        return self.run is not None and self.run.ended_well


@once
def asked(case: Case) -> list[Asked]:
    """What the work asks for, each with its last run. A run before what asked for it does not count."""
    knowledge = cases.knowledge_of(case)
    works, happened = entries(case, "works"), ends.happenings(case)
    causes = [(work.at.timestamp(), needed_after(knowledge, [work.line.repair], ())) for work in works]
    causes += [(item.until or item.since, needed_after(knowledge, (), [item])) for item in happened]
    runs = list(case.procedureruns.select_related("by"))
    rows = []
    for item in needed_after(knowledge, [work.line.repair for work in works], happened):
        since = max(at for at, asks in causes if any(one.row.id == item.row.id for one in asks))
        own = [run for run in runs if run.procedure == item.row.id and run.at.timestamp() >= since]
        rows.append(Asked(item.row, item.because, routine_of(case, item.row), own[-1] if own else None))
    return rows


def open_procedures(case: Case) -> list[Asked]:
    """What is still to be done."""
    return [item for item in asked(case) if not item.settled]


def routine_of(case: Case, row: ProcedureRow) -> RoutineRow | None:
    """The vehicle's routine for a procedure; None when its platform names none."""
    platform = platforms().get(case.vehicle.platform)
    return next((item for item in (platform.procedure if platform else ()) if item.procedure == row.id), None)


def one_of(case: Case, name: str) -> Needed:
    """The procedure by its id, asked for or not. Raises BadInput when this powertrain has no use for it."""
    row = procedures().get(name)
    if row is None or not set(row.needs) <= cases.powertrain_of(case).features:
        raise BadInput("There is no such procedure for this vehicle.", remedies=("choose one from the list",))
    because = next((item.because for item in asked(case) if item.row.id == name), "")
    return Needed(row, because)


def conditions(case: Case, row: ProcedureRow) -> tuple[Precondition, ...]:
    """Every condition against what the car tells now; nothing holds while it does not answer."""
    try:
        found = connection(case.vehicle)
        with found.use() as link:
            values = present_values(link, LIVE_KEYS, found.engine(link))
    except GumshoeError:
        values = {}
    return readiness(row, values)


# -- running one ------------------------------------------------------------------------------------------


@dataclass
class RoutineRun(threading.Thread):
    """One procedure under way, in a thread of its own. It touches no database."""

    link: Connection
    row: ProcedureRow
    routine: RoutineRow
    because: str
    conditions: tuple[Precondition, ...]
    outcome: Outcome | None = None
    reason: str = ""
    stored: bool = False
    by: User | None = None
    """Who began it: whoever's page hears first that it has ended, it is theirs."""
    began: float = field(default_factory=time.monotonic)

    def __post_init__(self) -> None:
        threading.Thread.__init__(self, name=f"procedure {self.row.id}", daemon=True)
        self._asked_to_stop = threading.Event()

    __hash__ = threading.Thread.__hash__

    def run(self) -> None:
        """Run the routine to its end."""
        address = ModuleAddress(self.row.words, self.routine.request_id, self.routine.response_id)
        try:
            with self.link.use() as link:
                if address.response_id == FIRST_RESPONDER:  # the engine's, wherever it answers in this car
                    address = ModuleAddress.of_engine(link, self.link.engine(link))
                self.outcome, self.reason = run_routine(
                    link, address, self.routine.identifier, self.row.seconds, stopped=self._asked_to_stop.is_set
                )
        except GumshoeError as error:
            self.outcome, self.reason = Outcome.REFUSED, error.what

    def stop(self) -> None:
        """Break it off and wait until it has ended."""
        self._asked_to_stop.set()
        if self.is_alive():
            self.join(8.0)

    @property
    def share(self) -> float:
        """How far it has come, by the clock."""
        return min((time.monotonic() - self.began) / max(self.row.seconds, 0.5), 1.0)


_runs: dict[int, RoutineRun] = {}
_lock = threading.Lock()


def start(case: Case, user: User, name: str) -> RoutineRun:
    """Begin. Raises BadInput when the vehicle has no routine for it, a condition does not hold, or one runs already."""
    need = one_of(case, name)
    routine = routine_of(case, need.row)
    if routine is None:
        raise BadInput(
            "No routine of this vehicle is known for it.", remedies=("do it by hand as described, and record that",)
        )
    ends.refuse_while_open(case)
    with _lock:
        running = _runs.get(case.vehicle_id)
        if running and running.is_alive():
            raise BadInput(f"{running.row.words} is still under way.", remedies=("wait for its end, or break it off",))
        seen = conditions(case, need.row)
        lacking = [f"{item.words}: {item.asked}, now {item.seen or 'not told'}" for item in seen if not item.holds]
        if lacking:
            raise BadInput(
                "The car is not in the condition for it.", kept="Nothing was begun.", remedies=tuple(lacking)
            )
        run = _runs[case.vehicle_id] = RoutineRun(connection(case.vehicle), need.row, routine, need.because, seen)
        run.by = user
        run.start()
    return run


def current(case: Case, name: str) -> RoutineRun | None:
    """The run of that procedure that is on, or was the last."""
    run = _runs.get(case.vehicle_id)
    return run if run and run.row.id == name else None


def state(case: Case, user: User | None, name: str) -> dict[str, Any]:
    """Where it is; a run that has ended is stored when somebody who may work asks, as theirs who began it."""
    run = current(case, name)
    if run is None:
        return {"running": False, "share": 0, "outcome": "", "words": ""}
    told = {"running": run.is_alive(), "share": round(run.share, 2), "outcome": "", "words": ""}
    if not run.is_alive():
        told["outcome"] = str(run.outcome)
        told["words"] = words_of(run)
        if user is not None:
            keep(case, user, run)
    return told


def keep(case: Case, user: User, run: RoutineRun) -> None:
    """Store a run that has ended, once."""
    with _lock:
        if run.stored or run.outcome is None:
            return
        run.stored = True
    aborted = run.outcome is not Outcome.DONE and run.outcome.began
    ProcedureRun.objects.create(
        case=case,
        by=run.by or user,
        procedure=run.row.id,
        words=run.row.words,
        because=run.because[:200],
        outcome=run.outcome.value,
        reason=run.reason[:300],
        left=run.row.aborted[:300] if aborted else "",
        conditions=[[item.words, item.asked, item.seen] for item in run.conditions],
    )


def words_of(run: RoutineRun) -> str:
    """How it ended, in words, and in which state the car is left."""
    if run.outcome is Outcome.DONE:
        return f"{run.row.words}: done."
    if run.outcome is Outcome.REFUSED:
        return f"{run.row.words}: not begun, {run.reason}. The car is as it was."
    return f"{run.row.words}: {run.outcome}, {run.reason}. {run.row.aborted}"


def by_hand(case: Case, user: User, name: str, remark: str) -> ProcedureRun:
    """Record a procedure as made by hand. Raises BadInput for one this vehicle has no use for."""
    need = one_of(case, name)
    return ProcedureRun.objects.create(
        case=case,
        by=user,
        procedure=need.row.id,
        words=need.row.words,
        because=need.because[:200],
        outcome=ProcedureRun.Outcome.BY_HAND,
        reason=remark.strip(),
    )


def stop_all() -> None:
    """Break every run off (end of the process, end of a test)."""
    with _lock:
        running = list(_runs.values())
        _runs.clear()
    for run in running:
        run.stop()
