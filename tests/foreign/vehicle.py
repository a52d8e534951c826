"""An answering machine for the link's tests: control units written from the standards alone, odd where a test says so.

It shares no code with the product and none of its libraries but the virtual bus (python-can): segmentation is done here
by hand (ISO 15765-2 [S]), so that an error in a library or in the product cannot hide behind itself. Services: SAE
J1979 / ISO 15031-5 [S], addresses: ISO 15765-4 [S].
"""

from __future__ import annotations

import heapq
import itertools
import random
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

import can

_channels = itertools.count(1)
CLEARS = (b"\x04", b"\x14\xff\xff\xff")


@dataclass
class Unit:
    """One control unit. ``place``: 0–7 with 11-bit ids, its source address with 29 bits."""

    place: int = 0
    pids: dict[int, bytes] = field(default_factory=dict)
    confirmed: list[bytes] = field(default_factory=list)
    pending: list[bytes] = field(default_factory=list)
    permanent: list[bytes] = field(default_factory=list)
    frame: dict[int, bytes] = field(default_factory=dict)
    info: dict[int, bytes] = field(default_factory=dict)
    results: dict[int, bytes] = field(default_factory=dict)
    exact: dict[bytes, bytes | None] = field(default_factory=dict)
    """Requests with an answer of their own; None: silence."""

    takes: int = 6
    """PIDs it answers of one request; the rest is passed over in silence."""
    many: int = 0
    """The reason with which it refuses more than one PID; 0: it takes them."""
    busy: dict[int, int] = field(default_factory=dict)
    """How often it says "busy" to a service before it answers."""
    thinks: dict[int, float] = field(default_factory=dict)
    """How long it asks for more time (0x78, again and again) before it answers a service, in seconds."""
    refuses: dict[int, int] = field(default_factory=dict)
    silent: set[int] = field(default_factory=set)
    dies_at: int = 0
    """The service after whose first answer it never says anything again."""
    functional: bool = True
    """Whether it answers requests to everybody."""
    gap: float = 0.0
    """Between its consecutive frames, in seconds."""
    padding: int | None = 0xAA
    """What fills its frames; None: frames are as short as they can be."""
    stmin: int = 0
    """What it asks of us between our consecutive frames, as the byte of ISO 15765-2."""
    waits: int = 0
    """So often it says "wait" before it lets us go on."""
    slow: float = 0.0
    """Before every answer, in seconds."""
    modern: bool = False
    """Whether it speaks SAE J1979-2 and nothing else."""
    rows: list[bytes] = field(default_factory=list)
    """Its codes there: three bytes and the status."""
    kept: list[bytes] = field(default_factory=list)
    """Its permanent codes there, the same."""
    severe: bool = True
    """Whether a severity stands before each permanent code (as udsoncan reads ISO 14229-1:2020)."""
    frames: dict[bytes, bytes] = field(default_factory=dict)
    """By the three bytes of a code, what was stored with it: identifiers and bytes, and how many in front."""
    groups: dict[int, list[bytes]] = field(default_factory=dict)
    makers: list[bytes] | None = None
    """Codes beyond the law's; None: it refuses to list those."""
    heard: list[bytes] = field(default_factory=list)
    cleared: int = 0
    dead: bool = False

    def answers(self, request: bytes, everybody: bool) -> bytes | None:
        """What the service says; None for nothing."""
        self.heard.append(request)
        service = request[0]
        if self.dead or service in self.silent or (everybody and not self.functional):
            return None
        if request in self.exact:
            return self.exact[request]
        if self.busy.get(service, 0) > 0:
            self.busy[service] -= 1
            return bytes((0x7F, service, 0x21))
        if service in self.refuses:
            return bytes((0x7F, service, self.refuses[service]))
        found = self._says(service, request)
        if service == self.dies_at:
            self.dead = True
        if self.modern and everybody and found and found[:1] == b"\x7f" and found[2] in (0x11, 0x12, 0x31):
            return None  # ISO 14229-1: to everybody such a refusal is not sent
        return found

    def _says(self, service: int, request: bytes) -> bytes | None:
        if self.modern:
            return self._modern(service, request)
        if service == 0x01:
            return self._current(request[1:])
        if service == 0x02:
            return self._frozen(request[1:])
        if service in (0x03, 0x07, 0x0A):
            codes = {0x03: self.confirmed, 0x07: self.pending, 0x0A: self.permanent}[service]
            return bytes((service + 0x40, len(codes))) + b"".join(codes)
        if service == 0x04:
            self.cleared += 1
            self.confirmed, self.pending, self.frame = [], [], {}
            return b"\x44"
        if service == 0x06:
            return self._listed(0x46, request[1], self.results, lambda number, data: data)
        if service == 0x09:
            return self._listed(0x49, request[1], self.info, lambda number, data: data)
        return bytes((0x7F, service, 0x11))

    # -- SAE J1979-2 by ISO 14229-1 ------------------------------------------------------------------------

    def _modern(self, service: int, request: bytes) -> bytes | None:
        if service == 0x22 and len(request) % 2 and len(request) >= 3:
            return self._identified([request[at : at + 2] for at in range(1, len(request), 2)])
        if service == 0x19 and len(request) >= 2:
            return self._codes(request[1:])
        if service == 0x14 and len(request) == 4:
            if request[1:] == b"\xff\xff\xff" and self.makers is None:
                return b"\x7f\x14\x31"
            if request[1:] not in (b"\xff\xff\x33", b"\xff\xff\xff"):
                return b"\x7f\x14\x31"
            self.cleared += 1
            self.rows, self.frames = [], {}
            if self.makers and request[1:] == b"\xff\xff\xff":
                self.makers = []
            return b"\x54"
        if service == 0x3E:
            return b"\x7e\x00"
        return bytes((0x7F, service, 0x11))

    def _identified(self, asked: list[bytes]) -> bytes | None:
        if len(asked) > 1 and self.many:
            return bytes((0x7F, 0x22, self.many))
        told = b""
        for page, number in asked[: self.takes]:
            held = {0xF4: self.pids, 0xF6: self.results, 0xF8: self.info}.get(page, {})
            if number % 0x20 == 0 and page in (0xF4, 0xF6):
                told += bytes((page, number)) + bitmap(number, held)
            elif number in held:
                told += bytes((page, number)) + held[number]
        return b"\x62" + told if told else b"\x7f\x22\x31"

    def _codes(self, asked: bytes) -> bytes:
        kind, rest = asked[0], asked[1:]
        if kind == 0x42 and rest[:1] == b"\x33" and len(rest) == 3:
            chosen = [row for row in self.rows if row[3] & rest[1]]
            return b"\x59\x42\x33\xff\xff\x04" + b"".join(b"\x20" + row for row in chosen)
        if kind == 0x02 and self.makers is not None and len(rest) == 1:
            return b"\x59\x02\xff" + b"".join(row for row in (*self.rows, *self.makers) if row[3] & rest[0])
        if kind == 0x55 and rest == b"\x33":
            before = b"\x20" if self.severe else b""
            return b"\x59\x55\x33\xff\x04" + b"".join(before + row for row in self.kept)
        if kind == 0x56 and rest[:1] == b"\x33" and rest[1] in self.groups:
            return b"\x59\x56\x33\xff\x04" + rest[1:2] + b"".join(self.groups[rest[1]])
        if kind == 0x04 and len(rest) == 4 and rest[3] == 0x00 and rest[:3] in self.frames:
            status = next((row[3:] for row in self.rows if row[:3] == rest[:3]), b"\x00")
            return b"\x59\x04" + rest[:3] + status + b"\x00" + self.frames[rest[:3]]
        return b"\x7f\x19" + (b"\x31" if kind in (0x04, 0x56) else b"\x12")

    # -- SAE J1979 ----------------------------------------------------------------------------------------

    def _current(self, numbers: bytes) -> bytes | None:
        if len(numbers) > 1 and self.many:
            return bytes((0x7F, 0x01, self.many))
        told = b""
        for number in numbers[: self.takes]:
            if number % 0x20 == 0:
                told += bytes((number,)) + bitmap(number, self.pids)
            elif number in self.pids:
                told += bytes((number,)) + self.pids[number]
        return b"\x41" + told if told else None

    def _frozen(self, asked: bytes) -> bytes | None:
        told = b""
        for number in asked[::2]:
            if number % 0x20 == 0:
                told += bytes((number, 0)) + bitmap(number, self.frame)
            elif number in self.frame:
                told += bytes((number, 0)) + self.frame[number]
            elif number == 0x02:
                told += bytes((2, 0, 0, 0))
        return b"\x42" + told if told else None

    def _listed(
        self, head: int, number: int, held: dict[int, bytes], write: Callable[[int, bytes], bytes]
    ) -> bytes | None:
        if number % 0x20 == 0:
            return bytes((head, number)) + bitmap(number, held)
        return bytes((head, number)) + write(number, held[number]) if number in held else None


def bitmap(base: int, held: dict[int, bytes]) -> bytes:
    """The four bytes that announce the 32 numbers after ``base``; the last of them announces the next bitmap."""
    bits = sum(1 << (32 - (number - base)) for number in held if base < number < base + 0x20)
    if any(number > base + 0x20 for number in held):
        bits |= 1
    return bits.to_bytes(4, "big")


def engine(place: int = 0, **more: object) -> Unit:
    """A petrol engine's unit that behaves, with two codes and what goes with them."""
    made = Unit(
        place,
        pids={
            0x01: b"\x82\x07\x65\x04",
            0x03: b"\x02\x00",
            0x04: b"\x40",
            0x05: b"\x7d",
            0x06: b"\x90",
            0x07: b"\x88",
            0x0B: b"\x22",
            0x0C: b"\x0b\xb8",
            0x0D: b"\x00",
            0x0E: b"\x90",
            0x0F: b"\x46",
            0x10: b"\x01\x40",
            0x11: b"\x26",
            0x1C: b"\x06",
            0x1F: b"\x01\x2c",
            0x21: b"\x00\x64",
            0x2F: b"\x80",
            0x31: b"\x01\x00",
            0x33: b"\x65",
            0x42: b"\x37\x5c",
            0x46: b"\x3c",
        },
        confirmed=[b"\x01\x71", b"\x03\x00"],
        pending=[b"\x01\x71"],
        permanent=[b"\x01\x71"],
        frame={0x02: b"\x01\x71", 0x04: b"\x33", 0x05: b"\x7b", 0x0C: b"\x0c\x80", 0x0D: b"\x32"},
        info={
            0x02: b"\x01" + b"UY0TN16A9G2000001",
            0x04: b"\x01" + b"CAL-0001-A".ljust(16, b"\x00"),
            0x06: b"\x01" + b"\x12\x34\x56\x78",
            0x0A: b"\x01" + b"ECM\x00-EngineControl".ljust(20, b"\x00"),
        },
        results={0x01: b"\x01\x0a\x0e\x10\x05\x00\x1f\xff", 0xA2: b"\x0c\x24\x00\x05\x00\x00\x00\x32"},
    )
    made.results = {number: bytes((data[0],)) + data[1:] for number, data in made.results.items()}
    for name, value in more.items():
        setattr(made, name, value)
    return made


def modern(place: int = 0, **more: object) -> Unit:
    """A petrol engine's unit of SAE J1979-2: the same car, but for three-byte codes and readiness by groups."""
    made = engine(place)
    made.modern = True
    del made.pids[0x01]
    made.info = {0x02: made.info[0x02][1:], 0x04: made.info[0x04][1:], 0x06: made.info[0x06][1:]}
    made.info |= {0x0A: b"ECM\x00-EngineControl".ljust(20, b"\x00"), 0x10: b"\x02"}
    made.rows = [b"\x01\x71\x00\xaf", b"\x03\x00\x00\x2b", b"\x04\x20\x00\x50"]
    made.kept = [b"\x01\x71\x00\xaf"]
    made.frames = {b"\x01\x71\x00": b"\x04\xf4\x04\x33\xf4\x05\x7b\xf4\x0c\x0c\x80\xf4\x0d\x32"}
    made.frames[b"\x03\x00\x00"] = b"\x02\xf4\x0c\x0b\xb8\xf4\x0d\x00"
    made.groups = {
        0x05: [b"\x04\x20\x00\x50", b"\x04\x30\x00\x50"],
        0x07: [b"\x01\x71\x00\xaf", b"\x01\x72\x00\x00"],
        0x0B: [b"\x03\x00\x00\x2b", b"\x03\x01\x00\x00"],
        0x11: [b"\x04\x42\x00\x40"],
    }
    for name, value in more.items():
        setattr(made, name, value)
    return made


def gearbox(place: int = 1, **more: object) -> Unit:
    """A gearbox's unit with one code."""
    made = Unit(
        place,
        pids={0x01: b"\x81\x04\x00\x00", 0x0D: b"\x00", 0x1C: b"\x06"},
        confirmed=[b"\x07\x40"],
        info={0x04: b"\x01" + b"GBX-7".ljust(16, b"\x00"), 0x0A: b"\x01" + b"TCM\x00-Transmission".ljust(20, b"\x00")},
    )
    for name, value in more.items():
        setattr(made, name, value)
    return made


class Vehicle(threading.Thread):
    """Units on one virtual bus. ``lost``: the share of all frames, both ways, that never arrive."""

    def __init__(self, *units: Unit, wide: bool = False, lost: float = 0.0, seed: int = 1, fd: bool = False) -> None:
        """``fd``: frames of up to 64 bytes, and none of the shorter kind is heard."""
        self.channel = f"foreign-{next(_channels)}"
        super().__init__(name=self.channel, daemon=True)
        self.units, self.wide, self.lost, self.fd = units, wide, lost, fd
        more = {"protocol": can.CanProtocol.CAN_FD} if fd else {}
        self.bus = can.Bus(interface="virtual", channel=self.channel, **more)
        self.most = 64 if fd else 8
        self._chance = random.Random(seed)
        self._due: list[tuple[float, int, Callable[[], None]]] = []
        self._order = itertools.count()
        self._stopping = threading.Event()
        self._senders = {id(unit): _Sending() for unit in units}
        self._receivers = {id(unit): _Receiving() for unit in units}

    # -- addresses ----------------------------------------------------------------------------------------

    def _functional(self) -> int:
        return 0x18DB33F1 if self.wide else 0x7DF

    def _request(self, unit: Unit) -> int:
        return 0x18DA00F1 | unit.place << 8 if self.wide else 0x7E0 + unit.place

    def response(self, unit: Unit) -> int:
        """The id the unit answers on."""
        return 0x18DAF100 | unit.place if self.wide else 0x7E8 + unit.place

    # -- life ---------------------------------------------------------------------------------------------

    def run(self) -> None:
        while not self._stopping.is_set():
            wait = min(max(self._due[0][0] - time.monotonic(), 0.0), 0.05) if self._due else 0.05
            message = self.bus.recv(timeout=wait)
            while self._due and self._due[0][0] <= time.monotonic():
                heapq.heappop(self._due)[2]()
            if message is None or message.is_fd != self.fd:
                continue
            if message.is_extended_id == self.wide and self._chance.random() >= self.lost:
                self._take(message.arbitration_id, bytes(message.data))

    def stop(self) -> None:
        """Off the bus."""
        self._stopping.set()
        self.join(2.0)
        self.bus.shutdown()

    def _later(self, seconds: float, what: Callable[[], None]) -> None:
        heapq.heappush(self._due, (time.monotonic() + seconds, next(self._order), what))

    # -- frames -------------------------------------------------------------------------------------------

    def _put(self, unit: Unit, data: bytes) -> None:
        if unit.padding is not None or len(data) > 8:
            full = next(size for size in (8, 12, 16, 20, 24, 32, 48, 64) if size >= len(data))
            data = data.ljust(full, bytes((unit.padding or 0,)))
        if self._chance.random() >= self.lost:
            self.bus.send(
                can.Message(arbitration_id=self.response(unit), data=data, is_extended_id=self.wide, is_fd=self.fd)
            )

    def _take(self, number: int, data: bytes) -> None:
        for unit in self.units:
            if number == self._functional():
                if data and 1 <= data[0] <= 7 and len(data) > data[0]:
                    self._serve(unit, data[1 : 1 + data[0]], True)
            elif number == self._request(unit):
                self._physical(unit, data)

    def _physical(self, unit: Unit, data: bytes) -> None:
        kind = data[0] >> 4
        receiving = self._receivers[id(unit)]
        if kind == 0 and 1 <= data[0] <= 7 and len(data) > data[0]:
            self._serve(unit, data[1 : 1 + data[0]], False)
        elif self.fd and data[0] == 0 and 7 < data[1] <= len(data) - 2:
            self._serve(unit, data[2 : 2 + data[1]], False)
        elif kind == 1:
            receiving.whole, receiving.got, receiving.last = (data[0] & 15) << 8 | data[1], data[2:], time.monotonic()
            receiving.next, receiving.hurried = 1, False
            for turn in range(unit.waits):
                self._later(0.02 * turn, lambda: self._put(unit, b"\x31\x00\x00"))
            self._later(0.02 * unit.waits, lambda: self._put(unit, bytes((0x30, 0, unit.stmin))))
        elif kind == 2 and receiving.whole and data[0] & 15 == receiving.next:
            gap = time.monotonic() - receiving.last
            if receiving.next > 1 and gap < 0.9 * pause(unit.stmin):
                receiving.hurried = True
            receiving.last, receiving.next = time.monotonic(), (receiving.next + 1) % 16
            receiving.got += data[1:]
            if len(receiving.got) >= receiving.whole:
                request, receiving.whole = receiving.got[: receiving.whole], 0
                if not receiving.hurried:  # who sends faster than was asked for is not heard
                    self._serve(unit, request, False)
        elif kind == 3:
            sending = self._senders[id(unit)]
            if data[0] & 15 == 0 and sending.rest:
                self._go_on(unit, sending, max(pause(data[2]) if len(data) > 2 else 0.0, unit.gap))

    # -- answers ------------------------------------------------------------------------------------------

    def _serve(self, unit: Unit, request: bytes, everybody: bool) -> None:
        service, thinks = request[0], unit.thinks.get(request[0], 0.0)
        self._senders[id(unit)].rest = b""
        if not thinks or unit.dead:
            self._later(unit.slow, lambda: self._answer(unit, unit.answers(request, everybody)))
            return
        times = max(int(thinks / 0.1), 1)
        for turn in range(times):
            self._later(0.1 * turn, lambda: self._put(unit, bytes((3, 0x7F, service, 0x78))))
        self._later(thinks, lambda: self._answer(unit, unit.answers(request, everybody)))

    def _answer(self, unit: Unit, payload: bytes | None) -> None:
        if payload is None:
            return
        if len(payload) <= 7:
            self._put(unit, bytes((len(payload),)) + payload)
            return
        if len(payload) <= self.most - 2 and self.fd:
            self._put(unit, bytes((0, len(payload))) + payload)
            return
        sending, first = self._senders[id(unit)], self.most - 2
        sending.rest, sending.next = payload[first:], 1
        self._put(unit, bytes((0x10 | len(payload) >> 8, len(payload) & 0xFF)) + payload[:first])

    def _go_on(self, unit: Unit, sending: _Sending, gap: float) -> None:
        if not gap:
            while sending.rest:
                self._next(unit, sending)
            return

        def one() -> None:
            self._next(unit, sending)
            if sending.rest:
                self._later(gap, one)

        one()

    def _next(self, unit: Unit, sending: _Sending) -> None:
        size = self.most - 1
        part, sending.rest = sending.rest[:size], sending.rest[size:]
        self._put(unit, bytes((0x20 | sending.next % 16,)) + part)
        sending.next += 1


@dataclass
class _Sending:
    rest: bytes = b""
    next: int = 1


@dataclass
class _Receiving:
    whole: int = 0
    got: bytes = b""
    next: int = 1
    last: float = 0.0
    hurried: bool = False


def pause(stmin: int) -> float:
    """Seconds of the byte STmin: milliseconds to 7F, tenths of them from F1 to F9, else the longest (ISO 15765-2)."""
    if stmin <= 0x7F:
        return stmin / 1000.0
    return (stmin - 0xF0) / 10000.0 if 0xF1 <= stmin <= 0xF9 else 0.127


@contextmanager
def on_the_bus(
    *units: Unit, wide: bool = False, lost: float = 0.0, seed: int = 1, fd: bool = False
) -> Iterator[Vehicle]:
    """A vehicle for the length of a test."""
    car = Vehicle(*units, wide=wide, lost=lost, seed=seed, fd=fd)
    car.start()
    try:
        yield car
    finally:
        car.stop()
