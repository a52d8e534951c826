"""What every reader of a module shares: it asks step by step, asks again what is lost, and says what is not known.

What a module refuses or answers badly becomes a line in ``problems``, and the part of it that is not known is named in
its ``unread``; the rest goes on.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Mapping

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.current import LAST_BITMAP, Values
from gumshoe.core.obd.dialect import ABOUT_PAGE, CLASSIC, CURRENT, ON_UDS, READ_DATA, Dialect
from gumshoe.core.obd.errors import BadAnswer, BrokenAnswer, LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.pids import as_meant, how_meant, pid_table, readable
from gumshoe.core.obd.results import MIDS, MonitorResult, decode_results
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, Part, Speaks, StoredCode, Unread
from gumshoe.core.obd.status import MonitorStatus, decode_status
from gumshoe.core.powertrain.vin import check_vin

Progress = Callable[[str, float], None]
NOT_SO = (0x12, 0x31)
"""Refusals of a request as it was made: format or range (ISO 14229-1 [S])."""
NOT_OFFERED = (0x11, 0x7E, 0x7F, *NOT_SO)
"""Refusals that say that there is no such thing here."""
REPEATS = 3
"""So often an answer that does not come is asked for, twice each by the link."""
BROKEN_REPEATS = 12
"""So often one that began and broke off: it is there to be had, and a long one has many frames to lose."""
VIN, CALIBRATIONS, VERIFICATIONS, NAME = 0x02, 0x04, 0x06, 0x0A
SIZES = {VIN: 17, CALIBRATIONS: 16, VERIFICATIONS: 4, NAME: 20}
"""Bytes of an item of vehicle information (SAE J1979 [S])."""
WORDS = {VIN: "VIN", CALIBRATIONS: "calibration ids", VERIFICATIONS: "verification numbers", NAME: "its name"}
INFORMATION = 0x09
STATE, STATE_OF_TRIP = 0x01, 0x41
"""The numbers of the monitor status, since the codes were cleared and of this drive cycle."""


def name_of(link: Link, module: int) -> str:
    """What a module calls itself; nothing where it does not say."""
    try:
        payload = link.ask(module, _information(link, module, NAME)).payload
    except LinkError:
        return ""
    return next((readable(item) for item in _cut(payload, NAME)[0]), "")


def _information(link: Link, module: int, info: int) -> bytes:
    classic = link.dialect(module) is CLASSIC
    return bytes((INFORMATION, info)) if classic else bytes((READ_DATA, ABOUT_PAGE, info))


def _cut(payload: bytes, info: int) -> tuple[list[bytes], bool]:
    """The items of an answer about the vehicle (``49 info count item…``, ``62 F8 info item…``, some with their count
    too), and whether they are as many and as long as they should be."""
    size, counted = SIZES[info], payload[:1] == bytes((INFORMATION + 0x40,))
    body = payload[2:] if counted else payload[3:]
    count = body[0] if body and (counted or len(body) % size == 1) else len(body) // size
    body = body[1:] if counted or len(body) % size == 1 else body
    return [body[start : start + size] for start in range(0, len(body), size)], len(body) == count * size


class Reader(ABC):
    """Reads one module step by step; each step that fails is noted and skipped."""

    def __init__(
        self,
        link: Link,
        responder: int,
        problems: list[str],
        expect: Callable[[str], None] = lambda _vin: None,
        repeats: int = 0,
    ) -> None:
        self.link, self.responder, self.problems, self.expect = link, responder, problems, expect
        self._repeats = repeats or REPEATS
        self._fell_silent = False
        self._how: dict[str, float] = {}
        """What it says of how its values are meant (``pids.how_meant``)."""
        self._unread: dict[Part, Unread] = {}

    def read(self, tell: Progress) -> ModuleSnapshot:
        """Everything the module offers."""
        called = f"module {self.responder:X}"
        tell(f"{called}: identification", 0.0)
        vin = self._vin()
        name, calibrations = self._name(), self._texts(CALIBRATIONS)
        verifications = tuple(item.hex().upper() for item in self._items(VERIFICATIONS))
        tell(f"{called}: current data", 0.3)
        pids = self._supported(self.dialect, pid_table(), Part.VALUES)
        values, raw = self._values(pids)
        if STATE in pids and STATE not in raw:
            self._miss(Part.STATUS, "it did not tell")
        tell(f"{called}: codes", 0.5)
        codes = self._codes()
        tell(f"{called}: freeze frame", 0.6)
        frames = self._frames(codes)
        tell(f"{called}: readiness and monitor results", 0.8)
        status, trip_status = self._readiness(raw, values, codes)
        results = self._results()
        return ModuleSnapshot(
            self.responder,
            name=name,
            vin=vin,
            calibrations=calibrations,
            verifications=verifications,
            status=status,
            trip_status=trip_status,
            codes=codes,
            frames=frames,
            results=results,
            values=values,
            pids=tuple(sorted(pids)),
            unread=tuple(self._unread.values()),
            speaks=Speaks.ON_UDS if self.dialect is ON_UDS else Speaks.CLASSIC,
        )

    def lists(self) -> tuple[tuple[StoredCode, ...], MonitorStatus | None, MonitorStatus | None, frozenset[Part]]:
        """Codes and readiness alone, and which parts were not told."""
        codes = self._codes()
        return codes, *self._readiness({}, {}, codes), frozenset(self._unread)

    # -- what each dialect has of its own -----------------------------------------------------------------

    dialect: Dialect
    results: Dialect
    """How monitor results are asked for: by their monitor's number."""

    @abstractmethod
    def _codes(self) -> tuple[StoredCode, ...]:
        """Its codes in every state."""

    @abstractmethod
    def _frames(self, codes: tuple[StoredCode, ...]) -> tuple[FreezeFrame, ...]:
        """What was stored with its codes."""

    @abstractmethod
    def _records(self, mid: int, payload: bytes) -> bytes:
        """An answer about a monitor in the layout of service 06."""

    def _readiness(
        self, raw: Mapping[int, bytes], values: Mapping[str, float], codes: tuple[StoredCode, ...]
    ) -> tuple[MonitorStatus | None, MonitorStatus | None]:
        """Lamp and readiness, since the codes were cleared and of this drive cycle: as its current data tells them."""
        told = {number: decode_status(raw[number]) for number in (STATE, STATE_OF_TRIP) if number in raw}
        return told.get(STATE), told.get(STATE_OF_TRIP)

    def _results(self) -> tuple[MonitorResult, ...]:
        found: list[MonitorResult] = []
        for mid in sorted(self._supported(self.results, MIDS, Part.RESULTS)):
            payload = self._ask(self.results.current((mid,)), f"monitor {mid:02X}", Part.RESULTS)
            if payload is None:
                continue
            try:
                found += decode_results(self._records(mid, payload))
            except BadAnswer as error:
                self.problems.append(f"monitor {mid:02X}: {error.what}")
                self._miss(Part.RESULTS, f"the answer about monitor {mid:02X} could not be read")
        return tuple(found)

    # -- asking -------------------------------------------------------------------------------------------

    def _ask(self, payload: bytes, what: str, part: Part, *, must: bool = False) -> bytes | None:
        """The answer's payload, or None after noting why there is none and which part is not known for it.

        A refusal of an optional service is silent, and so is silence unless the module ``must`` answer; a busy module
        is asked again by the link; an answer that broke off or did not come is asked for again here.
        """
        if self._fell_silent:
            self._miss(part, "the module had fallen silent")
            return None
        error: LinkError = NoAnswer("not asked")
        tries, most = 0, self._repeats
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
        self._not_heard(error, what, part, must=must)
        return None

    def _refuse(self, error: Refused, what: str, part: Part) -> None:
        if error.reason in NOT_OFFERED:
            if part not in (Part.VALUES, Part.IDENTITY):
                self._miss(part, "the module does not offer it", offered=False)
            return
        self.problems.append(f"{what}: {error.what}")
        self._miss(part, error.what)

    def _not_heard(self, error: LinkError, what: str, part: Part, *, must: bool = False) -> None:
        """Silence is one way of saying "not supported", as long as the module is there at all."""
        if not self.link.is_there(self.responder):
            self._fell_silent = True
            self.problems.append(f"module {self.responder:X} fell silent at “{what}”: what came after was not read.")
            self._miss(part, "the module fell silent")
            return
        if isinstance(error, BrokenAnswer):
            self.problems.append(f"{what}: {error.what}")
            self._miss(part, "its answer broke off")
        elif must:
            self.problems.append(f"{what}: {error.what} It was asked again and again; what is missing is not known.")
            self._miss(part, "no answer")
        elif part not in (Part.VALUES, Part.IDENTITY):
            self._miss(part, "no answer; perhaps the module does not offer it")

    def _miss(self, part: Part, why: str, *, offered: bool = True) -> None:
        """Note a part as not known; the first reason stands."""
        self._unread.setdefault(part, Unread(part, why, offered))

    # -- numbers and values -------------------------------------------------------------------------------

    def _supported(self, way: Dialect, known: Iterable[int], part: Part) -> set[int]:
        """Numbers announced by the chain of bitmaps 00, 20, 40 …; only those we can decode are returned."""
        found: set[int] = set()
        base = 0
        while base <= LAST_BITMAP:
            request = way.bitmap(base)
            what = f"numbers of {part.value}, {request.hex(' ').upper()}"
            payload = self._ask(request, what, part)
            announced = None if payload is None else way.announced(base, payload)
            if payload is not None and announced is None:
                self.problems.append(f"{what}: the module answered without telling them.")
                self._miss(part, "the module answered without telling what it has")
            if announced is None:
                break
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
        self._how = how_meant(values)
        return as_meant(values, self._how), raw

    def _told(self, service: int, numbers: list[int], what: str, part: Part) -> dict[int, bytes]:
        """The bytes of these numbers; what was not heard is asked for again, what is told badly gets a line."""
        if self._fell_silent:
            self._miss(part, "the module had fallen silent")
            return {}
        data = Values(self.link, self.responder, service)
        found: dict[int, bytes] = {}
        left, untold = numbers, dict[int, LinkError]()
        for _ in range(self._repeats):
            try:
                found |= data.ask(left)
            except NoAnswer as error:
                self._not_heard(error, what, part)
                if self._fell_silent:
                    return found
                continue
            untold |= data.why
            left = [number for number, why in data.why.items() if isinstance(why, NoAnswer | BrokenAnswer)]
            if not left:
                break
        for number, cause in untold.items():
            if number in found or (isinstance(cause, Refused) and cause.reason in NOT_OFFERED):
                continue
            self.problems.append(f"{what}: {cause.what}")
            self._miss(part, f"PID {number:02X} was not told or could not be read")
        return found

    # -- who it is ----------------------------------------------------------------------------------------

    def _items(self, info: int) -> list[bytes]:
        what = f"vehicle information, {WORDS[info]}"
        payload = self._ask(_information(self.link, self.responder, info), what, Part.IDENTITY)
        if payload is None or len(payload) < 3:
            return []
        found, whole = _cut(payload, info)
        if not whole:
            self.problems.append(f"{what}: its length is not that of what it announced; what came was kept.")
        return found

    def _texts(self, info: int) -> tuple[str, ...]:
        return tuple(readable(item) for item in self._items(info))

    def _name(self) -> str:
        return next(iter(self._texts(NAME)), "")

    def _vin(self) -> str:
        """The VIN, before anything else is asked: it may be another car's."""
        request = _information(self.link, self.responder, VIN)
        payload = self._ask(request, "vehicle information, VIN", Part.IDENTITY)
        if payload is None or len(payload) < 3:
            return ""
        vin = self._whole_vin(payload[3:])
        if vin:
            self.expect(vin)
        return vin

    def _whole_vin(self, body: bytes) -> str:
        """The last 17 bytes of what came, since some modules fill it up with zeros in front. One that is not whole is
        not stored: half a VIN is another car's."""
        body = body.strip(b"\x00\xff ")
        try:
            return check_vin(readable(body)).vin if body else ""
        except BadInput as error:
            self.problems.append(f"VIN: {error.what} It was not stored.")
            self._miss(Part.IDENTITY, "its VIN is not whole")
            return ""
