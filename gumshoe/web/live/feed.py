"""The live feed of one vehicle: one thread polls, many browsers look, a recording may run along.

It asks for what somebody looks at or records, and ends by itself when nobody has looked for a while.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any, TypeVar

from django.db import DatabaseError
from django.db import connection as database

from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.rows import BandRow, Specification
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.identifiers import IdentifierRow
from gumshoe.core.obd.poller import Poller, Sample, steady_time
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.derived import Deriver, derived_channels
from gumshoe.core.signals.recording import Channel
from gumshoe.core.signals.strips import needed_by
from gumshoe.web.live import store
from gumshoe.web.live.history import History
from gumshoe.web.live.models import Recording
from gumshoe.web.vehicles.links import Connection

log = logging.getLogger(__name__)
T = TypeVar("T")

ALWAYS = frozenset({"rpm", "speed_kmh", "load_pct", "coolant_c", "fuel_status_1", "run_time_s", "throttle_pct"})
"""What the operating region is told by."""
ROUND_S = 0.05
IDLE_END_S = 8.0
WANTED_S = 10.0
"""So long after it was last looked at a channel is still asked for."""
FRESH_S = 2.5
FLUSH_S = 1.0
LOOK_EVERY_S, DISTURBED_S = 0.9, 20.0
"""How often, and how far back, a live signal is looked over for spikes and drop-outs."""
MOST_PENDING = 200_000


@dataclass(frozen=True)
class Car:
    """What a feed must know of the vehicle, and what its channels are expected to show."""

    powertrain: Powertrain
    identifiers: tuple[IdentifierRow, ...] = ()
    bands: tuple[BandRow, ...] = ()
    specification: Specification = field(default_factory=Specification)


class NotStored(GumshoeError):
    """Samples of a recording could not be written to the database."""

    kept = "They are kept in memory and tried again every second."
    remedies = ("make room on the disk", "then leave the recording running")


class Feed(threading.Thread):
    """Polls one vehicle; ``since`` gives what is new, ``record`` stores what comes."""

    def __init__(self, link: Connection, car: Car) -> None:
        super().__init__(name=f"live feed {link.vehicle_id}", daemon=True)
        self.connection, self.car = link, car
        self._history = History()
        self._deriver = Deriver(derived_channels(car.powertrain))
        self._lock = threading.Lock()
        self._asked = time.monotonic()
        self._wanted: dict[str, float] = {}
        self._looked: tuple[float, Any] | None = None
        self._recording: Recording | None = None
        self._until = 0.0
        self._began = 0.0
        self._pending: list[Sample] = []
        self._chunks = 0
        self._stored = self._gone = 0
        self._flushed = 0.0
        self._asking: frozenset[str] = frozenset()
        self._stopping = threading.Event()
        self.trouble: GumshoeError | None = None
        self.lost: GumshoeError | None = None
        """What kept samples of a recording from being stored."""
        self.rates: dict[str, float] = {}
        self.told: frozenset[str] | None = None
        """The channels that the car announces; None before it was asked."""

    # -- for the pages ------------------------------------------------------------------------------------

    def want(self, keys: Iterable[str]) -> None:
        """Somebody looks at these channels."""
        now = time.monotonic()
        with self._lock:
            self._asked = now
            self._wanted.update(dict.fromkeys(keys, now))

    def since(self, cursor: int, most: int = 6000) -> tuple[int, list[Sample]]:
        """Samples after ``cursor`` (0: the recent ones), and the cursor to ask with next."""
        with self._lock:
            self._asked = time.monotonic()
            return self._history.count, self._history.since(cursor, most)

    def columns(self, keys: Iterable[str], seconds: float | None = None) -> tuple[int, dict[str, Channel]]:
        """What is kept of some channels, and the cursor to go on with."""
        with self._lock:
            self._asked = time.monotonic()
            return self._history.count, self._history.columns(keys, seconds)

    def disturbed(self, look: Callable[[dict[str, Channel]], T]) -> T:
        """What ``look`` sees in the last stretch of everything; looked for once a second, however many ask."""
        now = time.monotonic()
        if self._looked is None or now - self._looked[0] > LOOK_EVERY_S:
            with self._lock:
                columns = self._history.columns(self._wanted, DISTURBED_S)
            self._looked = now, look(columns)
        return self._looked[1]

    def latest(self) -> dict[str, float]:
        """The newest value of each channel, of the last seconds only."""
        now = steady_time()
        with self._lock:
            self._asked = time.monotonic()
            newest = self._history.newest.values()
            return {sample.key: sample.value for sample in newest if now - sample.time <= FRESH_S}

    def record(self, recording: Recording, seconds: float) -> None:
        """Store what comes from now on, for so many seconds."""
        with self._lock:
            self._recording, self._pending, self._chunks, self._stored, self._gone = recording, [], 0, 0, 0
            self.lost = None
            self._began = self._flushed = time.monotonic()
            self._until = self._began + seconds

    def recording_state(self) -> dict[str, float | int] | None:
        """Which recording runs and how far it is."""
        with self._lock:
            if self._recording is None:
                return None
            total = self._until - self._began
            return {
                "id": self._recording.pk,
                "guided": bool(self._recording.purpose),
                "share": min((time.monotonic() - self._began) / total, 1.0),
                "left": max(self._until - time.monotonic(), 0.0),
                "seconds": time.monotonic() - self._began,
                "samples": self._stored + len(self._pending),
            }

    def stop_recording(self) -> None:
        """End the recording now; what came is kept."""
        with self._lock:
            self._until = time.monotonic()

    def leave(self) -> None:
        """End soon: another takes over."""
        self._stopping.set()

    def stop(self) -> None:
        """End the thread (end of the process, end of a test)."""
        self._stopping.set()
        if self.is_alive():
            self.join(3.0)

    # -- the thread ---------------------------------------------------------------------------------------

    def run(self) -> None:
        try:
            poller: Poller | None = None
            while not self._stopping.is_set():
                began = time.monotonic()
                with self._lock:
                    if self._recording is None and began - self._asked > IDLE_END_S:
                        break
                poller = self._round(poller)
                self._keep_recording()
                time.sleep(max(ROUND_S - (time.monotonic() - began), 0.001))
            self._finish()
        finally:
            database.close()

    def _round(self, poller: Poller | None) -> Poller | None:
        try:
            with self.connection.use() as link:
                keys = self._keys()
                if poller is None or poller.link is not link:
                    poller = Poller(link, self.connection.engine(link), keys, self.car.identifiers)
                elif keys != self._asking:
                    poller.want(keys)
                self._asking = keys
                samples = self._deriver.add(poller.poll())
        except NoAnswer as error:
            self.trouble = error
            time.sleep(0.25)
            return poller
        except GumshoeError as error:
            self.trouble = error
            time.sleep(0.5)
            return None
        self.trouble = None
        self.rates, self.told = poller.rates(), poller.told()
        with self._lock:
            self._history.add(samples)
            if self._recording is not None:
                self._pending += [sample for sample in samples if sample.key in self._recording.keys]
        return poller

    def _keys(self) -> frozenset[str]:
        """What must be asked of the car now."""
        now = time.monotonic()
        with self._lock:
            wanted = {key for key, asked in self._wanted.items() if now - asked <= WANTED_S}
            recorded = set(self._recording.keys) if self._recording is not None else set()
        return ALWAYS | needed_by(wanted | recorded, self.car.powertrain)

    def _keep_recording(self) -> None:
        now = time.monotonic()
        with self._lock:
            recording, over = self._recording, now >= self._until
            soon = now - self._flushed < FLUSH_S
            if recording is None or (soon and (not over or self.lost is not None)):
                return
            samples, number = self._pending, self._chunks
            self._flushed = now
        if (samples or over) and not self._stored_block(recording, number, samples, last=over):
            return
        with self._lock:
            self._pending, self._chunks = self._pending[len(samples) :], number + 1
            self._stored += len(samples)
            if over:
                self._recording = None

    def _stored_block(self, recording: Recording, number: int, samples: list[Sample], *, last: bool) -> bool:
        """Store a block; whether it is. What cannot be stored is kept and tried again, as much as memory should hold:
        beyond that the oldest goes, and is told."""
        try:
            store.append(recording, number, samples, last=last)
        except (DatabaseError, OSError) as error:  # a full disk, a locked database
            log.warning("a block of recording %s could not be stored: %s", recording.pk, error)
            over = max(len(samples) - MOST_PENDING, 0)
            with self._lock:
                self._pending = self._pending[over:]
                self._gone += over
            gone = f" {self._gone} samples of it are lost." if self._gone else ""
            self.lost = NotStored(f"The recording could not be stored just now ({error}).{gone}")
            return False
        self.lost = None
        return True

    def _finish(self) -> None:
        with self._lock:
            recording, samples, number = self._recording, self._pending, self._chunks
            self._recording = None
        if recording is not None and samples:
            self._stored_block(recording, number, samples, last=True)


_feeds: dict[int, Feed] = {}
_feeds_lock = threading.Lock()


def feed(link: Connection, car: Car) -> Feed:
    """The running feed of a vehicle; started when there is none, or when its description has changed."""
    with _feeds_lock:
        running = _feeds.get(link.vehicle_id)
        fit = running is not None and running.is_alive() and running.connection is link
        if running is None or not fit or (running.car != car and running.recording_state() is None):
            if running is not None:
                running.leave()
            running = _feeds[link.vehicle_id] = Feed(link, car)
            running.start()
        return running


def present(vehicle_id: int) -> Feed | None:
    """The feed of a vehicle, if one runs."""
    with _feeds_lock:
        running = _feeds.get(vehicle_id)
    return running if running is not None and running.is_alive() else None


def told_by(link: Connection) -> frozenset[str] | None:
    """The channels that a vehicle announced to its running feed; None when it was not asked."""
    with _feeds_lock:
        running = _feeds.get(link.vehicle_id)
    return running.told if running is not None else None


def stop_all() -> None:
    """End every feed."""
    with _feeds_lock:
        for running in _feeds.values():
            running.stop()
        _feeds.clear()
