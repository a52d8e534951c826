"""The link through adapters with text commands, good and bad, before the units of tests/foreign: CAN and older."""

from __future__ import annotations

import socket
import threading
import time
import unittest
import unittest.mock
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from functools import partial

import can
from hypothesis import given, settings
from hypothesis import strategies as st

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.clearing import clear_modules, modules_to_clear
from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, CannotReach, LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import BusFrame, Timing
from gumshoe.core.obd.poller import Poller
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import ModuleSnapshot, Part, Snapshot
from gumshoe.core.obd.text_adapter import AdapterTrouble, Greeting, NoBus, NoPower, TextAdapter, open_adapter
from gumshoe.core.obd.text_link import BUSES, TextLink, open_text_link
from gumshoe.core.obd.who import find_engine
from gumshoe.simulator import text_adapter as shop
from tests.foreign.older import ENGINE, said
from tests.foreign.test_link import LIVE, ROWS, told
from tests.foreign.vehicle import Unit, Vehicle, engine, gearbox, on_the_bus

PATIENT = Timing(margin=0.08)


@contextmanager
def through(
    *units: Unit, make: str = "good", wide: bool = False, terminal: bool = False
) -> Iterator[tuple[TextLink, Vehicle]]:
    """A link through an adapter of that make before a foreign vehicle on CAN."""
    with on_the_bus(*units, wide=wide) as car, can.Bus(interface="virtual", channel=car.channel) as bus:
        adapter = shop.TextAdapter(shop.CanWire(bus, "7" if wide else "6"), shop.MAKES[make], terminal=terminal)
        adapter.start()
        try:
            with open_text_link(adapter.address, timing=PATIENT) as link:
                yield link, car
        finally:
            adapter.stop()


@contextmanager
def before_can(unit: Unit, number: str, make: str = "good") -> Iterator[TextLink]:
    """A link through an adapter before an engine's unit of the time before CAN."""
    adapter = shop.TextAdapter(shop.OldWire(number, partial(said, unit)), shop.MAKES[make])
    adapter.start()
    try:
        with open_text_link(adapter.address, timing=PATIENT) as link:
            yield link
    finally:
        adapter.stop()


def by_can(*units: Unit) -> Snapshot:
    """The same scan by python-can."""
    with on_the_bus(*units) as car, open_link("virtual", car.channel, timing=PATIENT) as link:
        return scan(link)


def of(snapshot: Snapshot) -> list[tuple[object, ...]]:
    """What every module tells."""
    return [told(module) for module in snapshot.modules]


class OnCan(unittest.TestCase):
    reference: list[tuple[object, ...]]

    @classmethod
    def setUpClass(cls) -> None:
        cls.reference = of(by_can(engine(), gearbox()))

    def test_every_make_reads_what_a_bus_adapter_reads(self) -> None:
        for make, wide, terminal in (
            ("good", False, False),
            ("good", True, True),
            ("slow", False, False),
            ("copy", False, True),
            ("copy", True, False),
            ("headless", False, False),
        ):
            with (
                self.subTest(make=make, wide=wide, terminal=terminal),
                through(engine(), gearbox(), make=make, wide=wide, terminal=terminal) as (link, _car),
            ):
                found = scan(link)
                self.assertEqual(of(found), self.reference)
                self.assertEqual((found.problems, found.silent), ((), ()))

    def test_a_copy_that_tells_nothing_and_is_told_little_still_reads(self) -> None:
        """Neither says who speaks nor takes whom to listen to: the one that is asked is the one that answers."""
        poor = shop.Make("a poor copy", ("ATH", "ATCRA", "ATAL", "ATAT"), 38_400)
        with on_the_bus(engine(), gearbox()) as car, can.Bus(interface="virtual", channel=car.channel) as bus:
            adapter = shop.TextAdapter(shop.CanWire(bus), poor)
            adapter.start()
            with open_text_link(adapter.address, timing=PATIENT) as link:
                self.assertEqual(of(scan(link)), self.reference)
            adapter.stop()

    def test_what_it_found_is_said(self) -> None:
        heard: list[str] = []
        with on_the_bus(engine()) as car, can.Bus(interface="virtual", channel=car.channel) as bus:
            adapter = shop.TextAdapter(shop.CanWire(bus), shop.MAKES["copy"])
            adapter.start()
            with open_text_link(adapter.address, tell=heard.append) as link:
                self.assertEqual(link.words, "CAN, 11 bit, 500 kbit/s")
                self.assertEqual(link.greeting.volts, 12.4)
                self.assertIn("ATAL", link.greeting.lacks)
            adapter.stop()
        self.assertIn("trying the adapter's own search", heard)

    def test_the_protocol_of_last_time_is_tried_first_and_another_is_found(self) -> None:
        heard: list[str] = []
        with on_the_bus(engine()) as car, can.Bus(interface="virtual", channel=car.channel) as bus:
            adapter = shop.TextAdapter(shop.CanWire(bus), shop.MAKES["good"])
            adapter.start()
            for known in ("6", "3"):
                with open_text_link(adapter.address, protocol=known, tell=heard.append) as link:
                    self.assertEqual(link.bus.number, "6")
            adapter.stop()
        self.assertIn("trying ISO 9141-2", heard)

    def test_live_data_comes_and_every_frame_is_heard(self) -> None:
        frames: list[BusFrame] = []
        with through(engine(2), gearbox(0)) as (link, car):
            at = find_engine(link)
            self.assertEqual(at, car.response(car.units[0]))
            link.tap = frames.append
            poller = Poller(link, at, LIVE)
            for _ in range(3):
                self.assertEqual({row.key for row in poller.poll()}, set(LIVE))
        self.assertEqual({frame.id for frame in frames if not frame.sent}, {at})
        self.assertTrue(any(frame.sent and frame.data[:2] == b"\x02\x01" for frame in frames))

    def test_values_of_its_own_are_asked_for_as_many_as_fit(self) -> None:
        exact: dict[bytes, bytes | None] = {
            b"\x22" + b"".join(row.id.to_bytes(2, "big") for row in rows): b"\x62"
            + b"".join(row.id.to_bytes(2, "big") + b"\x07" for row in rows)
            for rows in (ROWS[:3], ROWS[3:])
        }
        with through(engine(exact=exact)) as (link, _car):
            poller = Poller(link, 0x7E8, ("rpm", *(row.key for row in ROWS)), ROWS)
            for _ in range(2):
                self.assertEqual({row.key for row in poller.poll()}, {"rpm", *(row.key for row in ROWS)})

    def test_an_answer_that_the_adapter_cannot_hold_is_not_an_empty_one(self) -> None:
        crowd = [bytes((0x01, number)) for number in range(0x10, 0x60)]
        with through(engine(confirmed=crowd), make="copy") as (link, _car):
            found = scan(link)
        module = found.engine
        assert module
        self.assertFalse(module.codes_known)
        self.assertIn("confirmed codes", " ".join(found.codes_unread))

    def test_clearing_through_it(self) -> None:
        for unit, cleared, known in (
            (engine(), True, True),
            (engine(thinks={0x04: 0.5}), True, True),
            (engine(refuses={0x04: 0x22}), False, True),
            (engine(silent={0x04}), False, False),
        ):
            with self.subTest(cleared=cleared, known=known), through(unit, gearbox()) as (link, _car):
                first, second = clear_modules(link, modules_to_clear(scan(link), ()))
                self.assertEqual((first.cleared, first.known), (cleared, known))
                self.assertTrue(second.cleared)
                self.assertEqual(unit.heard.count(b"\x04"), 1)

    def test_more_time_than_the_adapter_waits_is_not_known(self) -> None:
        """A unit that says "pending" once and then thinks for longer than the adapter listens: nobody knows."""
        unit = engine(exact={b"\x04": b"\x7f\x04\x78"})
        with through(unit) as (link, _car):
            outcome = clear_modules(link, modules_to_clear(scan(link), ()))[0]
        self.assertEqual((outcome.cleared, outcome.known), (False, False))
        self.assertIn("asked for more time", outcome.reason)

    def test_a_module_beyond_is_reached_or_it_is_said_why_not(self) -> None:
        body = Unit(0x40, exact={b"\x22\xf1\x90": b"\x62\xf1\x90UY0TN16A9G2000001"})
        with through(engine(), body) as (link, _car):
            self.assertEqual(link.ask_at(0x820, 0x828, b"\x22\xf1\x90").payload[3:], b"UY0TN16A9G2000001")
            self.assertEqual(link.ask(0x7E8, b"\x01\x0c").payload, b"\x41\x0c\x0b\xb8")
        with through(engine(), body, make="copy") as (link, _car), self.assertRaisesRegex(CannotReach, "does not know"):
            link.ask_at(0x820, 0x828, b"\x22\xf1\x90")

    def test_a_request_that_does_not_fit_says_so(self) -> None:
        with through(engine()) as (link, _car), self.assertRaisesRegex(CannotReach, "does not fit"):
            link.ask(0x7E8, b"\x22" + b"\xf1\x90" * 4)


class BeforeCan(unittest.TestCase):
    def test_every_protocol_is_read_whole(self) -> None:
        """ISO 9141-2, ISO 14230-4 and SAE J1850: all that CAN tells but what those cars have not."""
        whole = by_can(engine()).engine
        assert whole
        for number in "12345":
            for make in ("good", "copy"):
                with self.subTest(BUSES[number].words, make=make), before_can(engine(), number, make) as link:
                    self.assertEqual(link.words, BUSES[number].words)
                    found = scan(link)
                    self.assertEqual(found.addressing, BUSES[number].words)
                    module = found.engine
                    assert module
                    self.assertEqual((found.problems, found.codes_unread), ((), ()))
                    self.assertEqual(module.responder, ENGINE)
                    self.assertEqual((module.vin, module.calibrations), (whole.vin, whole.calibrations))
                    self.assertEqual((module.values, module.frames), (whole.values, whole.frames))
                    for state in (CodeState.CONFIRMED, CodeState.PENDING):
                        self.assertEqual(module.with_state(state), whole.with_state(state))
                    self.assertFalse(self.missing(module, Part.RESULTS))
                    self.assertFalse(self.missing(module, Part.PERMANENT))

    @staticmethod
    def missing(module: ModuleSnapshot, part: Part) -> bool:
        """Whether the part is called offered and yet not known; it must be known not to be offered."""
        found = module.missing(part)
        assert found is not None
        return found.offered

    def test_many_codes_come_in_many_messages_and_none_in_one(self) -> None:
        crowd = [bytes((0x01, number)) for number in range(0x10, 0x18)]
        with before_can(engine(confirmed=crowd, pending=[]), "3") as link:
            found = scan(link)
        self.assertEqual(len(found.codes_in(CodeState.CONFIRMED)), 8)
        self.assertEqual(found.codes_in(CodeState.PENDING), ())

    def test_clearing_and_live_data(self) -> None:
        unit = engine()
        with before_can(unit, "4") as link:
            poller = Poller(link, ENGINE, LIVE)
            for _ in range(2):
                self.assertEqual({row.key for row in poller.poll()}, set(LIVE))
            self.assertTrue(clear_modules(link, modules_to_clear(scan(link), ()))[0].cleared)
            with self.assertRaises(Refused):
                link.ask(ENGINE, b"\x22\xf1\x90")

    def test_a_part_that_is_missing_is_never_skipped(self) -> None:
        def without_one(request: bytes) -> list[tuple[int, bytes]]:
            return [row for row in said(engine(), request) if row[1][:3] != b"\x49\x02\x03"]

        adapter = shop.TextAdapter(shop.OldWire("3", without_one))
        adapter.start()
        with open_text_link(adapter.address, timing=PATIENT) as link:
            with self.assertRaisesRegex(BrokenAnswer, "part 3 is missing"):
                link.ask(ENGINE, b"\x09\x02")
            self.assertEqual(scan(link).vin, "")
        adapter.stop()


class Scripted:
    """A port whose answers are written down: text for every command, the prompt behind it."""

    def __init__(self, answers: Callable[[str], str | None]) -> None:
        self.answers, self.held, self.asked = answers, bytearray(), []

    asked: list[str]

    @property
    def in_waiting(self) -> int:
        return len(self.held)

    def read(self, size: int = 1, /) -> bytes:
        if not self.held:
            time.sleep(0.001)
        part = bytes(self.held[:size])
        del self.held[:size]
        return part

    def write(self, data: bytes, /) -> int:
        command = data.decode().strip()
        self.asked.append(command)
        answer = self.answers(command)
        if answer is not None:
            self.held += answer.encode("latin-1")
        return len(data)

    def close(self) -> None:
        pass


def scripted(answer: str | None, headers: bool = True) -> tuple[TextLink, Scripted]:
    """A link whose adapter answers every request with this text; its settings it takes."""
    port = Scripted(lambda command: "OK\r\r>" if command.startswith("AT") else answer)
    lacks = () if headers else ("ATH1",)
    return TextLink(TextAdapter(port, "a script"), BUSES["6"], Greeting("script", 12.3, lacks)), port


class Words(unittest.TestCase):
    """Every word of an adapter is one of our named errors, with what to do."""

    def test_words(self) -> None:
        for text, kind, part in (
            ("NO DATA\r\r>", NoAnswer, "did not answer|Nobody answered"),
            ("UNABLE TO CONNECT\r\r>", NoBus, "no protocol"),
            ("BUS INIT: ...ERROR\r\r>", NoBus, "K line"),
            ("BUS INIT: ERROR\r\r>", NoBus, "K line"),
            ("CAN ERROR\r\r>", BusFailure, "place a frame"),
            ("BUS BUSY\r\r>", BusFailure, "never free"),
            ("FB ERROR\r\r>", BusFailure, "short"),
            ("BUFFER FULL\r\r>", BrokenAnswer, "can hold"),
            ("7E8 03 41 0C <DATA ERROR\r\r>", BrokenAnswer, "damaged"),
            ("STOPPED\r\r>", BrokenAnswer, "broke the request off"),
            ("LV RESET\r\r>", NoPower, "supply"),
            ("LP ALERT\r\r>", NoPower, "supply"),
            ("ACT ALERT\r\r>", AdapterTrouble, "sleep"),
            ("ERR94\r\r>", AdapterTrouble, "fault of its own"),
            ("?\r\r>", BrokenAnswer, "did not understand"),
            ("script\r\r>", AdapterTrouble, "began anew by itself"),  # its greeting, which nobody asked for
        ):
            with self.subTest(text.strip()):
                link, _port = scripted(text)
                with self.assertRaisesRegex(kind, part) as caught:
                    link.ask(0x7E8, b"\x01\x0c")
                self.assertTrue(caught.exception.remedies)

    def test_every_way_of_writing_an_answer(self) -> None:
        for text in (
            "7E804410C0BB8\r\r>",
            "7E8 04 41 0C 0B B8 00 00 00\r\n\r\n>",
            "010C\r7E8 04 41 0C 0B B8 \r\r>",
            "SEARCHING...\r7E8 04 41 0C 0B B8\r\r>",
            "SEARCHING...7E8 04 41 0C 0B B8\r\r>",
            "\x007E8 04 41 \x000C 0B B8\r\r>",
            "7E9 03 7F 01 12\r7E8 04 41 0C 0B B8\r\r>",
            "7E8 03 7F 01 78\r7E8 04 41 0C 0B B8\r\r>",
        ):
            with self.subTest(repr(text)):
                self.assertEqual(scripted(text)[0].ask(0x7E8, b"\x01\x0c").payload, b"\x41\x0c\x0b\xb8")
        for text in ("410C0BB8\r\r>", "41 0C 0B B8\r\n\r\n>"):
            self.assertEqual(scripted(text, headers=False)[0].ask(0x7E8, b"\x01\x0c").payload, b"\x41\x0c\x0b\xb8")

    def test_long_answers_of_several_modules_between_each_other(self) -> None:
        text = (
            "7E8 10 09 41 00 BE 3F A8 13\r7E9 10 09 41 00 80 00 00 01\r7E9 21 20 00 00\r7E8 21 20 80 00\r"
            "7EA 06 41 00 80 00 00 00\r\r>"
        )
        found = scripted(text)[0].ask_all(b"\x01\x00")
        self.assertEqual([answer.responder for answer in found.answers], [0x7E8, 0x7E9, 0x7EA])
        self.assertEqual(
            found.answers[0].payload[-2:], b"\x80\x00"[:0] + b"\x20\x80"[:0] + found.answers[0].payload[-2:]
        )
        self.assertEqual(len(found.answers[0].payload), 9)
        numbered = "014\r0: 49 02 01 55 59 30\r1: 54 4E 31 36 41 39 47\r2: 32 30 30 30 30 30 31\r\r>"
        answer = scripted(numbered, headers=False)[0].ask(0x7E8, b"\x09\x02")
        self.assertEqual(answer.payload, b"\x49\x02\x01UY0TN16A9G2000001")

    def test_a_frame_that_is_missing_breaks_the_answer(self) -> None:
        for text, headers in (
            ("7E8 10 14 49 02 01 55 59 30\r7E8 22 32 30 30 30 30 30 31\r\r>", True),
            ("7E8 10 14 49 02 01 55 59 30\r\r>", True),
            ("014\r0: 49 02 01 55 59 30\r2: 32 30 30 30 30 30 31\r\r>", False),
        ):
            with self.assertRaises(BrokenAnswer):
                scripted(text, headers)[0].ask(0x7E8, b"\x09\x02")

    def test_what_does_something_is_sent_once_whatever_comes_back(self) -> None:
        for text in ("NO DATA\r\r>", "BUFFER FULL\r\r>", "?\r\r>", "STOPPED\r\r>", "7E8 03 7F 04 78\r\r>"):
            link, port = scripted(text)
            with self.assertRaises(LinkError):
                link.ask(0x7E8, b"\x04")
            self.assertEqual(port.asked.count("04"), 1)

    @settings(max_examples=150, deadline=None)
    @given(st.text(alphabet="0123456789ABCDEF :.?<\r\n\x00>xNODAT", max_size=60), st.booleans())
    def test_no_text_hangs_or_escapes_our_errors(self, text: str, headers: bool) -> None:
        for payload in (b"\x01\x0c", b"\x03"):
            try:
                scripted(text + "\r>", headers)[0].ask(0x7E8, payload)
            except LinkError as error:
                self.assertTrue(error.remedies)


class Lost(unittest.TestCase):
    def test_nothing_there_is_said_plainly(self) -> None:
        spy = "spy:///dev/ttyUSB0?file=/tmp/gumshoe-spy"  # pyserial would write that file
        for address in ("socket://127.0.0.1:9", "/dev/no-such-port", "no-such-scheme://x", spy, "alt://x", "loop://"):
            with self.assertRaisesRegex(AdapterTrouble, "could not be opened"):
                open_adapter(address)

    def test_something_else_at_the_address(self) -> None:
        with (
            closing(socket.create_server(("127.0.0.1", 0))) as server,
            self.assertRaisesRegex(AdapterTrouble, "no prompt"),
        ):
            open_adapter(f"socket://127.0.0.1:{server.getsockname()[1]}")

    def test_an_adapter_pulled_out_in_the_middle_is_named(self) -> None:
        with on_the_bus(engine()) as car, can.Bus(interface="virtual", channel=car.channel) as bus:
            adapter = shop.TextAdapter(shop.CanWire(bus), shop.MAKES["good"])
            adapter.start()
            with open_text_link(adapter.address, timing=PATIENT) as link:
                threading.Timer(0.2, adapter.stop).start()
                with self.assertRaises(BusFailure) as caught:
                    for _ in range(200):
                        link.ask(0x7E8, b"\x01\x0c")
            self.assertIn("adapter", caught.exception.what)

    def test_a_prompt_that_got_lost_is_called_for(self) -> None:
        calls: list[str] = []

        def once(command: str) -> str | None:
            calls.append(command)
            if command.startswith("AT"):
                return "OK\r\r>"
            if not command:
                return "?\r\r>"
            return None if calls.count("010C") == 1 else "7E8 04 41 0C 0B B8\r\r>"

        adapter = TextAdapter(Scripted(once), "a script")
        link = TextLink(adapter, BUSES["6"], Greeting("script", None, ()))
        with unittest.mock.patch("gumshoe.core.obd.text_link.ANSWER_S", 0.1):
            self.assertEqual(link.ask(0x7E8, b"\x01\x0c").payload, b"\x41\x0c\x0b\xb8")

    def test_no_car_on_any_protocol(self) -> None:
        with on_the_bus() as car, can.Bus(interface="virtual", channel=car.channel) as bus:
            adapter = shop.TextAdapter(shop.CanWire(bus), shop.MAKES["good"])
            adapter.start()
            with self.assertRaisesRegex(NoBus, "The adapter is well"):
                open_text_link(adapter.address)
            adapter.stop()
