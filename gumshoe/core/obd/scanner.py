"""The scan client: one press, and everything a vehicle says about itself is in a Snapshot.

What a module refuses or answers badly becomes a line in ``problems``, and the part of it that is not known is named in
its ``unread``; the rest of the scan goes on.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace
from datetime import UTC, datetime

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.errors import BadInput
from gumshoe.core.obd.current import CURRENT, FRAME, Values
from gumshoe.core.obd.errors import BadAnswer, BrokenAnswer, LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import pid_table, readable, supported_from_bitmap
from gumshoe.core.obd.results import MonitorResult, decode_results
from gumshoe.core.obd.snapshot import (
    FreezeFrame,
    ModuleSnapshot,
    Part,
    SilentModule,
    Snapshot,
    StoredCode,
    Unread,
)
from gumshoe.core.obd.status import decode_status
from gumshoe.core.obd.uds import ModuleAddress, read_modules
from gumshoe.core.powertrain.vin import check_vin

Progress = Callable[[str, float], None]
NOT_SO = (0x12, 0x31)
"""Refusals of a request as it was made: format or range (ISO 14229-1 [S])."""
MUST_ANSWER = frozenset({0x03, 0x07})
"""Every module answers these; silence is a fault of the link, not an empty list of codes."""
REPEATS = 3
"""So often an answer that does not come is asked for, twice each by the link."""
BROKEN_REPEATS = 12
"""So often one that began and broke off: it is there to be had, and a long one has many frames to lose."""
ROLL_CALLS = 3
"""So often everybody is called at least, and until twice running nobody new answers."""
_CODE_SERVICES = {
    0x03: (CodeState.CONFIRMED, Part.CONFIRMED),
    0x07: (CodeState.PENDING, Part.PENDING),
    0x0A: (CodeState.PERMANENT, Part.PERMANENT),
}
_IDENTITY = {0x02: "VIN", 0x04: "calibration ids", 0x06: "verification numbers", 0x0A: "its name"}


def scan(
    link: Link,
    progress: Progress | None = None,
    beyond: Iterable[ModuleAddress] = (),
    expect: Callable[[str], None] = lambda _vin: None,
    known: Mapping[int, str] | None = None,
) -> Snapshot:
    """Read every module that answers, then those ``beyond`` the engine by UDS. ``known``: the names of modules that
    earlier scans of this car met, by the id they answer on; one that does not answer now is looked for, and is silent.

    ``expect`` hears of each VIN before anything else is read of its module, and may raise: it is another car. Raises
    NoAnswer when no module answers, BusFailure when the adapter fails.
    """
    tell = progress or (lambda _what, _share: None)
    tell("looking for modules", 0.0)
    heard, broken = _roll_call(link)
    silent = []
    for number, name in sorted((known or {}).items()):
        if number not in heard:
            if link.is_there(number):
                heard.add(number)
            else:
                silent.append(SilentModule(name, number, "it answered an earlier scan of this car, and does not now"))
    if not heard:
        raise NoAnswer("No module answered the scan.")
    problems = [why for number, why in broken.items() if number not in heard]
    problems += [f"{row.name} ({row.responder:X}): {row.why}." for row in silent]
    responders = sorted(heard)
    modules = []
    for index, responder in enumerate(responders):
        reader = ModuleReader(link, responder, problems, expect)
        share = 1.0 / len(responders)
        modules.append(
            reader.read(lambda what, part, base=index * share, share=share: tell(what, base + part * share))  # type: ignore[misc]
        )
    modules += read_modules(link, beyond, problems, tell, silent)
    for responder, why in sorted(broken.items()):
        if responder not in responders and all(row.responder != responder for row in silent):
            silent.append(SilentModule(f"module {responder:X}", responder, why))
    tell("done", 1.0)
    return Snapshot(datetime.now(UTC), link.speaks, tuple(modules), tuple(problems), tuple(silent))


def _roll_call(link: Link) -> tuple[set[int], dict[int, str]]:
    """Who answers when everybody is called, and whose answers broke off. The first call may only wake the modules, and
    a lost frame hides one: it is called again until nobody new answers."""
    heard: set[int] = set()
    broken: dict[int, str] = {}
    calls = quiet = 0
    while calls < ROLL_CALLS or (heard and quiet < 2):
        found = link.ask_all(b"\x01\x00")
        new = {answer.responder for answer in found.answers} - heard
        calls, quiet = calls + 1, 0 if new else quiet + 1
        heard |= new
        broken |= found.broken
    return heard, broken


class ModuleReader:
    """Reads one module step by step; each step that fails is noted and skipped."""

    def __init__(
        self, link: Link, responder: int, problems: list[str], expect: Callable[[str], None] = lambda _vin: None
    ) -> None:
        self.link, self.responder, self.problems, self.expect = link, responder, problems, expect
        self._fell_silent = False
        self._unread: dict[Part, Unread] = {}

    def read(self, tell: Progress) -> ModuleSnapshot:
        """Everything the module offers."""
        tell(f"module {self.responder:X}: identification", 0.0)
        vin = self._vin()
        if vin:
            self.expect(vin)
        snapshot = replace(
            ModuleSnapshot(self.responder),
            name=self._text(0x0A),
            vin=vin,
            calibrations=self._texts(0x04, 16),
            verifications=tuple(item.hex().upper() for item in self._items(0x06, 4)),
        )
        tell(f"module {self.responder:X}: current data", 0.3)
        pids = self._supported(0x01, pid_table(), Part.VALUES)
        values, raw = self._values(pids)
        if 0x01 in pids and 0x01 not in raw:
            self._miss(Part.STATUS, "it did not tell")
        snapshot = replace(
            snapshot,
            pids=tuple(sorted(pids)),
            values=values,
            status=decode_status(raw[0x01]) if 0x01 in raw else None,
            trip_status=decode_status(raw[0x41]) if 0x41 in raw else None,
        )
        tell(f"module {self.responder:X}: codes", 0.5)
        codes = tuple(code for service in _CODE_SERVICES for code in self._codes(service))
        tell(f"module {self.responder:X}: freeze frame", 0.6)
        frames = self._frames()
        tell(f"module {self.responder:X}: monitor results", 0.8)
        results = self._results()
        return replace(snapshot, codes=codes, frames=frames, results=results, unread=tuple(self._unread.values()))

    # -- steps --------------------------------------------------------------------------------------------

    def _ask(self, payload: bytes, what: str, part: Part) -> bytes | None:
        """The answer's payload, or None after noting why there is none and which part is not known for it.

        A refusal of an optional service is silent; a busy module is asked again by the link; an answer that broke off
        or did not come is asked for again here.
        """
        if self._fell_silent:
            self._miss(part, "the module had fallen silent")
            return None
        error: LinkError = NoAnswer("not asked")
        tries, most = 0, REPEATS
        while tries < most:
            tries += 1
            try:
                return self.link.ask(self.responder, payload).payload
            except Refused as refused:
                self._refuse(refused, what, part)
                return None
            except NoAnswer as missing:
                error = error if isinstance(error, BrokenAnswer) else missing
            except BrokenAnswer as broken:
                error, most = broken, BROKEN_REPEATS
        self._not_heard(error, payload[0], what, part)
        return None

    def _refuse(self, error: Refused, what: str, part: Part) -> None:
        if error.reason in (0x11, *NOT_SO):
            if part not in (Part.VALUES, Part.IDENTITY):
                self._miss(part, "the module does not offer it", offered=False)
            return
        self.problems.append(f"{what}: {error.what}")
        self._miss(part, error.what)

    def _not_heard(self, error: LinkError, service: int, what: str, part: Part) -> None:
        """Silence is one way of saying "not supported", as long as the module is there at all."""
        if not self.link.is_there(self.responder):
            self._fell_silent = True
            self.problems.append(f"module {self.responder:X} fell silent at “{what}”: what came after was not read.")
            self._miss(part, "the module fell silent")
            return
        if isinstance(error, BrokenAnswer):
            self.problems.append(f"{what}: {error.what}")
            self._miss(part, "its answer broke off")
        elif service in MUST_ANSWER:
            self.problems.append(f"{what}: {error.what} It was asked again and again; what is missing is not known.")
            self._miss(part, "no answer")
        elif part not in (Part.VALUES, Part.IDENTITY):
            self._miss(part, "no answer; perhaps the module does not offer it")

    def _miss(self, part: Part, why: str, *, offered: bool = True) -> None:
        """Note a part as not known; the first reason stands."""
        self._unread.setdefault(part, Unread(part, why, offered))

    def _supported(self, service: int, known: Iterable[int], part: Part) -> set[int]:
        """Numbers announced by the chain of bitmaps 00, 20, 40 …; only those we can decode are returned."""
        found: set[int] = set()
        base = 0
        while base <= 0xE0:
            payload = self._ask(bytes((service, base)), f"numbers of service {service:02X} from {base:02X}", part)
            if payload is not None and len(payload) < 6:
                self.problems.append(f"numbers of service {service:02X}: the module answered without telling them.")
                self._miss(part, "the module answered without telling what it has")
            if payload is None or len(payload) < 6:
                break
            announced = supported_from_bitmap(base, payload[2:6])
            found |= announced
            base += 0x20
            if base not in announced:
                break
        return found & set(known)

    def _values(self, pids: set[int]) -> tuple[dict[str, float], dict[int, bytes]]:
        raw = self._told(CURRENT, sorted(pids), "current data", Part.VALUES)
        table = pid_table()
        values: dict[str, float] = {}
        for number, data in raw.items():
            values |= table[number].decode(data)
        return values, raw

    def _told(self, service: int, numbers: list[int], what: str, part: Part) -> dict[int, bytes]:
        """The bytes of these numbers; what was not heard is asked for again, what is told badly gets a line."""
        if self._fell_silent:
            self._miss(part, "the module had fallen silent")
            return {}
        data = Values(self.link, self.responder, service)
        found: dict[int, bytes] = {}
        left, untold = numbers, dict[int, LinkError]()
        for _ in range(REPEATS):
            try:
                found |= data.ask(left)
            except NoAnswer as error:
                self._not_heard(error, service, what, part)
                if self._fell_silent:
                    return found
                continue
            untold |= data.why
            left = [number for number, why in data.why.items() if isinstance(why, NoAnswer | BrokenAnswer)]
            if not left:
                break
        for number, cause in untold.items():
            if number in found or (isinstance(cause, Refused) and cause.reason in (0x11, *NOT_SO)):
                continue
            self.problems.append(f"{what}: {cause.what}")
            self._miss(part, f"PID {number:02X} was not told or could not be read")
        return found

    def _codes(self, service: int) -> list[StoredCode]:
        state, part = _CODE_SERVICES[service]
        payload = self._ask(bytes((service,)), part.value, part)
        if payload is None:
            return []
        body = payload[2:]
        if len(payload) < 2 or len(body) != 2 * payload[1]:
            self.problems.append(
                f"{state.value} codes: the module announced {payload[1] if len(payload) > 1 else 0} codes "
                f"but sent {len(body)} bytes; those that are whole were kept."
            )
            self._miss(part, "the list was cut short; those that are whole were kept")
        codes = []
        for start in range(0, len(body) - 1, 2):
            if body[start] or body[start + 1]:
                codes.append(StoredCode(TroubleCode.from_bytes(body[start], body[start + 1]), state))
        return codes

    def _frames(self) -> tuple[FreezeFrame, ...]:
        payload = self._ask(b"\x02\x02\x00", "freeze frame", Part.FRAMES)
        if payload is None or len(payload) < 5 or payload[3:5] == b"\x00\x00":
            return ()
        code = TroubleCode.from_bytes(payload[3], payload[4])
        announced = self._ask(b"\x02\x00\x00", "freeze frame contents", Part.FRAMES)
        pids = {0x04, 0x05, 0x0C, 0x0D}
        if announced is not None and len(announced) >= 7:
            pids = supported_from_bitmap(0, announced[3:7])
            if 0x20 in pids:
                more = self._ask(b"\x02\x20\x00", "freeze frame contents", Part.FRAMES)
                if more is not None and len(more) >= 7:
                    pids |= supported_from_bitmap(0x20, more[3:7])
                    if 0x40 in pids:
                        rest = self._ask(b"\x02\x40\x00", "freeze frame contents", Part.FRAMES)
                        if rest is not None and len(rest) >= 7:
                            pids |= supported_from_bitmap(0x40, rest[3:7])
        table = pid_table()
        values: dict[str, float] = {}
        wanted = sorted((pids & set(table)) - {0x02})
        for number, data in self._told(FRAME, wanted, "freeze frame", Part.FRAMES).items():
            values |= table[number].decode(data)
        return (FreezeFrame(code, values),)

    def _results(self) -> tuple[MonitorResult, ...]:
        results: list[MonitorResult] = []
        everything = range(1, 0xE0)
        for mid in sorted(number for number in self._supported(0x06, everything, Part.RESULTS) if number % 0x20):
            payload = self._ask(bytes((0x06, mid)), f"monitor {mid:02X}", Part.RESULTS)
            if payload is None:
                continue
            try:
                results += decode_results(payload)
            except BadAnswer as error:
                self.problems.append(f"monitor {mid:02X}: {error.what}")
                self._miss(Part.RESULTS, f"the answer about monitor {mid:02X} could not be read")
        return tuple(results)

    def _items(self, info: int, size: int) -> list[bytes]:
        """The items of a service 09 answer: ``49 info count item…``."""
        payload = self._ask(bytes((0x09, info)), f"vehicle information, {_IDENTITY[info]}", Part.IDENTITY)
        if payload is None or len(payload) < 3:
            return []
        count, body = payload[2], payload[3:]
        if len(body) != count * size:
            self.problems.append(
                f"vehicle information, {_IDENTITY[info]}: {count * size} bytes announced, {len(body)} arrived."
            )
        return [body[start : start + size] for start in range(0, len(body), size)]

    def _texts(self, info: int, size: int) -> tuple[str, ...]:
        return tuple(readable(item) for item in self._items(info, size))

    def _text(self, info: int) -> str:
        texts = self._texts(info, 20)
        return texts[0] if texts else ""

    def _vin(self) -> str:
        """The VIN: the last 17 bytes of what came, since some modules fill it up with zeros in front. One that is not
        whole is not stored: half a VIN is another car's."""
        payload = self._ask(b"\x09\x02", "vehicle information, VIN", Part.IDENTITY)
        if payload is None or len(payload) < 3:
            return ""
        body = payload[3:].strip(b"\x00\xff ")
        try:
            return check_vin(readable(body)).vin if body else ""
        except BadInput as error:
            self.problems.append(f"VIN: {error.what} It was not stored.")
            self._miss(Part.IDENTITY, "its VIN is not whole")
            return ""
