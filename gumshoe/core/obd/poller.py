"""Live data: which PIDs go together in a request, how often each is asked, and at what rate they arrive."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.obd.errors import LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import pid_of_key, pid_table, split_current_data, supported_from_bitmap
from gumshoe.core.obd.scanner import PIDS_PER_REQUEST, batches

# Channels that change over minutes: asked once in SLOW_EVERY rounds (common practice, no source).
SLOW_KEYS = frozenset(
    {"coolant_c", "intake_c", "ambient_c", "oil_c", "baro_kpa", "fuel_level_pct", "warmups", "distance_clear_km"}
    | {"distance_lamp_km", "time_lamp_min", "time_clear_min", "fuel_type", "obd_kind", "catalyst_b1_c", "module_v"}
)
SLOW_EVERY = 10
_RATE_WINDOW_S = 5.0


@dataclass(frozen=True, slots=True)
class Sample:
    """One value of one channel at the moment its answer arrived (seconds since the epoch)."""

    time: float
    key: str
    value: float


class Poller:
    """Asks one module for a set of channels, round after round: those of them that it announces.

    ``poll()`` makes one round and returns its samples. A group that is not answered whole is split once, so that
    one missing PID cannot silence its neighbours.
    """

    def __init__(self, link: Link, module: int, keys: Iterable[str]) -> None:
        self.link, self.module = link, module
        numbers = pid_of_key()
        fast = sorted({numbers[key] for key in keys if key not in SLOW_KEYS})
        slow = sorted({numbers[key] for key in keys if key in SLOW_KEYS} - set(fast))
        self._wanted = (fast, slow)
        self._fast: list[tuple[int, ...]] = []
        self._slow: list[tuple[int, ...]] = []
        self._round = 0
        self._seen: dict[int, deque[float]] = {pid: deque(maxlen=400) for pid in (*fast, *slow)}

    def poll(self) -> list[Sample]:
        """One round. Raises LinkError (NoAnswer when the module fell silent)."""
        if self._round == 0:
            self._plan()
        slow_round = self._round % SLOW_EVERY == 0
        self._round += 1
        samples: list[Sample] = []
        for group in self._fast + (self._slow if slow_round else []):
            samples += self._ask(group)
        return samples

    def _plan(self) -> None:
        """Group what the module announces; everything when it does not say."""
        announced: set[int] = set()
        base: int | None = 0x00
        while base is not None:
            try:
                payload = self.link.ask(self.module, bytes((0x01, base))).payload
            except (NoAnswer, Refused):
                break
            found = supported_from_bitmap(base, payload[2:6])
            announced |= found
            base = base + 0x20 if base + 0x20 in found else None
        fast, slow = ([pid for pid in pids if pid in announced or not announced] for pids in self._wanted)
        self._fast, self._slow = list(batches(fast, PIDS_PER_REQUEST)), list(batches(slow, PIDS_PER_REQUEST))

    def rates(self) -> dict[str, float]:
        """Samples a second that truly arrived, by channel key, over the last seconds."""
        now = time.time()
        rates: dict[str, float] = {}
        table = pid_table()
        for pid, times in self._seen.items():
            recent = [moment for moment in times if now - moment < _RATE_WINDOW_S]
            rate = (len(recent) - 1) / (recent[-1] - recent[0]) if len(recent) > 1 and recent[-1] > recent[0] else 0.0
            for item in table[pid].fields:
                rates[item.key] = rate
        return rates

    def _ask(self, group: tuple[int, ...]) -> list[Sample]:
        try:
            answer = self.link.ask(self.module, bytes((0x01, *group)))
            parts = split_current_data(answer.payload, group)
        except NoAnswer:
            if len(group) == 1:
                raise
            return self._ask_singly(group)
        now = time.time()
        table = pid_table()
        samples = []
        for number, data in parts.items():
            self._seen[number].append(now)
            samples += [Sample(now, key, value) for key, value in table[number].decode(data).items()]
        return samples

    def _ask_singly(self, group: tuple[int, ...]) -> list[Sample]:
        samples: list[Sample] = []
        last: LinkError | None = None
        for pid in group:
            try:
                samples += self._ask((pid,))
            except NoAnswer as error:
                last = error
                if not samples:
                    raise  # the first single request is unanswered too: the module is silent, not picky
        if not samples and last is not None:
            raise last
        return samples
