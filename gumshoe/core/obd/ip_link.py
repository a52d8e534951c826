"""The link over IP (ISO 13400): vehicles announced by UDP, one chosen, its gateway's routing activated, then UDS.

Messages, sockets and routing activation are the package doipclient's. Logical addresses, the functional group E000 of
the law's diagnosis and the codes of refusal: ISO 13400-2 [S].
"""

from __future__ import annotations

import socket
import struct
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from doipclient.client import DoIPClient
from doipclient.constants import A_DOIP_CTRL, TCP_DATA_UNSECURED
from doipclient.messages import (
    DiagnosticMessage,
    DiagnosticMessageNegativeAcknowledgement,
    DoIPMessage,
    RoutingActivationRequest,
    VehicleIdentificationRequest,
    VehicleIdentificationResponse,
)

from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, CannotReach, NoAnswer, why_not
from gumshoe.core.obd.link import PENDING, TESTER, Addressing, BusFrame, Exchange, Link, Response, Timing, belongs

NETWORK_S = 0.1
"""Grace for the network and the gateway, added to P2 (ISO 14229-5 leaves it to the network; from memory)."""
CONNECT_S = 2.0
LOOKS_S = A_DOIP_CTRL
ROUTING = {
    0x00: "it does not know our address",
    0x01: "all its places for testers are taken",
    0x02: "this connection has another address already",
    0x03: "another tester is active with our address",
    0x04: "it wants the maker's authentication",
    0x05: "somebody refused it in the car",
    0x06: "it does not offer this kind of diagnosis",
    0x07: "it only talks encrypted",
    0x11: "it has to be confirmed in the car first",
}
"""Why a gateway does not route (ISO 13400-2 [S])."""
ROUTED, OTHER_KIND = 0x10, 0x06
UNKNOWN_TARGET, UNREACHABLE = 0x03, 0x06
NACKS = {
    0x02: "our address is not valid",
    UNKNOWN_TARGET: "it knows no such module",
    0x04: "the request is too long for it",
    0x05: "its memory is full",
    UNREACHABLE: "the module cannot be reached from it",
    0x07: "it knows no such network",
    0x08: "the bus behind it failed",
}


class GatewayTrouble(BusFailure):
    """The gateway of the car does not do what is needed."""

    remedies = (
        "look at the network cable and at the address of the adapter in the settings",
        "end what another tester does at this car",
        "switch the ignition off, wait a minute, and on again",
    )


@dataclass(frozen=True)
class Entity:
    """A gateway that was heard: where it is, its own logical address, its vehicle's VIN."""

    host: str
    port: int
    logical: int
    vin: str

    @property
    def words(self) -> str:
        return f"{self.host}" + (f" ({self.vin})" if self.vin else "")


class Closed(BrokenAnswer):
    """The gateway closed the connection while an answer was awaited."""


class _Client(DoIPClient):
    """doipclient's, connected with a limit and read to the millisecond."""

    def _connect(self) -> None:
        self._tcp_sock = socket.create_connection((self._ecu_ip_address, self._tcp_port), CONNECT_S)
        self._tcp_sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, True)
        self._udp_sock = socket.socket(self._address_family, socket.SOCK_DGRAM)
        self._tcp_close_detected = False

    def next(self, seconds: float) -> DoIPMessage | None:
        """The next message that is for us to see, or None when none came in time. Raises BusFailure, BrokenAnswer."""
        self._tcp_sock.settimeout(max(seconds, 0.001))
        try:
            found: DoIPMessage | None = self.read_doip(timeout=max(seconds, 0.0))
            return found
        except TimeoutError:
            if self._tcp_close_detected:
                raise Closed("The gateway closed the connection before it answered.") from None
            return None
        except OSError as error:
            raise Closed(f"The connection to the gateway failed: {why_not(error)}.") from error
        except (ValueError, struct.error, AttributeError) as error:
            raise BrokenAnswer(f"The gateway sent a message that cannot be read: {error}.") from error

    def put(self, message: DoIPMessage) -> None:
        """Send a message. Raises BusFailure."""
        self._tcp_sock.settimeout(CONNECT_S)
        try:
            self.send_doip_message(message)
        except OSError as error:
            raise GatewayTrouble(f"The gateway took no request: {why_not(error)}.") from error


class IpLink(Link):
    """Requests and answers through one gateway."""

    def __init__(
        self,
        client: _Client,
        entity: Entity,
        *,
        timing: Timing | None = None,
        tap: Callable[[BusFrame], None] | None = None,
    ) -> None:
        super().__init__(Addressing.LOGICAL, timing, tap)
        self.client, self.entity = client, entity
        self._stale = False

    @property
    def words(self) -> str:
        """How this link talks to the car."""
        return f"diagnostics over IP, gateway {self.entity.logical:04X}" + (
            f", {vin}" if (vin := self.entity.vin) else ""
        )

    def close(self) -> None:
        """Give the gateway's place back."""
        with self._lock:
            self.client.close()

    def _everybody(self, payload: bytes) -> Exchange:
        try:
            try:
                heard = self._called(payload)
            except Closed:
                heard = self._called(payload)
        except CannotReach:  # a gateway without functional addressing: at least the one it names is asked
            try:
                return Exchange((self._asked_once(self.entity.logical, self.entity.logical, payload),))
            except (NoAnswer, BrokenAnswer, CannotReach):
                return Exchange(())
        broken = {number: why for number, (_, why) in heard.items() if why}
        return Exchange(tuple(answer for answer, _ in heard.values() if answer), broken)

    def _called(self, payload: bytes) -> dict[int, tuple[Response | None, str]]:
        self._send(self.addressing.functional_id, payload)
        return self._heard(payload, None)

    def _asked_once(self, request_id: int, response_id: int, payload: bytes) -> Response:
        self._send(request_id, payload)
        answer, why = self._heard(payload, response_id).get(response_id, (None, ""))
        if answer is not None:
            return answer
        if why:
            raise BrokenAnswer(why)
        raise NoAnswer(f"Module {request_id:04X} did not answer.")

    # -- inside -------------------------------------------------------------------------------------------

    def _send(self, target: int, payload: bytes) -> None:
        """Send a request once what came late is out of the way; a connection that went is made again first."""
        try:
            while not self._stale and self.client.next(0.0) is not None:
                pass
        except BrokenAnswer:
            self._stale = True
        if self._stale:
            self._again()
        self._note(TESTER, target, payload, True)
        self.client.put(DiagnosticMessage(TESTER, target, payload))

    def _again(self) -> None:
        self.client.close()
        self.client = _activated(self.entity)
        self._stale = False

    def _heard(self, request: bytes, only: int | None) -> dict[int, tuple[Response | None, str]]:
        """What came in answer, by logical address: whole, or why not. ``only``: one module is asked."""
        usual = self.timing.p2 + self.timing.margin + NETWORK_S
        began = time.monotonic()
        deadline, hard_stop = began + usual, began + self.timing.patience
        found: dict[int, tuple[Response | None, str]] = {}
        pending: set[int] = set()
        while (left := min(deadline, hard_stop) - time.monotonic()) > 0.0:
            try:
                message = self.client.next(left)
            except BrokenAnswer:
                self._stale = True
                raise
            if isinstance(message, DiagnosticMessageNegativeAcknowledgement):
                self._nack(message, only)
            if not isinstance(message, DiagnosticMessage) or message.target_address != TESTER:
                continue
            number, payload = message.source_address, bytes(message.user_data)
            self._note(number, TESTER, payload, False)
            if only is not None and number != only:
                continue
            answer = Response(number, payload)
            if answer.refusal == (request[0], PENDING):
                pending.add(number)
                deadline = time.monotonic() + self.timing.p2_star
            elif belongs(payload, request) and (number not in found or only is not None):
                found[number] = (answer, "")
                pending.discard(number)
                if only is not None:
                    return found
                if not pending:
                    deadline = time.monotonic() + usual
        for number in pending:
            found[number] = (None, f"Module {number:04X} kept asking for more time and did not answer in time.")
        return found

    @staticmethod
    def _nack(message: DiagnosticMessageNegativeAcknowledgement, only: int | None) -> None:
        code = int(message._nack_code)  # as above
        why = NACKS.get(code, f"reason {code:02X}")
        if only is None and code in (UNKNOWN_TARGET, UNREACHABLE):
            raise CannotReach(f"The gateway asks nobody for us: {why}.")
        if code in (UNKNOWN_TARGET, UNREACHABLE, 0x08):
            raise NoAnswer(f"Module {message.source_address:04X} was not asked by the gateway: {why}.")
        raise GatewayTrouble(f"The gateway refused the request: {why}.")

    def _note(self, source: int, target: int, data: bytes, sent: bool) -> None:
        if self.tap:
            self.tap(BusFrame(time.time(), source << 16 | target, True, data, sent, over_ip=True))


def open_ip_link(
    address: str,
    *,
    spoke: str = "",
    timing: Timing | None = None,
    tap: Callable[[BusFrame], None] | None = None,
    tell: Callable[[str], None] = lambda _what: None,
) -> IpLink:
    """A link through the gateway at ``address`` (host, or host:port); empty: the one that answers in this network.

    ``spoke``: the VIN that was met there last, taken where several cars answer. Raises BusFailure, NoAnswer,
    CannotReach.
    """
    host, port = host_and_port(address)
    tell("asking which car is there" if host else "asking which cars are in the network")
    found = list(vehicles(host, port))
    if not found and not host:
        raise NoAnswer(
            "No car answers in this network.",
            remedies=("plug the network cable into the car and switch the ignition on", "give the gateway's address"),
        )
    known = [row for row in found if row.vin and row.vin == spoke]
    if len(found) > 1 and not known:
        named = ", ".join(row.words for row in found)
        raise CannotReach(
            f"{len(found)} cars answer in this network: {named}.",
            remedies=("give the adapter the address of the one that is meant", "unplug the others"),
        )
    entity = (known or found or [Entity(host, port, 0, "")])[0]
    tell(f"asking {entity.words} to route")
    return IpLink(_activated(entity), entity, timing=timing, tap=tap)


def host_and_port(address: str) -> tuple[str, int]:
    """Host and port of an address as it is typed: ``192.168.0.10``, ``gateway:13400``, ``[fe80::1]:13400``.

    Raises BusFailure for a port that is none.
    """
    text = address.strip()
    if text.startswith("["):
        host, _, rest = text[1:].partition("]")
        port = rest.removeprefix(":")
    elif text.count(":") > 1:
        host, port = text, ""
    else:
        host, _, port = text.partition(":")
    if port and not (port.isascii() and port.isdigit() and 0 < int(port) < 65_536):
        raise GatewayTrouble(f"“{address}” is no address of a gateway: {port} is no port.")
    return host, int(port) if port else TCP_DATA_UNSECURED


def vehicles(host: str = "", port: int = TCP_DATA_UNSECURED, seconds: float = 0.0) -> Iterator[Entity]:
    """The gateways that answer a request for identification, sent to one host or to the whole network."""
    deadline = time.monotonic() + (seconds or (LOOKS_S if not host else LOOKS_S / 2))
    where = host or "255.255.255.255"
    request = DoIPClient._pack_doip(0x02, VehicleIdentificationRequest.payload_type, b"")
    seen: set[tuple[str, int]] = set()
    try:
        with socket.socket(_family(where), socket.SOCK_DGRAM) as line:
            if not host:
                line.setsockopt(socket.SOL_SOCKET, socket.SO_BROADCAST, 1)
            line.sendto(request, (where, port))
            while (left := deadline - time.monotonic()) > 0.0:
                try:
                    at, told = DoIPClient.await_vehicle_announcement(timeout=left, sock=line)
                except TimeoutError:
                    return
                except (ValueError, struct.error, AttributeError):
                    continue  # something else on this port
                entity = _entity(at, told)
                if (entity.host, entity.logical) not in seen:
                    seen.add((entity.host, entity.logical))
                    yield entity
                if host:
                    return
    except OSError as error:
        if host:
            return  # its answer by UDP may be kept back; the connection tells
        raise GatewayTrouble(f"The network cannot be asked: {why_not(error)}.") from error


def _entity(at: tuple[str, int], told: VehicleIdentificationResponse) -> Entity:
    vin = told.vin if isinstance(told.vin, str) else ""
    return Entity(at[0], at[1], int(told.logical_address), vin.strip("\x00 \xff"))


def _family(host: str) -> socket.AddressFamily:
    return socket.AF_INET6 if ":" in host else socket.AF_INET


def _activated(entity: Entity) -> _Client:
    """A connection whose gateway routes our requests. Raises BusFailure."""
    why = ""
    for kind in (
        RoutingActivationRequest.ActivationType.Default,
        RoutingActivationRequest.ActivationType.DiagnosticRequiredByRegulation,
    ):
        client = _connected(entity)
        try:
            answer = client.request_activation(kind, disable_retry=True)
        except TimeoutError:
            client.close()
            raise GatewayTrouble("The gateway did not answer the request to route.") from None
        except (OSError, ValueError, struct.error) as error:
            client.close()
            raise GatewayTrouble(f"The gateway's answer to the request to route cannot be read: {error}.") from error
        code = int(answer._response_code)  # the property knows no code beyond the standard's
        if code == ROUTED:
            return client
        client.close()
        why = ROUTING.get(code, f"reason {code:02X}")
        if code != OTHER_KIND:
            break
    raise GatewayTrouble(f"The gateway does not route: {why}.")


def _connected(entity: Entity) -> _Client:
    try:
        host = socket.getaddrinfo(entity.host, entity.port, type=socket.SOCK_STREAM)[0][4][0]
        return _Client(host, entity.logical, tcp_port=entity.port, activation_type=None, client_logical_address=TESTER)
    except (OSError, ValueError) as error:
        raise GatewayTrouble(f"The gateway at {entity.words} cannot be reached: {why_not(error)}.") from error
