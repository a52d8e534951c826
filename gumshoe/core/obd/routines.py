"""Run a routine of a control unit by UDS 31 (ISO 14229-1 [S]): start it, ask for its result until it has one, stop
it."""

from __future__ import annotations

import time
from collections.abc import Callable
from contextlib import suppress
from enum import StrEnum
from typing import Any

import udsoncan
from udsoncan.client import Client

from gumshoe.core.errors import GumshoeError
from gumshoe.core.obd.commands import DEFAULT, EXTENDED
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.uds import READ_SECONDS, LinkConnection, ModuleAddress, NotDone, asked

ASK_EVERY_S = 0.3
PATIENCE = 3.0
"""A routine that takes so many times what it should is broken off."""
STATES = {0x00: "done", 0x01: "running", 0x02: "aborted", 0x03: "never run"}
"""How our platforms' units tell where a routine stands (the routine's own status record)."""
REASONS = {
    0x11: "this unit runs no routines",
    0x12: "this unit does not know that request",
    0x21: "it is busy with another routine",
    0x24: "the requests came in the wrong order",
    0x31: "this vehicle has no such routine",
}


class Outcome(StrEnum):
    """How a routine ended."""

    DONE = "done"
    ABORTED = "aborted"
    REFUSED = "refused"
    LOST = "link lost"

    @property
    def began(self) -> bool:
        """Whether it had begun, so that the car may be left half way."""
        return self is not Outcome.REFUSED


def run_routine(
    link: Link,
    address: ModuleAddress,
    identifier: int,
    seconds: float,
    *,
    stopped: Callable[[], bool] = lambda: False,
    clock: Callable[[], float] = time.monotonic,
) -> tuple[Outcome, str]:
    """Run a routine to its end. ``stopped``: asked between two looks; True breaks it off.

    Returns how it ended and why, in words. Raises nothing of the link: a link that is lost is an outcome.
    """
    config: Any = dict(udsoncan.configs.default_client_config) | {"request_timeout": READ_SECONDS}
    client = Client(LinkConnection(link, address), config=config)
    client.open()
    began = False
    try:
        _ask(lambda: client.change_session(EXTENDED))
        state = _state(_ask(lambda: client.start_routine(identifier)))
        began = True
        started = clock()
        while state == "running":
            by_hand = stopped()
            if by_hand or clock() - started > PATIENCE * seconds + 5.0:
                _ask(lambda: client.stop_routine(identifier))
                return Outcome.ABORTED, "broken off by hand" if by_hand else "it did not come to its end in time"
            time.sleep(ASK_EVERY_S)
            state = _state(_ask(lambda: client.get_routine_result(identifier)))
        if state == "done":
            return Outcome.DONE, ""
        return Outcome.ABORTED, "the control unit broke it off: its conditions were lost on the way"
    except NotDone as error:
        return (Outcome.ABORTED if began else Outcome.REFUSED), error.what
    except GumshoeError as error:
        return (Outcome.LOST if began else Outcome.REFUSED), error.what
    finally:
        with suppress(GumshoeError):
            _ask(lambda: client.change_session(DEFAULT))
        client.close()


def _state(answer: Any) -> str:
    record = bytes(answer.service_data.routine_status_record or b"")
    return STATES.get(record[0], "done") if record else "done"


def _ask(ask: Callable[[], Any]) -> Any:
    return asked(ask, REASONS)
