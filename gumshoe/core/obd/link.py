"""The link: diagnostic requests over any python-can bus, segmented by can-isotp.

Addressing, the functional request id and the response times are those of ISO 15765-4 [S]: 7DF functional,
7E0–7E7 physical, 7E8–7EF responses (11 bits); 18DB33F1, 18DAxxF1, 18DAF1xx (29 bits, any source address xx). P2 is
50 ms; a response-pending answer extends it to P2* of 5 s, again and again while the module goes on asking. A module
that is busy (7F xx 21) is asked again.

One thread drives everything: each responder has its own segmentation state, fed from the one bus. A request
therefore costs two frames and no thread switch of ours.
"""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import Enum

import can
import isotp

from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, LinkError, NoAnswer, Refused

log = logging.getLogger(__name__)


MODULES = range(8)


class Addressing(Enum):
    """How diagnostic messages are addressed on this vehicle."""

    ELEVEN_BIT = "11 bit"
    TWENTY_NINE_BIT = "29 bit"

    @property
    def functional_id(self) -> int:
        return 0x7DF if self is Addressing.ELEVEN_BIT else 0x18DB33F1

    def request_id(self, module: int) -> int:
        """The physical request id of a module: by its number 0–7, or by the id it answers on."""
        response = self.response_id(module)
        return response - 8 if self is Addressing.ELEVEN_BIT else 0x18DA00F1 | (response & 0xFF) << 8

    def response_id(self, module: int) -> int:
        """The id a module number 0–7 answers on; a response id stands for itself."""
        if module not in MODULES:
            return module
        return 0x7E8 + module if self is Addressing.ELEVEN_BIT else 0x18DAF100 | (0x10 + module)

    def is_response(self, identifier: int) -> bool:
        """Whether a module answers a tester on this id: with 29 bits from any source address (ISO 15765-4 [S])."""
        if self is Addressing.ELEVEN_BIT:
            return 0x7E8 <= identifier <= 0x7EF
        return identifier & 0x1FFFFF00 == 0x18DAF100

    @property
    def extended(self) -> bool:
        return self is Addressing.TWENTY_NINE_BIT


@dataclass(frozen=True)
class Timing:
    """How long to wait, in seconds (ISO 15765-4 / SAE J1979: P2, P2*; segmentation N_Cr)."""

    p2: float = 0.050
    p2_star: float = 5.0
    consecutive: float = 1.0
    patience: float = 30.0
    """So long a module may go on asking for more time; each time it asks, it gets P2* (ISO 14229-2 sets no count)."""
    busy_pause: float = 0.2
    busy_limit: float = 2.0
    """A busy module is asked again after the pause, until the limit (from memory: ISO 15031-5)."""
    margin: float = 0.050
    """Grace for the adapter and the operating system, added to P2: serial and USB adapters take their time."""


@dataclass(frozen=True)
class Response:
    """A whole answer from one module; ``payload`` starts with the service byte."""

    responder: int
    payload: bytes

    @property
    def busy(self) -> bool:
        """Whether the module asks for the request to be repeated."""
        return self.refusal is not None and self.refusal[1] == BUSY

    @property
    def refusal(self) -> tuple[int, int] | None:
        """(service, reason) of a negative response, else None."""
        if len(self.payload) >= 3 and self.payload[0] == 0x7F:
            return self.payload[1], self.payload[2]
        return None


@dataclass(frozen=True)
class Exchange:
    """All answers to one functional request, and what went wrong with any module's answer, by its response id."""

    answers: tuple[Response, ...]
    broken: Mapping[int, str] = field(default_factory=dict)


@dataclass(frozen=True)
class BusFrame:
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


BUSY, PENDING = 0x21, 0x78
ECHOING = frozenset({0x01, 0x02, 0x06, 0x09})
REPEATABLE = frozenset({0x01, 0x02, 0x03, 0x06, 0x07, 0x09, 0x0A, 0x10, 0x19, 0x22, 0x2F, 0x3E})
"""What may be asked once more after silence (ISO 14229-2 lets a client repeat a request; from memory)."""
LOOKS = 3
"""So often a module is looked for, twice each, before it is called silent."""
MOST_WAITS = 255
"""So often a module may say "wait" to a long request of ours, a second each at most (N_Bs, ISO 15765-2 [S])."""
SENDING_S = 0.001
"""How long is listened between two looks at whether our next frame is due."""
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
        tap: Callable[[BusFrame], None] | None = None,
    ) -> None:
        self.bus, self.addressing, self.timing, self.tap = bus, addressing, timing or Timing(), tap
        self._lock = threading.RLock()
        self._lanes = {
            addressing.response_id(module): self._lane(addressing.request_id(module), addressing.response_id(module))
            for module in MODULES
        }

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
            answers: list[Response] = []
            self._gather(payload, {number for number in self._lanes if self.addressing.is_response(number)}, answers)
            broken = {number: lane.trouble for number, lane in self._lanes.items() if lane.trouble}
            given = tuple(self._when_free(item, payload) if item.busy else item for item in answers)
            return Exchange(given, broken)

    def ask(self, module: int, payload: bytes) -> Response:
        """Send a physical request to one module, by its number 0–7 or the id it answers on; its positive answer.

        Raises NoAnswer, BrokenAnswer, Refused or BusFailure.
        """
        return self.ask_at(self.addressing.request_id(module), self.addressing.response_id(module), payload)

    def ask_at(self, request_id: int, response_id: int, payload: bytes) -> Response:
        """The same to any pair of ids, such as those of a module that only answers UDS.

        Silence, or an answer that broke off, after what only reads or sets a state is asked once more: one lost frame
        is not a lost module. What does something each time (clearing, a reset, a routine) is never repeated unasked.
        """
        with self._lock:
            try:
                answer = self._asked_once(request_id, response_id, payload)
            except (NoAnswer, BrokenAnswer):
                if payload[0] not in REPEATABLE:
                    raise
                answer = self._asked_once(request_id, response_id, payload)
            if answer.busy:
                answer = self._when_free(answer, payload, request_id)
            refusal = answer.refusal
            if refusal:
                raise Refused(refusal[0], refusal[1], response_id)
            return answer

    def is_there(self, module: int) -> bool:
        """Whether a module says anything at all; asked as often as one lost frame in ten needs for a sure answer."""
        for _ in range(LOOKS):
            try:
                self.ask(module, b"\x01\x00")
            except Refused:
                return True
            except (NoAnswer, BrokenAnswer):
                continue
            return True
        return False

    # -- inside -------------------------------------------------------------------------------------------

    def _asked_once(self, request_id: int, response_id: int, payload: bytes) -> Response:
        lane = self._lanes.get(response_id) or self._lanes.setdefault(response_id, self._lane(request_id, response_id))
        self._prepare()
        lane.logic.send(payload)
        self._process(lane)
        answers: list[Response] = []
        self._gather(payload, {response_id}, answers, only=response_id)
        if not answers:
            if lane.trouble:
                raise BrokenAnswer(lane.trouble)
            raise NoAnswer(f"Module {request_id:X} did not answer.")
        return answers[0]

    def _when_free(self, busy: Response, payload: bytes, request_id: int | None = None) -> Response:
        """Ask a module that was busy again, until it answers or the limit is reached; then its last answer."""
        until, answer = time.monotonic() + self.timing.busy_limit, busy
        while answer.busy and time.monotonic() < until:
            time.sleep(self.timing.busy_pause)
            try:
                answer = self._asked_once(
                    request_id or self.addressing.request_id(busy.responder), busy.responder, payload
                )
            except (NoAnswer, BrokenAnswer):
                continue
        return answer

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
            lane.inbox.append(
                isotp.CanMessage(
                    arbitration_id=number,
                    data=bytes(message.data),
                    dlc=message.dlc,
                    extended_id=message.is_extended_id,
                )
            )
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
            if not self._belongs(answer, request):
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

    @staticmethod
    def _belongs(answer: Response, request: bytes) -> bool:
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
    tap: Callable[[BusFrame], None] | None = None,
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
