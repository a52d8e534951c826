"""A stand-in for the serial adapters with text commands that shops own: one in front of a bus, reached over TCP
or a pseudo-terminal. Good, slow, or a cheap copy that knows half of the commands and says so with a question mark.

What such adapters do is common practice, from memory; the words with which it presents itself are ours.
"""

from __future__ import annotations

import os
import select
import socket
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Protocol

import can

SAYS = "STAND-IN TEXT ADAPTER 1.0"
PROMPT = b"\r>"
HEX = frozenset("0123456789ABCDEF")
TICK_S, SHORTEST_S = 0.004096, 0.03


@dataclass(frozen=True)
class Make:
    """How good an adapter is. ``lacks``: the beginnings of commands it does not know; ``baud``: how fast its line is, 0
    for at once; ``holds``: bytes of frames that it can hold for one answer."""

    words: str
    lacks: tuple[str, ...] = ()
    baud: int = 0
    holds: int = 4096
    volts: float = 12.4
    echoes: bool = False
    """Whether it goes on echoing after it was told not to."""


MAKES = {
    "good": Make("a good one"),
    "slow": Make("a slow one, 9,600 baud", baud=9_600),
    "copy": Make(
        "a cheap copy",
        ("ATAL", "ATAT", "ATCRA", "ATFC", "ATS", "ATCFC", "ATCAF", "ATDPN"),
        38_400,
        holds=96,
        echoes=True,
    ),
    "headless": Make("a copy that does not say who speaks", ("ATH", "ATAL", "ATAT"), 38_400),
}
Frames = Iterator[tuple[int, bytes]]


class Wire(Protocol):
    """What is behind the socket: the protocol's number, and what comes in answer to a request."""

    number: str

    def exchange(self, state: Settings, payload: bytes) -> Frames: ...
    def close(self) -> None: ...


@dataclass
class Settings:
    """What commands have set."""

    echo: bool = True
    feeds: bool = True
    spaces: bool = True
    headers: bool = False
    protocol: str = "0"
    found: bool = False
    header: str = ""
    priority: str = "18"
    listens: str = ""
    flow_from: str = ""
    wait: int = 0x32
    adapts: bool = False
    seen_s: float = 1.0
    """How long answers took of late, at most: an adapter that adapts waits a few times that."""

    @property
    def wait_s(self) -> float:
        """How long it waits for the next frame."""
        longest = self.wait * TICK_S
        return min(max(4.0 * self.seen_s, SHORTEST_S), longest) if self.adapts and self.wait < 0xFF else longest

    @property
    def wide(self) -> bool:
        return self.protocol in "79"


class CanWire:
    """A CAN bus of python-can."""

    def __init__(self, bus: can.BusABC, number: str = "6") -> None:
        self.bus, self.number = bus, number

    def exchange(self, state: Settings, payload: bytes) -> Frames:
        wide = state.wide
        target = int(state.priority + state.header if wide else state.header, 16) if state.header else 0
        target = target or (0x18DB33F1 if wide else 0x7DF)
        while self.bus.recv(timeout=0.0) is not None:
            pass
        self._send(target, bytes((len(payload),)) + payload, wide)
        asked = time.monotonic()
        until, seen = asked + state.wait * TICK_S, 0.0
        while (left := until - time.monotonic()) > 0.0:
            message = self.bus.recv(timeout=left)
            if message is None or message.is_extended_id != wide or not self._heard(state, message.arbitration_id):
                continue
            data, now = bytes(message.data), time.monotonic()
            seen, asked, until = max(seen, now - asked), now, now + state.wait_s
            yield message.arbitration_id, data
            if data and data[0] >> 4 == 1:
                self._send(self._back(state, message.arbitration_id), b"\x30\x00\x00", wide)
        if seen:
            state.seen_s = max(seen, 0.8 * min(state.seen_s, 0.1))

    def close(self) -> None:
        """Off the bus."""
        self.bus.shutdown()

    @staticmethod
    def _heard(state: Settings, number: int) -> bool:
        if state.listens:
            return number == int(state.listens, 16)
        return number & 0x1FFFFF00 == 0x18DAF100 if state.wide else 0x7E8 <= number <= 0x7EF

    @staticmethod
    def _back(state: Settings, number: int) -> int:
        """To whom flow control goes."""
        if state.flow_from:
            return int(state.flow_from, 16)
        return 0x18DA00F1 | (number & 0xFF) << 8 if state.wide else number - 8

    def _send(self, number: int, data: bytes, wide: bool) -> None:
        self.bus.send(can.Message(arbitration_id=number, data=data.ljust(8, b"\x00"), is_extended_id=wide))


class OldWire:
    """A line of the time before CAN. ``ask``: the messages that answer a request, each with its sender's address;
    ``pause_s``: how long the car takes over each, ``byte_s``: how long a byte is on the line."""

    def __init__(
        self,
        number: str,
        ask: Callable[[bytes], list[tuple[int, bytes]]],
        pause_s: float = 0.0,
        byte_s: float = 0.0,
    ) -> None:
        self.number, self._ask, self._pause_s, self._byte_s = number, ask, pause_s, byte_s

    def exchange(self, state: Settings, payload: bytes) -> Frames:
        for sender, message in self._ask(payload):
            if self.number in "45":
                data = bytes((0x80 | len(message), 0xF1, sender)) + message
            else:
                data = bytes((0x41 if self.number == "1" else 0x48, 0x6B, sender)) + message
            time.sleep(self._pause_s + self._byte_s * (len(data) + 1))
            yield sender, data + bytes((sum(data) & 0xFF,))

    def close(self) -> None:
        """Nothing is held."""


class TextAdapter(threading.Thread):
    """One adapter: serves whoever is connected, one at a time, until ``stop``. ``address``: as pyserial takes it."""

    def __init__(self, wire: Wire, make: Make = MAKES["good"], *, terminal: bool = False) -> None:
        super().__init__(name=f"text adapter, {make.words}", daemon=True)
        self.wire, self.make = wire, make
        self._stopping = threading.Event()
        self._server: socket.socket | None = None
        if terminal:
            self._master, self._slave = os.openpty()
            import tty

            tty.setraw(self._slave)
            self.address = os.ttyname(self._slave)
        else:
            self._server = socket.create_server(("127.0.0.1", 0))
            self.address = f"socket://127.0.0.1:{self._server.getsockname()[1]}"

    def run(self) -> None:
        if self._server is None:
            self._serve(self._master)
            return
        while not self._stopping.is_set():
            if not select.select([self._server], [], [], 0.1)[0]:
                continue
            client, _where = self._server.accept()
            with client:
                client.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                self._serve(client.fileno())

    def stop(self) -> None:
        """End it and give its address back."""
        self._stopping.set()
        self.join(2.0)
        self.wire.close()
        if self._server is not None:
            self._server.close()
        else:
            os.close(self._master)
            os.close(self._slave)

    # -- the line -----------------------------------------------------------------------------------------

    def _serve(self, line: int) -> None:
        state, typed, last = Settings(), "", ""
        while not self._stopping.is_set():
            if not select.select([line], [], [], 0.1)[0]:
                continue
            try:
                chunk = os.read(line, 256)
            except OSError:
                return
            if not chunk:
                return
            for sign in chunk.decode("ascii", errors="replace"):
                if sign != "\r":
                    typed += sign
                    continue
                command, typed = typed.replace(" ", "").upper().strip("\n"), ""
                command = command or last  # an empty line says the last one again
                last = command
                if state.echo or self.make.echoes:
                    self._put(line, command.encode() + b"\r")
                state = self._obey(line, state, command)
                self._put(line, PROMPT)

    def _put(self, line: int, data: bytes) -> None:
        if self.make.baud:
            time.sleep(10.0 * len(data) / self.make.baud)
        os.write(line, data)

    def _say(self, line: int, state: Settings, text: str) -> None:
        self._put(line, text.encode("ascii") + (b"\r\n" if state.feeds else b"\r"))

    def _obey(self, line: int, state: Settings, command: str) -> Settings:
        if command.startswith("AT"):
            if command == "ATZ":
                time.sleep(0.05)
                state = Settings()
            self._say(line, state, self._set(state, command))
        elif command and set(command) <= HEX and not len(command) % 2:
            self._request(line, state, bytes.fromhex(command))
        elif command:
            self._say(line, state, "?")
        return state

    def _set(self, state: Settings, command: str) -> str:
        """What a command is answered with, once it has set what it sets."""
        if command in ("ATZ", "ATI"):
            return SAYS
        if self._lacks(command):
            return "?"
        if command == "ATRV":
            return f"{self.make.volts:.1f}V"
        if command == "ATDPN":
            return f"A{state.protocol}" if state.protocol != "0" else "A0"
        switches = {"ATE": "echo", "ATL": "feeds", "ATS": "spaces", "ATH": "headers"}
        if command[:3] in switches and command[3:] in ("0", "1"):
            setattr(state, switches[command[:3]], command[3:] == "1")
            return "OK"
        texts = {"ATSH": "header", "ATCP": "priority", "ATCRA": "listens", "ATFCSH": "flow_from"}
        for beginning, name in texts.items():
            if command.startswith(beginning):
                setattr(state, name, command[len(beginning) :])
                return "OK"
        if command.startswith("ATSP") and command[4:].lstrip("A") in tuple("0123456789"):
            state.protocol, state.found = command[4:].lstrip("A"), False
            return "OK"
        if command[:4] == "ATAT" and command[4:] in ("0", "1"):
            state.adapts = command[4:] == "1"
            return "OK"
        if command.startswith("ATST") and len(command) == 6:
            state.wait = int(command[4:], 16)
            return "OK"
        if command == "ATAR":
            state.listens = ""
            return "OK"
        if command == "ATFCSM0":
            state.flow_from = ""
            return "OK"
        known = ("ATAL", "ATCAF1", "ATCFC1", "ATFCSD", "ATFCSM1", "ATD")
        return "OK" if command.startswith(known) else "?"

    def _lacks(self, command: str) -> bool:
        """Whether this make does not know a command. "ATS" means the switch of blanks alone."""
        return any(command.startswith(word) for word in self.make.lacks if word != "ATS" or len(command) == 4)

    # -- requests -----------------------------------------------------------------------------------------

    def _request(self, line: int, state: Settings, payload: bytes) -> None:
        if state.protocol == "0":
            self._put(line, b"SEARCHING...")
            state.protocol = self.wire.number
        if state.protocol != self.wire.number:
            self._say(line, state, "BUS INIT: ...ERROR" if state.protocol in "345" else "CAN ERROR")
            return
        if state.protocol in "345" and not state.found:
            self._put(line, b"BUS INIT: OK\r")
        if len(payload) > 7:
            self._say(line, state, "?")
            return
        said = held = 0
        for number, data in self.wire.exchange(state, payload):
            held += len(data)
            if held > self.make.holds:
                self._say(line, state, "BUFFER FULL")
                return
            text = self._line(state, number, data)
            if text:
                self._say(line, state, text)
                said += 1
        if not said:
            searching = not state.found and state.protocol == self.wire.number
            self._say(line, state, "UNABLE TO CONNECT" if searching else "NO DATA")
        state.found = state.found or bool(said)

    def _line(self, state: Settings, number: int, data: bytes) -> str:
        old = self.wire.number in "12345"
        if state.headers:
            rows = [data] if old else [bytes.fromhex(f"{number:08X}" if state.wide else f"0{number:03X}"), data]
            text = " ".join(byte for row in rows for byte in _pairs(row))
            text = text if old or state.wide else text[1:]
        elif old:
            text = " ".join(_pairs(data[3:-1]))
        elif data[0] >> 4 == 0:
            text = " ".join(_pairs(data[1 : 1 + data[0]]))
        elif data[0] >> 4 == 1:
            whole = (data[0] & 15) << 8 | data[1]
            text = f"{whole:03X}\r0: {' '.join(_pairs(data[2:]))}"
        else:
            text = f"{data[0] & 15:X}: {' '.join(_pairs(data[1:]))}"
        return text if state.spaces else text.replace(" ", "")


def _pairs(data: bytes) -> list[str]:
    return [f"{byte:02X}" for byte in data]
