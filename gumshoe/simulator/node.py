"""A stand-in's modules on a CAN bus: segmentation by can-isotp, one thread for all modules of a car."""

from __future__ import annotations

import logging
import random
import threading
import time
from collections.abc import Callable
from contextlib import AbstractContextManager
from typing import Any

import can
import isotp

from gumshoe.simulator.answers import Module

log = logging.getLogger(__name__)
FUNCTIONAL_ID, WIDE_FUNCTIONAL_ID = 0x7DF, 0x18DB33F1
PENDING = 0x78
LISTENS_S = 0.25


class _Port:
    """One module's physical address and its segmentation state."""

    def __init__(
        self, bus: can.BusABC, module: Module, request_id: int, response_id: int, *, wide: bool = False
    ) -> None:
        self.module = module
        self.request_id, self.response_id = request_id, response_id
        self.inbox: list[isotp.CanMessage] = []
        self.later: list[tuple[float, bytes]] = []
        mode = isotp.AddressingMode.Normal_29bits if wide else isotp.AddressingMode.Normal_11bits
        address = isotp.Address(mode, txid=self.response_id, rxid=self.request_id)

        def receive(_timeout: float) -> isotp.CanMessage | None:
            return self.inbox.pop(0) if self.inbox else None

        def transmit(message: isotp.CanMessage) -> None:
            bus.send(can.Message(arbitration_id=message.arbitration_id, is_extended_id=wide, data=message.data))

        self.logic = isotp.TransportLayerLogic(
            rxfn=receive,
            txfn=transmit,
            address=address,
            error_handler=lambda error: log.debug("stand-in port %X: %s", self.request_id, error),
            params={"tx_padding": 0, "blocksize": 0, "stmin": 0},
        )

    def serve(self, request: bytes, functional: bool) -> None:
        if self.logic.transmitting():
            self.logic.reset()  # a new request ends an answer that nobody took to its end (ISO 15765-2)
        self.later.clear()
        slow = self.module.answers_s
        for answer in self.module.answer(request, functional):
            if slow and not (answer[:1] == b"\x7f" and answer[-1] == PENDING):
                self.later.append((time.monotonic() + slow, answer))
            else:
                self.send(answer)

    def send(self, answer: bytes) -> None:
        self.logic.send(answer)
        self.logic.process()

    def send_due(self) -> None:
        """Send what a slow module took its time for."""
        while self.later and self.later[0][0] <= time.monotonic():
            self.send(self.later.pop(0)[1])


class Node(threading.Thread):
    """Listens on a bus and answers for its modules until ``stop``; ``lock`` guards the vehicle behind them."""

    def __init__(
        self,
        bus: can.BusABC,
        modules: list[Module] | dict[tuple[int, int], Module],
        lock: AbstractContextManager[Any],
        beyond: dict[tuple[int, int], Module] | None = None,
        lost_share: Callable[[], float] = lambda: 0.0,
        *,
        wide: bool = False,
    ) -> None:
        """``modules`` answer at 7E0 on, or by request and response id; ``beyond``: further ones by their ids, physical
        only; ``lost_share``: how many frames the wires lose; ``wide``: ids of 29 bits."""
        super().__init__(name=f"stand-in {bus.channel_info}", daemon=True)
        self.bus, self.lock, self._wide = bus, lock, wide
        placed = (
            modules
            if isinstance(modules, dict)
            else {(0x7E0 + index, 0x7E8 + index): module for index, module in enumerate(modules)}
        )
        self._ports = [_Port(bus, module, *ids, wide=wide) for ids, module in placed.items()]
        self._all = [*self._ports, *(_Port(bus, module, *ids, wide=wide) for ids, module in (beyond or {}).items())]
        self._lost_share = lost_share
        self._stopping = threading.Event()

    def run(self) -> None:
        while not self._stopping.is_set():
            due = [port.later[0][0] for port in self._all if port.later]
            wait = min([LISTENS_S, *(max(moment - time.monotonic(), 0.001) for moment in due)])
            message = self.bus.recv(timeout=wait)
            if message is None and not due:
                continue
            with self.lock:
                for port in self._all:
                    port.send_due()
                share = self._lost_share()
                if message is not None and not (share and random.random() < share):
                    self.take(message)

    def take(self, message: can.Message) -> None:
        """Handle one frame: a functional single frame, or part of a physical request or its flow control."""
        if message.is_extended_id != self._wide:
            return
        if message.arbitration_id == (WIDE_FUNCTIONAL_ID if self._wide else FUNCTIONAL_ID):
            data = bytes(message.data)
            if data and 1 <= data[0] <= 7 and len(data) > data[0]:
                for port in self._ports:
                    if port.module.awake:
                        port.serve(data[1 : 1 + data[0]], functional=True)
            return
        for port in self._all:
            if message.arbitration_id == port.request_id and port.module.awake:
                data = bytes(message.data)
                port.inbox.append(
                    isotp.CanMessage(
                        arbitration_id=message.arbitration_id, data=data, dlc=message.dlc, extended_id=self._wide
                    )
                )
                port.logic.process()
                request = port.logic.recv()
                if request is not None:
                    port.serve(bytes(request), functional=False)

    def stop(self) -> None:
        """End the thread and give the bus back."""
        self._stopping.set()
        if self.is_alive():
            self.join(2.0)
        self.bus.shutdown()
