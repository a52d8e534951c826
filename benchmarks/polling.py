#!/usr/bin/env python3
"""Samples a second of the live poller against the bare bus, in one run.

Baselines, over the same virtual bus and stand-in, asking for the same six PIDs:
  bare      python-can and can-isotp's state machine driven by hand in one loop; nothing is decoded
  threaded  can-isotp's own CanStack with its documented blocking calls
The poller decodes every value, keeps rates and stamps times. Both are measured in turn, nine times; what is told is the
median of the nine ratios. Goal: at least 90 % of ``bare``.

Through the stand-in text adapter (over TCP), against its baseline ``raw text``: the same command written to pyserial
and read up to the prompt, nothing decoded. Goal: at least 80 % of it.

Over IP, to the stand-in gateway of a car of SAE J1979-2, against ``bare doipclient``: its own blocking calls with the
same request, nothing decoded. Goal: at least 80 % of it.

    .venv/bin/python -m benchmarks.polling [SECONDS]
"""

from __future__ import annotations

import json
import platform
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from pathlib import Path
from statistics import median

import can
import isotp
import serial
from doipclient.client import DoIPClient

from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.ip_link import open_ip_link
from gumshoe.core.obd.pids import pid_table
from gumshoe.core.obd.poller import Poller
from gumshoe.core.obd.text_link import open_text_link
from gumshoe.simulator.garage import Runner, StandIn
from gumshoe.simulator.text_adapter import CanWire, TextAdapter

KEYS = ("load_pct", "stft_b1_pct", "ltft_b1_pct", "rpm", "speed_kmh", "maf_gps")
PIDS = bytes((0x04, 0x06, 0x07, 0x0C, 0x0D, 0x10))
SAMPLES_PER_ROUND = sum(len(pid_table()[pid].fields) for pid in PIDS)
GOALS = {"bus": 0.9, "text adapter": 0.8, "over IP": 0.8}
PAIRS = 9
FIGURES = Path(__file__).parent / "figures" / "polling.json"


def rate(once: Callable[[], None], seconds: float) -> float:
    """Samples a second of a loop over ``once``."""
    end = time.perf_counter() + seconds
    began, rounds = time.perf_counter(), 0
    while time.perf_counter() < end:
        once()
        rounds += 1
    return rounds * SAMPLES_PER_ROUND / (time.perf_counter() - began)


def bare(bus: can.BusABC) -> Callable[[], None]:
    """The leanest loop the two libraries allow."""
    inbox: list[isotp.CanMessage] = []

    def transmit(message: isotp.CanMessage) -> None:
        bus.send(can.Message(arbitration_id=message.arbitration_id, data=message.data, is_extended_id=False))

    logic = isotp.TransportLayerLogic(
        rxfn=lambda _timeout: inbox.pop(0) if inbox else None,
        txfn=transmit,
        address=isotp.Address(isotp.AddressingMode.Normal_11bits, txid=0x7E0, rxid=0x7E8),
        params={"tx_padding": 0, "blocksize": 0, "stmin": 0},
    )
    request = b"\x01" + PIDS

    def once() -> None:
        logic.send(request)
        logic.process()
        while True:
            message = bus.recv(1.0)
            if message is None:
                raise RuntimeError("no answer")
            if message.arbitration_id != 0x7E8:
                continue
            inbox.append(isotp.CanMessage(arbitration_id=0x7E8, data=bytes(message.data), dlc=message.dlc))
            logic.process()
            if logic.recv() is not None:
                return

    return once


def polling(poller: Poller) -> Callable[[], None]:
    """The application's poller."""

    def once() -> None:
        if len(poller.poll()) != SAMPLES_PER_ROUND:
            raise RuntimeError("samples are missing")

    return once


def threaded(stack: isotp.CanStack) -> Callable[[], None]:
    """can-isotp's own threads and blocking calls."""
    request = b"\x01" + PIDS

    def once() -> None:
        stack.send(request)
        if stack.recv(block=True, timeout=1.0) is None:
            raise RuntimeError("no answer")

    return once


def raw_text(port: serial.Serial) -> Callable[[], None]:
    """The leanest dialogue with a text adapter."""
    command = b"01" + PIDS.hex().upper().encode() + b"\r"

    def once() -> None:
        port.write(command)
        heard = b""
        while b">" not in heard:
            heard += port.read(max(port.in_waiting, 1))
        if heard.count(b"7E8") < 2:
            raise RuntimeError("no answer")

    return once


Once = Callable[[], None]
Opened = Callable[[], AbstractContextManager[Once]]


def paired(ours: Opened, theirs: Opened, seconds: float) -> tuple[float, float, float]:
    """Both in turn, so that a slow stretch of the machine meets both: median rates, and the median of the ratios."""
    rows = []
    for _ in range(PAIRS):
        rates = []
        for way in (ours, theirs):
            with way() as once:
                once()
                rates.append(rate(once, seconds))
        rows.append((rates[0], rates[1], rates[0] / rates[1]))
    return tuple(median(column) for column in zip(*rows, strict=True))  # type: ignore[return-value]


def by_bus(seconds: float) -> tuple[float, float, float]:
    """The poller and the leanest loop on one bus, each alone: another open tester would pile up frames nobody reads."""

    @contextmanager
    def ours() -> Iterator[Once]:
        with open_link("virtual", "bench") as link:
            yield polling(Poller(link, 0, KEYS))

    @contextmanager
    def theirs() -> Iterator[Once]:
        with can.Bus(interface="virtual", channel="bench") as bus:
            yield bare(bus)

    return paired(ours, theirs, seconds)


def by_threads(seconds: float) -> float:
    """can-isotp's own threads."""
    bus = can.Bus(interface="virtual", channel="bench")
    address = isotp.Address(isotp.AddressingMode.Normal_11bits, txid=0x7E0, rxid=0x7E8)
    stack = isotp.CanStack(bus, address=address, params={"tx_padding": 0, "blocksize": 0, "stmin": 0})
    stack.start()
    found = rate(threaded(stack), seconds)
    stack.stop()
    bus.shutdown()
    return found


def by_text(seconds: float) -> tuple[float, float, float]:
    """The poller and the bare dialogue through the stand-in text adapter, each alone on it."""
    adapter = TextAdapter(CanWire(can.Bus(interface="virtual", channel="bench")))
    adapter.start()

    @contextmanager
    def ours() -> Iterator[Once]:
        with open_text_link(adapter.address) as link:
            yield polling(Poller(link, 0, KEYS))
        time.sleep(0.3)

    @contextmanager
    def theirs() -> Iterator[Once]:
        port = serial.serial_for_url(adapter.address, timeout=1.0)
        for line in (b"ATZ", b"ATE0", b"ATL0", b"ATS0", b"ATH1", b"ATAT1", b"ATST19", b"ATSP6", b"ATSH7E0", b"0100"):
            port.write(line + b"\r")
            port.read_until(b">")
        yield raw_text(port)
        port.close()
        time.sleep(0.3)

    found = paired(ours, theirs, seconds)
    adapter.stop()
    return found


def by_cable(seconds: float) -> tuple[float, float, float]:
    """The poller and doipclient's own calls over IP, each alone at the gateway."""
    spec = StandIn("cable", "new car", "UY3WG12A5R2000127", "BENCH", 1, (), 1, 1.0, (), 85.0, "wigeon_12")
    runner = running(spec, "cable")
    gateway = runner.gateway()
    gateway.start()
    host, _, port = gateway.address.partition(":")
    request = b"\x22" + b"".join(bytes((0xF4, pid)) for pid in PIDS)

    @contextmanager
    def ours() -> Iterator[Once]:
        with open_ip_link(gateway.address) as link:
            yield polling(Poller(link, 0x10, KEYS))

    @contextmanager
    def theirs() -> Iterator[Once]:
        with DoIPClient(host, 0x10, tcp_port=int(port), udp_port=int(port)) as client:

            def once() -> None:
                client.send_diagnostic(request)
                if len(client.receive_diagnostic()) < len(request):
                    raise RuntimeError("no answer")

            yield once

    found = paired(ours, theirs, seconds)
    gateway.stop()
    runner.stop()
    return found


def running(spec: StandIn, channel: str) -> Runner:
    """A stand-in with its engine running."""
    runner = Runner(spec, channel)
    runner.start()
    runner.key("on")
    runner.key("start")
    time.sleep(2.0)
    return runner


def main(seconds: float) -> int:
    """Measure; print and store."""
    runner = running(StandIn("bench", "bench car", "UY0TN16A9G2000001", "BENCH", 1, (), 1, 1.0, (), 85.0), "bench")
    rows = {"bus": by_bus(seconds), "text adapter": by_text(seconds)}
    threads = by_threads(seconds)
    runner.stop()
    rows["over IP"] = by_cable(seconds)
    figures: dict[str, object] = {
        name: {"poller": round(ours), "bare": round(theirs), "ratio": round(ratio, 3), "goal": GOALS[name]}
        for name, (ours, theirs, ratio) in rows.items()
    }
    figures |= {"threaded": round(threads), "python": platform.python_version()}
    FIGURES.parent.mkdir(exist_ok=True)
    FIGURES.write_text(json.dumps(figures, indent=2) + "\n", encoding="utf-8")
    print(json.dumps(figures, indent=2))
    for name, (_ours, _theirs, ratio) in rows.items():
        met = "met" if ratio >= GOALS[name] else "NOT MET"
        print(f"{name}: {ratio:.2f} of the bare loop (goal: at least {GOALS[name]:.2f}): {met}")
    return 0 if all(row[2] >= GOALS[name] for name, row in rows.items()) else 1


if __name__ == "__main__":
    sys.exit(main(float(sys.argv[1]) if len(sys.argv) > 1 else 3.0))
