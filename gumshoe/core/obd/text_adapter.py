"""Serial adapters with text commands: a line goes out, lines come back, a prompt says that it is our turn.

Over a serial port, a Bluetooth serial port or TCP: whatever pyserial has an address for. The commands (AT …), the
answers in hexadecimal digits and the words for what went wrong are common practice of such adapters, from memory; a
cheap copy knows part of them, and what it does not know is done without.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Protocol

import serial

from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, LinkError, NoAnswer, why_not

PROMPT = b">"
READ_S = 0.02
"""How long one look at the port waits."""
WAKE_S, RESET_S, COMMAND_S = 1.0, 4.0, 2.0
SPEEDS = (38_400, 115_200, 9_600, 230_400, 500_000, 57_600, 19_200)
"""Speeds of a serial port, the usual first (common practice, from memory)."""
SCHEMES = frozenset({"socket", "rfc2217"})
"""Network addresses of pyserial that are taken; others of its kinds write files or run over whatever is plugged in."""
VOLTS = re.compile(r"(\d{1,2}\.\d)\s*V", re.IGNORECASE)


class Port(Protocol):
    """What is needed of a serial port; pyserial's have it."""

    def read(self, size: int = 1, /) -> bytes: ...
    def write(self, data: bytes, /) -> int | None: ...
    def close(self) -> None: ...
    @property
    def in_waiting(self) -> int: ...


class AdapterTrouble(BusFailure):
    """The adapter itself cannot go on."""

    remedies: tuple[str, ...] = (
        "pull the adapter out of the socket and plug it in again",
        "check its cable or its pairing, and that no other program uses it",
        "measure the socket: 12 V between pins 16 and 4",
    )


class NoPower(AdapterTrouble):
    """Its supply broke down."""

    remedies: tuple[str, ...] = (
        "measure the socket: 12 V between pins 16 and 4",
        "charge the battery: below some 9 V adapters give up",
    )


class NoBus(NoAnswer):
    """The adapter is well, and found no car that it could talk to."""

    remedies: tuple[str, ...] = (
        "switch the ignition on",
        "push the diagnostic plug fully home",
        "wake the car: open a door or cycle the key, then try again",
        "look up in the service information which pins of the socket the car uses",
    )


class BadBus(BusFailure):
    """Frames go out and are not taken, or come in that are none."""

    remedies: tuple[str, ...] = (
        "switch the ignition on: a sleeping bus takes no frames",
        "measure the bus: 60 Ω between the pair with the battery off",
        "unplug whatever else is on the socket",
        "let the protocol be found anew: Settings, Adapters, Test",
    )


@dataclass(frozen=True)
class Word:
    """What an adapter says instead of an answer, and what it means."""

    says: str
    error: type[LinkError]
    means: str


WORDS = (
    Word("UNABLE TO CONNECT", NoBus, "The adapter found no protocol that this car answers."),
    Word("BUS INIT: ERROR", NoBus, "The car did not answer the initialisation of its K line (ISO 9141-2, ISO 14230)."),
    Word(
        "BUS INIT: ...ERROR", NoBus, "The car did not answer the initialisation of its K line (ISO 9141-2, ISO 14230)."
    ),
    Word("NO DATA", NoAnswer, "Nobody answered."),
    Word("CAN ERROR", BadBus, "The adapter cannot place a frame on the bus."),
    Word("BUS ERROR", BadBus, "The adapter cannot place a frame on the bus."),
    Word("BUS BUSY", BadBus, "The bus is never free for the adapter to send."),
    Word("FB ERROR", BadBus, "The adapter does not hear its own frame: a short in the line."),
    Word("BUFFER FULL", BrokenAnswer, "More came than the adapter can hold; part of it is lost."),
    Word("DATA ERROR", BrokenAnswer, "An answer came damaged."),
    Word("RX ERROR", BrokenAnswer, "An answer came damaged."),
    Word("STOPPED", BrokenAnswer, "The adapter broke the request off."),
    Word("LV RESET", NoPower, "The adapter's supply broke down and it began anew."),
    Word("LP ALERT", NoPower, "The adapter goes to sleep for lack of supply."),
    Word("ACT ALERT", AdapterTrouble, "The adapter goes to sleep because it thinks that nobody uses it."),
    Word("ERR", AdapterTrouble, "The adapter reports a fault of its own."),
)
UNKNOWN = "?"
PASSING = re.compile(r"^(SEARCHING\.*|BUS INIT: ?\.*OK)\s*", re.IGNORECASE)
"""What an adapter says on the way to an answer."""


def complaint(line: str) -> LinkError | None:
    """What a line says went wrong; None for a line that is an answer."""
    plain = re.sub(r"\s+", " ", line.upper()).strip()
    for word in WORDS:
        if word.says in plain or word.says.replace(" ", "") == plain:
            return word.error(f"{word.means} The adapter says “{line.strip()[:40]}”.")
    return None


@dataclass(frozen=True)
class Greeting:
    """How an adapter presents itself: its words, the supply it measures, the commands that it does not know."""

    says: str
    volts: float | None
    lacks: tuple[str, ...]


MOST_TALK_S, MOST_TALK_BYTES = 30.0, 200_000
"""So long, and so much, an adapter may talk before its prompt."""


class TextAdapter:
    """The dialogue with one adapter: a command, its lines, the prompt."""

    def __init__(self, port: Port, address: str) -> None:
        self.port, self.address = port, address

    def close(self) -> None:
        """Give the port back."""
        self.port.close()

    def wake(self) -> bool:
        """Whether a prompt comes back for an empty line: the adapter is there, at this speed."""
        self._drain()
        self._write(b"\r")
        return PROMPT in self._until_prompt(WAKE_S)

    def greet(self, wanted: Iterable[str]) -> Greeting:
        """Begin anew, and give the commands ``wanted``; one that it does not know is noted, and done without.

        Raises AdapterTrouble when it does not begin."""
        says = " ".join(self.say("ATZ", RESET_S)) or "(no words)"
        lacks = tuple(command for command in wanted if not self.knows(command))
        found = VOLTS.search(" ".join(self.say("ATRV")))
        return Greeting(says, float(found.group(1)) if found else None, lacks)

    def knows(self, command: str) -> bool:
        """Give a setting; whether it was taken."""
        return any(line.strip().upper().startswith("OK") for line in self.say(command))

    def say(self, command: str, patience: float = COMMAND_S) -> list[str]:
        """The lines that answer a command, without its echo. Raises AdapterTrouble when no prompt comes back at all,
        BrokenAnswer when it had to be called for."""
        self._drain()
        self._write(command.encode("ascii") + b"\r")
        heard = self._until_prompt(patience)
        if PROMPT not in heard:
            self._write(b"\r")
            more = self._until_prompt(WAKE_S)
            if PROMPT not in more:
                raise AdapterTrouble(f"The adapter at {self.address} fell silent at “{command}”.")
            if not heard.strip():
                raise BrokenAnswer(f"The adapter lost its thread at “{command}”.")
        return self._lines(heard, command)

    # -- inside -------------------------------------------------------------------------------------------

    @staticmethod
    def _lines(heard: bytes, command: str) -> list[str]:
        text = heard.replace(b"\x00", b"").replace(PROMPT, b"\r").decode("ascii", errors="replace")
        found = []
        for part in re.split(r"[\r\n]+", text):
            line = PASSING.sub("", part.strip()).strip()
            if line and line.replace(" ", "").upper() != command.replace(" ", "").upper():
                found.append(line)
        return found

    def _until_prompt(self, patience: float) -> bytes:
        """What comes until the prompt, or until nothing has come for so long."""
        heard = bytearray()
        until = time.monotonic() + patience
        most = time.monotonic() + max(patience, MOST_TALK_S)
        while PROMPT not in heard and time.monotonic() < until:
            if time.monotonic() > most or len(heard) > MOST_TALK_BYTES:
                raise AdapterTrouble(f"The adapter at {self.address} talks without end and gives no prompt.")
            chunk = self._read()
            if chunk:
                heard += chunk
                until = time.monotonic() + patience
        return bytes(heard)

    def _drain(self) -> None:
        while self.port.in_waiting:
            if not self._read():
                return

    def _read(self) -> bytes:
        try:
            return self.port.read(max(self.port.in_waiting, 1))
        except (serial.SerialException, OSError) as error:
            raise AdapterTrouble(f"The adapter at {self.address} was lost: {error}.") from error

    def _write(self, data: bytes) -> None:
        try:
            self.port.write(data)
        except (serial.SerialException, OSError) as error:
            raise AdapterTrouble(f"The adapter at {self.address} was lost: {error}.") from error


def open_adapter(
    address: str, speed: int = 0, tell: Callable[[str], None] = lambda _what: None
) -> tuple[TextAdapter, int]:
    """The adapter at an address of pyserial, woken, and the speed it was found at. ``speed``: 0 tries the usual ones
    (a network address has none). Raises AdapterTrouble."""
    scheme = address.partition("://")[0] if "://" in address else ""
    if scheme and scheme.lower() not in SCHEMES:
        raise AdapterTrouble(
            f"The adapter at {address} could not be opened: “{scheme}” is no kind of address that is taken.",
            remedies=("a serial port, such as /dev/ttyUSB0 or COM5", "socket://address:port"),
        )
    speeds = (0,) if scheme else ((speed,) if speed else SPEEDS)
    for baud in speeds:
        tell(f"opening {address}" + (f" at {baud} baud" if baud else ""))
        try:
            port = serial.serial_for_url(address, baudrate=baud or 9_600, timeout=READ_S, write_timeout=WAKE_S)
        except (serial.SerialException, OSError, ValueError) as error:
            raise AdapterTrouble(f"The adapter at {address} could not be opened: {why_not(error)}.") from error
        adapter = TextAdapter(port, address)
        if adapter.wake() or adapter.wake():  # the first line may only end what was left half said
            return adapter, baud
        adapter.close()
    tried = "" if speeds == (0,) else f" at {', '.join(map(str, speeds))} baud"
    raise AdapterTrouble(f"Something is at {address}, but it gives no prompt{tried}: it is no adapter of this kind.")
