"""Live data: what goes together in a request, how often each channel is asked for, and at what rate they come."""

from __future__ import annotations

import time
from collections import deque
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from gumshoe.core.obd.current import Values, batches
from gumshoe.core.obd.errors import BadAnswer, BrokenAnswer, NoAnswer, Refused
from gumshoe.core.obd.identifiers import IdentifierRow, read_answer, request
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import IN_FOUR, SAY_HOW, as_meant, how_meant, pid_of_key, pid_table

# Channels that change over minutes: asked once in SLOW_EVERY rounds (common practice, no source).
SLOW_KEYS = frozenset(
    {"coolant_c", "intake_c", "ambient_c", "oil_c", "baro_kpa", "fuel_level_pct", "warmups", "distance_clear_km"}
    | {"distance_lamp_km", "time_lamp_min", "time_clear_min", "fuel_type", "obd_kind", "catalyst_b1_c", "module_v"}
    | {"catalyst_b2_c", "catalyst_b1s2_c", "catalyst_b2s2_c", "fuel_c", "ethanol_pct", "torque_reference_nm"}
    | {"coolant_1_c", "coolant_2_c", "hybrid_battery_pct", "odometer_km", "engine_hours_s", "idle_hours_s"}
    | {"pto_hours_s", "reagent_level_pct", "reagent_tank_pct", "reagent_c", "nox_warning_s", "filter_between_min"}
    | {"filter_between_km"}
)
IDENTIFIERS_PER_REQUEST = 4
"""As many as most control units take at once (common practice, no source)."""
SLOW_EVERY = 10
RESTS_S = 5.0
"""What a module would not tell is asked for again after so long."""
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

    ``poll()`` makes one round and returns its samples. What the module will not tell takes no other along, and is left
    alone for a while. An identifier that the module refuses alone is not asked again.
    """

    def __init__(self, link: Link, module: int, keys: Iterable[str], identifiers: Iterable[IdentifierRow] = ()) -> None:
        self.link, self.module = link, module
        self._data = Values(link, module, rests_s=RESTS_S)
        self._rows = {row.key: row for row in identifiers}
        self._round = 0
        self._how: dict[str, float] = {}
        self._seen: dict[str, deque[float]] = {}
        self.want(keys)

    def want(self, keys: Iterable[str]) -> None:
        """Ask for these channels from the next round on; unknown ones are left out."""
        self._wanted = wanted = set(keys)
        numbers = self._numbers()
        self._fast = sorted({numbers[key] for key in wanted if key in numbers and key not in SLOW_KEYS})
        slow = {numbers[key] for key in wanted if key in numbers and key in SLOW_KEYS}
        self._slow = sorted(slow - set(self._fast))
        self._own = [row for key, row in self._rows.items() if key in wanted]

    def poll(self) -> list[Sample]:
        """One round. Raises LinkError when nothing was told (NoAnswer when the module fell silent)."""
        slow_round = self._round % SLOW_EVERY == 0
        if self._data.announced is None or (slow_round and not self._data.announced):
            self._data.listen()
            told = self._data.ask(number for number in SAY_HOW if number in (self._data.announced or ()))
            for number, data in told.items():
                self._how |= how_meant(pid_table()[number].decode(data))
            self.want(self._wanted)
        self._round += 1
        samples = self._ask(self._fast + (self._slow if slow_round else []))
        for rows in batches(self._own, min(IDENTIFIERS_PER_REQUEST, (self.link.longest - 1) // 2)):
            samples += self._ask_identifiers(rows)
        if not samples and self._data.why:
            raise next(iter(self._data.why.values()))
        return samples

    def told(self) -> frozenset[str] | None:
        """The channels that the module announces, its identifiers with them; None while it was not asked."""
        if self._data.announced is None:
            return None
        announced = {key for key, pid in self._numbers().items() if self._data.has(pid)}
        return frozenset(announced | set(self._rows))

    def rates(self) -> dict[str, float]:
        """Samples a second that truly arrived, by channel key, over the last seconds."""
        now = steady_time()
        rates: dict[str, float] = {}
        for key, times in self._seen.items():
            recent = [moment for moment in times if now - moment < _RATE_WINDOW_S]
            spread = recent[-1] - recent[0] if recent else 0.0
            rates[key] = (len(recent) - 1) / spread if spread > 0.0 else 0.0
        return rates

    def _numbers(self) -> dict[str, int]:
        return pid_of_key(in_four=IN_FOUR in self._how)

    def _ask(self, numbers: list[int]) -> list[Sample]:
        table, told = pid_table(), self._data.ask(filter(self._data.has, numbers))
        values = {key: v for number, data in told.items() for key, v in table[number].decode(data).items()}
        return self._arrived(as_meant(values, self._how) if self._how else values)

    def _arrived(self, values: Mapping[str, float]) -> list[Sample]:
        now = steady_time()
        for key in values:
            self._seen.setdefault(key, deque(maxlen=400)).append(now)
        return [Sample(now, key, value) for key, value in values.items()]

    def _ask_identifiers(self, rows: tuple[IdentifierRow, ...]) -> list[Sample]:
        try:
            return self._arrived(read_answer(self.link.ask(self.module, request(rows)).payload, rows))
        except (Refused, BadAnswer, NoAnswer, BrokenAnswer) as error:
            if isinstance(error, NoAnswer) and not self.link.is_there(self.module):
                raise
            if len(rows) == 1:
                self._own.remove(rows[0])
                return []
            return [sample for row in rows for sample in self._ask_identifiers((row,))]
