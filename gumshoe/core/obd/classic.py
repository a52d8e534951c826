"""A module that speaks SAE J1979: its codes, freeze frame, readiness and monitor results by services 01 to 0A."""

from __future__ import annotations

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.obd.current import FRAME, LAST_BITMAP
from gumshoe.core.obd.dialect import CLASSIC, Dialect
from gumshoe.core.obd.pids import as_meant, pid_table, supported_from_bitmap
from gumshoe.core.obd.reader import Reader
from gumshoe.core.obd.snapshot import FreezeFrame, Part, StoredCode

CODE_SERVICES = {
    0x03: (CodeState.CONFIRMED, Part.CONFIRMED),
    0x07: (CodeState.PENDING, Part.PENDING),
    0x0A: (CodeState.PERMANENT, Part.PERMANENT),
}
MUST_ANSWER = frozenset({0x03, 0x07})
"""Every module answers these; silence is a fault of the link, not an empty list of codes."""
USUAL_FRAME = frozenset({0x04, 0x05, 0x0C, 0x0D})
"""What a frame is asked for where it does not say what it holds."""


class ClassicReader(Reader):
    """Reads one module by SAE J1979."""

    dialect = CLASSIC
    results = Dialect("monitor results", 0x06)

    def _codes(self) -> tuple[StoredCode, ...]:
        return tuple(code for service in CODE_SERVICES for code in self._of_service(service))

    def _records(self, mid: int, payload: bytes) -> bytes:
        return payload

    def _of_service(self, service: int) -> list[StoredCode]:
        state, part = CODE_SERVICES[service]
        payload = self._ask(bytes((service,)), part.value, part, must=service in MUST_ANSWER)
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

    def _frames(self, codes: tuple[StoredCode, ...]) -> tuple[FreezeFrame, ...]:
        payload = self._ask(b"\x02\x02\x00", "freeze frame", Part.FRAMES)
        if payload is None or len(payload) < 5 or payload[3:5] == b"\x00\x00":
            return ()
        code = TroubleCode.from_bytes(payload[3], payload[4])
        table = pid_table()
        values: dict[str, float] = {}
        wanted = sorted((self._held() & set(table)) - {0x02})
        for number, data in self._told(FRAME, wanted, "freeze frame", Part.FRAMES).items():
            values |= table[number].decode(data)
        return (FreezeFrame(code, as_meant(values, self._how)),)

    def _held(self) -> set[int]:
        """The numbers that the frame holds."""
        found: set[int] = set()
        base: int | None = 0x00
        while base is not None:
            payload = self._ask(bytes((FRAME, base, 0)), "freeze frame contents", Part.FRAMES)
            told = supported_from_bitmap(base, payload[3:7]) if payload is not None and len(payload) >= 7 else set()
            if not told and base == 0x00:
                return set(USUAL_FRAME)
            found |= told
            base = base + 0x20 if base + 0x20 in told and base < LAST_BITMAP else None
        return found
