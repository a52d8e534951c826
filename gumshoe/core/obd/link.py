"""The link: diagnostic requests over any python-can bus, segmented by can-isotp.

Addressing, the functional request id and the response times are those of ISO 15765-4 [S]: 7DF functional,
7E0–7E7 physical, 7E8–7EF responses (11 bits); 18DB33F1, 18DAxxF1, 18DAF1xx (29 bits). P2 is 50 ms; a
response-pending answer extends it to P2* of 5 s.

One thread drives everything: each possible responder has its own segmentation state, fed from the one bus.
A request therefore costs two frames and no thread switch of ours.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from enum import Enum

import can
import isotp

from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, LinkError, NoAnswer, Refused

log = logging.getLogger(__name__)


class Addressing(Enum):
    """How diagnostic messages are addressed on this vehicle."""

    ELEVEN_BIT = "11 bit"
    TWENTY_NINE_BIT = "29 bit"

    @property
    def functional_id(self) -> int:
        return 0x7DF if self is Addressing.ELEVEN_BIT else 0x18DB33F1

    def request_id(self, module: int) -> int:
        """The physical request id for a module index 0–7."""
        return 0x7E0 + module if self is Addressing.ELEVEN_BIT else 0x18DA00F1 | (0x10 + module) << 8

    def response_id(self, module: int) -> int:
        """The id a module index 0–7 answers on."""
        return 0x7E8 + module if self is Addressing.ELEVEN_BIT else 0x18DAF100 | (0x10 + module)

    @property
    def extended(self) -> bool:
        return self is Addressing.TWENTY_NINE_BIT


@dataclass(frozen=True)
class Timing:
    """How long to wait, in seconds (ISO 15765-4 / SAE J1979: P2, P2*; segmentation N_Cr)."""

    p2: float = 0.050
    p2_star: float = 5.0
    consecutive: float = 1.0
    pending_limit: int = 8
    margin: float = 0.050
    """Grace for the adapter and the operating system, added to P2: serial and USB adapters take their time."""


@dataclass(frozen=True)
class Answer:
    """A whole answer from one module; ``payload`` starts with the service byte."""

    responder: int
    payload: bytes

    @property
    def refusal(self) -> tuple[int, int] | None:
        """(service, reason) of a negative response, else None."""
        if len(self.payload) >= 3 and self.payload[0] == 0x7F:
            return self.payload[1], self.payload[2]
        return None


@dataclass(frozen=True)
class Exchange:
    """All answers to one functional request, and what went wrong with any module's answer."""

    answers: tuple[Answer, ...]
    troubles: tuple[str, ...] = ()


@dataclass(frozen=True)
class Frame:
    """One frame as it passed on the bus; ``sent`` by us or received."""

    time: float
    id: int
    extended: bool
    data: bytes
    sent: bool


@dataclass
class _Lane:
    """Segmentation state for one responder."""

    logic: isotp.TransportLayerLogic
    inbox: list[isotp.CanMessage] = field(default_factory=list)
    trouble: str = ""
    pending: int = 0

    def restart(self) -> None:
        self.logic.reset()
        self.inbox.clear()
        self.trouble, self.pending = "", 0


MODULES = range(8)
ECHOING = frozenset({0x01, 0x02, 0x06, 0x09})
STRAY = (isotp.UnexpectedConsecutiveFrameError, isotp.UnexpectedFlowControlError)


class Link:
    """Requests and answers on one bus. Safe to use from several threads: one request at a time.

    ``tap`` is called with every frame that concerns us, sent or received, in order.
    """

    def __init__(
        self,
        bus: can.BusABC,
        *,
        addressing: Addressing = Addressing.ELEVEN_BIT,
        timing: Timing | None = None,
        tap: Callable[[Frame], None] | None = None,
    ) -> None:
        self.bus, self.addressing, self.timing, self.tap = bus, addressing, timing or Timing(), tap
        self._lock = threading.RLock()
        self._lanes = {
            addressing.response_id(module): self._lane(addressing.request_id(module), addressing.response_id(module))
            for module in MODULES
        }
        self._standard = frozenset(self._lanes)

    def close(self) -> None:
        """Give the adapter back."""
        with self._lock:
            self.bus.shutdown()

    def __enter__(self) -> Link:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    # -- requests -----------------------------------------------------------------------------------------

    def ask_all(self, payload: bytes) -> Exchange:
        """Send a functional request and gather every module's answer until the bus stays silent for P2.

        Never raises for silence: an empty Exchange means that nobody answered.
        """
        if len(payload) > 7:
            raise ValueError("a functional request must fit a single frame of 7 bytes")
        with self._lock:
            self._prepare()
            data = bytes((len(payload), *payload)).ljust(8, b"\x00")
            self._send(self.addressing.functional_id, data)
            answers: list[Answer] = []
            self._gather(payload, set(self._standard), answers, everyone=True)
            troubles = tuple(lane.trouble for lane in self._lanes.values() if lane.trouble)
            return Exchange(tuple(answers), troubles)

    def ask(self, module: int, payload: bytes) -> Answer:
        """Send a physical request to one module (0–7) and return its positive answer.

        Raises NoAnswer, BrokenAnswer, Refused or BusFailure.
        """
        return self.ask_at(self.addressing.request_id(module), self.addressing.response_id(module), payload)

    def ask_at(self, request_id: int, response_id: int, payload: bytes) -> Answer:
        """The same to any pair of ids, such as those of a module that only answers UDS."""
        with self._lock:
            responder = response_id
            if responder not in self._lanes:
                self._lanes[responder] = self._lane(request_id, response_id)
            self._prepare()
            lane = self._lanes[responder]
            lane.logic.send(payload)
            self._process(lane)
            answers: list[Answer] = []
            self._gather(payload, {responder}, answers, everyone=False)
            if not answers:
                if lane.trouble:
                    raise BrokenAnswer(lane.trouble)
                raise NoAnswer(f"Module {request_id:X} did not answer.")
            refusal = answers[0].refusal
            if refusal:
                raise Refused(refusal[0], refusal[1], responder)
            return answers[0]

    # -- inside -------------------------------------------------------------------------------------------

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
                "max_frame_size": 4095,
            },
        )
        lane = _Lane(logic)
        return lane

    def _prepare(self) -> None:
        """Forget late answers to earlier requests, so that they cannot be taken for this one's."""
        for lane in self._lanes.values():
            if lane.trouble or lane.inbox or lane.pending or lane.logic.is_rx_active() or lane.logic.transmitting():
                lane.restart()
            lane.logic.clear_rx_queue()
        while self._receive(0.0) is not None:
            pass

    def _send(self, identifier: int, data: bytes) -> None:
        message = can.Message(arbitration_id=identifier, is_extended_id=self.addressing.extended, data=data)
        try:
            self.bus.send(message, timeout=1.0)
        except (can.CanError, OSError) as error:
            raise BusFailure(f"The adapter could not send: {error}.") from error
        if self.tap:
            self.tap(Frame(time.time(), identifier, message.is_extended_id, data, True))

    def _receive(self, timeout: float) -> can.Message | None:
        try:
            message = self.bus.recv(timeout=timeout)
        except (can.CanError, OSError, ValueError) as error:
            raise BusFailure(f"The adapter could not receive: {error}.") from error
        if message is None or message.is_error_frame or message.is_remote_frame:
            return message
        if self.tap and message.arbitration_id in self._lanes:
            self.tap(Frame(time.time(), message.arbitration_id, message.is_extended_id, bytes(message.data), False))
        return message

    def _process(self, lane: _Lane) -> None:
        lane.logic.process()

    def _gather(self, request: bytes, waiting: set[int], answers: list[Answer], *, everyone: bool) -> None:
        """Feed frames to their lanes until the wanted answers are in or time is up."""
        service = request[0]
        p2 = self.timing.p2 + self.timing.margin
        deadline = time.monotonic() + p2
        hard_stop = time.monotonic() + self.timing.p2_star * self.timing.pending_limit
        while True:
            now = time.monotonic()
            if now >= min(deadline, hard_stop):
                self._name_unfinished(waiting)
                return
            message = self._receive(max(min(deadline, hard_stop) - now, 0.0))
            if message is None or message.is_error_frame or message.is_remote_frame:
                continue
            lane = self._lanes.get(message.arbitration_id)
            if lane is None or bool(message.is_extended_id) != self.addressing.extended:
                continue
            lane.inbox.append(
                isotp.CanMessage(
                    arbitration_id=message.arbitration_id,
                    data=bytes(message.data),
                    dlc=message.dlc,
                    extended_id=message.is_extended_id,
                )
            )
            self._process(lane)
            if message.arbitration_id not in waiting:
                continue
            payload = lane.logic.recv()
            if payload is None:
                if lane.logic.is_rx_active():
                    deadline = max(deadline, time.monotonic() + self.timing.consecutive)
                elif lane.trouble and not everyone:
                    return
                continue
            answer = Answer(message.arbitration_id, bytes(payload))
            if answer.refusal == (service, 0x78):
                lane.pending += 1
                if lane.pending > self.timing.pending_limit:
                    lane.trouble = (
                        f"Module {message.arbitration_id:X} kept asking for more time "
                        f"({lane.pending} times) and never answered."
                    )
                    waiting.discard(message.arbitration_id)
                    if not everyone:
                        return
                    continue
                deadline = time.monotonic() + self.timing.p2_star
                continue
            if not self._belongs(answer, request):
                continue
            answers.append(answer)
            lane.pending = 0
            lane.trouble = ""
            waiting.discard(message.arbitration_id)
            if not everyone:
                return
            if not any(other.pending or other.logic.is_rx_active() for other in self._lanes.values()):
                deadline = min(deadline, time.monotonic() + p2) if deadline - now > p2 else time.monotonic() + p2

    def _name_unfinished(self, waiting: set[int]) -> None:
        for responder in waiting:
            lane = self._lanes[responder]
            if lane.logic.is_rx_active() and not lane.trouble:
                lane.trouble = f"Module {responder:X} began an answer and did not finish it."
            elif lane.pending and not lane.trouble:
                lane.trouble = f"Module {responder:X} asked for more time and then stayed silent."

    @staticmethod
    def _belongs(answer: Answer, request: bytes) -> bool:
        """Whether this answers what we asked: a late answer to something else is passed over.

        Services that name what they answer (PID, monitor, information type) must name something of this request.
        """
        service, payload = request[0], answer.payload
        if not payload:
            return False
        if payload[0] == service + 0x40:
            return service not in ECHOING or len(payload) < 2 or payload[1] in request[1:]
        return payload[0] == 0x7F and len(payload) >= 3 and payload[1] == service


def open_link(
    interface: str,
    channel: str,
    bitrate: int = 500_000,
    *,
    addressing: Addressing = Addressing.ELEVEN_BIT,
    timing: Timing | None = None,
    tap: Callable[[Frame], None] | None = None,
) -> Link:
    """Open a python-can interface (``virtual``, ``socketcan``, ``slcan`` …) as a diagnostic link.

    Raises BusFailure when the adapter cannot be opened.
    """
    try:
        bus = can.Bus(interface=interface, channel=channel, bitrate=bitrate)
    except (can.CanError, OSError, ValueError, ImportError) as error:
        raise BusFailure(f"Interface “{interface}”, channel “{channel}” could not be opened: {error}.") from error
    return Link(bus, addressing=addressing, timing=timing, tap=tap)


def find_addressing(link_factory: Callable[[Addressing], Link]) -> Link:
    """Open a link with whichever addressing the vehicle answers to, 11 bits tried first.

    Raises NoAnswer when neither brings an answer; BusFailure from opening passes through.
    """
    for addressing in Addressing:
        link = link_factory(addressing)
        try:
            if link.ask_all(b"\x01\x00").answers:
                return link
        except LinkError:
            link.close()
            raise
        link.close()
    raise NoAnswer("No module answered, neither to 11-bit nor to 29-bit requests.")
