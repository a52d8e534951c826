"""The link over any python-can bus, segmented by can-isotp.

One thread drives everything: each responder has its own segmentation state, fed from the one bus. A request
therefore costs two frames and no thread switch of ours.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import can
import isotp

from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, NoAnswer
from gumshoe.core.obd.link import (
    MODULES,
    PENDING,
    Addressing,
    BusFrame,
    Exchange,
    Link,
    Response,
    Timing,
    belongs,
)

FD_BYTES, FD_BITRATE = 64, 2_000_000
"""Bytes of the longest frame of CAN FD, and the bit rate of its data that is usual in cars (from memory)."""
MOST_WAITS = 255
"""So often a module may say "wait" to a long request of ours, a second each at most (N_Bs, ISO 15765-2 [S])."""
SINGLE_BYTES = 7
FIRST, CONSECUTIVE = 1, 2
LOOKS_EVERY_S = 0.2
"""So long the frames of an answer are gathered before they are put together; can-isotp's own clocks go on."""
SENDING_S = 0.001
"""How long is listened between two looks at whether our next frame is due."""
STRAY = (isotp.UnexpectedConsecutiveFrameError, isotp.UnexpectedFlowControlError)


@dataclass
class _Lane:
    """Segmentation state for one responder."""

    logic: isotp.TransportLayerLogic
    inbox: list[isotp.CanMessage] = field(default_factory=list)
    trouble: str = ""
    pending: int = 0
    left: int = 0
    """Frames still to come of the answer that is being heard."""
    turn: int = 0
    looked: float = 0.0

    def restart(self) -> None:
        self.logic.reset()
        self.inbox.clear()
        self.trouble, self.pending, self.left = "", 0, 0

    def waits_for_more(self, data: bytes, now: float) -> bool:
        """Whether a frame is one in the middle of an answer, in its turn: those are put together with the last one, not
        each by itself."""
        kind = data[0] >> 4 if data else 0
        if kind == FIRST and len(data) >= 8:
            length, first = (data[0] & 15) << 8 | data[1], len(data) - 2
            self.left, self.turn, self.looked = -(-(length - first) // (first + 1)), 1, now
            return False
        if kind != CONSECUTIVE or data[0] & 15 != self.turn or now - self.looked > LOOKS_EVERY_S:
            self.left, self.looked = 0, now
            return False
        self.left, self.turn = self.left - 1, (self.turn + 1) % 16
        return self.left > 0


def single_frame(payload: bytes) -> bytes:
    """A request that fits one frame (ISO 15765-2 [S])."""
    return bytes((len(payload),)) + payload.ljust(SINGLE_BYTES, b"\x00")


class CanLink(Link):
    """Requests and answers on one CAN bus."""

    def __init__(
        self,
        bus: can.BusABC,
        *,
        addressing: Addressing = Addressing.ELEVEN_BIT,
        timing: Timing | None = None,
        tap: Callable[[BusFrame], None] | None = None,
        fd: bool = False,
    ) -> None:
        """``fd``: the bus was opened for frames of up to 64 bytes, and requests go out in such."""
        super().__init__(addressing, timing, tap)
        self.bus, self.fd = bus, fd
        self._touched: set[int] = set()
        """Modules whose segmentation has heard or said something since the last request."""
        self._lanes = {
            addressing.response_id(module): self._lane(addressing.request_id(module), addressing.response_id(module))
            for module in MODULES
        }

    def close(self) -> None:
        """Give the adapter back."""
        with self._lock:
            self.bus.shutdown()

    @property
    def words(self) -> str:
        """How this link talks to the car."""
        return f"CAN{' FD' if self.fd else ''}, {self.addressing.value}"

    def _everybody(self, payload: bytes) -> Exchange:
        self._prepare()
        self._send(self.addressing.functional_id, single_frame(payload))
        answers: list[Response] = []
        self._gather(payload, {number for number in self._lanes if self.addressing.is_response(number)}, answers)
        broken = {number: lane.trouble for number, lane in self._lanes.items() if lane.trouble}
        return Exchange(tuple(answers), broken)

    def _asked_once(self, request_id: int, response_id: int, payload: bytes) -> Response:
        lane = self._lanes.get(response_id) or self._lanes.setdefault(response_id, self._lane(request_id, response_id))
        self._prepare()
        if len(payload) <= SINGLE_BYTES:
            self._send(request_id, single_frame(payload))
        else:
            self._touched.add(response_id)
            lane.logic.send(payload)
            self._process(lane)
        answers: list[Response] = []
        self._gather(payload, {response_id}, answers, only=response_id)
        if not answers:
            if lane.trouble:
                raise BrokenAnswer(lane.trouble)
            raise NoAnswer(f"Module {request_id:X} did not answer.")
        return answers[0]

    def _lane(self, request_id: int, response_id: int) -> _Lane:
        extended = self.addressing.extended
        address = isotp.Address(
            isotp.AddressingMode.Normal_29bits if extended else isotp.AddressingMode.Normal_11bits,
            txid=request_id,
            rxid=response_id,
        )
        lane: _Lane

        def receive(_timeout: float) -> isotp.CanMessage | None:
            return lane.inbox.pop(0) if lane.inbox else None

        def transmit(message: isotp.CanMessage) -> None:
            self._send(message.arbitration_id, bytes(message.data))

        def trouble(error: Exception) -> None:
            if isinstance(error, STRAY):
                return  # the tail of an answer to somebody else: the one to us may still come
            lane.trouble = f"The answer of module {response_id:X} broke off: {error}"

        logic = isotp.TransportLayerLogic(
            rxfn=receive,
            txfn=transmit,
            address=address,
            error_handler=trouble,
            params={
                "tx_padding": 0,
                "blocksize": 0,
                "stmin": 0,
                "rx_consecutive_frame_timeout": round(self.timing.consecutive * 1000),
                "wftmax": MOST_WAITS,
                "max_frame_size": 4095,
                "can_fd": self.fd,
                "tx_data_length": FD_BYTES if self.fd else 8,
                "tx_data_min_length": 8,
            },
        )
        lane = _Lane(logic)
        return lane

    def _prepare(self) -> None:
        """Forget late answers to earlier requests, so that they cannot be taken for this one's."""
        for number in self._touched:
            lane = self._lanes[number]
            if lane.trouble or lane.inbox or lane.pending or lane.logic.is_rx_active() or lane.logic.transmitting():
                lane.restart()
            lane.logic.clear_rx_queue()
        self._touched.clear()
        while self._receive(0.0) is not None:
            pass

    def _send(self, identifier: int, data: bytes) -> None:
        message = can.Message(
            arbitration_id=identifier, is_extended_id=self.addressing.extended, data=data, is_fd=self.fd,
            bitrate_switch=self.fd,
        )  # fmt: skip
        try:
            self.bus.send(message, timeout=1.0)
        except (can.CanError, OSError) as error:
            raise BusFailure(f"The adapter could not send: {error}.") from error
        if self.tap:
            self.tap(BusFrame(time.time(), identifier, message.is_extended_id, data, True))

    def _receive(self, timeout: float) -> can.Message | None:
        try:
            message = self.bus.recv(timeout=timeout)
        except (can.CanError, OSError, ValueError) as error:
            raise BusFailure(f"The adapter could not receive: {error}.") from error
        if message is None or message.is_error_frame or message.is_remote_frame:
            return message
        if message.arbitration_id in self._lanes:
            self._note(message)
        return message

    def _note(self, message: can.Message) -> None:
        if self.tap:
            self.tap(BusFrame(time.time(), message.arbitration_id, message.is_extended_id, bytes(message.data), False))

    def _process(self, lane: _Lane) -> None:
        lane.logic.process()

    def _gather(self, request: bytes, waiting: set[int], answers: list[Response], *, only: int | None = None) -> None:
        """Feed frames to their lanes until the wanted answers are in or time is up. ``only``: one module is asked; else
        everybody is, and a module not heard of before gets its lane with its first frame."""
        service = request[0]
        p2 = self.timing.p2 + self.timing.margin
        began = time.monotonic()
        deadline, hard_stop = began + p2, began + self.timing.patience
        asked = self._lanes[only] if only is not None else None
        while True:
            now = time.monotonic()
            sending = asked is not None and asked.logic.transmitting()
            if asked is not None and sending:  # a long request, at the pace that the module asked for
                deadline = now + p2
                self._process(asked)
                if asked.trouble:
                    return
            if now >= min(deadline, hard_stop):
                self._name_unfinished(waiting)
                return
            message = self._receive(SENDING_S if sending else max(min(deadline, hard_stop) - now, 0.0))
            if message is None or message.is_error_frame or message.is_remote_frame:
                continue
            if bool(message.is_extended_id) != self.addressing.extended:
                continue
            number = message.arbitration_id
            if only is None and number not in self._lanes and self.addressing.is_response(number):
                self._lanes[number] = self._lane(self.addressing.request_id(number), number)
                waiting.add(number)
                self._note(message)
            lane = self._lanes.get(number)
            if lane is None:
                continue
            self._touched.add(number)
            lane.inbox.append(
                isotp.CanMessage(
                    arbitration_id=number,
                    data=bytes(message.data),
                    dlc=message.dlc,
                    extended_id=message.is_extended_id,
                    is_fd=message.is_fd,
                )
            )
            if lane.waits_for_more(bytes(message.data), now):
                deadline = max(deadline, now + self.timing.consecutive)
                continue
            self._process(lane)
            if number not in waiting:
                continue
            payload = lane.logic.recv()
            if payload is None:
                if lane.logic.is_rx_active():
                    deadline = max(deadline, time.monotonic() + self.timing.consecutive)
                elif lane.trouble and only is not None:
                    return
                continue
            answer = Response(number, bytes(payload))
            if answer.refusal == (service, PENDING):
                lane.pending += 1
                deadline = time.monotonic() + self.timing.p2_star
                continue
            if not belongs(answer.payload, request):
                continue
            answers.append(answer)
            lane.pending = 0
            lane.trouble = ""
            waiting.discard(number)
            if only is not None:
                return
            if not any(other.pending or other.logic.is_rx_active() for other in self._lanes.values()):
                deadline = min(deadline, time.monotonic() + p2) if deadline - now > p2 else time.monotonic() + p2

    def _name_unfinished(self, waiting: set[int]) -> None:
        for responder in waiting:
            lane = self._lanes[responder]
            if lane.logic.is_rx_active() and not lane.trouble:
                lane.trouble = f"Module {responder:X} began an answer and did not finish it."
            elif lane.pending and not lane.trouble:
                lane.trouble = (
                    f"Module {responder:X} kept asking for more time ({lane.pending} times) and did not answer in time."
                )


def open_link(
    interface: str,
    channel: str,
    bitrate: int = 500_000,
    *,
    addressing: Addressing = Addressing.ELEVEN_BIT,
    timing: Timing | None = None,
    tap: Callable[[BusFrame], None] | None = None,
    fd: bool = False,
) -> CanLink:
    """Open a python-can interface (``virtual``, ``socketcan``, ``slcan`` …) as a diagnostic link.

    ``fd``: as CAN FD, where the interface has it. Raises BusFailure when the adapter cannot be opened.
    """
    more: dict[str, Any] = {"fd": True, "data_bitrate": FD_BITRATE} if fd else {}
    if fd and interface == "virtual":
        more["protocol"] = can.CanProtocol.CAN_FD
    try:
        bus = can.Bus(interface=interface, channel=channel, bitrate=bitrate, **more)
    except (can.CanError, OSError, ValueError, ImportError, TypeError, NotImplementedError) as error:
        raise BusFailure(f"Interface “{interface}”, channel “{channel}” could not be opened: {error}.") from error
    return CanLink(bus, addressing=addressing, timing=timing, tap=tap, fd=fd)
