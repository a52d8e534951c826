"""A gateway for diagnostics over IP, written from ISO 13400-2 alone and odd where a test says so, in front of the units
of vehicle.py. It shares no code with the product, with its stand-in, or with doipclient."""

from __future__ import annotations

import socket
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field

from tests.foreign.vehicle import Unit

NAME = b"UY0TN16A9G2000001"


@dataclass
class Odd:
    """How a gateway is odd."""

    routes: int = 0x10
    """What it says to the request to route."""
    kinds: tuple[int, ...] = (0, 1)
    everybody: bool = True
    """Whether it knows the functional group E000."""
    silent_by_udp: bool = False
    pieces: int = 0
    """So many bytes at a time it sends; 0: all at once."""
    waits: float = 0.0
    """Before every answer, in seconds."""
    asks_alive: bool = False
    """Whether it asks if we are there before each answer, and hangs up where it is not told."""
    hangs_up_after: int = 0
    """After so many requests it closes the connection, once."""
    acknowledges: bool = True
    garbage: bytes = b""
    """What it sends before its first answer."""
    stranger: bool = False
    """Whether somebody else's answer comes in between."""
    version: int = 2
    short_routing: bool = True
    refuses: dict[int, int] = field(default_factory=dict)
    """Negative acknowledgement by target address."""


class Gateway(threading.Thread):
    """Units by logical address behind one gateway."""

    def __init__(self, units: dict[int, Unit], odd: Odd) -> None:
        super().__init__(daemon=True)
        self.units, self.odd = units, odd
        self.tcp = socket.socket()
        self.tcp.bind(("127.0.0.1", 0))
        self.tcp.listen(4)
        self.port = self.tcp.getsockname()[1]
        self.udp = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.udp.bind(("127.0.0.1", self.port))
        self.udp.settimeout(0.05)
        self.tcp.settimeout(0.05)
        self.over = False
        self.requests: list[tuple[int, bytes]] = []
        self.connections = 0
        self.alive_answers = 0

    @property
    def address(self) -> str:
        return f"127.0.0.1:{self.port}"

    def run(self) -> None:
        talking: list[threading.Thread] = []
        while not self.over:
            try:
                data, where = self.udp.recvfrom(100)
                if data[2:4] == b"\x00\x01" and not self.odd.silent_by_udp:
                    told = NAME + b"\x10\x01" + b"\x00\x00\x00\x00\x00\x07" * 2 + b"\x00"
                    self.udp.sendto(self.framed(0x0004, told), where)
            except TimeoutError:
                pass
            try:
                line, _where = self.tcp.accept()
            except TimeoutError:
                continue
            self.connections += 1
            talking.append(threading.Thread(target=self.talk, args=(line,), daemon=True))
            talking[-1].start()

    def framed(self, kind: int, payload: bytes) -> bytes:
        head = bytes((self.odd.version, 255 - self.odd.version)) + kind.to_bytes(2, "big")
        return head + len(payload).to_bytes(4, "big") + payload

    def send(self, line: socket.socket, kind: int, payload: bytes) -> None:
        data, size = self.framed(kind, payload), self.odd.pieces
        for start in range(0, len(data), size or len(data)):
            line.sendall(data[start : start + (size or len(data))])
            if size:
                time.sleep(0.001)

    def read(self, line: socket.socket, count: int) -> bytes:
        found = b""
        while len(found) < count:
            part = line.recv(count - len(found))
            if not part:
                raise ConnectionError
            found += part
        return found

    def heard(self, line: socket.socket) -> tuple[int, bytes]:
        head = self.read(line, 8)
        return int.from_bytes(head[2:4], "big"), self.read(line, int.from_bytes(head[4:], "big"))

    def talk(self, line: socket.socket) -> None:
        try:
            line.settimeout(5.0)
            count = 0
            while not self.over:
                kind, payload = self.heard(line)
                if kind == 0x0005:
                    code = self.odd.routes if payload[2] in self.odd.kinds else 0x06
                    tail = b"\x00" * (4 if self.odd.short_routing else 8)
                    self.send(line, 0x0006, payload[:2] + b"\x10\x01" + bytes((code,)) + tail)
                    if code != 0x10:
                        return
                elif kind == 0x8001:
                    count += 1
                    if self.odd.hangs_up_after and count > self.odd.hangs_up_after:
                        self.odd.hangs_up_after = 0
                        return
                    self.pass_on(line, payload)
                elif kind == 0x0008:
                    self.alive_answers += 1
        except (OSError, ConnectionError):
            return
        finally:
            line.close()

    def pass_on(self, line: socket.socket, payload: bytes) -> None:
        tester, target, request = payload[:2], int.from_bytes(payload[2:4], "big"), payload[4:]
        back = payload[2:4] + tester
        self.requests.append((target, request))
        everybody = target == 0xE000 and self.odd.everybody
        asked = dict(self.units) if everybody else {target: self.units[target]} if target in self.units else {}
        if target in self.odd.refuses or not asked:
            self.send(line, 0x8003, back + bytes((self.odd.refuses.get(target, 0x03),)))
            return
        if self.odd.acknowledges:
            self.send(line, 0x8002, back + b"\x00")
        if self.odd.garbage:
            line.sendall(self.odd.garbage)
            self.odd.garbage = b""
        for address, unit in asked.items():
            if self.odd.asks_alive:
                self.send(line, 0x0007, b"")
                kind, _told = self.heard(line)
                if kind != 0x0008:
                    raise ConnectionError
                self.alive_answers += 1
            time.sleep(self.odd.waits + unit.slow)
            thinks = unit.thinks.get(request[0], 0.0)
            until = time.monotonic() + thinks
            while thinks and time.monotonic() < until:
                self.send(line, 0x8001, address.to_bytes(2, "big") + tester + bytes((0x7F, request[0], 0x78)))
                time.sleep(0.1)
            answer = unit.answers(request, everybody)
            if self.odd.stranger:
                self.send(line, 0x8001, b"\x0d\xee" + tester + b"\x7f" + request[:1] + b"\x22")
                self.send(line, 0x8001, address.to_bytes(2, "big") + b"\x0e\x77" + b"\x7f" + request[:1] + b"\x22")
            if answer is not None:
                self.send(line, 0x8001, address.to_bytes(2, "big") + tester + answer)

    def stop(self) -> None:
        self.over = True
        self.join(2.0)
        self.tcp.close()
        self.udp.close()


@contextmanager
def behind(units: dict[int, Unit], **odd: object) -> Iterator[Gateway]:
    """A gateway with units behind it, for the length of a test."""
    gateway = Gateway(units, Odd(**odd))  # type: ignore[arg-type]
    gateway.start()
    try:
        yield gateway
    finally:
        gateway.stop()
