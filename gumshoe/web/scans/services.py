"""Scan a vehicle, store the whole snapshot in one transaction, and keep the raw frames."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from gumshoe.core.casefile.files import MAX_BYTES
from gumshoe.core.casefile.untrusted import case_apart
from gumshoe.core.clues import MisfireReading, read_misfire
from gumshoe.core.codes import CodeState, TroubleCode, plain_states, structure
from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.judgement import Judged
from gumshoe.core.judgement import telling as telling_of
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.code_catalogue import monitor_of
from gumshoe.core.knowledge.platform import platform_for_vin, platforms
from gumshoe.core.obd.capture import candump_line
from gumshoe.core.obd.errors import LinkError
from gumshoe.core.obd.link import BusFrame
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import ModuleSnapshot, Snapshot, Speaks, states_by_code
from gumshoe.core.obd.stored import plain_snapshot, read_snapshot
from gumshoe.core.obd.typed import read_typed
from gumshoe.core.obd.uds import ModuleAddress
from gumshoe.core.powertrain.vin import check_vin
from gumshoe.core.signals.frame_reading import FrameReading, read_frame
from gumshoe.core.suspects.driving import DriveAdvice
from gumshoe.core.suspects.relations import CodeReading, CodesRead
from gumshoe.web.accounts.models import User
from gumshoe.web.cases.entries import at_hand
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.kit.memo import once
from gumshoe.web.scans.models import Scan, VinAnswer
from gumshoe.web.vehicles.links import connection
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.vehicles.sockets import plug_in_bay


class Journal:
    """Frames on disk as they pass, so that a scan cut off by a kill leaves its log."""

    def __init__(self, case: Case, user: User) -> None:
        folder = journal_folder()
        folder.mkdir(parents=True, exist_ok=True)
        self.path = folder / f"scan-{case.pk}-{user.pk}-{time.time_ns()}.log"
        self.lines: list[str] = []
        self.heard = False
        """Whether any module said anything."""
        self._file = self.path.open("w", encoding="ascii", buffering=1)

    def take(self, frame: BusFrame) -> None:
        """Write one frame down."""
        self.heard = self.heard or not frame.sent
        line = candump_line(frame)
        self.lines.append(line)
        self._file.write(line + "\n")

    def close(self, *, keep: bool) -> None:
        """Close; the file goes when its content is in the database."""
        self._file.close()
        if not keep:
            self.path.unlink(missing_ok=True)


def journal_folder() -> Path:
    """Where scans under way are written."""
    return Path(settings.DATA_DIR) / "journal"


class AnotherCar(BadInput):
    """The VIN that was read is not this vehicle's. ``vin``: the one read; ``known``: the shop's vehicle that has it."""

    kept = "Nothing of that car was stored in this case, and nothing was cleared."

    def __init__(self, case: Case, vin: str) -> None:
        self.vin = vin
        self.known = Vehicle.objects.filter(vin=vin, from_log="").exclude(pk=case.vehicle_id).first()
        has = f"The vehicle of this case has the VIN {case.vehicle.vin}" if case.vehicle.vin else "This case is another"
        whose = f", which is {self.known}" if self.known else ""
        super().__init__(
            f"{has}; the car that answers has {vin}{whose}.",
            remedies=("look which car the plug is in", "then answer the question on the Scan page"),
        )


def expected_vin(case: Case) -> Callable[[str], None]:
    """What stops the scan of a car that is not this one; VINs that somebody answered for pass."""
    answered = set(case.vinanswers.values_list("vin", flat=True))

    def expect(vin: str) -> None:
        own = case.vehicle.vin
        if vin == own or vin in answered:
            return
        if own or Vehicle.objects.filter(vin=vin, from_log="").exclude(pk=case.vehicle_id).exists():
            raise AnotherCar(case, vin)

    return expect


@in_turn()
def answer_vin(case: Case, user: User, vin: str, answer: str) -> None:
    """Put on record whose the VIN is: mistyped on file (it is taken over), or that of a used control unit. Raises
    BadInput for another answer or half a VIN."""
    vin = check_vin(vin).vin
    if answer not in VinAnswer.Kind.values:
        raise BadInput("This is not one of the answers.")
    other = Vehicle.objects.filter(vin=vin, from_log="").exclude(pk=case.vehicle_id).first()
    if answer == VinAnswer.Kind.MISTYPED and other is not None:
        raise BadInput(f"{other} has this VIN already.", remedies=("open a case for that vehicle",))
    VinAnswer.objects.create(case=case, by=user, vin=vin, kind=answer, before=case.vehicle.vin)
    if answer == VinAnswer.Kind.MISTYPED:
        _adopt_vin(case, vin)


def perform(case: Case, user: User, why: str = Scan.Why.INTAKE) -> Scan:
    """Scan and store. Raises LinkError; then what was heard is stored as an interrupted scan, if anything was; and
    AnotherCar when the VIN is not this vehicle's; then nothing is stored."""
    plug_in_bay(case.vehicle, case.bay)
    link_of = connection(case.vehicle)
    journal = Journal(case, user)
    began = time.monotonic()
    try:
        with link_of.use(tap=journal.take) as link:
            snapshot = scan(
                link,
                beyond=beyond(case),
                expect=expected_vin(case),
                known=known_modules(case, link.speaks),
                monitor_of=monitor_of,
            )
    except GumshoeError as error:
        if journal.heard and isinstance(error, LinkError):
            store(case, user, None, journal.lines, why, link_of.words, time.monotonic() - began)
            error.kept = "The raw frames heard so far are stored with the case; nothing else was changed."
        journal.close(keep=False)
        raise
    stored = store(case, user, snapshot, journal.lines, why, link_of.words, time.monotonic() - began)
    journal.close(keep=False)
    vin = snapshot.vin
    if vin and not case.vehicle.vin:
        _adopt_vin(case, vin)
    return stored


def beyond(case: Case) -> list[ModuleAddress]:
    """The modules beyond the engine that the vehicle's platform file names."""
    found = platforms().get(case.vehicle.platform)
    rows = found.module if found else ()
    return [ModuleAddress(row.name, row.request_id, row.response_id, row.logical) for row in rows]


def known_modules(case: Case, speaks: str) -> dict[int, str]:
    """The names of the modules that scans of this case, and the last one before it, met on this car when they were
    addressed so; without those that the platform names, which are asked anyway."""
    named = {row.response_id for row in beyond(case)}
    own = list(case.scans.filter(interrupted=False))
    others = Scan.objects.filter(case__vehicle=case.vehicle, interrupted=False).exclude(case=case)
    found: dict[int, str] = {}
    for stored in (*others.order_by("-at", "-pk")[:1], *own):
        snapshot = snapshot_of(stored)
        for module in snapshot.modules if snapshot and snapshot.addressing == speaks else ():
            uds_alone = module.speaks is Speaks.UDS and module.responder not in named
            if module.pids or module.status or uds_alone:
                found[module.responder] = module.label
    return found


@in_turn()
def store(
    case: Case, user: User, snapshot: Snapshot | None, lines: list[str], why: str, link: str, seconds: float
) -> Scan:
    """Put a scan on record."""
    return Scan.objects.create(
        case=case,
        by=user,
        why=why,
        interrupted=snapshot is None,
        link=link,
        seconds=round(seconds, 3),
        snapshot=plain_snapshot(snapshot) if snapshot else None,
        frames="\n".join(lines) + ("\n" if lines else ""),
    )


def type_in(case: Case, user: User, text: str) -> Scan:
    """Store codes that were typed in or pasted. Raises BadInput when there is nothing to read."""
    why = Scan.Why.AGAIN if case.scans.exists() else Scan.Why.INTAKE
    return store(case, user, read_typed(text), [], why, "typed in", 0.0)


def take_file(case: Case, user: User, content: bytes) -> list[Scan]:
    """Store the scans of a file: a case file's (with its codes), or codes in plain text.

    Raises BadInput or CaseFileError with the place and the reason; then nothing was stored.
    """
    if len(content) > MAX_BYTES:
        raise BadInput(f"The file is larger than {MAX_BYTES // 1_000_000} MB.", kept="Nothing was stored.")
    if not content.lstrip().startswith(b"{"):
        return [type_in(case, user, content.decode("utf-8", errors="replace"))]
    document = case_apart(content)
    found = list(document.scans)
    if document.module:
        found.append(Snapshot(timezone.now(), "file", (document.module,)))
    if not found:
        raise BadInput("The file holds no scan and no codes.", kept="Nothing was stored.", remedies=("choose another",))
    with in_turn():
        return [
            store(case, user, item, [], Scan.Why.AGAIN if case.scans.exists() else Scan.Why.INTAKE, "from a file", 0.0)
            for item in found
        ]


def recover() -> int:
    """At start, by the process that holds the data and before it scans: turn journals left by a kill into interrupted
    scans; returns how many there were. No process number tells whose they are: in a container all have the same."""
    count = 0
    for path in sorted(journal_folder().glob("scan-*.log")):
        _, case_pk, user_pk, *_ = path.stem.split("-")
        case, user = Case.objects.filter(pk=case_pk).first(), User.objects.filter(pk=user_pk).first()
        lines = path.read_text(encoding="ascii", errors="replace").splitlines()
        if case and user and lines:
            store(case, user, None, lines, Scan.Why.AGAIN, "cut off when the server stopped", 0.0)
            count += 1
        path.unlink()
    return count


@once
def snapshot_of(stored: Scan) -> Snapshot | None:
    """The snapshot of a stored scan; None when it was interrupted."""
    return read_snapshot(stored.snapshot) if stored.snapshot else None


@once
def latest(case: Case) -> Scan | None:
    """The newest whole scan."""
    return next(iter(whole(case)), None)


def latest_since(case: Case, moment: datetime) -> Scan | None:
    """The newest whole scan made since a moment; None when there is none."""
    return case.scans.filter(interrupted=False, at__gt=moment).last()


def whole(case: Case) -> list[Scan]:
    """The whole scans of a case, the newest first, their raw frames left where they are until asked for."""
    rows = (row for row in at_hand(case, "scans") if not row.interrupted)
    return sorted(rows, key=lambda row: (row.at, row.pk), reverse=True)


@once
def telling(case: Case) -> Scan | None:
    """The scan the reasoning looks at; which one, the core decides."""
    rows = [(row, snapshot) for row in whole(case) if (snapshot := snapshot_of(row))]
    place = telling_of(snapshot for _, snapshot in rows)
    return rows[place][0] if place is not None else None


def telling_codes(case: Case) -> tuple[str, ...]:
    """The codes this case is about: confirmed and pending ones of its telling scan."""
    stored = telling(case)
    snapshot = snapshot_of(stored) if stored else None
    return snapshot.codes_in(CodeState.CONFIRMED, CodeState.PENDING) if snapshot else ()


@dataclass(frozen=True)
class ReadPage:
    """What the Read page shows."""

    read: CodesRead
    frames: tuple[tuple[str, FrameReading, dict[str, float]], ...]
    advice: DriveAdvice
    notes: tuple[str, ...]
    misfire: MisfireReading | None
    engine: ModuleSnapshot | None
    states: dict[TroubleCode, tuple[CodeState, ...]]
    unread: tuple[str, ...] = ()

    @property
    def codes(self) -> tuple[CodeReading, ...]:
        return self.read.codes

    def named(self, knowledge: Knowledge) -> dict[str, tuple[str, ...]]:
        """Components that the present codes name, in the order to chase them."""
        found: dict[str, tuple[str, ...]] = {}
        for item in self.codes:
            for part in knowledge.components_of(item.code):
                found[part] = (*found.get(part, ()), item.code)
        return found


def read(judged: Judged) -> ReadPage | None:
    """The codes of the telling scan as they were judged; None without a scan."""
    snapshot = judged.grounds.snapshot
    if snapshot is None:
        return None
    frames = tuple(
        (frame.code, read_frame(frame), frame.values) for module in snapshot.modules for frame in module.frames
    )
    states = states_by_code(snapshot.stored_codes)
    return ReadPage(
        judged.read, frames, judged.advice, judged.notes, judged.misfire, snapshot.engine, states, snapshot.codes_unread
    )


def latest_misfire(case: Case, knowledge: Knowledge) -> tuple[Scan | None, MisfireReading | None]:
    """The newest scan with misfire counters or codes and what they say."""
    for stored in case.scans.filter(interrupted=False).order_by("-at", "-pk"):
        snapshot = snapshot_of(stored)
        if snapshot is not None and snapshot.engine is not None:
            found = read_misfire(snapshot.engine, knowledge)
            if found.last or found.codes:
                return stored, found
    return None, None


@dataclass(frozen=True)
class ReadinessTable:
    """How far the monitors have come over the scans: (name, whether complete in each scan; None when not told)."""

    scans: tuple[Scan, ...]
    rows: tuple[tuple[str, tuple[bool | None, ...]], ...]
    complete: tuple[int, ...]


def readiness(case: Case, most: int = 6) -> ReadinessTable:
    """The supported monitors over the newest scans, the oldest of them first."""
    kept = [item for item in reversed(whole(case)) if item.snapshot][-most:]
    states = [snapshot.engine.status if (snapshot := snapshot_of(item)) and snapshot.engine else None for item in kept]
    names = dict.fromkeys(item.name for status in states if status for item in status.monitors if item.supported)
    rows = tuple(
        (name, tuple(found.complete if status and (found := status.monitor(name)) else None for status in states))
        for name in names
    )
    complete = tuple(sum(bool(row[1][index]) for row in rows) for index in range(len(kept)))
    return ReadinessTable(tuple(kept), rows, complete)


def compare(before: Snapshot, after: Snapshot) -> list[dict[str, str]]:
    """Two scans side by side: each code's surest state then and now, and what became of it."""
    rank = {state: place for place, state in enumerate(CodeState)}

    def surest(snapshot: Snapshot) -> dict[str, str]:
        found: dict[str, CodeState] = {}
        for module in snapshot.modules:
            for item in module.codes:
                if item.code not in found or rank[item.state] < rank[found[item.code]]:
                    found[item.code] = item.state
        return {code: state.value for code, state in found.items()}

    old, new = surest(before), surest(after)
    rows = []
    for code in dict.fromkeys([*old, *new]):
        then, now = old.get(code, "–"), new.get(code, "–")
        change = "new" if then == "–" else ("gone" if now == "–" else ("still there" if then == now else "changed"))
        rows.append({"code": code, "before": then, "after": now, "change": change})
    return rows


def _adopt_vin(case: Case, vin: str) -> None:
    platform = platform_for_vin(vin)
    case.vehicle.vin = vin
    case.vehicle.platform = case.vehicle.platform or (platform.platform.id if platform else "")
    case.vehicle.save(update_fields=["vin", "platform"])


def engine_with_names(snapshot: Snapshot) -> Snapshot:
    """The snapshot with unnamed modules called by their address, for the screen."""
    return replace(
        snapshot, modules=tuple(replace(m, name=m.name or f"module {m.responder:X}") for m in snapshot.modules)
    )


@dataclass(frozen=True)
class Titled:
    """A code with its title and how it stands, for the trade and for the customer."""

    code: str
    title: str
    states: str
    plain: str


def titled(snapshot: Snapshot, knowledge: Knowledge) -> list[Titled]:
    """The codes of a scan with their titles and how each stands."""
    found = []
    for code in snapshot.codes_in():
        row = knowledge.codes.get(code)
        states = list(dict.fromkeys(item.state for item in snapshot.stored_codes if item.code == code))
        title = row.title if row else f"{structure(TroubleCode(code)).words}; what it means is not known here"
        found.append(Titled(code, title, ", ".join(states), plain_states(states)))
    return found
