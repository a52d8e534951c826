"""Current data and freeze frames of one module (services 01 and 02), however it likes to be asked: several numbers at a
time, fewer, or one by one."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator
from typing import TypeVar

from gumshoe.core.obd.dialect import CLASSIC, CURRENT
from gumshoe.core.obd.errors import BadAnswer, BrokenAnswer, LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import BUSY, MOST_VALUES, Link
from gumshoe.core.obd.pids import read_current

T = TypeVar("T")
FRAME = 0x02
PIDS_PER_REQUEST = {CURRENT: MOST_VALUES, FRAME: 3}
"""As many as one request to a CAN module may name (SAE J1979 [S])."""
MISSED = 2
"""After so many times running that it was not told, a number rests."""
LAST_BITMAP = 0xE0
"""The bitmaps end here, whatever a module announces beyond (SAE J1979 [S])."""


def batches(items: Iterable[T], size: int) -> Iterator[tuple[T, ...]]:
    """Cut ``items`` into tuples of at most ``size``."""
    row = list(items)
    for start in range(0, len(row), size):
        yield tuple(row[start : start + size])


class Values:
    """Asks one module, of what is now or of its freeze frame. How many numbers it takes at a time is learnt from how it
    answers: one that refuses a group and tells each of it alone is asked one by one; one that answers the first few of
    a group is asked for so many.

    ``why``: what a number that was not told last time ended with.
    """

    def __init__(self, link: Link, module: int, service: int = CURRENT, *, rests_s: float = 0.0) -> None:
        """``rests_s``: so long a number that was not told is left alone."""
        self.link, self.module, self.service, self.rests_s = link, module, service, rests_s
        self.most = min(PIDS_PER_REQUEST[service], link.most_values)
        self.why: dict[int, LinkError] = {}
        self._way = CLASSIC
        self.announced: set[int] | None = None
        """What the module says that it has; empty where it does not say, None while it was not asked."""
        self._asked_again_at: dict[int, float] = {}
        self._missed: dict[int, int] = {}
        self._grouped = False

    def ask(self, numbers: Iterable[int]) -> dict[int, bytes]:
        """The bytes of what it tells, by number; one it does not tell takes no other along.

        Raises NoAnswer when the module is silent altogether, BusFailure when the adapter fails.
        """
        wanted = list(numbers)
        now = time.monotonic()
        self.why = {n: self.why[n] for n in wanted if n in self.why and self._asked_again_at.get(n, 0.0) > now}
        resting = set(self.why)
        self._settle()
        found = self._many([number for number in wanted if number not in resting])
        for number in self.why.keys() - resting:
            self._missed[number] = self._missed.get(number, 0) + 1
            if found and self._missed[number] >= MISSED:
                self._asked_again_at[number] = now + self.rests_s
        for number in found:
            self._missed.pop(number, None)
        if not found:
            self._asked_again_at.clear()
        return found

    def has(self, number: int) -> bool:
        """Whether it says that it has this, or does not say what it has."""
        return not self.announced or number in self.announced

    def listen(self) -> None:
        """Ask for what it announces, bitmap after bitmap."""
        self._settle()
        found: set[int] = set()
        base: int | None = 0x00
        while base is not None:
            try:
                payload = self.link.ask(self.module, self._way.bitmap(base)).payload
            except (NoAnswer, BrokenAnswer, Refused):
                break
            told = self._way.announced(base, payload) or set()
            found |= told
            base = base + 0x20 if base + 0x20 in told and base < LAST_BITMAP else None
        self.announced = found

    def _many(self, numbers: list[int]) -> dict[int, bytes]:
        found: dict[int, bytes] = {}
        left = numbers
        while left:  # what it takes at a time may change under way
            group, left = tuple(left[: self.most]), left[self.most :]
            found |= self._ask(group)
        return found

    def _ask(self, group: tuple[int, ...]) -> dict[int, bytes]:
        try:
            payload = self.link.ask(self.module, self._request(group)).payload
        except (NoAnswer, BrokenAnswer, Refused) as error:
            return self._apart(group, error)
        found, wrong = self._read(payload, group)
        left = [number for number in group if number not in found]
        if len(group) == 1 and (wrong or left):
            self.why[group[0]] = BadAnswer(wrong or f"PID {group[0]:02X} was answered without a value.")
            return {}
        self._grouped = self._grouped or len(found) > 1
        if not left:
            return found
        if not found or wrong:
            return found | self._singly(left)
        more = self._many(left)
        if more and set(group[: len(found)]) == set(found):  # so many it answers, and passes over the rest
            self.most = len(found)
        return found | more

    def _singly(self, numbers: Iterable[int]) -> dict[int, bytes]:
        found: dict[int, bytes] = {}
        for number in numbers:
            found |= self._ask((number,))
        return found

    def _settle(self) -> None:
        """How the module speaks, and how many numbers then fit into a request."""
        if self.service == CURRENT:
            self._way = self.link.dialect(self.module)
            self.most = max(1, min(self.most, (self.link.longest - 1) // (1 + len(self._way.page))))

    def _request(self, group: tuple[int, ...]) -> bytes:
        if self.service == FRAME:
            return bytes((FRAME,)) + b"".join(bytes((number, 0)) for number in group)
        return self._way.current(group)

    def _read(self, payload: bytes, group: tuple[int, ...]) -> tuple[dict[int, bytes], str]:
        if self.service == FRAME:
            return read_current(payload, group, between=1)
        return self._way.read(payload, group)

    def _apart(self, group: tuple[int, ...], error: LinkError) -> dict[int, bytes]:
        """What was not told together: one by one, unless nothing is to be gained by it."""
        refused = isinstance(error, Refused)
        if not refused and (len(group) == 1 or self._grouped) and not self.link.is_there(self.module):
            raise error
        silent = isinstance(error, NoAnswer) and self._grouped  # it answers groups, and to this one it has nothing
        if len(group) == 1 or silent or (isinstance(error, Refused) and error.reason == BUSY):
            self.why |= dict.fromkeys(group, error)
            return {}
        found = self._singly(group)
        if refused and len(found) == len(group):
            self.most = 1
        return found
