"""Diagnostics over IP (ISO 13400) against gateways written by the standard alone (tests/foreign/gateway.py), and the
stand-in's gateway against doipclient bare."""

from __future__ import annotations

import logging
import threading
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from unittest import mock

from doipclient import DoIPClient

from gumshoe.core.codes import CodeState
from gumshoe.core.obd import ip_link
from gumshoe.core.obd.buslog import messages, read_frames, snapshot_of
from gumshoe.core.obd.capture import candump_line, parse_candump
from gumshoe.core.obd.clearing import clear_modules, modules_to_clear
from gumshoe.core.obd.connect import AdapterKind, AdapterSpec, connect, tested
from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, CannotReach, LinkError, NoAnswer
from gumshoe.core.obd.ip_link import Entity, host_and_port, open_ip_link
from gumshoe.core.obd.link import BusFrame, Link, Timing
from gumshoe.core.obd.poller import Poller
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.uds import ModuleAddress
from gumshoe.core.obd.who import find_engine
from gumshoe.simulator.gateway import Gateway as StandIn
from gumshoe.simulator.logged import logged_car
from tests.foreign.gateway import Gateway, behind
from tests.foreign.test_link import LIVE, engine_of
from tests.foreign.vehicle import Unit, engine, gearbox, modern

QUICK = Timing(margin=0.05, patience=2.0, busy_pause=0.02, busy_limit=0.5)
MOTOR, BOX = 0x0010, 0x0018
logging.getLogger("doipclient").setLevel(logging.ERROR)  # it tells of every odd message


@contextmanager
def link_to(units: dict[int, Unit], **odd: object) -> Iterator[tuple[Link, Gateway]]:
    """The product's link to a foreign gateway."""
    with behind(units, **odd) as gateway, mock.patch.object(ip_link, "NETWORK_S", 0.03):
        link, _spoke = connect(AdapterSpec(AdapterKind.IP, gateway.address), timing=QUICK)
        try:
            yield link, gateway
        finally:
            link.close()


class Whole(unittest.TestCase):
    def test_a_scan_over_ip_says_what_one_on_the_bus_says(self) -> None:
        with link_to({MOTOR: modern(), BOX: modern(rows=[b"\x07\x40\x00\x2f"], frames={}, kept=[])}) as (
            link,
            _gateway,
        ):
            found = scan(link)
            self.assertEqual(found.addressing, "over IP")
            self.assertEqual([m.responder for m in found.modules], [MOTOR, BOX])
            self.assertEqual((found.problems, found.silent), ((), ()))
            motor = engine_of(found)
            self.assertEqual(motor.vin, "UY0TN16A9G2000001")
            self.assertEqual(motor.with_state(CodeState.CONFIRMED), ("P0171", "P0300"))
            self.assertEqual(find_engine(link), MOTOR)
            self.assertEqual({row.key for row in Poller(link, MOTOR, LIVE).poll()}, set(LIVE))

    def test_its_log_is_a_car_in_a_file(self) -> None:
        """Whole messages between logical addresses, replayed as a car with 29-bit ids."""
        frames: list[BusFrame] = []
        box = modern(rows=[b"\x07\x40\x00\x2f"], frames={}, kept=[])
        with link_to({MOTOR: modern(), BOX: box, 0x1110: modern(rows=[])}) as (link, _gateway):
            link.tap = frames.append
            was = scan(link)
        lines = [candump_line(frame) for frame in frames]
        self.assertTrue(any(" ip0 0E000010#" in line for line in lines))
        read = read_frames("\n".join(lines).encode(), ".log")
        found = snapshot_of(messages(read))
        assert found is not None
        motor, box_was, far = (module.codes for module in was.modules)  # 10, 18 and 1110, whose last byte is taken
        self.assertEqual([module.codes for module in found.modules], [motor, far, box_was])
        self.assertEqual([module.responder for module in found.modules], [0x18DAF110, 0x18DAF111, 0x18DAF118])
        car = logged_car(parse_candump(lines), "logged-over-ip")
        car.start()
        self.addCleanup(car.stop)
        again, _spoke = connect(AdapterSpec(AdapterKind.BUS, "logged-over-ip", "virtual"), timing=QUICK)
        with again:
            self.assertEqual(engine_of(scan(again)).codes, engine_of(was).codes)

    def test_the_older_services_travel_as_well(self) -> None:
        with link_to({MOTOR: engine(), BOX: gearbox()}) as (link, _gateway):
            found = scan(link)
            self.assertEqual([len(m.codes) for m in found.modules], [4, 1])
            cleared = clear_modules(link, modules_to_clear(found, (), frozenset({BOX})))
            self.assertEqual([row.words for row in cleared], ["cleared"])

    def test_a_platforms_module_is_asked_by_its_logical_address(self) -> None:
        brakes = Unit(6, functional=False, exact={b"\x19\x02\xff": b"\x59\x02\xff\x40\x35\x11\x89"})
        address = ModuleAddress("brakes", 0x760, 0x768, 0x1030)
        with link_to({MOTOR: modern(), 0x1030: brakes}) as (link, _gateway):
            found = scan(link, beyond=[address, ModuleAddress("body", 0x740, 0x748)])
            self.assertEqual([m.label for m in found.modules], ["ECM-EngineControl", "brakes"])
            self.assertEqual([row.name for row in found.silent], ["body"])
            wanted = modules_to_clear(found, [address], frozenset({0x1030}))
            self.assertEqual([row.beyond and row.beyond.request_id for row in wanted], [0x1030])


class Odd(unittest.TestCase):
    def test_every_odd_but_legal_gateway_is_read_whole(self) -> None:
        with link_to({MOTOR: modern()}) as (link, _gateway):
            usual = engine_of(scan(link))
        for odd in (
            {"pieces": 3},
            {"waits": 0.05},
            {"asks_alive": True},
            {"acknowledges": False},
            {"stranger": True},
            {"silent_by_udp": True},
            {"version": 3},
            {"short_routing": False},
            {"kinds": (1,)},
            {"hangs_up_after": 7},
        ):
            with self.subTest(**odd), link_to({MOTOR: modern()}, **odd) as (link, gateway):
                found = engine_of(scan(link))
                self.assertEqual((found.codes, found.frames, found.values), (usual.codes, usual.frames, usual.values))
                if "asks_alive" in odd:
                    self.assertGreater(gateway.alive_answers, 10)

    def test_without_the_functional_group_the_one_it_names_is_read(self) -> None:
        with link_to({0x1001: modern()}, everybody=False) as (link, _gateway):
            self.assertEqual([m.responder for m in scan(link).modules], [0x1001])

    def test_a_module_that_thinks_is_waited_for(self) -> None:
        with link_to({MOTOR: modern(thinks={0x19: 0.4})}) as (link, _gateway):
            self.assertEqual(engine_of(scan(link)).with_state(CodeState.CONFIRMED), ("P0171", "P0300"))
        with link_to({MOTOR: modern(thinks={0x14: 3.0})}) as (link, _gateway):
            link.timing = replace(QUICK, patience=0.5)
            with self.assertRaises(BrokenAnswer) as caught:
                link.ask(MOTOR, b"\x14\xff\xff\x33")
            self.assertIn("more time", caught.exception.what)

    def test_a_module_the_gateway_does_not_know_is_silent_and_not_without_codes(self) -> None:
        with link_to({MOTOR: modern()}, refuses={0x1030: 0x06}) as (link, _gateway):
            found = scan(link, beyond=[ModuleAddress("brakes", 0x760, 0x768, 0x1030)])
            self.assertEqual([row.name for row in found.silent], ["brakes"])
        with link_to({MOTOR: modern()}, refuses={MOTOR: 0xC3}) as (link, _gateway):
            with self.assertRaises(BusFailure) as caught:
                link.ask(MOTOR, b"\x3e\x00")
            self.assertIn("reason C3", caught.exception.what)

    def test_garbage_is_a_named_error_or_passed_over(self) -> None:
        for garbage in (
            b"\x00" * 9,
            b"\xff" * 40,
            b"\x02\xfd\x80\x01\xff\xff\xff\xff",
            b"\x02\xfd\x80\x03\x00\x00\x00\x01\x00",
        ):
            with self.subTest(garbage.hex()), behind({MOTOR: modern()}, garbage=garbage) as gateway:
                try:
                    with open_ip_link(gateway.address, timing=QUICK) as link:
                        scan(link)
                except LinkError as error:
                    self.assertTrue(error.what and error.remedies)

    def test_clearing_is_never_sent_twice(self) -> None:
        unit = modern(silent={0x14})
        with link_to({MOTOR: unit}) as (link, gateway):
            found = scan(link)
            cleared = clear_modules(link, modules_to_clear(found, ()))
            self.assertFalse(cleared[0].known)
            self.assertEqual(len([row for _target, row in gateway.requests if row[0] == 0x14]), 1)


class NotReached(unittest.TestCase):
    def test_every_refusal_to_route_has_its_words(self) -> None:
        for code, words in {**ip_link.ROUTING, 0xA9: "reason A9"}.items():
            with self.subTest(code), behind({MOTOR: modern()}, routes=code) as gateway:
                with self.assertRaises(BusFailure) as caught:
                    open_ip_link(gateway.address, timing=QUICK)
                self.assertIn(words, caught.exception.what)

    def test_nobody_there(self) -> None:
        with behind({}) as gateway:
            gone = gateway.address
        with self.assertRaises(BusFailure) as caught:
            open_ip_link(gone, timing=QUICK)
        self.assertIn("cannot be reached: nobody listens at that address", caught.exception.what)
        lines = tested(AdapterSpec(AdapterKind.IP, gone), QUICK)
        self.assertIn("cannot be reached", " ".join(line.found for line in lines))

    def test_a_gateway_whose_modules_sleep(self) -> None:
        with (
            behind({MOTOR: modern(dead=True)}) as gateway,
            open_ip_link(gateway.address, timing=QUICK) as link,
            self.assertRaises(NoAnswer),
        ):
            scan(link)

    def test_which_car_is_asked_where_several_answer(self) -> None:
        several = [Entity("10.0.0.1", 13400, 1, "A" * 17), Entity("10.0.0.2", 13400, 1, "B" * 17)]
        with (
            mock.patch.object(ip_link, "vehicles", return_value=iter(several)),
            self.assertRaises(CannotReach) as caught,
        ):
            open_ip_link("", timing=QUICK)
        self.assertIn("2 cars answer", caught.exception.what)
        with (
            mock.patch.object(ip_link, "vehicles", return_value=iter(several)),
            mock.patch.object(ip_link, "_activated") as made,
        ):
            open_ip_link("", spoke="B" * 17, timing=QUICK)
        self.assertEqual(made.call_args.args[0].host, "10.0.0.2")

    def test_addresses(self) -> None:
        self.assertEqual(host_and_port("10.0.0.7"), ("10.0.0.7", 13400))
        self.assertEqual(host_and_port("gateway:5"), ("gateway", 5))
        self.assertEqual(host_and_port("[fe80::1]:77"), ("fe80::1", 77))
        self.assertEqual(host_and_port("fe80::1"), ("fe80::1", 13400))
        for text in ("gateway:x", "gateway:0", "gateway:70000"):
            with self.subTest(text), self.assertRaises(BusFailure):
                host_and_port(text)

    def test_the_adapters_test_says_what_it_found(self) -> None:
        with behind({MOTOR: modern()}) as gateway:
            lines = {line.what: line.found for line in tested(AdapterSpec(AdapterKind.IP, gateway.address), QUICK)}
        self.assertIn("diagnostics over IP", lines["Protocol"])
        self.assertEqual(lines["Who answers"], "10")
        self.assertIn("UY0TN16A9G2000001", lines["Protocol"])


class _Answers:
    """A module of the stand-in's kind, answering what a unit says."""

    answers_s = 0.0
    awake = True

    def __init__(self, unit: Unit) -> None:
        self.unit = unit

    def answer(self, request: bytes, functional: bool) -> list[bytes]:
        found = self.unit.answers(request, functional)
        return [] if found is None else [bytes((0x7F, request[0], 0x78)), found]


class TheStandInByDoipclient(unittest.TestCase):
    """The shipped gateway spoken to by doipclient alone (ISO 13400-2)."""

    def setUp(self) -> None:
        self.gateway = StandIn("UY3WG12A5R2000127", {MOTOR: _Answers(modern())}, frozenset({MOTOR}), threading.RLock())
        self.gateway.start()
        self.addCleanup(self.gateway.stop)
        self.host, _, port = self.gateway.address.partition(":")
        self.port = int(port)

    def client(self, target: int = MOTOR, **more: int) -> DoIPClient:
        client = DoIPClient(self.host, target, tcp_port=self.port, udp_port=self.port, **more)
        self.addCleanup(client.close)
        return client

    def test_identified_routed_and_asked(self) -> None:
        client = self.client()
        told = client.request_vehicle_identification()
        self.assertEqual((told.vin, told.logical_address), ("UY3WG12A5R2000127", 0x1001))
        self.assertEqual(client.request_entity_status().max_concurrent_sockets, 1)
        client.send_diagnostic(b"\x22\xf8\x02")
        self.assertEqual(client.receive_diagnostic(), b"\x7f\x22\x78")
        self.assertEqual(bytes(client.receive_diagnostic()), b"\x62\xf8\x02UY0TN16A9G2000001")

    def test_an_unknown_module_or_tester_is_refused(self) -> None:
        with self.assertRaises(OSError):
            self.client(0x0077).send_diagnostic(b"\x3e\x00")
        with self.assertRaises(ConnectionRefusedError):
            self.client(client_logical_address=0x0123)

    def test_several_requests_in_one_piece(self) -> None:
        client = self.client()
        for _ in range(3):
            client.send_diagnostic(b"\x3e\x00")
            self.assertEqual(client.receive_diagnostic(), b"\x7f\x3e\x78")
            self.assertEqual(bytes(client.receive_diagnostic()), b"\x7e\x00")
