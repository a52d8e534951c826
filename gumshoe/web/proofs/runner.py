"""Watches a vehicle while it is driven, and puts every observation on record about once a second."""

from __future__ import annotations

import json
import logging
import threading
import time
import zlib
from collections.abc import Callable
from typing import Any

from django.db import connection as database

from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.code_catalogue import monitor_of
from gumshoe.core.obd.current import Values
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.lists import ListsNow
from gumshoe.core.obd.pids import pid_table
from gumshoe.core.obd.status import decode_status
from gumshoe.core.proof.tracker import Condition, Observation, Tracker
from gumshoe.core.stored import shape
from gumshoe.web.proofs.models import ProofChunk, ProofDrive
from gumshoe.web.vehicles.links import Connection

log = logging.getLogger(__name__)
WATCHED = (0x04, 0x05, 0x06, 0x07, 0x0C, 0x0D, 0x01, 0x08, 0x09, 0x1F, 0x41)
RESTS_S = 10.0
"""What the unit would not tell is asked for again after so long."""
ROUND_S = 0.03
CODES_EVERY_S = 0.7
FLUSH_S = 1.0
OBSERVATIONS = shape("observations of a proof drive", list[Observation])


def pack(observations: list[Observation]) -> bytes:
    """Observations as compressed JSON."""
    return zlib.compress(json.dumps(OBSERVATIONS.write(observations), separators=(",", ":")).encode())


def unpack(data: bytes) -> list[Observation]:
    """The observations of a stored chunk."""
    found: list[Observation] = OBSERVATIONS.read(json.loads(zlib.decompress(bytes(data))))
    return found


def watched(link: Link, engine: int) -> Values:
    """What is asked of the unit that answers on the id ``engine``, as it likes to be asked."""
    return Values(link, engine, rests_s=RESTS_S)


def lists_of(link: Link, engine: int) -> ListsNow:
    """Its codes and readiness, look after look."""
    return ListsNow(link, engine, monitor_of)


def observe(unit: Values, lists: ListsNow | None = None) -> Observation:
    """One look at the unit, with its codes where ``lists`` asks for them. Its silence is an observation too: the key is
    off."""
    table = pid_table()
    try:
        values: dict[str, float] = {}
        if not unit.announced:
            unit.listen()
        raw = unit.ask(filter(unit.has, WATCHED))
        for number, data in raw.items():
            values |= table[number].decode(data)
    except NoAnswer:
        return Observation(None)
    status = decode_status(raw[0x41]) if 0x41 in raw else None
    lamp = decode_status(raw[0x01]).lamp if 0x01 in raw else None
    kept: dict[str, float] = {
        key: round(values[key], 2)
        for key in (
            "rpm",
            "load_pct",
            "coolant_c",
            "speed_kmh",
            "stft_b1_pct",
            "ltft_b1_pct",
            "stft_b2_pct",
            "ltft_b2_pct",
        )
        if key in values
    }
    held: dict[str, Any] = {}
    if lists is not None:
        found = lists.look()
        held = {state.value: codes for state, codes in found.codes.items()}
        status, lamp = status or found.trip_status, found.lamp if lamp is None else lamp
    return Observation(values.get("run_time_s"), kept, status, lamp=lamp, **held)


class Watcher(threading.Thread):
    """Feeds a tracker and the record until told to stop."""

    def __init__(
        self, drive: ProofDrive, link: Connection, tracker: Tracker, pace: Callable[[float], None] | None = None
    ) -> None:
        """``pace``: told after each look how many seconds it took, so that a stand-in can be driven in sight."""
        super().__init__(name=f"proof drive {drive.pk}", daemon=True)
        self.drive, self.connection, self.tracker, self.pace = drive, link, tracker, pace
        self.lock = threading.Lock()
        self.trouble: GumshoeError | None = None
        self.fixed: tuple[Condition, ...] | None = None
        """What the drive does not change of the check list, computed once."""
        self._unit: Values | None = None
        self._lists: ListsNow | None = None
        self._stopping = threading.Event()
        self._pending: list[Observation] = []
        self._chunks = 0

    def run(self) -> None:
        codes_at = flushed = 0.0
        silent = False
        try:
            while not self._stopping.is_set():
                began = time.monotonic()
                with_codes = began - codes_at > CODES_EVERY_S
                try:
                    with self.connection.use() as link:
                        seen = self._look(link, codes=with_codes)
                    self.trouble = None
                except GumshoeError as error:
                    self.trouble = error
                    time.sleep(0.3)
                    continue
                if with_codes:
                    codes_at = began
                if seen.run_time_s is not None or not silent:
                    with self.lock:
                        self.tracker.observe(seen)
                    self._pending.append(seen)
                silent = seen.run_time_s is None
                if began - flushed > FLUSH_S:
                    self._flush()
                    flushed = began
                time.sleep(max(ROUND_S - (time.monotonic() - began), 0.001))
                if self.pace:
                    self.pace(time.monotonic() - began)
            self._flush(last=True)
        finally:
            database.close()

    def _look(self, link: Link, *, codes: bool) -> Observation:
        """One look; a car in which nobody answers has its key off."""
        try:
            engine = self.connection.engine(link)
        except NoAnswer:
            return Observation(None)
        if self._unit is None or self._unit.link is not link:
            self._unit, self._lists = watched(link, engine), lists_of(link, engine)
        return observe(self._unit, self._lists if codes else None)

    def stop(self) -> None:
        """End watching; everything observed is on record afterwards."""
        self._stopping.set()
        if self.is_alive():
            self.join(8.0)

    def _flush(self, *, last: bool = False) -> None:
        if self._pending or last:
            ProofChunk.objects.create(drive=self.drive, number=self._chunks, data=pack(self._pending), last=last)
            self._chunks += 1
            self._pending = []


_watchers: dict[int, Watcher] = {}
_lock = threading.Lock()


def start(
    drive: ProofDrive, link: Connection, tracker: Tracker, pace: Callable[[float], None] | None = None
) -> Watcher:
    """Begin to watch; one watcher a case. ``pace``: as with Watcher."""
    with _lock:
        watcher = _watchers[drive.case_id] = Watcher(drive, link, tracker, pace)
        watcher.start()
        return watcher


def running(case_pk: int) -> Watcher | None:
    """The watcher of a case, when one is running."""
    found = _watchers.get(case_pk)
    return found if found is not None and found.is_alive() else None


def stop_all() -> None:
    """End every watcher."""
    with _lock:
        for watcher in _watchers.values():
            watcher.stop()
        _watchers.clear()
