"""A stand-in for the gateway of a new car: diagnostics over IP (ISO 13400-2 [S]) on real sockets of this machine.

It tells who it is by UDP, routes for one tester at a time by TCP, and passes requests on to the modules behind it.
"""

from __future__ import annotations

import contextlib
import select
import socket
import struct
import threading
import time
from collections.abc import Iterator, Mapping
from contextlib import AbstractContextManager
from typing import Any

from gumshoe.simulator.answers import Module

VERSION = 0x02
HEADER = struct.Struct("!BBHL")
IDENTIFY, ANNOUNCE = (0x0001, 0x0002, 0x0003), 0x0004
ROUTE, ROUTES, ALIVE, STATUS, IS_SO = 0x0005, 0x0006, 0x0008, 0x4001, 0x4002
MESSAGE, TAKEN, NOT_TAKEN, WRONG = 0x8001, 0x8002, 0x8003, 0x0000
EVERYBODY, GATEWAY = 0xE000, 0x1001
TESTERS = range(0x0E00, 0x1000)
KINDS = (0x00, 0x01)
MOST_BYTES = 4096
UNKNOWN_SOURCE, OTHER_KIND, ROUTED, NO_SUCH_TARGET, WRONG_SOURCE = 0x00, 0x06, 0x10, 0x03, 0x02
BAD_PATTERN, UNKNOWN_TYPE, TOO_LARGE = 0x00, 0x01, 0x02
EID = b"\x02\x00\x00\x00\x00\x01"


def message(kind: int, payload: bytes) -> bytes:
    """One message with its header."""
    return HEADER.pack(VERSION, VERSION ^ 0xFF, kind, len(payload)) + payload


class Gateway(threading.Thread):
    """One gateway. ``address``: host and port, the same by UDP and TCP."""

    def __init__(
        self, vin: str, modules: Mapping[int, Module], called: frozenset[int], lock: AbstractContextManager[Any]
    ) -> None:
        """``modules`` by logical address; ``called``: those that answer what everybody is asked."""
        super().__init__(name=f"gateway of {vin}", daemon=True)
        self.vin, self.modules, self.called, self.lock = vin, modules, called, lock
        self._stopping = threading.Event()
        self._server = socket.create_server(("127.0.0.1", 0))
        port = self._server.getsockname()[1]
        self._told = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self._told.bind(("127.0.0.1", port))
        self.address = f"127.0.0.1:{port}"

    def run(self) -> None:
        client: socket.socket | None = None
        tester: int | None = None
        held = bytearray()
        while not self._stopping.is_set():
            lines = [self._told, self._server, *([client] if client else [])]
            for line in select.select(lines, [], [], 0.1)[0]:
                if line is self._told:
                    self._identify()
                elif line is self._server:
                    new, _where = self._server.accept()
                    if client is not None:
                        client.close()  # who comes anew has lost the old one
                    new.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
                    client, tester, held = new, None, bytearray()
                elif client is not None:
                    open_still, tester = self._read(client, tester, held)
                    if not open_still:
                        client.close()
                        client = None
        if client is not None:
            client.close()

    def stop(self) -> None:
        """End it and give its address back."""
        self._stopping.set()
        if self.is_alive():
            self.join(2.0)
        self._server.close()
        self._told.close()

    # -- who it is ----------------------------------------------------------------------------------------

    def _identify(self) -> None:
        data, where = self._told.recvfrom(512)
        if len(data) < HEADER.size or data[0] ^ data[1] != 0xFF:
            return
        kind = HEADER.unpack_from(data)[2]
        if kind in IDENTIFY:
            told = self.vin.encode("ascii").ljust(17, b"\x00") + struct.pack("!H", GATEWAY) + EID + EID + b"\x00\x00"
            self._told.sendto(message(ANNOUNCE, told), where)
        elif kind == STATUS:
            self._told.sendto(message(IS_SO, struct.pack("!BBBL", 0x00, 1, 0, MOST_BYTES)), where)

    # -- what it passes on --------------------------------------------------------------------------------

    def _read(self, client: socket.socket, tester: int | None, held: bytearray) -> tuple[bool, int | None]:
        try:
            chunk = client.recv(MOST_BYTES)
        except OSError:
            return False, tester
        if not chunk:
            return False, tester
        held += chunk
        with contextlib.suppress(OSError):
            while len(held) >= HEADER.size:
                version, inverse, kind, length = HEADER.unpack_from(held)
                if version ^ inverse != 0xFF or length > MOST_BYTES + 4:
                    why = BAD_PATTERN if version ^ inverse != 0xFF else TOO_LARGE
                    client.sendall(message(WRONG, bytes((why,))))
                    return False, tester
                if len(held) < HEADER.size + length:
                    break
                payload = bytes(held[HEADER.size : HEADER.size + length])
                del held[: HEADER.size + length]
                if kind == ROUTE:
                    code, tester = self._routes(payload)
                    source = payload[:2].ljust(2, b"\x00")
                    client.sendall(message(ROUTES, source + struct.pack("!HBL", GATEWAY, code, 0)))
                    if tester is None:
                        return False, None
                elif kind == MESSAGE:
                    for part in self._passed(payload, tester):
                        client.sendall(part)
                elif kind != ALIVE:
                    client.sendall(message(WRONG, bytes((UNKNOWN_TYPE,))))
            return True, tester
        return False, tester

    @staticmethod
    def _routes(payload: bytes) -> tuple[int, int | None]:
        source = int.from_bytes(payload[:2], "big")
        if len(payload) not in (7, 11) or source not in TESTERS:
            return UNKNOWN_SOURCE, None
        return (ROUTED, source) if payload[2] in KINDS else (OTHER_KIND, None)

    def _passed(self, payload: bytes, tester: int | None) -> Iterator[bytes]:
        source, target = struct.unpack_from("!HH", payload.ljust(4, b"\x00"))
        back = struct.pack("!HH", target, source)
        request = payload[4:]
        if source != tester or not request:
            yield message(NOT_TAKEN, back + bytes((WRONG_SOURCE,)))
            return
        asked = self.called if target == EVERYBODY else frozenset({target} & set(self.modules))
        if not asked:
            yield message(NOT_TAKEN, back + bytes((NO_SUCH_TARGET,)))
            return
        yield message(TAKEN, back + b"\x00" + request)
        for address in sorted(asked):
            module = self.modules[address]
            with self.lock:
                answers = module.answer(request, functional=target == EVERYBODY) if module.awake else []
                slow = module.answers_s
            for number, answer in enumerate(answers):
                if slow and number == len(answers) - 1:
                    time.sleep(slow)
                yield message(MESSAGE, struct.pack("!HH", address, source) + answer)
