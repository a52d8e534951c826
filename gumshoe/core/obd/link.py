"""The link to a vehicle: what is asked, by which addresses, how long is waited and what is asked again, whatever
carries it (`can_link`, `text_link`).

Addressing, the functional request id and the response times are those of ISO 15765-4 [S]: 7DF functional,
7E0–7E7 physical, 7E8–7EF responses (11 bits); 18DB33F1, 18DAxxF1, 18DAF1xx (29 bits, any source address xx). P2 is
50 ms; a response-pending answer extends it to P2* of 5 s, again and again while the module goes on asking. A module
that is busy (7F xx 21) is asked again.
"""

from __future__ import annotations

import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import Enum
from typing import Self

from gumshoe.core.obd.dialect import CLASSIC, ON_UDS, Dialect
from gumshoe.core.obd.errors import BrokenAnswer, NoAnswer, Refused

MODULES = range(8)
TESTER = 0x0E00
"""A tester's logical address: external equipment for the law's diagnosis (ISO 13400-2 [S])."""


class Addressing(Enum):
    """How diagnostic messages are addressed on this vehicle."""

    ELEVEN_BIT = "11 bit"
    TWENTY_NINE_BIT = "29 bit"
    LOGICAL = "over IP"
    """By logical addresses (ISO 13400-2 [S]): a module has one for both ways."""

    @property
    def functional_id(self) -> int:
        return {Addressing.ELEVEN_BIT: 0x7DF, Addressing.TWENTY_NINE_BIT: 0x18DB33F1}.get(self, 0xE000)

    def request_id(self, module: int) -> int:
        """The physical request id of a module: by its number 0–7, or by the id it answers on."""
        if self is Addressing.LOGICAL:
            return module
        response = self.response_id(module)
        return response - 8 if self is Addressing.ELEVEN_BIT else 0x18DA00F1 | (response & 0xFF) << 8

    def response_id(self, module: int) -> int:
        """The id a module number 0–7 answers on; a response id stands for itself."""
        if module not in MODULES or self is Addressing.LOGICAL:
            return module
        return 0x7E8 + module if self is Addressing.ELEVEN_BIT else 0x18DAF100 | (0x10 + module)

    def is_response(self, identifier: int) -> bool:
        """Whether a module answers a tester on this id: with 29 bits from any source address (ISO 15765-4 [S])."""
        if self is Addressing.LOGICAL:
            return 0 < identifier < 0x0E00 or 0x1000 <= identifier < 0x8000
        if self is Addressing.ELEVEN_BIT:
            return 0x7E8 <= identifier <= 0x7EF
        return identifier & 0x1FFFFF00 == 0x18DAF100

    @property
    def extended(self) -> bool:
        return self is Addressing.TWENTY_NINE_BIT


@dataclass(frozen=True)
class Timing:
    """How long to wait, in seconds (ISO 15765-4 / SAE J1979: P2, P2*; segmentation N_Cr)."""

    p2: float = 0.050
    p2_star: float = 5.0
    consecutive: float = 1.0
    patience: float = 30.0
    """So long a module may go on asking for more time; each time it asks, it gets P2* (ISO 14229-2 sets no count)."""
    busy_pause: float = 0.2
    busy_limit: float = 2.0
    """A busy module is asked again after the pause, until the limit (from memory: ISO 15031-5)."""
    margin: float = 0.050
    """Grace for the adapter and the operating system, added to P2: serial and USB adapters take their time."""


@dataclass(frozen=True)
class Response:
    """A whole answer from one module; ``payload`` starts with the service byte."""

    responder: int
    payload: bytes

    @property
    def busy(self) -> bool:
        """Whether the module asks for the request to be repeated."""
        return self.refusal is not None and self.refusal[1] == BUSY

    @property
    def refusal(self) -> tuple[int, int] | None:
        """(service, reason) of a negative response, else None."""
        if len(self.payload) >= 3 and self.payload[0] == 0x7F:
            return self.payload[1], self.payload[2]
        return None


@dataclass(frozen=True)
class Exchange:
    """All answers to one functional request, and what went wrong with any module's answer, by its response id."""

    answers: tuple[Response, ...]
    broken: Mapping[int, str] = field(default_factory=dict)


@dataclass(frozen=True)
class BusFrame:
    """One frame as it passed on the bus; ``sent`` by us or received. ``over_ip``: a whole message between two logical
    addresses, the sender's and the receiver's in its ``id``."""

    time: float
    id: int
    extended: bool
    data: bytes
    sent: bool
    over_ip: bool = False


BUSY, PENDING, NOT_OFFERED = 0x21, 0x78, 0x11
REPEATABLE = frozenset({0x01, 0x02, 0x03, 0x06, 0x07, 0x09, 0x0A, 0x10, 0x19, 0x22, 0x2F, 0x3E})
"""What may be asked once more after silence (ISO 14229-2 lets a client repeat a request; from memory)."""
ECHOES = dict.fromkeys((0x01, 0x02, 0x06, 0x09, 0x19), 1) | {0x22: 2}
"""How many bytes of each number asked for an answer begins with, after its service."""
PRESENT = b"\x3e\x00"
"""Whoever speaks UDS answers this (ISO 14229-1, TesterPresent [S])."""
LOOKS = 3
"""So often a module is looked for, twice each, before it is called silent."""
MOST_VALUES = 6
"""As many numbers as a request for current data may name on CAN (SAE J1979 [S])."""


class Link(ABC):
    """Requests and answers of one vehicle, whatever carries them. Safe to use from several threads: one request at a
    time.

    ``tap`` is called with every frame that concerns us, sent or received, in order. A carrier gives ``_everybody`` and
    ``_asked_once``; what is asked again, and when, is the same for all of them.
    """

    longest = 4095
    """Bytes of the longest request that this carrier can send."""
    most_values = MOST_VALUES
    """How many numbers one request for current data may name."""
    without: frozenset[int] = frozenset()
    """Services that this way of talking does not have; they are refused here, and nobody is asked."""

    def __init__(
        self, addressing: Addressing, timing: Timing | None = None, tap: Callable[[BusFrame], None] | None = None
    ) -> None:
        self.addressing, self.timing, self.tap = addressing, timing or Timing(), tap
        self._lock = threading.RLock()
        self._dialects: dict[int, Dialect] = {}

    @abstractmethod
    def close(self) -> None:
        """Give the adapter back."""

    @property
    def speaks(self) -> str:
        """How the car is addressed, for a scan's record."""
        return self.addressing.value

    @property
    def words(self) -> str:
        """How this link talks to the car."""
        return f"CAN, {self.addressing.value}"

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # -- requests -----------------------------------------------------------------------------------------

    def ask_all(self, payload: bytes) -> Exchange:
        """Send a functional request and gather every module's answer until the bus stays silent for P2.

        Never raises for silence: an empty Exchange means that nobody answered.
        """
        if len(payload) > 7 and self.addressing is not Addressing.LOGICAL:
            raise ValueError("a functional request must fit a single frame of 7 bytes")
        with self._lock:
            found = self._everybody(payload)
            given = tuple(self._when_free(item, payload) if item.busy else item for item in found.answers)
            return Exchange(given, found.broken)

    def ask(self, module: int, payload: bytes) -> Response:
        """Send a physical request to one module, by its number 0–7 or the id it answers on; its positive answer.

        Raises NoAnswer, BrokenAnswer, Refused or BusFailure.
        """
        return self.ask_at(self.addressing.request_id(module), self.addressing.response_id(module), payload)

    def ask_at(self, request_id: int, response_id: int, payload: bytes) -> Response:
        """The same to any pair of ids, such as those of a module that only answers UDS.

        Silence, or an answer that broke off, after what only reads or sets a state is asked once more: one lost frame
        is not a lost module. What does something each time (clearing, a reset, a routine) is never repeated unasked.
        """
        if payload[0] in self.without:
            raise Refused(payload[0], NOT_OFFERED, response_id)
        with self._lock:
            try:
                answer = self._asked_once(request_id, response_id, payload)
            except (NoAnswer, BrokenAnswer):
                if payload[0] not in REPEATABLE:
                    raise
                answer = self._asked_once(request_id, response_id, payload)
            if answer.busy:
                answer = self._when_free(answer, payload, request_id)
            refusal = answer.refusal
            if refusal:
                raise Refused(refusal[0], refusal[1], response_id)
            return answer

    def is_there(self, module: int) -> bool:
        """Whether a module says anything at all; asked as often as one lost frame in ten needs for a sure answer."""
        known = self._dialects.get(self.addressing.response_id(module))
        for turn in range(LOOKS):
            usual = known.call if known else CLASSIC.call
            last = turn == LOOKS - 1 and PRESENT[0] not in self.without
            try:
                self.ask(module, PRESENT if last else usual)
            except Refused:
                return True
            except (NoAnswer, BrokenAnswer):
                continue
            return True
        return False

    def dialect(self, module: int) -> Dialect:
        """How a module speaks the law's diagnosis; SAE J1979 where it answers neither."""
        return self.way(module) or CLASSIC

    def way(self, module: int) -> Dialect | None:
        """How a module speaks the law's diagnosis, found by asking, once; None where it answers neither."""
        number = self.addressing.response_id(module)
        if number not in self._dialects:
            found = next((way for way in (CLASSIC, ON_UDS) if self._answers(module, way)), None)
            if found is not None:
                self._dialects[number] = found
        return self._dialects.get(number)

    def heard(self, number: int, way: Dialect) -> None:
        """Somebody was heard speaking so; who speaks both is spoken to as the first says."""
        self._dialects.setdefault(number, way)

    def _answers(self, module: int, way: Dialect) -> bool:
        if way.service in self.without:
            return False
        try:
            return way.announced(0x00, self.ask(module, way.call).payload) is not None
        except BrokenAnswer:
            return True
        except (NoAnswer, Refused):
            return False

    # -- inside -------------------------------------------------------------------------------------------

    @abstractmethod
    def _everybody(self, payload: bytes) -> Exchange:
        """Ask everybody once."""

    @abstractmethod
    def _asked_once(self, request_id: int, response_id: int, payload: bytes) -> Response:
        """Ask one module once; its answer, a refusal too. Raises NoAnswer, BrokenAnswer or BusFailure."""

    def _when_free(self, busy: Response, payload: bytes, request_id: int | None = None) -> Response:
        """Ask a module that was busy again, until it answers or the limit is reached; then its last answer."""
        until, answer = time.monotonic() + self.timing.busy_limit, busy
        while answer.busy and time.monotonic() < until:
            time.sleep(self.timing.busy_pause)
            try:
                answer = self._asked_once(
                    request_id or self.addressing.request_id(busy.responder), busy.responder, payload
                )
            except (NoAnswer, BrokenAnswer):
                continue
        return answer


def belongs(payload: bytes, request: bytes) -> bool:
    """Whether this answers what was asked: a late answer to something else is passed over.

    Services that name what they answer (PID, monitor, information type) must name something of this request.
    """
    service = request[0]
    if not payload:
        return False
    if payload[0] == service + 0x40:
        size = ECHOES.get(service, 0)
        told = payload[1 : 1 + size]
        if size == 1 and told:
            return told[0] in request[1:]
        return len(told) < size or not size or any(request.startswith(told, at) for at in range(1, len(request), size))
    return payload[0] == 0x7F and len(payload) >= 3 and payload[1] == service
