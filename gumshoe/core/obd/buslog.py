"""A diagnostic session that somebody else logged: bus frames of a file into channels, and into a scan.

Files are read by python-can (candump's log, ASC, BLF, TRC). Messages are put together again as ISO
15765-2 cuts them [S]; nobody is asked, so flow control is only skipped.
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import can

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.capture import CLASSIC_BYTES, OVER_IP
from gumshoe.core.obd.dialect import CLASSIC, ON_UDS, Dialect
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.identifiers import IdentifierRow
from gumshoe.core.obd.link import PRESENT, TESTER, Addressing, BusFrame, Exchange, Link, Response, Timing
from gumshoe.core.obd.on_uds import MonitorOf, nobody_says
from gumshoe.core.obd.pids import as_meant, bitmap_for, how_meant, pid_table
from gumshoe.core.obd.poller import EPOCH_S, Sample
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import Snapshot
from gumshoe.core.obd.uds import ModuleAddress

SUFFIXES = (".log", ".asc", ".blf", ".trc")
MOST_FRAMES = 5_000_000
PENDING = 0x78
CLEARS = (b"\x04", b"\x14")
LAW_SERVICES = frozenset(range(0x01, 0x0B))
CLASSIC_EMPTY = b"\x41\x00\x00\x00\x00\x00"


@dataclass(frozen=True)
class Message:
    """A whole message: when its first frame passed, on which id, its bytes."""

    time: float
    id: int
    payload: bytes


@dataclass
class _Open:
    """A message of several frames that is not whole yet."""

    time: float
    length: int
    body: bytearray
    count: int = 0


def read_frames(content: bytes, suffix: str) -> list[BusFrame]:
    """The frames of a log file. Raises BadInput when it cannot be read as what its name says."""
    if suffix not in SUFFIXES:
        raise BadInput(f"A bus log ends in one of {', '.join(SUFFIXES)}.", remedies=("rename or export it",))
    frames: list[BusFrame] = []
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / f"log{suffix}"
        file.write_bytes(content)
        try:
            with can.LogReader(file) as reader:
                for message in reader:
                    if message.is_error_frame or message.is_remote_frame:
                        continue
                    data, extended = bytes(message.data), message.is_extended_id
                    sent, over_ip = not message.is_rx, message.channel == OVER_IP
                    frames.append(BusFrame(message.timestamp, message.arbitration_id, extended, data, sent, over_ip))
                    if len(frames) > MOST_FRAMES:
                        raise BadInput(f"The log holds more than {MOST_FRAMES} frames.", remedies=("cut it in two",))
        except BadInput:
            raise
        except Exception as error:  # the readers raise what their parsing happens to raise
            raise BadInput(
                f"The log could not be read after {len(frames)} frames: {error or type(error).__name__}.",
                remedies=("check that its ending says what it is", "export it again"),
            ) from error
    if not frames:
        raise BadInput("The log holds no frame.", remedies=("choose another file",))
    return frames


def messages(frames: Iterable[BusFrame]) -> list[Message]:
    """Diagnostic messages put together; one that is cut short, or lacks a frame in its middle, is left out."""
    found: list[Message] = []
    open_ones: dict[int, _Open] = {}
    places: dict[int, int] = {}
    for frame in frames:
        data = frame.data
        if not data or not is_diagnostic(frame):
            continue
        if frame.over_ip:
            found.append(Message(frame.time, _placed(frame.id, places), data))
            continue
        kind = data[0] >> 4
        if data[0] == 0 and len(data) > CLASSIC_BYTES and 0 < data[1] <= len(data) - 2:  # a long one of CAN FD
            found.append(Message(frame.time, frame.id, data[2 : 2 + data[1]]))
        elif kind == 0 and 0 < data[0] & 0x0F < len(data):
            found.append(Message(frame.time, frame.id, data[1 : 1 + (data[0] & 0x0F)]))
        elif kind == 1 and len(data) >= 3:
            open_ones[frame.id] = _Open(frame.time, (data[0] & 0x0F) << 8 | data[1], bytearray(data[2:]))
        elif kind == 2 and frame.id in open_ones:
            begun = open_ones[frame.id]
            begun.count += 1
            begun.body += data[1:]
            if data[0] & 0x0F != begun.count & 0x0F:
                del open_ones[frame.id]
            elif len(begun.body) >= begun.length:
                found.append(Message(begun.time, frame.id, bytes(begun.body[: begun.length])))
                del open_ones[frame.id]
    return found


def _placed(number: int, places: dict[int, int]) -> int:
    """The id of 29 bits that stands for a message between logical addresses: a module's place is the last byte of its
    address, or the next that is free."""
    source, target = number >> 16, number & 0xFFFF
    wide = Addressing.TWENTY_NINE_BIT
    if target == Addressing.LOGICAL.functional_id:
        return wide.functional_id
    module = target if source == TESTER else source
    if module not in places:
        taken, wanted = set(places.values()), [(module + step) & 0xFF for step in range(0x100)]
        places[module] = next((place for place in wanted if place not in taken), module & 0xFF)
    answers = wide.response_id(0) & ~0xFF | places[module]
    return wide.request_id(answers) if source == TESTER else answers


def is_diagnostic(frame: BusFrame) -> bool:
    """Whether a frame's id is one of those that testers and modules talk on (ISO 15765-4 [S])."""
    if frame.over_ip:
        return TESTER in (frame.id >> 16, frame.id & 0xFFFF)
    return frame.id >> 16 in (0x18DA, 0x18DB) if frame.extended else 0x700 <= frame.id <= 0x7FF


def samples_of(heard: Iterable[Message], identifiers: Iterable[IdentifierRow] = ()) -> list[Sample]:
    """Every value of services 01 and 22 that the engine's control unit told."""
    rows = {row.id: row for row in identifiers}
    found: list[Sample] = []
    told = list(heard)
    engine = engine_in(told)
    how: dict[str, float] = {}
    for pair in pairs(told):
        message = pair.answer
        if message.id != engine:
            continue
        current = current_data(message.payload, pair.request)
        if current is not None:
            for number, data in current[1].items():
                pid = pid_table().get(number)
                values = pid.decode(data) if pid else {}
                how |= how_meant(values)
                found += [Sample(message.time, key, value) for key, value in as_meant(values, how).items()]
        elif message.payload[0] == 0x62:
            position = 1
            while position + 2 < len(message.payload):
                row = rows.get(int.from_bytes(message.payload[position : position + 2], "big"))
                if row is None:
                    break
                data = message.payload[position + 2 : position + 2 + row.size]
                if len(data) == row.size:
                    found.append(Sample(message.time, row.key, row.field.read(data)))
                position += 2 + row.size
    return found


def engine_in(heard: Iterable[Message]) -> int:
    """The id of the module that told engine speed and load most often; without any, where engines usually answer."""
    told: dict[int, int] = {}
    for pair in pairs(heard):
        current = current_data(pair.answer.payload, pair.request)
        if current is not None:
            at = pair.answer.id
            told[at] = told.get(at, 0) + sum(number in current[1] for number in (0x04, 0x0C))
    return max(told, key=lambda number: told[number], default=Addressing.ELEVEN_BIT.response_id(0))


def current_data(payload: bytes, asked: bytes = b"") -> tuple[Dialect, dict[int, bytes]] | None:
    """The parts of an answer that tells current data, and the way it is told; None where it tells something else.
    Without knowing what was asked, up to the first part that is not known."""
    way = next((way for way in (CLASSIC, ON_UDS) if payload.startswith(way.answers)), None)
    if way is None:
        return None
    step = len(way.page) + 1
    wanted = [row[-1] for at in range(1, len(asked), step) if (row := asked[at : at + step]).startswith(way.page)]
    if wanted:
        return way, way.read(payload, {number for number in wanted if number % 0x20 == 0 or number in pid_table()})[0]
    found: dict[int, bytes] = {}
    position = 1
    while payload.startswith(way.page, position) and position + len(way.page) < len(payload):
        position += len(way.page)
        number = payload[position]
        pid = pid_table().get(number)
        size = 4 if number % 0x20 == 0 else (pid.size if pid else 0)
        data = payload[position + 1 : position + 1 + size]
        if not size or len(data) < size:
            break
        found[number] = data
        position += 1 + size
    return way, found


class ToldValues:
    """What one module of a log told of current data, in which way, to be told again however it is asked for."""

    def __init__(self) -> None:
        self.way: Dialect | None = None
        self._rows: dict[int, list[bytes]] = {}
        self._at: dict[int, int] = {}

    def hear(self, way: Dialect, told: dict[int, bytes]) -> None:
        """One answer of the log. The way first heard stands."""
        self.way = self.way or way
        for number, data in told.items():
            self._rows.setdefault(number, []).append(data)

    def answer(self, request: bytes, *, last: bool = False) -> bytes | None:
        """What is told of a request for current data: one value after another, the last from then on; None where it
        asks for something else, or in the other way, or nothing of it was told. ``last``: the last value at once."""
        way = self.way
        if way is None or not request.startswith(bytes((way.service,)) + way.page):
            return None
        step = len(way.page) + 1
        found = b""
        for number in (request[at : at + step][-1] for at in range(1, len(request), step)):
            if number % 0x20 == 0:
                beyond = {base for base in range(number + 0x20, 0xE0, 0x20) if any(n > base for n in self._told)}
                if number == 0 or any(n > number for n in self._told):
                    found += way.page + bytes((number,)) + bitmap_for(number, self._told | beyond)
            elif number in self._rows:
                rows, at = self._rows[number], self._at.get(number, 0)
                found += way.page + bytes((number,)) + rows[-1 if last else min(at, len(rows) - 1)]
                self._at[number] = at + 1
        return bytes((way.service + 0x40,)) + found if found else None

    @property
    def _told(self) -> set[int]:
        return {number for number in self._rows if number % 0x20}


@dataclass(frozen=True)
class Pair:
    """An answer with what was asked: the request's id and bytes, 0 and none where the log does not hold it."""

    asked_on: int
    request: bytes
    answer: Message


def is_wide(heard: Iterable[Message]) -> bool:
    """Whether they talk with 29 bits."""
    return any(message.id > 0x7FF for message in heard)


def pairs(heard: Iterable[Message]) -> Iterator[Pair]:
    """Answers in their order, each with the last request before it that it can answer; "wait" is no answer."""
    asked: list[Message] = []
    for message in heard:
        payload = message.payload
        if _asks(message.id):
            asked = [*asked[-8:], message]
            continue
        refused = payload[:1] == b"\x7f" and len(payload) >= 3
        if not payload or (refused and payload[2] == PENDING) or not (refused or payload[0] >= 0x40):
            continue
        service = payload[1] if refused else payload[0] - 0x40
        request = next((row for row in reversed(asked) if row.payload[:1] == bytes((service & 0xFF,))), None)
        yield Pair(request.id if request else 0, request.payload if request else b"", message)


class LoggedLink(Link):
    """Answers as the log holds them: a scan of it asks again what was asked then."""

    def __init__(self, addressing: Addressing) -> None:
        super().__init__(addressing, Timing(busy_limit=0.0))
        self.answers: dict[tuple[int, bytes], bytes] = {}
        self.values: dict[int, ToldValues] = {}

    def close(self) -> None:
        """Nothing is held."""

    @classmethod
    def of(cls, heard: Iterable[Message]) -> LoggedLink:
        """From the messages of a log. An answer belongs to the last request before it that it can answer."""
        rows = list(heard)
        link = cls(Addressing.TWENTY_NINE_BIT if is_wide(rows) else Addressing.ELEVEN_BIT)
        for pair in pairs(rows):
            if pair.request:
                link.answers[pair.answer.id, pair.request] = pair.answer.payload
            current = current_data(pair.answer.payload, pair.request)
            if current is not None:
                link.values.setdefault(pair.answer.id, ToldValues()).hear(*current)
        return link

    def _everybody(self, payload: bytes) -> Exchange:
        responders = sorted({responder for responder, _ in self.answers} | set(self.values))
        known = [number for number in responders if self.addressing.is_response(number)]
        found = [Response(r, a) for r in known if (a := self._answer(r, payload)) is not None]
        return Exchange(tuple(row for row in found if row.refusal is None))

    def _asked_once(self, request_id: int, response_id: int, payload: bytes) -> Response:
        answer = self._answer(response_id, payload)
        if answer is None:
            raise NoAnswer(f"The log holds no answer of {request_id:X} to {payload.hex().upper()}.")
        return Response(response_id, answer)

    def _answer(self, responder: int, payload: bytes) -> bytes | None:
        told = self.values[responder].answer(payload, last=True) if responder in self.values else None
        if told is not None:
            return told
        asked = {request[0] for number, request in self.answers if number == responder}
        if payload == CLASSIC.call and asked & LAW_SERVICES:  # it spoke so, whether or not it was called so
            return CLASSIC_EMPTY
        if payload == PRESENT and max(asked, default=0) > max(LAW_SERVICES):
            return bytes((PRESENT[0] + 0x40, 0))
        return self.answers.get((responder, payload))


def _asks(identifier: int) -> bool:
    if identifier <= 0x7FF:
        return identifier == Addressing.ELEVEN_BIT.functional_id or not identifier & 0x008
    return identifier >> 16 == 0x18DB or identifier & 0xFF == 0xF1


def snapshot_of(
    heard: list[Message], beyond: Iterable[ModuleAddress] = (), monitor_of: MonitorOf = nobody_says
) -> Snapshot | None:
    """The scan that a log amounts to, up to the first clearing in it; None when no code was asked for in it."""
    cleared = next((n for n, row in enumerate(heard) if _asks(row.id) and row.payload[:1] in CLEARS), None)
    before = heard[:cleared] if cleared else heard
    if not any(row.payload[:1] in (b"\x43", b"\x47", b"\x59") for row in before):
        return None
    link = LoggedLink.of(before)
    try:
        there = [row for row in beyond if any(r == row.response_id for r, _ in link.answers)]
        found = scan(link, beyond=there, monitor_of=monitor_of)
    except NoAnswer:
        return None
    moment = before[0].time
    note = "from a log" + ("; what came after the codes were cleared in it is not in this scan" if cleared else "")
    taken = datetime.fromtimestamp(moment, UTC) if moment > EPOCH_S else datetime.now(UTC)
    return replace(found, taken_at=taken, problems=(*found.problems, note))
