"""The live feed of one vehicle: one thread polls, many browsers look, a recording may run along.

It ends by itself when nobody has looked for a while and nothing is recorded.
"""

from __future__ import annotations

import logging
import threading
import time
from collections import deque

from django.db import connection as database

from gumshoe.core.errors import GumshoeError
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.poller import Poller, Sample
from gumshoe.core.signals.derived import with_total_trim
from gumshoe.web.live import store
from gumshoe.web.live.models import Recording
from gumshoe.web.vehicles.links import ENGINE_MODULE, Connection

log = logging.getLogger(__name__)

KEYS = (
    "rpm",
    "speed_kmh",
    "load_pct",
    "coolant_c",
    "stft_b1_pct",
    "ltft_b1_pct",
    "stft_b2_pct",
    "ltft_b2_pct",
    "maf_gps",
    "map_kpa",
    "lambda_b1s1",
    "lambda_b2s1",
    "o2_b1s2_v",
    "o2_b2s2_v",
    "throttle_pct",
    "spark_deg",
    "intake_c",
    "module_v",
    "fuel_status_1",
    "run_time_s",
)
ROUND_S = 0.05
IDLE_END_S = 8.0
KEEP = 60_000
FLUSH_S = 1.0


class Feed(threading.Thread):
    """Polls one vehicle; ``since`` gives what is new, ``record`` stores what comes."""

    def __init__(self, link: Connection) -> None:
        super().__init__(name=f"live feed {link.vehicle_id}", daemon=True)
        self.connection = link
        self._samples: deque[tuple[int, Sample]] = deque(maxlen=KEEP)
        self._count = 0
        self._lock = threading.Lock()
        self._asked = time.monotonic()
        self._recording: Recording | None = None
        self._until = 0.0
        self._began = 0.0
        self._pending: list[Sample] = []
        self._chunks = 0
        self._flushed = 0.0
        self._stopping = threading.Event()
        self.trouble: GumshoeError | None = None
        self.rates: dict[str, float] = {}

    # -- for the pages ------------------------------------------------------------------------------------

    def since(self, cursor: int, most: int = 6000) -> tuple[int, list[Sample]]:
        """Samples after ``cursor`` (0: the recent ones), and the cursor to ask with next."""
        with self._lock:
            self._asked = time.monotonic()
            fresh: list[Sample] = []
            for number, sample in reversed(self._samples):
                if number <= cursor or len(fresh) >= most:
                    break
                fresh.append(sample)
            fresh.reverse()
            return self._count, fresh

    def latest(self) -> dict[str, float]:
        """The newest value of each channel, of the last two seconds only."""
        now = time.time()
        with self._lock:
            self._asked = time.monotonic()
            found: dict[str, float] = {}
            for _, sample in reversed(self._samples):
                if now - sample.time > 2.0:
                    break
                found.setdefault(sample.key, sample.value)
            return found

    def record(self, recording: Recording, seconds: float) -> None:
        """Store what comes from now on, for so many seconds."""
        with self._lock:
            self._recording, self._pending, self._chunks = recording, [], 0
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
                "share": min((time.monotonic() - self._began) / total, 1.0),
                "left": max(self._until - time.monotonic(), 0.0),
            }

    def stop_recording(self) -> None:
        """End the recording now; what came is kept."""
        with self._lock:
            self._until = time.monotonic()

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
                if poller is None or poller.link is not link:
                    poller = Poller(link, ENGINE_MODULE, KEYS)
                samples = with_total_trim(poller.poll())
        except NoAnswer as error:
            self.trouble = error
            time.sleep(0.25)
            return poller
        except GumshoeError as error:
            self.trouble = error
            time.sleep(0.5)
            return None
        self.trouble = None
        self.rates = poller.rates()
        with self._lock:
            for sample in samples:
                self._count += 1
                self._samples.append((self._count, sample))
            if self._recording is not None:
                self._pending += samples
        return poller

    def _keep_recording(self) -> None:
        now = time.monotonic()
        with self._lock:
            recording, over = self._recording, now >= self._until
            if recording is None or (now - self._flushed < FLUSH_S and not over):
                return
            samples, number = self._pending, self._chunks
            self._pending, self._chunks, self._flushed = [], number + 1, now
            if over:
                self._recording = None
        if samples or over:
            store.append(recording, number, samples, last=over)

    def _finish(self) -> None:
        with self._lock:
            recording, samples, number = self._recording, self._pending, self._chunks
            self._recording = None
        if recording is not None and samples:
            store.append(recording, number, samples, last=True)


_feeds: dict[int, Feed] = {}
_feeds_lock = threading.Lock()


def feed(link: Connection) -> Feed:
    """The running feed of a vehicle; started when there is none."""
    with _feeds_lock:
        running = _feeds.get(link.vehicle_id)
        if running is None or not running.is_alive() or running.connection is not link:
            running = _feeds[link.vehicle_id] = Feed(link)
            running.start()
        return running


def stop_all() -> None:
    """End every feed."""
    with _feeds_lock:
        for running in _feeds.values():
            running.stop()
        _feeds.clear()
