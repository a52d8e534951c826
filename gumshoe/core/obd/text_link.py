"""The link through a serial adapter with text commands: CAN, and the protocols before it.

On CAN every line is a frame, with its id in front; segmentation is ours to undo, flow control is the adapter's (ISO
15765-2 [S]). Before CAN a line is a message with three bytes of header, the last of them its sender, and a checksum
behind (ISO 14230-4, ISO 9141-2, SAE J1850 [S]); there everything is asked of everybody, as the law's diagnosis is.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from gumshoe.core.obd.dialect import CLASSIC, ON_UDS, Dialect
from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, CannotReach, LinkError, NoAnswer
from gumshoe.core.obd.link import (
    MODULES,
    PENDING,
    Addressing,
    BusFrame,
    Exchange,
    Link,
    Response,
    Timing,
    belongs,
)
from gumshoe.core.obd.older import NOT_ASKED, joined
from gumshoe.core.obd.text_adapter import UNKNOWN, AdapterTrouble, Greeting, NoBus, TextAdapter, complaint, open_adapter


@dataclass(frozen=True)
class Bus:
    """A protocol by the number that adapters give it (from memory)."""

    number: str
    words: str
    addressing: Addressing | None = None


BUSES = {
    bus.number: bus
    for bus in (
        Bus("6", "CAN, 11 bit, 500 kbit/s", Addressing.ELEVEN_BIT),
        Bus("8", "CAN, 11 bit, 250 kbit/s", Addressing.ELEVEN_BIT),
        Bus("7", "CAN, 29 bit, 500 kbit/s", Addressing.TWENTY_NINE_BIT),
        Bus("9", "CAN, 29 bit, 250 kbit/s", Addressing.TWENTY_NINE_BIT),
        Bus("5", "ISO 14230-4, fast initialisation"),
        Bus("4", "ISO 14230-4, slow initialisation"),
        Bus("3", "ISO 9141-2"),
        Bus("2", "SAE J1850, variable pulse width"),
        Bus("1", "SAE J1850, pulse width modulation"),
    )
}
WANTED = ("ATE0", "ATL0", "ATS0", "ATH1", "ATAL", "ATCAF1", "ATCFC1", "ATAT1")
HEADERS = "ATH1"
SEARCH_S, ANSWER_S = 30.0, 12.0
TICK_S = 0.004096
"""The unit of the adapter's waiting time (from memory)."""
THINKS = frozenset({0x04, 0x14, 0x2F, 0x31})
"""Services that a module may take its time for: the adapter listens as long as it can."""
LONGEST_WAIT = 0xFF
FRAME = re.compile(r"^[0-9A-F]+$")
NUMBERED = re.compile(r"^([0-9A-F]):(.*)$")
MOST_PAYLOAD = 7


@dataclass
class _Heard:
    """What one module sent in answer to one request."""

    whole: list[bytes] = field(default_factory=list)
    open: bytearray = field(default_factory=bytearray)
    length: int = 0
    next: int = 0
    trouble: str = ""
    pending: int = 0

    def frame(self, data: bytes, number: int) -> None:
        """One CAN frame of it (ISO 15765-2 [S])."""
        if not data:
            return
        kind = data[0] >> 4
        if kind == 0 and 1 <= data[0] <= len(data) - 1:
            self.message(data[1 : 1 + data[0]])
        elif kind == 1 and len(data) > 2:
            self.length, self.open, self.next = (data[0] & 15) << 8 | data[1], bytearray(data[2:]), 1
        elif kind == 2 and self.length:
            if data[0] & 15 != self.next % 16:
                self.trouble, self.length = f"The answer of module {number:X} lost a frame on the way.", 0
                return
            self.open += data[1:]
            self.next += 1
            if len(self.open) >= self.length:
                self.message(bytes(self.open[: self.length]))
                self.length = 0

    def message(self, payload: bytes) -> None:
        """A whole message of it."""
        if payload[:1] == b"\x7f" and payload[-1:] == bytes((PENDING,)):
            self.pending += 1
        else:
            self.whole.append(payload)

    def end(self, number: int) -> None:
        """Nothing more comes: name what is missing."""
        if self.length and not self.trouble:
            self.trouble = f"Module {number:X} began an answer and did not finish it."
        elif self.pending and not self.whole:
            self.trouble = (
                f"Module {number:X} asked for more time, and the adapter stopped listening before it answered."
            )


class TextLink(Link):
    """Requests and answers through one text adapter."""

    longest = MOST_PAYLOAD

    def __init__(
        self,
        adapter: TextAdapter,
        bus: Bus,
        greeting: Greeting,
        *,
        timing: Timing | None = None,
        tap: Callable[[BusFrame], None] | None = None,
    ) -> None:
        super().__init__(bus.addressing or Addressing.ELEVEN_BIT, timing, tap)
        self.adapter, self.bus, self.greeting = adapter, bus, greeting
        self._headers = HEADERS not in greeting.lacks
        self._target: tuple[int, int] | None = None
        self._narrow = False
        self._wait = 0
        if bus.addressing is None:
            self.most_values, self.without = 1, NOT_ASKED

    @property
    def speaks(self) -> str:
        """How the car is addressed; before CAN the protocol."""
        return self.addressing.value if self.bus.addressing else self.bus.words

    @property
    def words(self) -> str:
        """How this link talks to the car."""
        return self.bus.words

    def close(self) -> None:
        """Give the adapter back."""
        with self._lock:
            self.adapter.close()

    # -- asking -------------------------------------------------------------------------------------------

    def _everybody(self, payload: bytes) -> Exchange:
        if self.bus.addressing and not self._headers:
            return self._one_after_another(payload)
        if self.bus.addressing:
            self._aim(self.addressing.functional_id, 0)
        try:
            heard = self._exchange(payload, self.addressing.functional_id)
        except NoAnswer:
            return Exchange(())
        answers = [row for number, one in sorted(heard.items()) if (row := self._answer(number, one, payload))]
        return Exchange(tuple(answers), {number: one.trouble for number, one in heard.items() if one.trouble})

    def _one_after_another(self, payload: bytes) -> Exchange:
        """An adapter that does not say who speaks is told whom to listen to."""
        answers, broken = [], {}
        for module in MODULES:
            number = self.addressing.response_id(module)
            try:
                answers.append(self._asked_once(self.addressing.request_id(module), number, payload))
            except BrokenAnswer as error:
                broken[number] = error.what
            except NoAnswer:
                continue
        return Exchange(tuple(answers), broken)

    def _asked_once(self, request_id: int, response_id: int, payload: bytes) -> Response:
        if self.bus.addressing:
            self._aim(request_id, response_id)
        heard = self._exchange(payload, request_id).get(response_id)
        answer = self._answer(response_id, heard, payload) if heard else None
        if answer is not None:
            return answer
        if heard is not None and heard.trouble:
            raise BrokenAnswer(heard.trouble)
        raise NoAnswer(f"Module {request_id:X} did not answer.")

    def _answer(self, number: int, heard: _Heard, payload: bytes) -> Response | None:
        if not self.bus.addressing and heard.whole:
            try:
                told = [message for message in heard.whole if message[0] in (payload[0] + 0x40, 0x7F)]
                found = joined(told, payload) if told else b""
            except BrokenAnswer as error:
                heard.trouble = error.what
                return None
            return Response(number, found) if belongs(found, payload) else None
        return next((Response(number, item) for item in heard.whole if belongs(item, payload)), None)

    # -- the adapter --------------------------------------------------------------------------------------

    def _aim(self, request_id: int, response_id: int) -> None:
        """Tell the adapter whom it talks to and, beyond the modules of SAE J1979, whom it listens to."""
        if self._target == (request_id, response_id):
            return
        self._target = None
        if self.addressing.extended:
            self.adapter.knows(f"ATCP{request_id >> 24:02X}")
            self._set(f"ATSH{request_id & 0xFFFFFF:06X}")
        else:
            self._set(f"ATSH{request_id:03X}")
        if response_id and not (self._headers and self.addressing.is_response(response_id)):
            wide = f"{response_id:08X}" if self.addressing.extended else f"{response_id:03X}"
            if self.addressing.is_response(response_id):
                self.adapter.knows(f"ATCRA{wide}")  # who does not know it hears the one that is asked all the same
            else:
                self._set(f"ATCRA{wide}")
            if not self.addressing.is_response(response_id):
                sender = f"{request_id:08X}" if self.addressing.extended else f"{request_id:03X}"
                for command in (f"ATFCSH{sender}", "ATFCSD300000", "ATFCSM1"):
                    self._set(command)
            self._narrow = True
        elif self._narrow:
            for command in ("ATAR", "ATFCSM0"):
                self.adapter.knows(command)
            self._narrow = False
        self._target = (request_id, response_id)

    def _set(self, command: str) -> None:
        if not self.adapter.knows(command):
            raise CannotReach(
                f"This adapter does not know “{command}”: what is asked for cannot be reached through it."
            )

    def _listen_for(self, service: int) -> None:
        """How long the adapter waits for an answer."""
        usual = round((self.timing.p2 + self.timing.margin) / TICK_S)
        wait = LONGEST_WAIT if service in THINKS else min(max(usual, 1), LONGEST_WAIT)
        if wait != self._wait:
            self.adapter.knows(f"ATST{wait:02X}")
            self._wait = wait

    def _exchange(self, payload: bytes, request_id: int) -> dict[int, _Heard]:
        """What everybody sent, by id. Raises NoAnswer, BrokenAnswer when nothing whole came, or BusFailure."""
        if len(payload) > self.longest:
            raise CannotReach(f"A request of {len(payload)} bytes does not fit through this adapter.")
        self._listen_for(payload[0])
        self._note(request_id, bytes((len(payload),)) + payload if self.bus.addressing else payload, True)
        heard: dict[int, _Heard] = {}
        troubles: list[LinkError] = []
        for line in self.adapter.say(payload.hex().upper(), ANSWER_S):
            plain = line.replace(" ", "").upper()
            trouble = complaint(line)
            if line == self.greeting.says:
                raise AdapterTrouble("The adapter began anew by itself, and has forgotten what it was told.")
            if trouble is not None:
                troubles.append(trouble)
            elif plain == UNKNOWN:
                troubles.append(BrokenAnswer("The adapter did not understand the request."))
            elif not self._headers:
                self._bare(plain, heard)
            elif FRAME.match(plain):
                self._frame(plain, heard)
        for number, one in heard.items():
            one.end(number)
        for trouble in troubles:
            if not isinstance(trouble, NoAnswer | BrokenAnswer) or not heard:
                raise trouble
            for one in heard.values():  # what came whole stands; what did not has its reason
                one.trouble = one.trouble or ("" if one.whole else trouble.what)
        return heard

    def _frame(self, plain: str, heard: dict[int, _Heard]) -> None:
        if self.bus.addressing:
            digits = 8 if self.addressing.extended else 3
            if len(plain) < digits + 2 or (len(plain) - digits) % 2:
                return
            number, data = int(plain[:digits], 16), bytes.fromhex(plain[digits:])
            self._note(number, data, False)
            heard.setdefault(number, _Heard()).frame(data, number)
            return
        if len(plain) % 2 or len(plain) < 10:
            return
        data = bytes.fromhex(plain)
        head = 3 if not data[0] & 0x80 or data[0] & 0x3F else 4  # ISO 14230-2: no length in the first byte, one behind
        self._note(int.from_bytes(data[:3], "big"), data[head:-1], False)
        heard.setdefault(data[2], _Heard()).message(data[head:-1])

    def _bare(self, plain: str, heard: dict[int, _Heard]) -> None:
        """A line of an adapter that does not say who speaks: whole, or its length, or a numbered part of it."""
        number = (self._target or (0, 0))[1] or self.addressing.response_id(0)
        one = heard.setdefault(number, _Heard())
        part = NUMBERED.match(plain)
        if part and FRAME.match(part.group(2)) and one.length:
            if int(part.group(1), 16) != one.next % 16:
                one.trouble, one.length = f"The answer of module {number:X} lost a frame on the way.", 0
                return
            one.open += bytes.fromhex(part.group(2))
            one.next += 1
            if len(one.open) >= one.length:
                one.message(bytes(one.open[: one.length]))
                one.length = 0
        elif len(plain) == 3 and FRAME.match(plain):
            one.length, one.open, one.next = int(plain, 16), bytearray(), 0
        elif FRAME.match(plain) and not len(plain) % 2:
            one.message(bytes.fromhex(plain))

    def _note(self, number: int, data: bytes, sent: bool) -> None:
        if self.tap:
            extended = self.addressing.extended or not self.bus.addressing
            self.tap(BusFrame(time.time(), number, extended, data, sent))


def open_text_link(
    address: str,
    speed: int = 0,
    *,
    protocol: str = "",
    timing: Timing | None = None,
    tap: Callable[[BusFrame], None] | None = None,
    tell: Callable[[str], None] = lambda _what: None,
) -> TextLink:
    """A link through the adapter at an address of pyserial (``/dev/ttyUSB0``, ``socket://host:port``).

    ``protocol``: the number of the one that this car spoke last, tried first; else, and when it is silent, the adapter
    searches, and where that finds nothing each is tried by itself. Raises AdapterTrouble, NoBus, BusFailure.
    """
    adapter, _speed = open_adapter(address, speed, tell)
    try:
        greeting = adapter.greet(WANTED)
        bus = find_bus(adapter, protocol, tell)
    except LinkError:
        adapter.close()
        raise
    return TextLink(adapter, bus, greeting, timing=timing, tap=tap)


def find_bus(adapter: TextAdapter, first: str = "", tell: Callable[[str], None] = lambda _what: None) -> Bus:
    """The protocol that the car answers. Raises NoBus when it answers none, or what else the adapter says."""
    for number in dict.fromkeys((*((first,) if first in BUSES else ()), "0", *BUSES)):
        words = BUSES[number].words if number in BUSES else "the adapter's own search"
        tell(f"trying {words}")
        if not adapter.knows(f"ATSP{number}"):
            continue
        old = number in BUSES and BUSES[number].addressing is None
        if not any(_answered(adapter, way) for way in ((CLASSIC,) if old else (CLASSIC, ON_UDS))):
            continue
        said = "".join(adapter.say("ATDPN")).strip().upper().lstrip("A")
        found = BUSES.get(said) or BUSES.get(number)
        if found is not None:
            return found
    raise NoBus("The adapter is well, and no car answers on any protocol that it knows.")


def _answered(adapter: TextAdapter, way: Dialect) -> bool:
    expected = (way.answers + b"\x00").hex().upper()
    for line in adapter.say(way.call.hex().upper(), SEARCH_S):
        trouble = complaint(line)
        if trouble is not None and not isinstance(trouble, NoAnswer | BrokenAnswer | BusFailure):
            raise trouble
        if trouble is None and FRAME.match(line.replace(" ", "").upper()) and expected in line.replace(" ", ""):
            return True
    return False
