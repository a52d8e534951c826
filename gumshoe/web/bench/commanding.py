"""Actuators under command: one at a time for a vehicle, watched all the while, given back whatever happens.

A command ends when its steps are through or somebody stops it, when the page falls silent (left or closed), the link is
lost, time is up, or the conditions go (the car moves, the engine starts or stops).
"""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.knowledge.outcomes import readings_of
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.rows import OutcomeRow
from gumshoe.core.obd.actuators import ActuatorRow, CommandRow, actuators, guided, hindrance
from gumshoe.core.obd.commands import Commander
from gumshoe.core.obd.link import Link
from gumshoe.core.signals.response import SAID, Follows, judge
from gumshoe.web.accounts.models import User
from gumshoe.web.bench.models import CommandRun, TestRecord
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.vehicles.links import Connection, connection
from gumshoe.web.vehicles.models import Vehicle

LOOK_S = 0.15
SILENT_S = 3.0
"""A page that has not asked for so long is left."""
PRESENT_S = 1.5
BY_HAND_S = 60.0
WIDTH, HEIGHT, LEFT = 640.0, 200.0, 34.0


@dataclass
class CommandThread(threading.Thread):
    """One actuator under command, in a thread of its own. It touches no database."""

    link: Connection
    row: ActuatorRow
    ids: CommandRow
    samples: list[tuple[float, float, float]] = field(default_factory=list)
    value: float | None = None
    ended: str = ""
    stored: bool = False
    by: User | None = None

    def __post_init__(self) -> None:
        threading.Thread.__init__(self, name=f"command {self.row.id}", daemon=True)
        self.heard = time.monotonic()
        self._asked_to_stop = threading.Event()
        self._lock = threading.Lock()

    __hash__ = threading.Thread.__hash__

    def _commander(self, link: Link) -> Commander:
        return Commander(link, self.row, self.ids, engine=self.link.engine(link))

    def run(self) -> None:
        """Step, look, and give control back."""
        try:
            with self.link.use() as link, self._commander(link) as commander:
                self.ended = self._follow(commander)
        except GumshoeError as error:
            self.ended = error.what

    def stop(self) -> None:
        """End it and wait until control is given back."""
        self._asked_to_stop.set()
        if self.is_alive():
            self.join(5.0)

    def set(self, value: float) -> None:
        """Command a value by hand instead of the steps. Raises BadInput outside 0 to 100 %."""
        if not 0.0 <= value <= 100.0:
            raise BadInput(f"A command of {value:g} % cannot be.", remedies=("0 to 100 %",))
        self.value = value

    def _follow(self, commander: Commander) -> str:
        began = present = time.monotonic()
        commanded: float | None = None
        while True:
            now = time.monotonic()
            if self._asked_to_stop.is_set():
                return "stopped by hand"
            if now - self.heard > SILENT_S:
                return "stopped: the page was left"
            stopped = hindrance(self.row, *commander.conditions())
            if stopped:
                return f"stopped: {stopped}"
            wanted = self._wanted(now - began)
            if wanted is None:
                return "all steps made" if self.value is None else "stopped: time is up"
            if wanted != commanded:
                commander.step(wanted)
                commanded = wanted
            elif now - present > PRESENT_S:
                commander.still_here()
                present = now
            back = commander.feedback()
            with self._lock:
                self.samples.append((round(time.monotonic() - began, 3), wanted, round(back, 1)))
            time.sleep(LOOK_S)

    def _wanted(self, seconds: float) -> float | None:
        if self.value is not None:
            return self.value if seconds < BY_HAND_S else None
        step = int(seconds / self.row.hold)
        return self.row.steps[step] if step < len(self.row.steps) else None

    def taken(self) -> list[tuple[float, float, float]]:
        """Time, command and feedback so far."""
        with self._lock:
            return list(self.samples)


_runs: dict[int, CommandThread] = {}
_runs_lock = threading.Lock()


def offered(case: Case) -> list[tuple[ActuatorRow, CommandRow]]:
    """The actuators this vehicle's platform lets one command, that it has."""
    platform = platforms().get(case.vehicle.platform)
    known = cases.knowledge_of(case).components
    found = [(actuators()[row.actuator], row) for row in (platform.command if platform else ())]
    return [(row, ids) for row, ids in found if row.component in known]


def one_of(case: Case, name: str) -> tuple[ActuatorRow, CommandRow]:
    """The actuator of that name. Raises BadInput when this vehicle has none that can be commanded."""
    for row, ids in offered(case):
        if row.id == name:
            return row, ids
    raise BadInput("This vehicle lets nobody command that actuator.", remedies=("choose one from the list",))


def start(case: Case, user: User, name: str) -> CommandThread:
    """Begin. Raises BadInput while another runs, LinkError without a link, BadInput when the conditions are not
    right."""
    row, ids = one_of(case, name)
    with _runs_lock:
        running = _runs.get(case.vehicle.pk)
        if running and running.is_alive():
            raise BadInput(f"{running.row.words} is still commanded.", remedies=("stop it first",))
        link = connection(case.vehicle)
        with link.use() as open_link:
            stopped = hindrance(row, *Commander(open_link, row, ids, engine=link.engine(open_link)).conditions())
        if stopped:
            raise BadInput(stopped, remedies=("bring the car into that condition, then start again",))
        run = _runs[case.vehicle.pk] = CommandThread(link, row, ids)
        run.by = user
        run.start()
    return run


def of(vehicle: Vehicle, name: str) -> CommandThread | None:
    """The run of that actuator that is on, or was the last."""
    run = _runs.get(vehicle.pk)
    return run if run and run.row.id == name else None


def state(case: Case, user: User | None, name: str) -> dict[str, Any]:
    """Where it is; a run that has ended is stored when somebody who may work asks, as theirs who began it."""
    run = of(case.vehicle, name)
    if run is None:
        return {"running": False, "words": "", "ended": "", "command": "", "feedback": "", "value": None}
    if user is not None:  # somebody who only looks keeps nothing running
        run.heard = time.monotonic()
    samples = run.taken()
    last = samples[-1] if samples else (0.0, 0.0, 0.0)
    told = {
        "running": run.is_alive(),
        "seconds": round(last[0]),
        "value": last[1],
        "back": last[2],
        "ended": run.ended,
        "words": "",
        "command": _points(run, [(t, c) for t, c, _ in samples]),
        "feedback": _points(run, [(t, f) for t, _, f in samples]),
    }
    if not run.is_alive() and user is not None:
        told["words"] = keep(case, user, run)
    return told


def keep(case: Case, user: User, run: CommandThread) -> str:
    """Store a run that has ended, once; its words."""
    verdict, words = judged(run)
    told = outcome_told(case, run.row, verdict)
    if told:
        words += f" On record as “{told.words}”."
    with _runs_lock:
        if run.stored:
            return words
        run.stored = True
    with in_turn():
        record = None
        if told:
            typed = readings_of(told)
            note = f"from the command: {run.row.words}"
            record = TestRecord.objects.create(
                case=case, by=run.by or user, test=run.row.test, readings=typed, outcome=told.id, note=note
            )
        CommandRun.objects.create(
            case=case,
            by=run.by or user,
            actuator=run.row.id,
            samples=run.taken(),
            ended=run.ended[:200],
            verdict=verdict,
            words=words[:300],
            record=record,
        )
    return words


def outcome_told(case: Case, row: ActuatorRow, verdict: str) -> OutcomeRow | None:
    """The outcome of the guided test that a verdict on an actuator amounts to; None where it amounts to none."""
    test = cases.knowledge_of(case).tests.get(row.test)
    if test is None or verdict not in set(Follows):
        return None
    return test.outcome(guided(row, verdict == Follows.FOLLOWS, cases.powertrain_of(case)))


def judged(run: CommandThread) -> tuple[str, str]:
    """(verdict, words) of a run."""
    samples = run.taken()
    try:
        times, command, feedback = (np.array(column) for column in zip(*samples, strict=True))
        found = judge(times, command, feedback, expected=run.row.gain, tolerance=run.row.tolerance)
    except (BadInput, ValueError):
        return "not judged", "Too few steps were made to judge it."
    lag = f" It takes {found.lag_s:.1f} s." if found.verdict in (Follows.FOLLOWS, Follows.LAGS) else ""
    return str(found.verdict), SAID[found.verdict] + lag


def stop_all() -> None:
    """Give every actuator back (end of the process, end of a test)."""
    with _runs_lock:
        running = list(_runs.values())
        _runs.clear()
    for run in running:
        run.stop()


def _points(run: CommandThread, samples: list[tuple[float, float]]) -> str:
    """Points of a line in the diagram."""
    whole = max(run.row.seconds, samples[-1][0] if samples else 0.0)
    scale = (WIDTH - LEFT - 6.0) / whole
    return " ".join(f"{LEFT + t * scale:.1f},{HEIGHT - 14.0 - v * (HEIGHT - 26.0) / 100.0:.1f}" for t, v in samples)
