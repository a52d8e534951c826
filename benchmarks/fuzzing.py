#!/usr/bin/env python3
"""What comes in from outside, mutated at random: frames on the bus, whole answers, lines of a text adapter, messages of
a gateway, files. Goal: no error without a name, and nothing that does not end.

An error has a name when it is a GumshoeError (a sentence of what happened, what was kept, what to do). Files are read
by the very functions that read an upload, each with its limit of time. A small seed of it runs with the tests
(tests/foreign/test_fuzzing.py).

    .venv/bin/python -m benchmarks.fuzzing [FRAMES] [FILES]
"""

from __future__ import annotations

import json
import logging
import multiprocessing
import platform
import random
import signal
import socket
import struct
import sys
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import ExitStack
from pathlib import Path
from typing import Any
from unittest import mock

import can
from doipclient import client as doip

from gumshoe.core.casefile import untrusted
from gumshoe.core.errors import GumshoeError
from gumshoe.core.forked import bound_memory
from gumshoe.core.obd.can_link import CanLink
from gumshoe.core.obd.clearing import clear_modules, modules_to_clear
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.ip_link import Entity, IpLink, _activated, host_and_port
from gumshoe.core.obd.link import Addressing, Exchange, Link, Response, Timing
from gumshoe.core.obd.lists import ListsNow
from gumshoe.core.obd.poller import Poller
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.text_adapter import Greeting, TextAdapter
from gumshoe.core.obd.text_link import BUSES, TextLink
from gumshoe.core.obd.uds import ModuleAddress
from tests.foreign.vehicle import Unit, engine, gearbox, modern

FIGURES = Path(__file__).parent / "figures" / "fuzzing.json"
LOGS = Path(__file__).parents[1] / "tests" / "foreign" / "logs"
INSTANT = Timing(
    p2=0.0002, p2_star=0.001, consecutive=0.001, patience=0.02, busy_pause=0.0002, busy_limit=0.001, margin=0.0
)
REQUESTS = (
    b"\x01\x00", b"\x01\x0c\x0d", b"\x03", b"\x07", b"\x0a", b"\x02\x02\x00", b"\x06\x01", b"\x09\x02", b"\x22\xf4\x0c",
    b"\x19\x42\x33\x8d\xff", b"\x19\x02\xff", b"\x3e\x00",
)  # fmt: skip
LONGEST_S = 5.0
"""What takes longer than this to end did not end."""
FILE_S = 10.0
Found = Counter[str]


def mutated(data: bytes, chance: random.Random) -> bytes:
    """Some bytes changed, left out, doubled, or moved."""
    found = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 4, 16))):
        kind, at = chance.randrange(6), chance.randrange(len(found) + 1)
        if kind == 0 and found:
            found[at % len(found)] = chance.randrange(256)
        elif kind == 1 and found:
            del found[at : at + chance.randrange(1, 9)]
        elif kind == 2:
            found[at:at] = bytes(chance.randrange(256) for _ in range(chance.randrange(1, 9)))
        elif kind == 3:
            found[at:at] = found[at : at + chance.randrange(1, 64)]
        elif kind == 4 and found:
            found[at % len(found)] ^= 1 << chance.randrange(8)
        elif found:
            found[at % len(found)] = chance.choice((0, 0xFF, 0x7F, 0x80, 0x0A, 0x22, 0x2C, 0x30, 0x39))
    return bytes(found)


def tried(what: Callable[[], object], found: Found) -> None:
    """Do it, and count what became of it."""
    began = time.perf_counter()
    try:
        what()
        found["read"] += 1
    except GumshoeError as error:
        found["named" if error.what and error.remedies else "named, nothing to do"] += 1
    except Exception as error:
        found[f"UNNAMED {type(error).__name__}: {str(error)[:80]}"] += 1
    if time.perf_counter() - began > LONGEST_S:
        found["TOO LONG"] += 1


# -- frames -----------------------------------------------------------------------------------------------


class NoisyBus:
    """A bus on which answers come mutated, amid frames of anything."""

    channel_info = "noise"

    def __init__(self, seed: int) -> None:
        self.chance = random.Random(seed)
        self.units = (engine(), gearbox(), modern(2))
        self.frames = 0
        self._due: list[can.Message] = []

    def send(self, message: can.Message, timeout: float | None = None) -> None:
        """A request: what answers it is queued, and noise with it."""
        chance, data = self.chance, bytes(message.data)
        if data and 0 < data[0] <= 7 and len(data) > data[0]:
            for place, unit in enumerate(self.units):
                answer = unit.answers(data[1 : 1 + data[0]], message.arbitration_id == 0x7DF) or b""
                for frame in segments(answer):
                    frame = mutated(frame, chance)[:8] if chance.random() < 0.3 else frame
                    self._queue(0x7E8 + place, frame)
        for _ in range(chance.randrange(6)):
            self._queue(chance.choice((0x7E8, 0x7E9, 0x7EF, 0x123)), chance.randbytes(chance.randrange(9)))
        if chance.random() < 0.2:
            chance.shuffle(self._due)

    def _queue(self, number: int, data: bytes) -> None:
        self.frames += 1
        self._due.append(can.Message(arbitration_id=number, is_extended_id=False, data=data))

    def recv(self, timeout: float | None = None) -> can.Message | None:
        if self._due:
            return self._due.pop(0)
        time.sleep(min(timeout or 0.0, 0.0005))
        return None

    def shutdown(self) -> None:
        """Nothing is held."""


def segments(payload: bytes) -> Iterator[bytes]:
    """An answer in frames of eight bytes (ISO 15765-2)."""
    if len(payload) <= 7:
        yield bytes((len(payload),)) + payload
        return
    yield bytes((0x10 | len(payload) >> 8, len(payload) & 0xFF)) + payload[:6]
    for number, start in enumerate(range(6, len(payload), 7), 1):
        yield bytes((0x20 | number % 16,)) + payload[start : start + 7]


def frames(count: int, seed: int = 1) -> Found:
    """Requests on a noisy bus until so many frames have come."""
    found, bus = Found(), NoisyBus(seed)
    link = CanLink(bus, timing=INSTANT)  # type: ignore[arg-type]
    chance = random.Random(seed)
    while bus.frames < count:
        request = chance.choice(REQUESTS)
        if chance.random() < 0.3:
            tried(lambda request=request: link.ask_all(request[:7]), found)  # type: ignore[misc]
        else:
            tried(lambda request=request: link.ask(chance.randrange(3), request), found)  # type: ignore[misc]
    found["frames"] = bus.frames
    return found


# -- whole answers ----------------------------------------------------------------------------------------


class MutatingLink(Link):
    """Answers of units, mutated as whole messages."""

    def __init__(self, units: tuple[Unit, ...], seed: int, share: float) -> None:
        super().__init__(Addressing.ELEVEN_BIT, INSTANT)
        self.units, self.chance, self.share = units, random.Random(seed), share
        self.count = 0

    def close(self) -> None:
        """Nothing is held."""

    def _said(self, place: int, payload: bytes, everybody: bool) -> bytes | None:
        answer = self.units[place].answers(payload, everybody)
        self.count += 1
        return mutated(answer, self.chance) if answer and self.chance.random() < self.share else answer

    def _everybody(self, payload: bytes) -> Exchange:
        told = [(0x7E8 + place, self._said(place, payload, True)) for place in range(len(self.units))]
        return Exchange(tuple(Response(number, answer) for number, answer in told if answer))

    def _asked_once(self, request_id: int, response_id: int, payload: bytes) -> Response:
        place = response_id - 0x7E8
        answer = self._said(place, payload, False) if 0 <= place < len(self.units) else None
        if not answer:
            raise NoAnswer("Nothing came.")
        return Response(response_id, answer)


def answers(scans: int, seed: int = 1) -> Found:
    """Whole scans, live rounds, looks of a proof and clearings of units whose answers are mutated."""
    found = Found()
    for number in range(scans):
        chance = random.Random(seed * 1_000_003 + number)
        units = (engine(), gearbox()) if number % 2 else (modern(), gearbox())
        link = MutatingLink(units, seed + number, chance.choice((0.02, 0.1, 0.4)))

        def whole(link: MutatingLink = link) -> None:
            snapshot = scan(link, beyond=[ModuleAddress("brakes", 0x7E6, 0x7EE)])
            assert snapshot.unread is not None and snapshot.codes_unread is not None
            clear_modules(link, modules_to_clear(snapshot, ()))

        tried(whole, found)
        tried(lambda link=link: Poller(link, 0, ("rpm", "load_pct", "stft_b1_pct", "maf_gps")).poll(), found)  # type: ignore[misc]
        tried(lambda link=link: ListsNow(link, 0).look(), found)  # type: ignore[misc]
        found["answers"] += link.count
    return found


# -- text adapters ----------------------------------------------------------------------------------------


LINES = (
    "41 00 BE 3F A8 13", "7E8 06 41 00 BE 3F A8 13", "NO DATA", "7E8 10 14 49 02 01 55 59 30", "BUS INIT: OK", "OK",
    "?", "CAN ERROR", "STOPPED", "7E8 21 54 4E 31 36 41 39 47", "48 6B 10 41 0C 0B B8 2D",
)  # fmt: skip


class NoisyPort:
    """A serial port behind which somebody says anything."""

    def __init__(self, seed: int) -> None:
        self.chance, self._held = random.Random(seed), b""

    @property
    def in_waiting(self) -> int:
        return len(self._held)

    def write(self, _data: bytes) -> None:
        said = "\r".join(self.chance.choices(LINES, k=self.chance.randrange(6))).encode()
        said = mutated(said, self.chance) if self.chance.random() < 0.6 else said
        self._held += said + (b"\r>" if self.chance.random() < 0.97 else b"")

    def read(self, count: int = 1) -> bytes:
        found, self._held = self._held[:count], self._held[count:]
        return found

    def close(self) -> None:
        """Nothing is held."""


def dialogues(count: int, seed: int = 1) -> Found:
    """Requests through text adapters that say anything."""
    found = Found()
    chance = random.Random(seed)
    for number in range(count):
        adapter = TextAdapter(NoisyPort(seed + number), "noise")  # type: ignore[arg-type]
        adapter._until_prompt = _short(adapter)  # type: ignore[method-assign]
        link = TextLink(adapter, BUSES[chance.choice("5613")], Greeting("noise", None, ()), timing=INSTANT)
        tried(lambda link=link: link.ask_all(b"\x01\x00"), found)  # type: ignore[misc]
        for request in chance.choices(REQUESTS, k=6):
            if len(request) <= link.longest:
                tried(lambda link=link, request=request: link.ask(0, request), found)  # type: ignore[misc]
    return found


def _short(adapter: TextAdapter) -> Callable[[float], bytes]:
    real = TextAdapter._until_prompt
    return lambda _patience: real(adapter, 0.001)


# -- gateways ---------------------------------------------------------------------------------------------


def gateway(count: int, seed: int = 1) -> Found:
    """Links to gateways whose messages are mutated."""
    found, chance = Found(), random.Random(seed)
    logging.getLogger("doipclient").setLevel(logging.CRITICAL)

    def head(kind: int, body: bytes) -> bytes:
        return struct.pack("!BBHL", 2, 0xFD, kind, len(body)) + body

    good = {
        0x0005: head(0x0006, b"\x0e\x00\x10\x01\x10\x00\x00\x00\x00"),
        0x8001: head(0x8002, b"\x00\x10\x0e\x00\x00") + head(0x8001, b"\x00\x10\x0e\x00\x41\x00\xbe\x3f\xa8\x13"),
    }
    server = socket.create_server(("127.0.0.1", 0))
    over = threading.Event()

    def serve() -> None:
        server.settimeout(0.2)
        while not over.is_set():
            try:
                line, _where = server.accept()
            except TimeoutError:
                continue
            line.settimeout(0.3)
            try:
                while data := line.recv(4096):
                    kind = int.from_bytes(data[2:4], "big")
                    said = good.get(kind, b"")
                    routing = kind == 0x0005
                    line.sendall(mutated(said, chance) if chance.random() < (0.2 if routing else 0.6) else said)
            except OSError:
                pass
            finally:
                line.close()

    thread = threading.Thread(target=serve, daemon=True)
    thread.start()
    address = f"127.0.0.1:{server.getsockname()[1]}"
    timing = Timing(p2=0.005, margin=0.0, patience=0.2, p2_star=0.05)

    host, port = host_and_port(address)

    def one() -> None:
        entity = Entity(host, port, 0x10, "")
        with IpLink(_activated(entity), entity, timing=timing) as link:
            for request in chance.choices(REQUESTS, k=4):
                try:
                    link.ask(0x10, request)
                except GumshoeError:
                    continue

    with mock.patch.object(doip, "A_PROCESSING_TIME", 0.1):  # how long it waits to be routed
        for _ in range(count):
            tried(one, found)
    over.set()
    thread.join(2.0)
    server.close()
    return found


# -- files ------------------------------------------------------------------------------------------------


def samples() -> list[tuple[str, bytes, dict[str, Any]]]:
    """One good file of each kind that is read: the task, its bytes, what goes with it."""
    rows: list[tuple[str, bytes, dict[str, Any]]] = []
    log = (LOGS / "usual.log").read_bytes()
    more = {"identifiers": [], "beyond": []}
    rows.append(("log", log, more | {"suffix": ".log"}))
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "a.log"
        source.write_bytes(log)
        heard = list(can.LogReader(source))
        for suffix in (".asc", ".blf", ".trc"):
            target = Path(folder) / f"a{suffix}"
            with can.Logger(target) as writer:
                for message in heard:
                    writer(message)
            rows.append(("log", target.read_bytes(), more | {"suffix": suffix}))
    table = "time [s],rpm,load_pct,coolant_c\n" + "\n".join(
        f"{n / 10},{800 + n},{20 + n % 7},{60 + n % 30}" for n in range(60)
    )
    rows.append(("table", table.encode(), {"known": {}}))
    case = {
        "format": "gumshoe-case",
        "version": 1,
        "codes": ["P0171", {"code": "P0304", "state": "pending"}],
        "powertrain": {"cylinders": 4, "fuel": "petrol"},
        "recordings": [{"label": "a", "columns": {"rpm": [[0.0, 0.1], [800.0, 810.0]]}}],
        "tests": [{"test": "smoke", "outcome": "leak", "readings": {"result": "smoke"}}],
        "marks": [{"moment": 5.0, "text": "here"}],
    }
    rows.append(("case", json.dumps(case).encode(), {}))
    return rows


def _alarm(_number: int, _frame: object) -> None:
    raise untrusted.TooMuch("It took too long.")


def _file(job: tuple[int, int]) -> tuple[str, str]:
    seed, kind = job
    task, content, argument = _SAMPLES[kind]
    chance = random.Random(seed)
    data = mutated(content, chance)
    if chance.random() < 0.1:
        data = data[: chance.randrange(len(data) + 1)]
    signal.signal(signal.SIGALRM, _alarm)
    signal.setitimer(signal.ITIMER_REAL, FILE_S)
    try:
        untrusted.TASKS[task](data, argument)
        return task, "read"
    except untrusted.TooMuch:
        return task, "too long, named"
    except GumshoeError as error:
        return task, "named" if error.what else "named, empty"
    except MemoryError:
        return task, "too large, named"
    except Exception as error:
        return task, f"UNNAMED {type(error).__name__}: {str(error)[:80]}"
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0.0)


_SAMPLES = samples()


def files(count: int, seed: int = 1, *, apart: bool = True) -> Found:
    """So many mutated files, read by what reads uploads; ``apart``: in processes with its limits."""
    jobs = [(seed * 10_000_019 + number, number % len(_SAMPLES)) for number in range(count)]
    found = Found()
    with ExitStack() as stack:
        told = map(_file, jobs)
        if apart:
            forked = multiprocessing.get_context("fork")
            pool = stack.enter_context(ProcessPoolExecutor(2, forked, bound_memory, (untrusted.MOST_MB * 1024 * 1024,)))
            told = pool.map(_file, jobs, chunksize=16)  # type: ignore[assignment]
        for task, what in told:
            found[what] += 1
            found[f"files of {task}"] += 1
    return found


def bad(found: Found) -> int:
    """How often something had no name or did not end."""
    return sum(count for what, count in found.items() if what.startswith(("UNNAMED", "TOO LONG", "named,")))


def main(frame_count: int, file_count: int) -> int:
    """All of it; print and store."""
    logging.disable(logging.CRITICAL)
    scale = frame_count / 1_000_000
    parts = {
        "frames": lambda: frames(frame_count),
        "answers": lambda: answers(max(round(2_000 * scale), 20)),
        "text adapters": lambda: dialogues(max(round(4_000 * scale), 40)),
        "gateways": lambda: gateway(max(round(1_500 * scale), 10)),
        "files": lambda: files(file_count),
    }
    figures: dict[str, Any] = {"python": platform.python_version()}
    wrong = 0
    for name, part in parts.items():
        began = time.perf_counter()
        found = part()
        wrong += bad(found)
        figures[name] = dict(found.most_common()) | {"seconds": round(time.perf_counter() - began, 1)}
        print(name, json.dumps(figures[name], indent=1), flush=True)
    FIGURES.write_text(json.dumps(figures, indent=2) + "\n", encoding="utf-8")
    print(f"without a name or without an end: {wrong} (goal: 0): {'met' if not wrong else 'NOT MET'}")
    return 0 if not wrong else 1


if __name__ == "__main__":
    sys.exit(main(*map(int, [*sys.argv[1:], *("1000000", "20000")[len(sys.argv) - 1 :]])))
