"""What can go wrong on a diagnostic link, each with its usual cause first."""

from __future__ import annotations

import errno

from gumshoe.core.errors import GumshoeError

WHY_NOT = {
    errno.ENOENT: "there is no such port on this machine",
    errno.EACCES: "this program may not use it",
    errno.EBUSY: "another program has it",
    errno.ECONNREFUSED: "nobody listens at that address",
    errno.ETIMEDOUT: "nobody answers at that address",
    errno.EHOSTUNREACH: "there is no way to that address from here",
    errno.ENETUNREACH: "this machine is in no network that leads there",
    errno.ECONNRESET: "it was broken off at the other end",
    errno.EPIPE: "it was broken off at the other end",
}


def why_not(error: Exception) -> str:
    """Why a port or a connection failed, in plain words where there are some."""
    if isinstance(error, TimeoutError):
        return WHY_NOT[errno.ETIMEDOUT]
    return WHY_NOT.get(getattr(error, "errno", None) or 0, str(error))


class LinkError(GumshoeError):
    """The link did not do what was asked."""


class NoAnswer(LinkError):
    """Nobody answered in time."""

    remedies: tuple[str, ...] = (
        "switch the ignition on",
        "push the diagnostic plug fully home",
        "check the bus speed (most cars: 500 kbit/s, some 250)",
        "wake the module: open a door or cycle the key",
    )


class BrokenAnswer(LinkError):
    """An answer began but did not arrive whole (ISO 15765-2 segmentation)."""

    remedies: tuple[str, ...] = (
        "try again",
        "hold the diagnostic plug still: a worn socket drops frames",
        "make sure that no second tester is on the bus",
    )


class BadAnswer(LinkError):
    """A whole answer arrived, but its content is not what the standard lays down."""

    remedies = ("try again", "check that the vehicle speaks SAE J1979 on CAN", "keep the raw log and report it")


class BusFailure(LinkError):
    """The adapter or the bus itself failed."""

    remedies: tuple[str, ...] = (
        "check the adapter's cable and drivers",
        "check interface and channel in the settings",
        "measure the bus: 60 Ω between the pair with the battery off",
    )


class CannotReach(LinkError):
    """The adapter cannot send what would be needed: nothing was sent."""

    remedies: tuple[str, ...] = (
        "use a better adapter for this module: one that python-can knows reaches them all",
        "do without: the modules of the engine are reached",
    )


# ISO 14229-1 negative response codes [S].
REFUSALS = {
    0x10: "general reject",
    0x11: "service not supported",
    0x12: "sub-function not supported",
    0x13: "wrong message length",
    0x14: "the answer would be too long",
    0x21: "busy, repeat the request",
    0x22: "conditions not correct",
    0x24: "request sequence error",
    0x25: "no answer from a component behind the module",
    0x26: "a failure prevents it",
    0x31: "request out of range",
    0x33: "security access denied",
    0x35: "invalid key",
    0x36: "too many attempts",
    0x37: "a waiting time has not run out yet",
    0x70: "transfer not accepted",
    0x71: "transfer suspended",
    0x72: "programming failed",
    0x73: "wrong block number",
    0x78: "response pending",
    0x7E: "sub-function not supported in this session",
    0x7F: "service not supported in this session",
    0x81: "engine speed too high",
    0x82: "engine speed too low",
    0x83: "the engine is running",
    0x84: "the engine is not running",
    0x85: "the engine has not run long enough",
    0x86: "temperature too high",
    0x87: "temperature too low",
    0x88: "the vehicle is too fast",
    0x89: "the vehicle is too slow",
    0x8A: "throttle or pedal too far open",
    0x8B: "throttle or pedal not far enough open",
    0x8C: "the gearbox is not in neutral",
    0x8D: "the gearbox is not in gear",
    0x8F: "the brake pedal is not pressed",
    0x90: "the lever is not in park",
    0x91: "the converter clutch is locked",
    0x92: "supply voltage too high",
    0x93: "supply voltage too low",
}
_REFUSAL_REMEDIES = {
    0x11: ("do without: this module does not offer the service",),
    0x21: ("wait a moment and repeat",),
    0x22: ("bring the vehicle into the asked state, usually key on and engine off", "then repeat"),
    0x33: ("this needs the maker's authorised procedure",),
}


class Refused(LinkError):
    """The module answered with a negative response."""

    def __init__(self, service: int, reason: int, responder: int) -> None:
        words = REFUSALS.get(reason, f"reason {reason:02X}")
        super().__init__(
            f"Module {responder:X} refused service {service:02X}: {words}.",
            remedies=_REFUSAL_REMEDIES.get(reason, ("check what the service needs",)),
        )
        self.service, self.reason, self.responder = service, reason, responder
