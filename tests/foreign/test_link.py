"""The link, the scan, live data and clearing against control units that are odd but legal, written by the standards
alone (tests/foreign/vehicle.py)."""

from __future__ import annotations

import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from typing import Any
from unittest import mock

import can

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.can_link import CanLink, open_link
from gumshoe.core.obd.clearing import Cleared, clear_modules, modules_to_clear
from gumshoe.core.obd.connect import AdapterKind, AdapterSpec, connect
from gumshoe.core.obd.errors import NoAnswer
from gumshoe.core.obd.identifiers import IdentifierRow
from gumshoe.core.obd.link import Link, Timing
from gumshoe.core.obd.poller import Poller
from gumshoe.core.obd.present import present_values
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import ModuleSnapshot, Part, Snapshot
from gumshoe.core.obd.uds import ModuleAddress
from gumshoe.core.obd.who import find_engine
from tests.foreign.vehicle import Unit, Vehicle, engine, gearbox, on_the_bus

QUICK = Timing(margin=0.12, patience=2.0, busy_pause=0.02, busy_limit=0.5)
LIVE = ("load_pct", "stft_b1_pct", "ltft_b1_pct", "map_kpa", "rpm", "speed_kmh", "maf_gps")


@contextmanager
def link_to(*units: Unit, wide: bool = False, timing: Timing = QUICK) -> Iterator[tuple[Link, Vehicle]]:
    """The product's link on the bus of a foreign vehicle."""
    with on_the_bus(*units, wide=wide) as car:
        link, _spoke = connect(AdapterSpec(AdapterKind.BUS, car.channel, "virtual"), timing=timing)
        try:
            yield link, car
        finally:
            link.close()


def scanned(*units: Unit, wide: bool = False) -> Snapshot:
    """A whole scan."""
    with link_to(*units, wide=wide) as (link, _car):
        return scan(link)


def engine_of(snapshot: Snapshot) -> ModuleSnapshot:
    """Its engine, which is there."""
    assert snapshot.engine is not None
    return snapshot.engine


@cache
def whole() -> ModuleSnapshot:
    """What a scan of the unit that behaves tells."""
    return engine_of(scanned(engine()))


def told(module: ModuleSnapshot) -> tuple[object, ...]:
    """All that a module says of itself but for where it is."""
    return (module.name, module.vin, module.calibrations, module.codes, module.frames, module.results, module.values)


class Whole(unittest.TestCase):
    """The unit that behaves is read whole, so that the odd ones can be held against it."""

    def test_everything_is_read(self) -> None:
        found = scanned(engine())
        module = engine_of(found)
        self.assertEqual((found.problems, found.silent), ((), ()))
        self.assertEqual(module.unread, ())
        self.assertEqual(module.vin, "UY0TN16A9G2000001")
        self.assertEqual([str(code) for code in module.with_state(CodeState.CONFIRMED)], ["P0171", "P0300"])
        self.assertEqual(module.values["rpm"], 750.0)
        self.assertEqual(module.frames[0].values["coolant_c"], 83.0)
        self.assertEqual(len(module.results), 2)


class Addresses(unittest.TestCase):
    def test_any_source_address_is_heard_and_nothing_is_cleared_unseen(self) -> None:
        """ISO 15765-4 [S]: with 29 bits a module may have any source address."""
        motor, box = engine(0x11), gearbox(0x18)
        with link_to(motor, box, wide=True) as (link, car):
            found = scan(link)
            self.assertEqual([m.responder for m in found.modules], [car.response(motor), car.response(box)])
            cleared = clear_modules(link, modules_to_clear(found, (), frozenset({car.response(motor)})))
        self.assertEqual([row.cleared for row in cleared], [True])
        self.assertEqual((motor.cleared, box.cleared), (1, 0))
        self.assertEqual(box.confirmed, [b"\x07\x40"])

    def test_the_engine_is_found_wherever_it_answers(self) -> None:
        for wide, place, other in ((False, 2, 0), (False, 7, 1), (True, 0xF0, 0x10)):
            with self.subTest(wide=wide, place=place), link_to(engine(place), gearbox(other), wide=wide) as (link, car):
                at = car.response(car.units[0])
                self.assertEqual(engine_of(scan(link)).responder, at)
                self.assertEqual(find_engine(link), at)
                self.assertEqual(present_values(link, ("rpm",), at), {"rpm": 750.0})
                self.assertEqual({row.key for row in Poller(link, at, LIVE).poll()}, set(LIVE))


class Scales(unittest.TestCase):
    """SAE J1979 [S]: what PIDs 14 to 1B, 4F and 50 say of how others are meant."""

    def test_other_largest_values_scale_what_they_are_of(self) -> None:
        unit = engine()
        unit.pids |= {0x34: b"\x40\x00\x90\x00", 0x4F: b"\x04\x00\x00\x32", 0x50: b"\x32\x00\x00\x00"}
        unit.frame |= {0x0B: b"\x22"}
        with link_to(unit) as (link, _car):
            values = engine_of(scan(link)).values
            live = {row.key: row.value for row in Poller(link, 0x7E8, (*LIVE, "lambda_b1s1", "pump_b1s1_ma")).poll()}
            frame = engine_of(scan(link)).frames[0].values
            self.assertEqual(present_values(link, ("map_kpa", "rpm"), 0x7E8)["map_kpa"], values["map_kpa"])
        self.assertAlmostEqual(values["lambda_b1s1"], 1.0, places=3)  # a quarter of 4, not of 2
        self.assertAlmostEqual(values["pump_b1s1_ma"], 16.0)  # nothing said of it: the usual 128 mA
        self.assertAlmostEqual(values["map_kpa"], 0x22 * 500.0 / 255.0)
        self.assertAlmostEqual(values["maf_gps"], 0x140 * 0.01 * 500.0 / 655.35)
        self.assertEqual({key: values[key] for key in live}, live)
        self.assertAlmostEqual(frame["map_kpa"], values["map_kpa"])

    def test_oxygen_sensors_in_four_banks_are_where_the_unit_says(self) -> None:
        """PID 1D, where a unit has it for 13: 14 to 1B are two sensors for each of four banks."""
        unit = engine()
        for number in range(0x13, 0x1C):
            unit.pids.pop(number, None)
        unit.pids |= {0x1D: b"\x57"} | {0x14 + place: bytes((20 * place, 0xFF)) for place in (0, 1, 2, 4, 6)}
        unit.frame |= {0x16: b"\x28\xff"}
        with link_to(unit) as (link, _car):
            seen = engine_of(scan(link))
            poller = Poller(link, 0x7E8, ("o2_b2s1_v", "o2_b4s1_v", "o2_b1s3_v"))
            live = {row.key: row.value for row in poller.poll()}
            now = present_values(link, ("o2_b3s1_v", "o2_b2s1_v"), 0x7E8)
            announced = poller.told() or ()
        voltages = {"o2_b1s1_v": 0.0, "o2_b1s2_v": 0.1, "o2_b2s1_v": 0.2, "o2_b3s1_v": 0.4, "o2_b4s1_v": 0.6}
        self.assertEqual({key: value for key, value in seen.values.items() if key.startswith("o2_")}, voltages)
        self.assertEqual(seen.frames[0].values["o2_b2s1_v"], 0.2)
        self.assertEqual(live, {"o2_b2s1_v": 0.2, "o2_b4s1_v": 0.6})
        self.assertEqual(now, {"o2_b3s1_v": 0.4, "o2_b2s1_v": 0.2})
        self.assertIn("o2_b4s1_v", announced)
        self.assertNotIn("o2_b1s3_v", announced)

    def test_a_trim_that_is_not_used_is_no_trim(self) -> None:
        unit = engine()
        unit.pids |= {0x14: b"\x5a\x88", 0x15: b"\x78\xff"}
        values = engine_of(scanned(unit)).values
        self.assertEqual((values["o2_b1s1_trim_pct"], values["o2_b1s2_v"]), (6.25, 0.6))
        self.assertNotIn("o2_b1s2_trim_pct", values)


class NoneAndUnknown(unittest.TestCase):
    def test_codes_that_were_not_told_are_not_none(self) -> None:
        for name, unit in {
            "silent": engine(silent={0x03}),
            "always busy": engine(busy={0x03: 10_000}),
            "refused": engine(refuses={0x03: 0x22}),
            "fell silent": engine(dies_at=0x01),
        }.items():
            with self.subTest(name):
                with on_the_bus(unit) as car, open_link("virtual", car.channel, timing=QUICK) as link:
                    unit.dies_at = 0 if name != "fell silent" else 0x09
                    found = scan(link)
                module = engine_of(found)
                self.assertIsNotNone(module.missing(Part.CONFIRMED))
                self.assertFalse(module.codes_known)
                self.assertTrue(found.codes_unread and found.problems)

    def test_no_codes_is_none(self) -> None:
        found = scanned(engine(confirmed=[], pending=[], permanent=[], frame={}))
        self.assertEqual((found.codes_in(), found.codes_unread, found.unread), ((), (), ()))

    def test_a_unit_that_dies_half_way_leaves_a_line(self) -> None:
        """After its codes it says nothing more: monitor results are not known, and it is said."""
        found = scanned(engine(dies_at=0x0A))
        self.assertEqual(found.codes_unread, ())
        self.assertIsNotNone(engine_of(found).missing(Part.RESULTS))
        self.assertTrue(any("fell silent" in line for line in found.problems))

    def test_a_bare_answer_is_named(self) -> None:
        for bare in (b"\x41\x00", b"\x41"):
            unit = engine()
            with link_to(unit) as (link, _car):
                unit.exact[b"\x01\x00"] = bare
                found = scan(link)
            self.assertIsNotNone(engine_of(found).missing(Part.VALUES))
            self.assertTrue(found.problems)

    def test_bitmaps_that_announce_everything_end(self) -> None:
        unit = engine()
        for base in range(0x00, 0x100, 0x20):
            unit.exact[bytes((0x01, base))] = bytes((0x41, base)) + b"\xff" * 4
        with link_to(unit) as (link, _car):
            poller = Poller(link, 0x7E8, LIVE)
            self.assertEqual({row.key for row in poller.poll()}, set(LIVE))
            self.assertEqual(engine_of(scan(link)).values["rpm"], 750.0)


class Missing(unittest.TestCase):
    """A module that was there in an earlier scan is looked for."""

    def test_a_known_module_that_is_silent_is_named_and_not_taken_for_none(self) -> None:
        box = gearbox()
        with link_to(engine(), box) as (link, car):
            known = {module.responder: module.label for module in scan(link).modules}
            self.assertEqual(scan(link, known=known).codes_unread, ())
            box.dead = True
            found = scan(link, known=known)
            self.assertEqual([item.responder for item in found.silent], [car.response(box)])
            self.assertIn("codes of TCM-Transmission", found.codes_unread)
            self.assertEqual(scan(link).silent, ())  # nobody knew of it

    def test_one_that_does_not_answer_calls_to_everybody_is_read_where_it_is_known(self) -> None:
        box = gearbox(functional=False)
        with link_to(engine(), box) as (link, car):
            found = scan(link, known={car.response(box): "gearbox"})
            self.assertEqual([module.label for module in found.modules], ["ECM-EngineControl", "TCM-Transmission"])


class Identity(unittest.TestCase):
    def test_another_cars_vin_stops_the_scan_before_anything_else_is_read(self) -> None:
        class Another(Exception):
            pass

        def expect(vin: str) -> None:
            raise Another(vin)

        unit = engine()
        with link_to(unit) as (link, _car), self.assertRaisesRegex(Another, "UY0TN16A9G2000001"):
            scan(link, expect=expect)
        self.assertNotIn(b"\x03", unit.heard)

    def test_a_vin_that_is_not_whole_is_not_stored(self) -> None:
        for cut in (b"\x00\x00\x00UY0TN16A9G2000", b"\x00" * 17, b"UY0TN16A9G20000\xff\xff"):
            unit = engine()
            unit.info[0x02] = b"\x01" + cut
            found = engine_of(scanned(unit))
            self.assertEqual(found.vin, "")
            self.assertEqual([str(code) for code in found.with_state(CodeState.PENDING)], ["P0171"])

    def test_zeros_in_front_of_a_whole_vin_are_no_part_of_it(self) -> None:
        unit = engine()
        unit.info[0x02] = b"\x01\x00\x00\x00UY0TN16A9G2000001"
        self.assertEqual(engine_of(scanned(unit)).vin, "UY0TN16A9G2000001")


class Patience(unittest.TestCase):
    """Busy, slow, asking for more time (ISO 14229-1/-2 [S])."""

    def test_busy_is_asked_again(self) -> None:
        unit = engine(busy={0x01: 1, 0x02: 1, 0x03: 2, 0x07: 1, 0x09: 1, 0x06: 1, 0x0A: 1})
        self.assertEqual(told(engine_of(scanned(unit))), told(whole()))

    def test_more_time_is_given_by_the_clock(self) -> None:
        """Twelve times pending in 1.2 s: the count is nobody's business."""
        found = scanned(engine(thinks={0x03: 1.2}))
        self.assertEqual(told(engine_of(found)), told(whole()))

    def test_gaps_and_paddings_cost_nothing_but_time(self) -> None:
        for more in ({"gap": 0.05}, {"padding": None}, {"padding": 0x55}, {"slow": 0.04}, {"padding": 0x00}):
            with self.subTest(str(more)):
                self.assertEqual(told(engine_of(scanned(engine(**more)))), told(whole()))


class Odd(unittest.TestCase):
    """What a unit may do with a request for several values at once."""

    def test_a_refusal_of_many_ends_neither_scan_nor_live(self) -> None:
        for reason in (0x10, 0x12, 0x13, 0x22, 0x31):
            with self.subTest(f"{reason:02X}"), link_to(engine(many=reason)) as (link, _car):
                poller = Poller(link, 0x7E8, LIVE)
                for _ in range(2):
                    self.assertEqual({row.key for row in poller.poll()}, set(LIVE))
                self.assertEqual(engine_of(scan(link)).values, whole().values)

    def test_a_unit_that_answers_the_first_of_six_loses_nothing(self) -> None:
        for takes in (1, 3):
            with self.subTest(takes=takes), link_to(engine(takes=takes)) as (link, _car):
                self.assertEqual(engine_of(scan(link)).values, whole().values)
                poller = Poller(link, 0x7E8, LIVE)
                for _ in range(3):
                    self.assertEqual({row.key for row in poller.poll()}, set(LIVE))

    def test_trims_of_two_bytes_are_read(self) -> None:
        """SAE J1979 [S]: PIDs 06 to 09 have a second byte where the engine has a third or fourth bank."""
        unit = engine()
        unit.pids |= {0x06: b"\x90\x80", 0x07: b"\x88\x80"}
        with link_to(unit) as (link, _car):
            self.assertEqual(engine_of(scan(link)).values["stft_b1_pct"], whole().values["stft_b1_pct"])
            poller = Poller(link, 0x7E8, LIVE)
            for _ in range(2):
                self.assertEqual({row.key for row in poller.poll()}, set(LIVE))

    def test_one_odd_answer_does_not_end_live(self) -> None:
        """A PID answered too short, too long, not at all or with a refusal takes no other along."""
        for odd in (b"\x41\x0b", b"\x41\x0b\x22\x22\x22", None, b"\x7f\x01\x22", b"\x7f\x01\x10", b"\x41"):
            unit = engine()
            with self.subTest(str(odd)), link_to(unit) as (link, _car):
                unit.exact[b"\x01\x0b"] = odd
                unit.many = 0x31
                poller = Poller(link, 0x7E8, LIVE)
                for _ in range(2):
                    self.assertLessEqual(set(LIVE) - {"map_kpa"}, {row.key for row in poller.poll()})

    def test_an_announced_value_that_never_comes_takes_no_other_along(self) -> None:
        unit = engine()
        with link_to(unit) as (link, _car):
            del unit.pids[0x0B]
            unit.exact[b"\x01\x00"] = b"\x41\x00\xbe\x3f\xa8\x13"
            poller = Poller(link, 0x7E8, LIVE)
            for _ in range(2):
                self.assertEqual({row.key for row in poller.poll()}, set(LIVE) - {"map_kpa"})

    def test_signed_results_are_judged_by_their_sign(self) -> None:
        """SAE J1979 [S]: ids of units from 80 on are signed; one that is not known gets no verdict."""
        unit = engine()
        unit.results = {
            0x01: b"\x0a\x8b\xff\x38\xff\x00\x00\x64",  # −200 mV between −256 and +100 mV
            0x02: b"\x0a\x7f\x00\x01\x00\x02\x00\x03",  # nobody knows this unit
        }
        signed, unknown = engine_of(scanned(unit)).results
        self.assertAlmostEqual(signed.value, -0.200)
        self.assertTrue(signed.passed)
        self.assertIsNone(unknown.passed)


ROWS = tuple(
    IdentifierRow(number, f"own_{number:x}", f"own {number:X}", "%", 1) for number in (0x1001, 0x1002, 0x1003, 0x1004)
)
LONG = b"\x22" + b"".join(row.id.to_bytes(2, "big") for row in ROWS)
SAID = b"\x62" + b"".join(row.id.to_bytes(2, "big") + b"\x07" for row in ROWS)


class LongRequests(unittest.TestCase):
    """What we send in several frames (ISO 15765-2 [S]): the car's separation time and its "wait" are obeyed."""

    def test_separation_time_and_wait_are_obeyed(self) -> None:
        for stmin, waits in ((0x14, 0), (0xF5, 0), (0, 3), (0x0A, 2), (0x7F, 0)):
            with self.subTest(stmin=stmin, waits=waits), link_to(engine(stmin=stmin, waits=waits)) as (link, car):
                car.units[0].exact[LONG] = SAID
                self.assertEqual(link.ask(0x7E8, LONG).payload, SAID)

    def test_a_unit_silent_to_its_own_values_keeps_the_standard_ones(self) -> None:
        for silent, refused in (({0x22}, {}), (set(), {0x22: 0x11})):
            with link_to(engine(silent=silent, refuses=refused)) as (link, _car):
                poller = Poller(link, 0x7E8, (*LIVE, *(row.key for row in ROWS)), ROWS)
                for _ in range(2):
                    self.assertEqual({row.key for row in poller.poll()}, set(LIVE))


class Clearing(unittest.TestCase):
    """Every module that was to be cleared has an outcome, whatever breaks."""

    def outcomes(self, motor: Unit, box: Unit) -> tuple[Cleared, ...]:
        with link_to(motor, box) as (link, _car):
            return clear_modules(link, modules_to_clear(scan(link), ()))

    def test_each_module_has_its_own_outcome(self) -> None:
        for name, motor, words in (
            ("refuses", engine(refuses={0x04: 0x22}), "conditions not correct"),
            ("silent", engine(silent={0x04}), "did not answer"),
            ("asks for time for ever", engine(thinks={0x04: 30.0}), "asking for more time"),
            ("bare", engine(exact={b"\x04": b"\x7f\x04"}), ""),
        ):
            with self.subTest(name):
                first, second = self.outcomes(motor, gearbox())
                self.assertFalse(first.cleared)
                self.assertIn(words, first.reason)
                self.assertEqual(first.known, name == "refuses")
                self.assertTrue(second.cleared)

    def test_what_clears_is_never_sent_twice(self) -> None:
        for unit in (engine(silent={0x04}), engine(thinks={0x04: 0.6})):
            self.outcomes(unit, gearbox())
            self.assertEqual(unit.heard.count(b"\x04"), 1)

    def test_a_module_whose_codes_were_not_read_is_not_asked(self) -> None:
        box = gearbox(silent={0x03})
        _first, second = self.outcomes(engine(), box)
        self.assertFalse(second.cleared)
        self.assertEqual((box.cleared, box.heard.count(b"\x04")), (0, 0))


class Beyond(unittest.TestCase):
    """A module that only speaks UDS (ISO 14229-1 [S]): codes with status and failure type."""

    def test_status_bits_and_the_lamp_are_read(self) -> None:
        told = b"\x59\x02\xff" + b"\x40\x35\x11\x89" + b"\xc1\x00\x87\x28" + b"\x40\x36\x12\x50"
        box = Unit(6, functional=False, exact={b"\x19\x02\xff": told})
        with link_to(engine(), box) as (link, _car):
            found = scan(link, beyond=[ModuleAddress("brakes", 0x7E6, 0x7EE)])
        brakes = next(module for module in found.modules if module.name == "brakes")
        self.assertEqual(
            [(str(row.code), row.state, row.failure_type, row.warns) for row in brakes.codes],
            [("C0035", CodeState.CONFIRMED, "11", True), ("U0100", CodeState.HISTORY, "87", False)],
        )

    def test_what_it_says_besides_takes_its_codes_not_along(self) -> None:
        """An identity that is cut short, or of something that nobody asked for."""
        told = b"\x59\x02\xff" + b"\x40\x35\x11\x89"
        for said in (
            b"\x62",
            b"\x62\xf1",
            b"\x62\x01\x02\x03",
            b"\x62\xf1\x90",
            b"\x7f\x22\x31",
            b"\x22",
            b"\x59\x02",
            None,
        ):
            exact = {b"\x19\x02\xff": told, b"\x22\xf1\x90": said, b"\x22\xf1\x95": said}
            with self.subTest(said=said), link_to(engine(), Unit(6, functional=False, exact=exact)) as (link, _car):
                found = scan(link, beyond=[ModuleAddress("brakes", 0x7E6, 0x7EE)])
                brakes = next(module for module in found.modules if module.name == "brakes")
                self.assertEqual([str(row.code) for row in brakes.codes], ["C0035"])
                self.assertEqual(brakes.vin, "")

    def test_codes_that_cannot_be_read_are_not_none(self) -> None:
        for said in (b"\x59", b"\x59\x02", b"\x59\x02\xff\x40\x35", b"\x59\x04\xff", b"\x62\xf1\x90", b"\x7f", None):
            box = Unit(6, functional=False, exact={b"\x19\x02\xff": said})
            with self.subTest(said=said), link_to(engine(), box) as (link, _car):
                found = scan(link, beyond=[ModuleAddress("brakes", 0x7E6, 0x7EE)])
                self.assertNotIn("brakes", [module.name for module in found.modules])
                self.assertIn("brakes", [module.name for module in found.silent])
                self.assertTrue(any("brakes" in line for line in found.problems))

    def test_its_refusal_is_told_in_words(self) -> None:
        for reason, words in ((0x83, "the engine is running"), (0x93, "supply voltage too low")):
            unit = engine(refuses={0x04: reason})
            with link_to(unit) as (link, _car):
                outcome = clear_modules(link, modules_to_clear(scan(link), ()))[0]
            self.assertIn(words, outcome.reason)


class Speeds(unittest.TestCase):
    def test_a_speed_at_which_nothing_can_be_sent_is_not_the_end(self) -> None:
        """A bus adapter whose speed is set here: at the wrong one its frames are not taken, and the next is tried."""
        with on_the_bus(engine()) as car:
            tried: list[int] = []

            def at_a_speed(_interface: str, channel: str, speed: int, **more: Any) -> CanLink:
                tried.append(speed)
                link = open_link("virtual", channel, **more)
                if speed != 250_000:
                    link.bus.send = mock.Mock(side_effect=can.CanOperationError("bus off"))  # type: ignore[method-assign]
                return link

            with mock.patch("gumshoe.core.obd.connect.open_link", at_a_speed):
                link, spoke = connect(AdapterSpec(AdapterKind.BUS, car.channel, "slcan"), timing=QUICK)
                link.close()
                self.assertEqual((spoke, tried), ("250000 11 bit", [500_000, 500_000, 250_000]))
                tried.clear()
                connect(AdapterSpec(AdapterKind.BUS, car.channel, "slcan"), spoke=spoke, timing=QUICK)[0].close()
                self.assertEqual(tried, [250_000])  # as it spoke last


class Nobody(unittest.TestCase):
    def test_a_bus_without_anybody_says_so(self) -> None:
        with on_the_bus() as car, open_link("virtual", car.channel, timing=QUICK) as link:
            with self.assertRaises(NoAnswer):
                scan(link)
            with self.assertRaises(NoAnswer):
                find_engine(link)
