"""Live data: what goes together in a request, how often each channel is asked for, and at what rate they come."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from gumshoe.core.obd.errors import BadAnswer, LinkError, NoAnswer, Refused
from gumshoe.core.obd.identifiers import IdentifierRow, read_answer, request
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import pid_of_key, pid_table, split_current_data, supported_from_bitmap
from gumshoe.core.obd.scanner import NOT_SO, PIDS_PER_REQUEST, batches

# Channels that change over minutes: asked once in SLOW_EVERY rounds (common practice, no source).
SLOW_KEYS = frozenset(
    {"coolant_c", "intake_c", "ambient_c", "oil_c", "baro_kpa", "fuel_level_pct", "warmups", "distance_clear_km"}
    | {"distance_lamp_km", "time_lamp_min", "time_clear_min", "fuel_type", "obd_kind", "catalyst_b1_c", "module_v"}
    | {"catalyst_b2_c", "catalyst_b1s2_c", "catalyst_b2s2_c", "fuel_c", "ethanol_pct", "torque_reference_nm"}
    | {"coolant_1_c", "coolant_2_c", "hybrid_battery_pct"}
)
IDENTIFIERS_PER_REQUEST = 4
"""As many as most control units take at once (common practice, no source)."""
SLOW_EVERY = 10
LAST_BITMAP = 0xE0
"""The bitmaps end here, whatever a module announces beyond (SAE J1979 [S])."""
_RATE_WINDOW_S = 5.0


EPOCH_S = 1e8
"""Times of samples below this are no dates: they count from the begin of what they are of."""
_BEGAN = time.time() - time.monotonic()


def steady_time() -> float:
    """Seconds since the epoch by a clock that never jumps, whatever is done to the machine's: the time of samples."""
    return _BEGAN + time.monotonic()


@dataclass(frozen=True, slots=True)
class Sample:
    """One value of one channel at the moment its answer arrived (seconds since the epoch)."""

    time: float
    key: str
    value: float


class Poller:
    """Asks one module for a set of channels, round after round: those of them that it announces.

    ``poll()`` makes one round and returns its samples. A group that is not answered whole is split once, so that
    one missing PID cannot silence its neighbours. An identifier that the module refuses alone is not asked again.
    """

    def __init__(self, link: Link, module: int, keys: Iterable[str], identifiers: Iterable[IdentifierRow] = ()) -> None:
        self.link, self.module = link, module
        self._rows = {row.key: row for row in identifiers}
        self._announced: set[int] | None = None
        self._round, self._most = 0, PIDS_PER_REQUEST
        self._seen: dict[str, deque[float]] = {}
        self.want(keys)

    def want(self, keys: Iterable[str]) -> None:
        """Ask for these channels from the next round on; unknown ones are left out."""
        numbers, wanted = pid_of_key(), set(keys)
        fast = sorted({numbers[key] for key in wanted if key in numbers and key not in SLOW_KEYS})
        slow = sorted({numbers[key] for key in wanted if key in numbers and key in SLOW_KEYS} - set(fast))
        self._wanted = (fast, slow)
        self._own = [row for key, row in self._rows.items() if key in wanted]
        self._group()

    def poll(self) -> list[Sample]:
        """One round. Raises LinkError (NoAnswer when the module fell silent)."""
        slow_round = self._round % SLOW_EVERY == 0
        if self._announced is None or (slow_round and not self._announced):
            self._announced = self._listen()
            self._group()
        self._round += 1
        samples: list[Sample] = []
        for group in self._fast + (self._slow if slow_round else []):
            samples += self._ask(group)
        for rows in batches(self._own, IDENTIFIERS_PER_REQUEST):
            samples += self._ask_identifiers(rows)
        return samples

    def told(self) -> frozenset[str] | None:
        """The channels that the module announces, its identifiers with them; None while it was not asked."""
        if self._announced is None:
            return None
        numbers = pid_of_key()
        announced = {key for key, pid in numbers.items() if pid in self._announced or not self._announced}
        return frozenset(announced | set(self._rows))

    def _group(self) -> None:
        said = self._announced
        fast, slow = ([pid for pid in pids if not said or pid in said] for pids in self._wanted)
        self._fast, self._slow = list(batches(fast, self._most)), list(batches(slow, self._most))

    def _listen(self) -> set[int]:
        """What the module announces; nothing when it does not say."""
        announced: set[int] = set()
        base: int | None = 0x00
        while base is not None:
            try:
                payload = self.link.ask(self.module, bytes((0x01, base))).payload
            except (NoAnswer, Refused):
                break
            found = supported_from_bitmap(base, payload[2:6]) if len(payload) >= 6 else set()
            announced |= found
            base = base + 0x20 if base + 0x20 in found and base < LAST_BITMAP else None
        return announced

    def rates(self) -> dict[str, float]:
        """Samples a second that truly arrived, by channel key, over the last seconds."""
        now = steady_time()
        rates: dict[str, float] = {}
        for key, times in self._seen.items():
            recent = [moment for moment in times if now - moment < _RATE_WINDOW_S]
            spread = recent[-1] - recent[0] if recent else 0.0
            rates[key] = (len(recent) - 1) / spread if spread > 0.0 else 0.0
        return rates

    def _ask(self, group: tuple[int, ...]) -> list[Sample]:
        try:
            answer = self.link.ask(self.module, bytes((0x01, *group)))
            parts = split_current_data(answer.payload, group)
        except Refused as error:
            if error.reason not in NOT_SO:
                raise
            if len(group) == 1:
                return []
            found = self._ask_singly(group)
            if found:  # an older control unit takes one at a time
                self._most = 1
                self._group()
            return found
        except NoAnswer:
            if len(group) == 1:
                raise
            return self._ask_singly(group)
        table = pid_table()
        return self._arrived(
            {key: v for number, data in parts.items() for key, v in table[number].decode(data).items()}
        )

    def _arrived(self, values: Mapping[str, float]) -> list[Sample]:
        now = steady_time()
        for key in values:
            self._seen.setdefault(key, deque(maxlen=400)).append(now)
        return [Sample(now, key, value) for key, value in values.items()]

    def _ask_identifiers(self, rows: tuple[IdentifierRow, ...]) -> list[Sample]:
        try:
            return self._arrived(read_answer(self.link.ask(self.module, request(rows)).payload, rows))
        except (Refused, BadAnswer):
            if len(rows) == 1:
                self._own.remove(rows[0])
                return []
            return [sample for row in rows for sample in self._ask_identifiers((row,))]

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
