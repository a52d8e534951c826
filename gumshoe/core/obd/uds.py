"""Read the modules beyond the engine by UDS (ISO 14229-1 [S]): identity, and codes with status and failure type.

The services are udsoncan's; the bytes travel over our one link, so that every frame is on the scan's record.
"""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import udsoncan
from udsoncan.client import Client
from udsoncan.connections import BaseConnection
from udsoncan.exceptions import (
    ConfigError,
    InvalidResponseException,
    NegativeResponseException,
    TimeoutException,
    UnexpectedResponseException,
)

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.errors import BadInput, GumshoeError
from gumshoe.core.obd.errors import REFUSALS, BusFailure, LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import Addressing, Link
from gumshoe.core.obd.snapshot import ModuleSnapshot, SilentModule, Speaks, StoredCode
from gumshoe.core.powertrain.vin import check_vin

VIN_ID, SOFTWARE_ID = 0xF190, 0xF195
EVERY_STATUS = 0xFF
WARNS = 0x80
"""The status bit of a code for which the module asks for its warning lamp (ISO 14229-1 [S])."""
READ_SECONDS = 5.0
NOT_UNDERSTOOD = (
    InvalidResponseException,
    UnexpectedResponseException,
    ConfigError,
    IndexError,
    KeyError,
    ValueError,
    struct.error,
)
"""What udsoncan raises on an answer that is cut short, or of something that was not asked for."""


@dataclass(frozen=True)
class ModuleAddress:
    """A module and its ids on the bus; ``logical``: its address over IP, 0 where nobody has told it."""

    name: str
    request_id: int
    response_id: int
    logical: int = 0

    def on(self, addressing: Addressing) -> ModuleAddress:
        """The same module as this addressing reaches it."""
        if addressing is Addressing.LOGICAL and self.logical:
            return replace(self, request_id=self.logical, response_id=self.logical)
        return self

    @classmethod
    def of_engine(cls, link: Link, engine: int) -> ModuleAddress:
        """The engine's control unit, by the id on which it answers (0: where it usually does)."""
        return cls("engine", link.addressing.request_id(engine), link.addressing.response_id(engine))


class _Text(udsoncan.DidCodec):
    """Printable ASCII of whatever length the module sends."""

    def encode(self, *value: Any, **_: Any) -> bytes:
        return str(value[0]).encode("ascii")

    def decode(self, payload: bytes) -> str:
        return "".join(chr(byte) for byte in payload if 32 <= byte < 127).strip()

    def __len__(self) -> int:
        raise udsoncan.DidCodec.ReadAllRemainingData


class LinkConnection(BaseConnection):
    """udsoncan's transport over a Link: a request is asked at once, its answer waits to be fetched."""

    def __init__(self, link: Link, address: ModuleAddress) -> None:
        super().__init__(f"{address.name} {address.request_id:X}")
        self._link, self._address, self._answer = link, address.on(link.addressing), b""

    def open(self) -> LinkConnection:
        return self

    def close(self) -> None:
        """The link stays open: it belongs to the vehicle."""

    def is_open(self) -> bool:
        return True

    def empty_rxqueue(self) -> None:
        self._answer = b""

    def specific_send(self, payload: bytes, timeout: float | None = None) -> None:
        try:
            self._answer = self._link.ask_at(self._address.request_id, self._address.response_id, payload).payload
        except Refused as error:
            self._answer = bytes((0x7F, error.service, error.reason))
        except NoAnswer:
            self._answer = b""

    def specific_wait_frame(self, timeout: float | None = None) -> bytes:
        if not self._answer:
            raise TimeoutException(f"{self.name} did not answer.")  # type: ignore[no-untyped-call]
        found, self._answer = self._answer, b""
        return found


def read_modules(
    link: Link,
    addresses: Iterable[ModuleAddress],
    problems: list[str],
    tell: Callable[[str, float], None],
    silent: list[SilentModule],
) -> tuple[ModuleSnapshot, ...]:
    """Every module that tells its codes; one that does not becomes a line in ``problems`` and stands in ``silent``."""
    found, wanted = [], list(addresses)
    for index, address in enumerate(wanted):
        tell(f"module {address.name}", index / max(len(wanted), 1))
        try:
            found.append(_read(link, address))
            continue
        except TimeoutException:
            why = "no answer to UDS"
        except NegativeResponseException as error:
            why = f"refused to tell its codes ({error.response.code_name})"
        except NOT_UNDERSTOOD as error:
            why = f"its answer could not be read: {error}"
        except BusFailure:
            raise
        except LinkError as error:
            why = f"its answer could not be read: {error.what}"
        problems.append(f"module {address.name} ({address.request_id:X}): {why}.")
        silent.append(SilentModule(address.name, address.response_id, why))
    return tuple(found)


def state_of(status: int) -> CodeState | None:
    """Our state of a UDS status byte: present and matured, seen but not matured, or only on record; None for nothing.

    Bits: 0 test failed, 2 pending, 3 confirmed (ISO 14229-1 [S]).
    """
    failed, pending, confirmed = bool(status & 0x01), bool(status & 0x04), bool(status & 0x08)
    if confirmed:
        return CodeState.CONFIRMED if failed or pending else CodeState.HISTORY
    return CodeState.PENDING if failed or pending else (CodeState.HISTORY if status & 0x20 else None)


def _read(link: Link, address: ModuleAddress) -> ModuleSnapshot:
    config: Any = dict(udsoncan.configs.default_client_config)
    config |= {"data_identifiers": {VIN_ID: _Text, SOFTWARE_ID: _Text}, "request_timeout": READ_SECONDS}
    with Client(LinkConnection(link, address), config=config) as client:
        answer = client.get_dtc_by_status_mask(EVERY_STATUS)
        dtcs = answer.service_data.dtcs if answer is not None else []
        codes = []
        for dtc in dtcs:
            state = state_of(dtc.status.get_byte_as_int())
            if state is not None:
                high, low, kind = dtc.id.to_bytes(3, "big")
                warns = bool(dtc.status.get_byte_as_int() & WARNS)
                codes.append(StoredCode(TroubleCode.from_bytes(high, low), state, f"{kind:02X}", warns))
        software = _text(client, SOFTWARE_ID)
        return ModuleSnapshot(
            address.response_id,
            name=address.name,
            vin=_whole_vin(_text(client, VIN_ID)),
            calibrations=(software,) if software else (),
            codes=tuple(codes),
            speaks=Speaks.UDS,
        )


def _whole_vin(text: str) -> str:
    """A VIN that is whole; half of one would be another car's."""
    try:
        return check_vin(text).vin if text else ""
    except BadInput:
        return ""


class NotDone(GumshoeError):
    """A control unit did not do what was asked; says why in words."""


REASONS = {
    0x21: "it is busy",
    0x22: "its conditions are not fulfilled",
    0x33: "the unit is locked: it needs the maker's own key",
    0x7E: "not in this session",
    0x7F: "not in this session",
}
"""Refusals in a technician's words; REFUSALS has the standard's for the rest."""


def asked(ask: Callable[[], Any], own: Mapping[int, str]) -> Any:
    """Ask something that commands, with its errors in words. ``own``: what a refusal means for this service.

    Raises NotDone where the unit refuses or cannot be understood, NoAnswer where it is silent."""
    try:
        return ask()
    except NegativeResponseException as error:
        code = error.response.code or 0
        reason = own.get(code) or REASONS.get(code) or REFUSALS.get(code) or f"reason {code:02X}"
        raise NotDone(f"the control unit refused: {reason}") from error
    except TimeoutException as error:
        raise NoAnswer("the control unit did not answer") from error
    except NOT_UNDERSTOOD as error:
        raise NotDone("the control unit's answer could not be read") from error


def _text(client: Client, identifier: int) -> str:
    """A text of service 22; empty when the module does not offer it."""
    try:
        answer = client.read_data_by_identifier(identifier)
    except (NegativeResponseException, TimeoutException, *NOT_UNDERSTOOD):
        return ""
    return str(answer.service_data.values[identifier]) if answer is not None else ""
