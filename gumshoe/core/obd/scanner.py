"""The scan client: one press, and everything a vehicle says about itself is in a Snapshot.

What a module refuses or answers badly becomes a line in ``problems``; the rest of the scan goes on.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from datetime import UTC, datetime
from typing import TypeVar

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.obd.errors import BadAnswer, LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import MODULES, Link
from gumshoe.core.obd.pids import pid_table, split_current_data, supported_from_bitmap
from gumshoe.core.obd.results import MonitorResult, decode_results
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, Snapshot, StoredCode
from gumshoe.core.obd.status import decode_status
from gumshoe.core.obd.uds import ModuleAddress, read_modules

T = TypeVar("T")
Progress = Callable[[str, float], None]
NOT_SO = (0x12, 0x31)
"""Refusals of a request as it was made: format or range (ISO 14229-1 [S])."""
PIDS_PER_REQUEST = 6
MUST_ANSWER = frozenset({0x03, 0x07})
"""Every module answers these; silence is a fault of the link, not an empty list of codes."""
FRAME_PIDS_PER_REQUEST = 3
_CODE_SERVICES = {
    0x03: CodeState.CONFIRMED,
    0x07: CodeState.PENDING,
    0x0A: CodeState.PERMANENT,
}


def batches(items: Iterable[T], size: int) -> Iterator[tuple[T, ...]]:
    """Cut ``items`` into tuples of at most ``size``."""
    row = list(items)
    for start in range(0, len(row), size):
        yield tuple(row[start : start + size])


def scan(link: Link, progress: Progress | None = None, beyond: Iterable[ModuleAddress] = ()) -> Snapshot:
    """Read every module that answers, then those ``beyond`` the engine by UDS.

    Raises NoAnswer when none does, BusFailure when the adapter fails.
    """
    tell = progress or (lambda _what, _share: None)
    tell("looking for modules", 0.0)
    first = link.ask_all(b"\x01\x00")
    if not first.answers:  # the first request may only have woken the modules
        first = link.ask_all(b"\x01\x00")
    if not first.answers:
        raise NoAnswer("No module answered the scan.")
    problems = list(first.troubles)
    responders = sorted({answer.responder for answer in first.answers})
    modules = []
    for index, responder in enumerate(responders):
        module = next(number for number in MODULES if link.addressing.response_id(number) == responder)
        reader = ModuleReader(link, module, responder, problems)
        share = 1.0 / len(responders)
        modules.append(
            reader.read(lambda what, part, base=index * share, share=share: tell(what, base + part * share))  # type: ignore[misc]
        )
    modules += read_modules(link, beyond, problems, tell)
    tell("done", 1.0)
    return Snapshot(datetime.now(UTC), link.addressing.value, tuple(modules), tuple(problems))


class ModuleReader:
    """Reads one module step by step; each step that fails is noted and skipped."""

    def __init__(self, link: Link, module: int, responder: int, problems: list[str]) -> None:
        self.link, self.module, self.responder, self.problems = link, module, responder, problems
        self._refused = self._one_at_a_time = False

    def read(self, tell: Progress) -> ModuleSnapshot:
        """Everything the module offers."""
        tell(f"module {self.responder:X}: identification", 0.0)
        snapshot = ModuleSnapshot(self.responder)
        snapshot = replace(
            snapshot,
            name=self._text(0x0A),
            vin=self._text(0x02),
            calibrations=self._texts(0x04, 16),
            verifications=tuple(item.hex().upper() for item in self._items(0x06, 4)),
        )
        tell(f"module {self.responder:X}: current data", 0.3)
        pids = self._supported(0x01, pid_table())
        values, raw = self._values(pids)
        snapshot = replace(
            snapshot,
            pids=tuple(sorted(pids)),
            values=values,
            status=decode_status(raw[0x01]) if 0x01 in raw else None,
            trip_status=decode_status(raw[0x41]) if 0x41 in raw else None,
        )
        tell(f"module {self.responder:X}: codes", 0.5)
        codes = tuple(code for service, state in _CODE_SERVICES.items() for code in self._codes(service, state))
        tell(f"module {self.responder:X}: freeze frame", 0.6)
        frames = self._frames()
        tell(f"module {self.responder:X}: monitor results", 0.8)
        return replace(snapshot, codes=codes, frames=frames, results=self._results())

    # -- steps --------------------------------------------------------------------------------------------

    def _ask(self, payload: bytes, what: str) -> bytes | None:
        """The answer's payload, or None after noting why there is none. A refusal of an optional service is silent."""
        self._refused = False
        try:
            return self.link.ask(self.module, payload).payload
        except Refused as error:
            self._refused = error.reason in NOT_SO
            if error.reason not in (0x11, *NOT_SO):
                self.problems.append(f"{what}: {error.what}")
        except NoAnswer:
            # Silence is one way of saying "not supported"; but a frame can get lost, so it is believed only twice.
            return self._ask_again(payload, what)
        except LinkError as error:
            self.problems.append(f"{what}: {error.what}")
            if not isinstance(error, BadAnswer):
                self._check_alive()
        return None

    def _ask_again(self, payload: bytes, what: str) -> bytes | None:
        try:
            return self.link.ask(self.module, payload).payload
        except LinkError as error:
            if payload[0] in MUST_ANSWER and not isinstance(error, Refused):
                self.problems.append(f"{what}: {error.what} They were asked for twice; what is missing is not known.")
        return None

    def _check_alive(self) -> None:
        """After a broken answer: let the failure of the bus itself end the scan."""
        self.link.ask_all(b"\x01\x00")

    def _supported(self, service: int, known: Iterable[int]) -> set[int]:
        """Numbers announced by the chain of bitmaps 00, 20, 40 …; only those we can decode are returned."""
        found: set[int] = set()
        base = 0
        while base <= 0xE0:
            payload = self._ask(bytes((service, base)), f"supported PIDs from {base:02X}")
            if payload is None or len(payload) < 6:
                break
            announced = supported_from_bitmap(base, payload[2:6])
            found |= announced
            base += 0x20
            if base not in announced:
                break
        return found & set(known)

    def _values(self, pids: set[int]) -> tuple[dict[str, float], dict[int, bytes]]:
        raw: dict[int, bytes] = {}
        for group, payload in self._in_groups(0x01, sorted(pids), PIDS_PER_REQUEST, "current data"):
            try:
                raw |= split_current_data(payload, group)
            except BadAnswer as error:
                self.problems.append(f"current data: {error.what}")
        table = pid_table()
        values: dict[str, float] = {}
        for number, data in raw.items():
            values |= table[number].decode(data)
        return values, raw

    def _in_groups(
        self, service: int, pids: list[int], most: int, what: str
    ) -> Iterator[tuple[tuple[int, ...], bytes]]:
        """Answers to PIDs asked for together; one by one from where the module takes no more than one at a time."""
        asked = 1 if self._one_at_a_time else most
        for group in batches(pids, asked):
            tail = b"".join(bytes((pid, 0)) if service == 0x02 else bytes((pid,)) for pid in group)
            payload = self._ask(bytes((service,)) + tail, what)
            if payload is not None:
                yield group, payload
            elif len(group) > 1:
                refused, answers = self._refused, list(self._in_groups(service, list(group), 1, what))
                yield from answers
                self._one_at_a_time = refused and bool(answers)
                if self._one_at_a_time:
                    yield from self._in_groups(service, [pid for pid in pids if pid > group[-1]], 1, what)
                    return

    def _codes(self, service: int, state: CodeState) -> list[StoredCode]:
        payload = self._ask(bytes((service,)), f"{state.value} codes")
        if payload is None:
            return []
        body = payload[2:]
        if len(payload) < 2 or len(body) != 2 * payload[1]:
            self.problems.append(
                f"{state.value} codes: the module announced {payload[1] if len(payload) > 1 else 0} codes "
                f"but sent {len(body)} bytes; those that are whole were kept."
            )
        codes = []
        for start in range(0, len(body) - 1, 2):
            if body[start] or body[start + 1]:
                codes.append(StoredCode(TroubleCode.from_bytes(body[start], body[start + 1]).text, state))
        return codes

    def _frames(self) -> tuple[FreezeFrame, ...]:
        payload = self._ask(b"\x02\x02\x00", "freeze frame")
        if payload is None or len(payload) < 5 or payload[3:5] == b"\x00\x00":
            return ()
        code = TroubleCode.from_bytes(payload[3], payload[4]).text
        announced = self._ask(b"\x02\x00\x00", "freeze frame contents")
        pids = {0x04, 0x05, 0x0C, 0x0D}
        if announced is not None and len(announced) >= 7:
            pids = supported_from_bitmap(0, announced[3:7])
            if 0x20 in pids:
                more = self._ask(b"\x02\x20\x00", "freeze frame contents")
                if more is not None and len(more) >= 7:
                    pids |= supported_from_bitmap(0x20, more[3:7])
                    if 0x40 in pids:
                        rest = self._ask(b"\x02\x40\x00", "freeze frame contents")
                        if rest is not None and len(rest) >= 7:
                            pids |= supported_from_bitmap(0x40, rest[3:7])
        table = pid_table()
        values: dict[str, float] = {}
        wanted = sorted((pids & set(table)) - {0x02})
        for group, answer in self._in_groups(0x02, wanted, FRAME_PIDS_PER_REQUEST, "freeze frame"):
            position = 1
            while position + 1 < len(answer) and answer[position] in group:
                pid = table[answer[position]]
                data = answer[position + 2 : position + 2 + pid.size]
                if len(data) < pid.size:
                    self.problems.append(f"freeze frame: PID {pid.id:02X} is cut short.")
                    break
                values |= pid.decode(data)
                position += 2 + pid.size
        return (FreezeFrame(code, values),)

    def _results(self) -> tuple[MonitorResult, ...]:
        results: list[MonitorResult] = []
        everything = range(1, 0xE0)
        for mid in sorted(number for number in self._supported(0x06, everything) if number % 0x20):
            payload = self._ask(bytes((0x06, mid)), f"monitor {mid:02X}")
            if payload is None:
                continue
            try:
                results += decode_results(payload)
            except BadAnswer as error:
                self.problems.append(f"monitor {mid:02X}: {error.what}")
        return tuple(results)

    def _items(self, info: int, size: int) -> list[bytes]:
        """The items of a service 09 answer: ``49 info count item…``."""
        payload = self._ask(bytes((0x09, info)), f"vehicle information {info:02X}")
        if payload is None or len(payload) < 3:
            return []
        count, body = payload[2], payload[3:]
        if len(body) != count * size:
            self.problems.append(
                f"vehicle information {info:02X}: {count * size} bytes announced, {len(body)} arrived."
            )
        return [body[start : start + size] for start in range(0, len(body), size)]

    def _texts(self, info: int, size: int) -> tuple[str, ...]:
        return tuple(_readable(item) for item in self._items(info, size))

    def _text(self, info: int) -> str:
        texts = self._texts(info, 17 if info == 0x02 else 20)
        return texts[0] if texts else ""


def _readable(data: bytes) -> str:
    """Printable ASCII of a padded field; anything else is dropped, so that a bad module cannot draw on a screen."""
    return "".join(chr(byte) for byte in data if 32 <= byte < 127).strip()
