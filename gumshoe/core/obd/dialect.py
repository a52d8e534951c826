"""The two ways in which the law's diagnosis is spoken, and how current data is asked for in each.

SAE J1979 has services of its own (01 to 0A); SAE J1979-2 is the same diagnosis by the services of UDS (ISO 14229-1):
number XX of service 01 is identifier F4XX of service 22, and its bytes are the same [S].
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.obd.pids import read_current, supported_from_bitmap

CURRENT, READ_DATA = 0x01, 0x22
VALUES_PAGE, RESULTS_PAGE, ABOUT_PAGE = 0xF4, 0xF6, 0xF8
"""The pages of identifiers that hold what services 01, 06 and 09 held (SAE J1979-2, ISO 27145-2 [S])."""


@dataclass(frozen=True)
class Dialect:
    """One of the two. ``page`` stands before every number."""

    words: str
    service: int
    page: bytes = b""

    @property
    def call(self) -> bytes:
        """What everybody who speaks it answers: the first bitmap."""
        return self.bitmap(0x00)

    @property
    def answers(self) -> bytes:
        """What an answer that tells current data begins with."""
        return bytes((self.service + 0x40,)) + self.page

    def current(self, numbers: Iterable[int]) -> bytes:
        """The request for these numbers at once."""
        return bytes((self.service,)) + b"".join(self.page + bytes((number,)) for number in numbers)

    def bitmap(self, base: int) -> bytes:
        """The request for what there is after ``base``."""
        return self.current((base,))

    def announced(self, base: int, payload: bytes) -> set[int] | None:
        """The numbers that an answer to ``bitmap`` announces; None where it does not tell."""
        head = self.answers + bytes((base,))
        if not payload.startswith(head) or len(payload) < len(head) + 4:
            return None
        return supported_from_bitmap(base, payload[len(head) : len(head) + 4])

    def read(self, payload: bytes, asked: Iterable[int]) -> tuple[dict[int, bytes], str]:
        """The bytes that an answer tells, by number, and what was wrong with it."""
        return read_current(payload, asked, page=self.page)


CLASSIC = Dialect("SAE J1979", CURRENT)
ON_UDS = Dialect("SAE J1979-2 (OBD on UDS)", READ_DATA, bytes((VALUES_PAGE,)))
