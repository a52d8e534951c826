"""Actuators and routines of the product before a unit of our own making (ISO 14229-1 [S]: services 10, 22, 2F, 31, 3E,
and the session that ends by itself after five seconds of silence)."""

from __future__ import annotations

import time
import unittest
from dataclasses import dataclass, field
from functools import partial
from typing import Any
from unittest import mock

from gumshoe.core.errors import GumshoeError
from gumshoe.core.obd import routines
from gumshoe.core.obd.actuators import CommandRow, actuators
from gumshoe.core.obd.commands import Commander, CommandRefused
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.routines import Outcome, run_routine
from gumshoe.core.obd.uds import ModuleAddress
from tests.foreign.test_link import link_to
from tests.foreign.vehicle import Unit, Vehicle, engine

S3 = 5.0
VALVE = CommandRow(actuator="purge_valve", identifier=0x1234, feedback=0x4321)
LEARN = 0x0203


@dataclass
class Commanded(Unit):
    """A unit with one output and one routine that runs ``looks`` looks long."""

    output: int | None = None
    """What it is commanded to; None: nobody commands it."""
    steps: list[int] = field(default_factory=list)
    session: int = 1
    terse: bool = False
    """Whether it says no more than the standard makes it say."""
    looks: int = 2
    ends: int = 0x00
    """How the routine stands after that."""
    last: float = 0.0

    def answers(self, request: bytes, everybody: bool) -> bytes | None:
        if time.monotonic() - self.last > S3:
            self._end()
        self.last = time.monotonic()
        return super().answers(request, everybody)

    def _end(self) -> None:
        self.session, self.output = 1, None

    def _says(self, service: int, request: bytes) -> bytes | None:
        more = request[1:]
        if service == 0x10 and len(more) == 1:
            self._end()
            self.session = more[0]
            return b"\x50" + more + (b"\x00\x32\x01\xf4")
        if service == 0x3E and more in (b"\x00", b"\x80"):
            return b"\x7e\x00" if more == b"\x00" else None
        if service == 0x22 and more == b"\x43\x21":
            return b"\x62\x43\x21" + bytes((self.output or 0,))
        if service in (0x2F, 0x31) and self.session != 3:
            return bytes((0x7F, service, 0x7F))
        if service == 0x2F:
            return self._commanded(more)
        if service == 0x31:
            return self._routine(more)
        return super()._says(service, request)

    def _commanded(self, asked: bytes) -> bytes:
        if asked[:2] != b"\x12\x34":
            return b"\x7f\x2f\x31"
        if asked[2:] == b"\x00":
            self.output = None
            return b"\x6f\x12\x34\x00"
        if len(asked) != 4 or asked[2] != 3:
            return b"\x7f\x2f\x13"
        self.output = asked[3]
        self.steps.append(asked[3])
        return b"\x6f\x12\x34\x03" + (b"" if self.terse else asked[3:])

    def _routine(self, asked: bytes) -> bytes:
        if asked[1:] != b"\x02\x03":
            return b"\x7f\x31\x31"
        if asked[0] == 2:
            return b"\x71\x02\x02\x03" + (b"" if self.terse else b"\x02")
        if asked[0] == 3:
            self.looks -= 1
        state = b"\x01" if self.looks > 0 else bytes((self.ends,))
        return b"\x71" + bytes(asked[:1]) + b"\x02\x03" + (b"" if self.terse else state)


def commanded(place: int = 0, **more: Any) -> Commanded:
    """The engine's unit that takes commands."""
    plain = engine(place)
    held = {name: getattr(plain, name) for name in ("pids", "confirmed", "pending", "permanent", "frame", "info")}
    return Commanded(place, **held, **more)


def valve_of(link: Link, car: Vehicle, unit: Unit) -> Commander:
    """The commander of its one output."""
    return Commander(link, actuators()["purge_valve"], VALVE, engine=car.response(unit))


class Actuators(unittest.TestCase):
    def test_wherever_the_unit_is_and_however_it_answers(self) -> None:
        kinds: dict[str, tuple[partial[Commanded], bool]] = {
            "usual": (partial(commanded), False),
            "elsewhere": (partial(commanded, 5), False),
            "29 bits": (partial(commanded, 0x11), True),
            "says no more than it must": (partial(commanded, terse=True), False),
            "busy": (partial(commanded, busy={0x2F: 2}), False),
            "thinks": (partial(commanded, thinks={0x2F: 0.7, 0x10: 0.7}), False),
            "lets us wait": (partial(commanded, waits=2, stmin=10), False),
        }
        for name, (kind, wide) in kinds.items():
            unit = kind()
            with self.subTest(name), link_to(unit, wide=wide) as (link, car):
                with valve_of(link, car, unit) as valve:
                    for value in (0.0, 60.0, 100.0):
                        valve.step(value)
                        self.assertAlmostEqual(valve.feedback(), value, delta=0.3)
                    self.assertEqual(valve.conditions(), (750.0, 0.0))
                    valve.still_here()
                self.assertEqual(unit.steps, [0, 153, 255])  # each once, and none again
                self.assertIsNone(unit.output)
                self.assertEqual(unit.session, 1)

    def test_a_refusal_has_its_reason_and_leaves_nothing_commanded(self) -> None:
        for reason, words in (
            (0x22, "conditions"),
            (0x33, "locked"),
            (0x31, "no such actuator"),
            (0xEE, "EE"),
        ):
            unit = commanded(refuses={0x2F: reason})
            with self.subTest(reason), link_to(unit) as (link, car):
                with self.assertRaisesRegex(CommandRefused, words), valve_of(link, car, unit) as valve:
                    valve.step(50.0)
                self.assertEqual((unit.steps, unit.output, unit.session), ([], None, 1))

    def test_an_output_it_does_not_have(self) -> None:
        unit = commanded()
        other = CommandRow(actuator="purge_valve", identifier=0x1235, feedback=0x4321)
        with (
            link_to(unit) as (link, car),
            self.assertRaisesRegex(CommandRefused, "no such actuator"),
            Commander(link, actuators()["purge_valve"], other, engine=car.response(unit)) as valve,
        ):
            valve.step(50.0)

    def test_one_that_falls_silent_takes_its_output_back_itself(self) -> None:
        unit = commanded()
        with link_to(unit) as (link, car):
            with self.assertRaises(NoAnswer), valve_of(link, car, unit) as valve:
                valve.step(50.0)
                unit.dead = True
                valve.feedback()
            unit.dead = False
            time.sleep(S3 + 0.2)
            link.ask(car.response(unit), b"\x3e\x00")
            self.assertIsNone(unit.output)

    def test_a_command_that_is_answered_by_garbage_is_a_named_error(self) -> None:
        for garbage in (
            b"\x6f",
            b"\x6f\x12\x34",
            b"\x6f\x99\x99\x03\x80",
            b"\x62\x12\x34\x03",
            b"\x7f\x2f",
            b"\x7f",
            b"\x00",
        ):
            unit = commanded(exact={b"\x2f\x12\x34\x03\x80": garbage})
            with self.subTest(garbage.hex()), link_to(unit) as (link, car):
                with self.assertRaises(GumshoeError), valve_of(link, car, unit) as valve:
                    valve.step(50.0)
                self.assertIsNone(unit.output)


class Routines(unittest.TestCase):
    def setUp(self) -> None:
        self.enterContext(mock.patch.object(routines, "ASK_EVERY_S", 0.02))

    def run_on(self, unit: Commanded, identifier: int = LEARN, **more: Any) -> tuple[Outcome, str]:
        with link_to(unit) as (link, car):
            found = run_routine(link, ModuleAddress.of_engine(link, car.response(unit)), identifier, 1.0, **more)
        return found

    def test_how_it_ends(self) -> None:
        self.assertEqual(self.run_on(commanded(looks=4)), (Outcome.DONE, ""))
        self.assertEqual(self.run_on(commanded(terse=True)), (Outcome.DONE, ""))
        self.assertEqual(self.run_on(commanded(busy={0x31: 2})), (Outcome.DONE, ""))
        self.assertEqual(self.run_on(commanded(thinks={0x31: 0.3}, waits=1)), (Outcome.DONE, ""))
        self.assertEqual(self.run_on(commanded(2, ends=0x02))[0], Outcome.ABORTED)

    def test_what_it_refuses(self) -> None:
        for reason, words in (
            (0x22, "conditions"),
            (0x24, "wrong order"),
            (0x11, "runs no routines"),
            (0x88, "[a-z]{4}"),
        ):
            with self.subTest(reason):
                outcome, why = self.run_on(commanded(refuses={0x31: reason}))
                self.assertEqual(outcome, Outcome.REFUSED)
                self.assertRegex(why, words)
        self.assertEqual(self.run_on(commanded(), 0x0999)[0], Outcome.REFUSED)

    def test_one_that_is_stopped_ends_its_session(self) -> None:
        unit = commanded(looks=1000)
        turns = iter([False, False, True])
        self.assertEqual(self.run_on(unit, stopped=lambda: next(turns)), (Outcome.ABORTED, "broken off by hand"))
        self.assertIn(b"\x31\x02\x02\x03", unit.heard)
        self.assertEqual(unit.session, 1)

    def test_one_that_never_ends_and_one_that_dies(self) -> None:
        clock = iter(range(0, 1000, 4))
        outcome, why = self.run_on(commanded(looks=1000), clock=lambda: float(next(clock)))
        self.assertEqual((outcome, why), (Outcome.ABORTED, "it did not come to its end in time"))
        self.assertEqual(self.run_on(commanded(dies_at=0x31, looks=1000))[0], Outcome.LOST)


if __name__ == "__main__":
    unittest.main()
