"""SAE J1979-2, the law's diagnosis on UDS, against units written by the standards alone (tests/foreign/vehicle.py):
found by itself beside the older services, read whole, watched, cleared."""

from __future__ import annotations

import unittest
from typing import Any
from unittest import mock

import can

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.knowledge.code_catalogue import monitor_of
from gumshoe.core.obd.buslog import messages, snapshot_of
from gumshoe.core.obd.capture import candump_line, parse_candump
from gumshoe.core.obd.clearing import clear_modules, modules_to_clear
from gumshoe.core.obd.connect import AdapterKind, AdapterSpec, connect, tested
from gumshoe.core.obd.dialect import CLASSIC, ON_UDS
from gumshoe.core.obd.errors import CannotReach, NoAnswer
from gumshoe.core.obd.link import BusFrame
from gumshoe.core.obd.lists import ListsNow
from gumshoe.core.obd.on_uds import Row, monitor_of_group
from gumshoe.core.obd.poller import Poller
from gumshoe.core.obd.present import present_values
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import Part, Speaks
from gumshoe.core.obd.who import find_engine
from tests.foreign.test_link import LIVE, QUICK, engine_of, link_to, scanned, whole
from tests.foreign.vehicle import Unit, engine, gearbox, modern, on_the_bus

can_bus = can.Bus


class Whole(unittest.TestCase):
    def test_what_the_older_services_tell_is_told(self) -> None:
        """The same engine once by SAE J1979, once by SAE J1979-2: nothing that the first tells is missing."""
        found = scanned(modern())
        module = engine_of(found)
        self.assertEqual((found.problems, found.silent), ((), ()))
        older = whole()
        self.assertEqual((module.speaks, older.speaks), (Speaks.ON_UDS, Speaks.CLASSIC))
        for name in ("name", "vin", "calibrations", "verifications", "results"):
            self.assertEqual(getattr(module, name), getattr(older, name), name)
        self.assertEqual(module.values, {k: v for k, v in older.values.items() if k in module.values})
        self.assertEqual(module.values["rpm"], 750.0)
        for state in (CodeState.CONFIRMED, CodeState.PENDING, CodeState.PERMANENT):
            self.assertEqual(module.with_state(state), older.with_state(state), state)
        self.assertEqual(module.frames[0], older.frames[0])
        self.assertEqual(module.frames[1].code, "P0300", "each code has its own frame")

    def test_the_lamp_and_readiness_by_the_groups_of_codes(self) -> None:
        """Bits 4 and 6 of a status: not tested since clearing, and in this drive cycle (ISO 14229-1 annex D [S])."""
        with link_to(modern()) as (link, _car):
            module = engine_of(scan(link, monitor_of=monitor_of))
        assert module.status is not None and module.trip_status is not None
        self.assertTrue(module.status.lamp)
        self.assertEqual(module.status.codes, 2)
        told = {row.name: row.complete for row in module.status.monitors}
        self.assertEqual(
            told, {"catalyst": False, "fuel system": True, "misfire": True, "evaporative system": True}, told
        )
        trip = {row.name: row.complete for row in module.trip_status.monitors}
        self.assertEqual(trip, {"catalyst": False, "fuel system": True, "misfire": True, "evaporative system": False})

    def test_a_group_of_unknown_codes_is_numbered_and_not_guessed(self) -> None:
        module = engine_of(scanned(modern(groups={0x1E: [b"\xd1\x23\x00\x50"]})))
        assert module.status is not None
        self.assertEqual([row.name for row in module.status.monitors], ["readiness group 1E"])

    def test_what_a_group_is_its_codes_say(self) -> None:
        """A valve's circuit stands in its monitor's group and does not name it; turbo and cams are no heaters."""

        def named(*codes: str) -> str:
            return monitor_of_group(tuple(Row(TroubleCode(code), "00", 0) for code in codes), monitor_of)

        self.assertEqual(named("P0443", "P0449", "P0452", "P0442", "P0455"), "evaporative system")
        self.assertEqual(named("P0045", "P0049", "P005A", "P0033"), "comprehensive components")
        self.assertEqual(named("P0036", "P0054"), "oxygen sensor heater")
        self.assertEqual(named("P2002", "P2454"), "particulate filter")
        self.assertEqual(named("P0102", "P0113", "P0118", "P0335", "P0420"), "comprehensive components")
        self.assertEqual(named("U3FFF"), "")

    def test_readiness_as_the_older_bits_where_the_unit_tells_them_so(self) -> None:
        unit = modern(groups={})
        unit.pids[0x01] = b"\x82\x07\x65\x04"
        self.assertEqual(engine_of(scanned(unit)).status, whole().status)

    def test_the_makers_codes_are_read_too(self) -> None:
        module = engine_of(scanned(modern(makers=[b"\x16\x01\x15\x08"])))
        self.assertIn("P1601", module.with_state(CodeState.CONFIRMED))
        self.assertEqual(next(row.failure_type for row in module.codes if row.code == "P1601"), "15")
        self.assertIsNone(module.missing(Part.MAKERS_CODES))


class Beside(unittest.TestCase):
    def test_both_ways_on_one_bus(self) -> None:
        found = scanned(modern(0), gearbox(1))
        self.assertEqual([m.speaks for m in found.modules], [Speaks.ON_UDS, Speaks.CLASSIC])
        self.assertEqual(engine_of(found).responder, 0x7E8)
        found = scanned(engine(0), modern(3, rows=[b"\x07\x40\x00\x2f"], frames={}, kept=[]))
        self.assertEqual([m.speaks for m in found.modules], [Speaks.CLASSIC, Speaks.ON_UDS])

    def test_one_that_speaks_both_is_asked_the_older_way(self) -> None:
        both = engine(exact={b"\x22\xf4\x00": b"\x62\xf4\x00\x00\x18\x00\x00", b"\x3e\x00": b"\x7e\x00"})
        found = engine_of(scanned(both))
        self.assertEqual((found.speaks, found.codes), (Speaks.CLASSIC, whole().codes))

    def test_a_unit_that_only_speaks_uds_is_found_unnamed(self) -> None:
        """At 7E9, without the law's diagnosis: only TesterPresent tells that it is there (ISO 14229-1 [S])."""
        told = {b"\x3e\x00": b"\x7e\x00", b"\x19\x02\xff": b"\x59\x02\xff\x40\x35\x11\x89"}
        found = scanned(engine(0), Unit(1, exact=told, refuses=dict.fromkeys((0x01, 0x22), 0x11)))
        self.assertEqual([m.responder for m in found.modules], [0x7E8, 0x7E9])
        self.assertEqual([(c.code, c.failure_type) for c in found.modules[1].codes], [("C0035", "11")])

    def test_one_that_is_there_and_tells_no_codes_is_not_without_codes(self) -> None:
        mute = Unit(1, exact={b"\x3e\x00": b"\x7e\x00"}, refuses=dict.fromkeys((0x01, 0x19, 0x22), 0x11))
        found = scanned(engine(0), mute)
        self.assertEqual([row.responder for row in found.silent], [0x7E9])
        self.assertTrue(found.codes_unread)

    def test_with_29_bits(self) -> None:
        with link_to(modern(0x18), wide=True) as (link, car):
            self.assertEqual(find_engine(link), car.response(car.units[0]))
            self.assertEqual(engine_of(scan(link)).with_state(CodeState.CONFIRMED), ("P0171", "P0300"))

    def test_an_adapters_test_says_how_the_car_speaks(self) -> None:
        with on_the_bus(modern()) as car:
            lines = {
                line.what: line.found for line in tested(AdapterSpec(AdapterKind.BUS, car.channel, "virtual"), QUICK)
            }
        self.assertIn("J1979-2", lines["Diagnosis"])
        self.assertEqual(lines["Supply at the control unit"][:6], "14.2 V")


class CanFd(unittest.TestCase):
    """Frames of up to 64 bytes (ISO 11898-1, segmented by ISO 15765-2 [S])."""

    def test_it_is_found_and_read_whole(self) -> None:
        many = modern(makers=[bytes((0x16, number, 0x00, 0x08)) for number in range(1, 60)])
        usual = scanned(many)
        for wide in (False, True):
            unit = modern(0x10 if wide else 0, makers=list(many.makers or ()))
            with self.subTest(wide=wide), on_the_bus(unit, wide=wide, fd=True) as car:
                spec = AdapterSpec(AdapterKind.BUS, car.channel, "virtual", fd=True)
                frames: list[BusFrame] = []
                link, spoke = connect(spec, timing=QUICK)
                with link:
                    self.assertIn("CAN FD", link.words)
                    link.tap = frames.append
                    found = scan(link)
                    self.assertEqual({row.key for row in Poller(link, car.response(unit), LIVE).poll()}, set(LIVE))
                self.assertTrue(spoke.endswith("FD"))
                self.assertEqual(engine_of(found).codes, engine_of(usual).codes)
                self.assertEqual(engine_of(found).values, engine_of(usual).values)
                self.assertEqual(found.problems, ())
                self.assertGreater(max(len(frame.data) for frame in frames), 8)
                lines = [candump_line(frame) for frame in frames]
                again = snapshot_of(messages(parse_candump(lines)))
                assert again is not None
                self.assertEqual(engine_of(again).codes, engine_of(usual).codes)

    def test_it_is_never_tried_unasked(self) -> None:
        with on_the_bus(modern(), fd=True) as car, self.assertRaises(NoAnswer):
            connect(AdapterSpec(AdapterKind.BUS, car.channel, "virtual"), timing=QUICK)

    def test_an_interface_without_it_says_so(self) -> None:
        def without(**more: Any) -> can.BusABC:
            if more.get("fd"):
                raise TypeError("fd")
            return can_bus(**more)

        spec = AdapterSpec(AdapterKind.BUS, "nobody", "virtual", fd=True)
        with mock.patch.object(can, "Bus", without), self.assertRaises(CannotReach) as caught:
            connect(spec, timing=QUICK)
        self.assertIn("no CAN FD", caught.exception.what)


class Odd(unittest.TestCase):
    def test_not_told_is_not_none(self) -> None:
        for name, unit in {
            "refused": modern(refuses={0x19: 0x22}),
            "silent": modern(silent={0x19}),
            "always busy": modern(busy={0x19: 10_000}),
            "fell silent": modern(dies_at=0x19),
        }.items():
            with self.subTest(name):
                found = scanned(unit)
                self.assertTrue(found.codes_unread or name == "fell silent", found)
                self.assertTrue(found.problems)
                if name == "fell silent":
                    self.assertIsNotNone(engine_of(found).missing(Part.PERMANENT))

    def test_a_unit_that_only_has_the_plain_list_is_read_by_it(self) -> None:
        unit = modern(makers=[], exact={b"\x19\x42\x33\x8d\xff": b"\x7f\x19\x12"})
        module = engine_of(scanned(unit))
        self.assertTrue(module.codes_known)
        self.assertEqual(module.with_state(CodeState.CONFIRMED), ("P0171", "P0300"))

    def test_a_list_that_is_cut_short_says_so(self) -> None:
        cut = b"\x59\x42\x33\xff\xff\x04" + b"\x20\x01\x71\x00\xaf" + b"\x20\x03"
        unit = modern()
        unit.exact = {b"\x19\x42\x33\x8d\xff": cut}
        module = engine_of(scanned(unit))
        self.assertFalse(module.codes_known)
        self.assertEqual(module.with_state(CodeState.CONFIRMED), ("P0171",))

    def test_permanent_codes_with_and_without_a_severity(self) -> None:
        for severe in (True, False):
            with self.subTest(severe):
                module = engine_of(scanned(modern(severe=severe)))
                self.assertEqual(module.with_state(CodeState.PERMANENT), ("P0171",))

    def test_only_the_first_identifier_or_one_at_a_time(self) -> None:
        for unit in (modern(takes=1), modern(takes=3), modern(many=0x31), modern(many=0x13)):
            with self.subTest(takes=unit.takes, many=unit.many):
                self.assertEqual(engine_of(scanned(unit)).values, engine_of(scanned(modern())).values)

    def test_a_count_before_the_items_is_no_part_of_them(self) -> None:
        unit = modern()
        unit.info = {number: b"\x01" + data for number, data in unit.info.items()}
        module = engine_of(scanned(unit))
        self.assertEqual((module.vin, module.name, module.calibrations), (whole().vin, whole().name, ("CAL-0001-A",)))

    def test_a_frame_ends_at_what_nobody_knows_the_length_of(self) -> None:
        frame = b"\x03\xf4\x0c\x0c\x80\xdd\x01\x11\x22\x33\xf4\x0d\x32"
        unit = modern(frames={b"\x01\x71\x00": frame})
        self.assertEqual(engine_of(scanned(unit)).frames[0].values, {"rpm": 800.0})


class Working(unittest.TestCase):
    def test_live(self) -> None:
        for unit in (modern(), modern(takes=2), modern(many=0x13), modern(slow=0.03)):
            with self.subTest(takes=unit.takes, many=unit.many), link_to(unit) as (link, _car):
                self.assertIs(link.dialect(0x7E8), ON_UDS)
                poller = Poller(link, 0x7E8, LIVE)
                self.assertEqual({row.key for row in poller.poll()}, set(LIVE))
                self.assertEqual(present_values(link, ("rpm",), 0x7E8), {"rpm": 750.0})

    def test_what_it_speaks_is_not_settled_while_it_is_silent(self) -> None:
        unit = modern(dead=True)
        with on_the_bus(unit, gearbox(1)) as car:
            from gumshoe.core.obd.can_link import open_link

            with open_link("virtual", car.channel, timing=QUICK) as link:
                self.assertIs(link.dialect(0x7E8), CLASSIC)
                unit.dead = False
                self.assertIs(link.dialect(0x7E8), ON_UDS)

    def test_a_unit_without_groups_is_not_asked_for_them_at_every_look(self) -> None:
        unit = modern(groups={})
        with link_to(unit) as (link, _car):
            watched = ListsNow(link, 0x7E8, monitor_of)
            watched.look()
            unit.heard.clear()
            watched.look()
        self.assertLessEqual(len(unit.heard), 3)

    def test_watched_by_codes_and_readiness(self) -> None:
        unit = modern()
        with link_to(unit) as (link, _car):
            watched = ListsNow(link, 0x7E8, monitor_of)
            first = watched.look()
            self.assertEqual(first.codes[CodeState.PENDING], ("P0171",))
            self.assertEqual(first.codes[CodeState.PERMANENT], ("P0171",))
            self.assertTrue(first.lamp)
            assert first.trip_status is not None
            self.assertIn("evaporative system", first.trip_status.incomplete)
            unit.groups[0x11] = [b"\x04\x42\x00\x00"]
            unit.rows[0] = b"\x01\x71\x00\x2a"
            unit.heard.clear()
            second = watched.look()
            assert second.trip_status is not None
            self.assertNotIn("evaporative system", second.trip_status.incomplete)
            self.assertEqual(second.codes[CodeState.PENDING], ())
            self.assertLessEqual(len(unit.heard), 3 + len(unit.groups), "groups it has not are not asked for again")

    def test_clearing_takes_what_was_read_and_no_more(self) -> None:
        for makers, request in ((None, b"\x14\xff\xff\x33"), ([b"\x16\x01\x15\x08"], b"\x14\xff\xff\xff")):
            unit = modern(makers=makers)
            with self.subTest(request.hex()), link_to(unit) as (link, _car):
                found = scan(link)
                unit.heard.clear()
                cleared = clear_modules(link, modules_to_clear(found, ()))
                self.assertEqual([row.words for row in cleared], ["cleared"])
                self.assertEqual([row for row in unit.heard if row[0] in (0x04, 0x14)], [request])
                self.assertEqual(engine_of(scan(link)).with_state(CodeState.CONFIRMED), ())

    def test_a_unit_that_was_not_read_is_not_cleared(self) -> None:
        unit = modern(refuses={0x19: 0x22})
        with link_to(unit) as (link, _car):
            cleared = clear_modules(link, modules_to_clear(scan(link), ()))
        self.assertEqual([row.cleared for row in cleared], [False])
        self.assertEqual(unit.cleared, 0)
