"""Command an actuator by UDS 2F (ISO 14229-1 [S]): take control, step, read the feedback, give control back.

The services are udsoncan's over our one link. Control is given back whatever happens, and the unit takes it back by
itself when nothing tells it that we are still here.
"""

from __future__ import annotations

from contextlib import suppress
from typing import Any

import udsoncan
from udsoncan.client import Client

from gumshoe.core.errors import GumshoeError
from gumshoe.core.obd.actuators import ActuatorRow, CommandRow
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.present import present_values
from gumshoe.core.obd.uds import READ_SECONDS, LinkConnection, ModuleAddress, NotDone, asked

EXTENDED, DEFAULT = 0x03, 0x01
RETURN_CONTROL, ADJUST = 0x00, 0x03
FULL = 255.0
REASONS = {
    0x11: "this unit takes no commands",
    0x12: "this unit does not know that command",
    0x31: "this vehicle has no such actuator, or the value is out of its range",
}


class CommandRefused(GumshoeError):
    """The control unit did not take a command; says why."""

    kept = "Control is with the control unit; nothing was left commanded."
    remedies = ("look at the conditions: key, engine, standstill", "command it by hand with a fused jumper or a lamp")


class _PerCent(udsoncan.DidCodec):
    """One byte for 0 to 100 %."""

    def encode(self, *value: Any, **_: Any) -> bytes:
        return bytes((round(min(max(float(value[0]), 0.0), 100.0) * FULL / 100.0),))

    def decode(self, payload: bytes) -> float:
        return payload[0] * 100.0 / FULL if payload else 0.0  # control given back: the unit need not say at what

    def __len__(self) -> int:
        return 1


class Commander:
    """One actuator under our command. Use as a context: leaving it gives control back."""

    def __init__(self, link: Link, row: ActuatorRow, ids: CommandRow, engine: int = 0) -> None:
        """``engine``: the id on which the engine's control unit answers, or 0 for where it usually does."""
        self.row, self.ids = row, ids
        self._link, self._engine = link, engine
        config: Any = dict(udsoncan.configs.default_client_config)
        config |= {
            "data_identifiers": {ids.feedback: _PerCent},
            "input_output": {ids.identifier: _PerCent},
            "request_timeout": READ_SECONDS,
        }
        self._client = Client(LinkConnection(link, ModuleAddress.of_engine(link, engine)), config=config)

    def __enter__(self) -> Commander:
        """Open the extended session. Raises CommandRefused or NoAnswer."""
        self._client.open()
        self._try(lambda: self._client.change_session(EXTENDED))
        return self

    def __exit__(self, *_: object) -> None:
        for last in (self.release, lambda: self._try(lambda: self._client.change_session(DEFAULT))):
            with suppress(GumshoeError):  # the link is gone: the unit takes control back when we fall silent
                last()
        self._client.close()

    def step(self, value: float) -> None:
        """Command a value in per cent. Raises CommandRefused or NoAnswer."""
        self._try(lambda: self._client.io_control(self.ids.identifier, ADJUST, [value]))

    def release(self) -> None:
        """Give control back to the unit."""
        self._try(lambda: self._client.io_control(self.ids.identifier, RETURN_CONTROL))

    def feedback(self) -> float:
        """What comes back, in per cent."""
        answer = self._try(lambda: self._client.read_data_by_identifier(self.ids.feedback))
        return float(answer.service_data.values[self.ids.feedback])

    def still_here(self) -> None:
        """Tell the unit that somebody is still here."""
        self._try(lambda: self._client.tester_present())

    def conditions(self) -> tuple[float, float]:
        """Engine speed (rpm) and road speed (km/h)."""
        told = present_values(self._link, ("rpm", "speed_kmh"), self._engine)
        if len(told) < 2:
            raise NoAnswer("The engine's unit did not tell its speed.")
        return told["rpm"], told["speed_kmh"]

    def _try(self, ask: Any) -> Any:
        try:
            return asked(ask, REASONS)
        except NotDone as error:
            raise CommandRefused(f"{self.row.words}: {error.what}.") from error
        except NoAnswer as error:
            raise NoAnswer(f"{self.row.words}: no answer to the command.") from error
