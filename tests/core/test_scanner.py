"""The scan client and the poller against a scripted module that behaves, refuses, or answers badly."""

import unittest
from collections.abc import Callable, Iterable

import can

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.can_link import CanLink
from gumshoe.core.obd.current import batches
from gumshoe.core.obd.errors import BadAnswer, NoAnswer
from gumshoe.core.obd.link import Link, Timing
from gumshoe.core.obd.pids import bitmap_for, pid_table
from gumshoe.core.obd.poller import SLOW_EVERY, Poller
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import Part
from gumshoe.core.obd.who import find_engine
from tests.core.bus import ScriptedBus, single

QUICK = Timing(p2=0.004, p2_star=0.05, consecutive=0.03, margin=0.001, patience=0.4, busy_pause=0.002, busy_limit=0.02)
Answers = Callable[[bytes], bytes | None]


class Segmented(ScriptedBus):
    """Answers whole payloads: splits long ones as ISO 15765-2 lays down and waits for flow control."""

    def __init__(self, answers: Answers) -> None:
        self.rest = b""
        self.requests: list[bytes] = []

        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            data = bytes(message.data)
            if data[0] >> 4 == 3:
                sequence = 1
                while self.rest:
                    yield 0x7E8, (bytes((0x20 | sequence % 16,)) + self.rest[:7]).ljust(8, b"\x00")
                    self.rest, sequence = self.rest[7:], sequence + 1
                return
            request = data[1 : 1 + data[0]]
            self.requests.append(request)
            payload = answers(request)
            if payload is None:
                return
            if len(payload) <= 7:
                yield 0x7E8, single(payload)
            else:
                self.rest = payload[6:]
                yield 0x7E8, bytes((0x10 | len(payload) >> 8, len(payload) & 0xFF)) + payload[:6]

        super().__init__(script)


def link(answers: Answers) -> tuple[Link, Segmented]:
    bus = Segmented(answers)
    return CanLink(bus, timing=QUICK), bus  # type: ignore[arg-type]


VALUES = {0x04: b"\x33", 0x05: b"\x7b", 0x0C: b"\x0c\x80", 0x0D: b"\x00", 0x01: b"\x82\x07\x21\x00"}


def module(request: bytes) -> bytes | None:
    """A small but honest engine module."""
    service = request[0]
    if service == 0x01:
        if request[1] == 0x00:
            return b"\x41\x00" + bitmap_for(0, VALUES)
        return b"\x41" + b"".join(bytes((pid,)) + VALUES[pid] for pid in request[1:] if pid in VALUES)
    if service == 0x02:
        if request[1] == 0x02:
            return b"\x42\x02\x00\x01\x71"
        if request[1] == 0x00:
            return b"\x42\x00\x00" + bitmap_for(0, {0x04, 0x05, 0x0C})
        return b"\x42" + b"".join(
            bytes((pid, 0)) + VALUES[pid] for pid in request[1::2] if pid in VALUES and pid != 0x0D
        )
    if service == 0x03:
        return b"\x43\x02\x01\x71\x03\x00"
    if service == 0x07:
        return b"\x47\x01\x03\x00"
    if service == 0x0A:
        return b"\x4a\x00"
    if service == 0x09 and request[1] == 0x02:
        return b"\x49\x02\x01" + b"UY0TN16A9G2000001"
    return bytes((0x7F, service, 0x12))


class Scanning(unittest.TestCase):
    def test_a_whole_scan(self) -> None:
        told: list[float] = []
        snapshot = scan(link(module)[0], lambda _what, share: told.append(share))
        engine = snapshot.engine
        assert engine
        self.assertEqual(snapshot.vin, "UY0TN16A9G2000001")
        self.assertEqual(engine.with_state(CodeState.CONFIRMED), ("P0171", "P0300"))
        self.assertEqual(engine.with_state(CodeState.PENDING), ("P0300",))
        self.assertEqual(engine.values["rpm"], 800.0)
        self.assertEqual(engine.frames[0].code, "P0171")
        self.assertEqual(set(engine.frames[0].values), {"load_pct", "coolant_c", "rpm"})
        self.assertTrue(snapshot.lamp)
        self.assertEqual(snapshot.problems, ())
        self.assertEqual(told, sorted(told))
        self.assertEqual(told[-1], 1.0)

    def test_what_is_refused_is_left_out_without_noise(self) -> None:
        def bare(request: bytes) -> bytes | None:
            return module(request) if request[0] == 0x01 else bytes((0x7F, request[0], 0x11))

        snapshot = scan(link(bare)[0])
        self.assertEqual(snapshot.problems, ())
        self.assertEqual(snapshot.codes_in(), ())

    def test_a_code_list_of_the_wrong_length_keeps_the_whole_codes(self) -> None:
        def short(request: bytes) -> bytes | None:
            return b"\x43\x03\x01\x71\x03" if request[0] == 0x03 else module(request)

        snapshot = scan(link(short)[0])
        self.assertIn("announced 3 codes but sent 3 bytes", snapshot.problems[0])
        self.assertIn("P0171", snapshot.codes_in())

    def test_none_and_not_known_are_told_apart(self) -> None:
        def without(*services: int, reason: int = 0) -> Answers:
            def answer(request: bytes) -> bytes | None:
                if request[0] in services:
                    return bytes((0x7F, request[0], reason)) if reason else None
                return module(request)

            return answer

        whole = scan(link(module)[0])
        self.assertEqual(whole.codes_unread, ())
        assert whole.engine and whole.engine.codes_known
        for answers, offered in (
            (without(0x03), True),
            (without(0x03, reason=0x22), True),
            (without(0x03, reason=0x11), False),
        ):
            found = scan(link(answers)[0])
            assert found.engine is not None
            missing = found.engine.missing(Part.CONFIRMED)
            assert missing is not None
            self.assertEqual(missing.offered, offered)
            self.assertEqual(found.codes_unread, ("confirmed codes of the engine",))
        results = scan(link(without(0x06))[0])
        self.assertIn("monitor results of the engine", results.unread)
        self.assertEqual(results.codes_unread, ())

    def test_a_module_that_dies_leaves_the_rest_of_it_unknown(self) -> None:
        alive = True

        def dying(request: bytes) -> bytes | None:
            nonlocal alive
            alive = alive and request[0] != 0x07
            return module(request) if alive else None

        found = scan(link(dying)[0])
        assert found.engine is not None
        self.assertEqual(found.engine.with_state(CodeState.CONFIRMED), ("P0171", "P0300"))
        self.assertEqual(
            {item.part for item in found.engine.unread}, {Part.PENDING, Part.PERMANENT, Part.FRAMES, Part.RESULTS}
        )
        self.assertTrue(any("fell silent" in line for line in found.problems))

    def test_only_a_whole_vin_is_stored(self) -> None:
        def padded(body: bytes) -> Answers:
            return lambda request: b"\x49\x02\x01" + body if request == b"\x09\x02" else module(request)

        self.assertEqual(scan(link(padded(b"\x00\x00\x00UY0TN16A9G2000001"))[0]).vin, "UY0TN16A9G2000001")
        short = scan(link(padded(b"UY0TN16A9G2000"))[0])
        self.assertEqual(short.vin, "")
        self.assertTrue(any("17 characters" in line for line in short.problems))

    def test_the_engine_is_the_module_that_says_so(self) -> None:
        def car(message: can.Message) -> Iterable[tuple[int, bytes]]:
            """A gearbox at 7E8 that knows readiness, the engine at 7EA."""
            request = bytes(message.data)[1 : 1 + message.data[0]]
            if message.arbitration_id in (0x7DF, 0x7E0):
                if request == b"\x01\x00":
                    yield 0x7E8, single(b"\x41\x00" + bitmap_for(0, {0x01, 0x0C}))
                elif request[:2] == b"\x01\x01":
                    yield 0x7E8, single(b"\x41\x01\x00\x04\x00\x00")
                elif message.arbitration_id == 0x7E0:
                    yield 0x7E8, single(bytes((0x7F, request[0], 0x11)))
            if message.arbitration_id in (0x7DF, 0x7E2):
                answer = module(request)
                if answer is not None and len(answer) <= 7:
                    yield 0x7EA, single(answer)
                elif message.arbitration_id == 0x7E2:
                    yield 0x7EA, single(bytes((0x7F, request[0], 0x12)))

        found = scan(CanLink(ScriptedBus(car), timing=QUICK))  # type: ignore[arg-type]
        assert found.engine is not None
        self.assertEqual(found.engine.responder, 0x7EA)
        self.assertEqual(find_engine(CanLink(ScriptedBus(car), timing=QUICK)), 0x7EA)  # type: ignore[arg-type]

    def test_bitmaps_of_all_ones_end_and_bare_answers_are_told(self) -> None:
        def endless(request: bytes) -> bytes | None:
            if request[0] == 0x01 and len(request) == 2 and request[1] % 0x20 == 0:
                return b"\x41" + request[1:2] + b"\xff\xff\xff\xff"
            return module(request)

        Poller(link(endless)[0], 0, ["rpm"]).poll()
        scan(link(endless)[0])
        bare = scan(link(lambda request: b"\x41\x00" if request == b"\x01\x00" else module(request))[0])
        self.assertTrue(any("answered without telling" in line for line in bare.problems))
        self.assertIn("current data of the engine", bare.unread)

    def test_a_busy_module_is_named_in_the_problems(self) -> None:
        def busy(request: bytes) -> bytes | None:
            return bytes((0x7F, 0x07, 0x21)) if request[0] == 0x07 else module(request)

        self.assertIn("busy, repeat the request", scan(link(busy)[0]).problems[0])

    def test_a_pid_cut_short_does_not_spoil_the_rest(self) -> None:
        def cut(request: bytes) -> bytes | None:
            return b"\x41\x0c\x0c" if request[0] == 0x01 and request[1] else module(request)

        snapshot = scan(link(cut)[0])
        self.assertTrue(any("PID 0C should have 2 data bytes" in line for line in snapshot.problems))
        self.assertIn("P0171", snapshot.codes_in())

    def test_one_lost_answer_costs_nothing_and_two_are_never_an_empty_list(self) -> None:
        lost: list[bytes] = []

        def once(request: bytes) -> bytes | None:
            if request[0] == 0x03 and not lost:
                lost.append(request)
                return None
            return module(request)

        snapshot = scan(link(once)[0])
        self.assertIn("P0171", snapshot.codes_in(CodeState.CONFIRMED))
        self.assertEqual(snapshot.problems, ())
        silent = scan(link(lambda request: None if request[0] == 0x03 else module(request))[0])
        self.assertTrue(any(line.startswith("confirmed codes: ") for line in silent.problems))

    def test_modules_that_must_be_woken_are_asked_twice_and_silence_is_an_error(self) -> None:
        asked: list[bytes] = []

        def asleep(request: bytes) -> bytes | None:
            asked.append(request)
            return None if len(asked) == 1 else module(request)

        self.assertIn("P0171", scan(link(asleep)[0]).codes_in())
        with self.assertRaises(NoAnswer):
            scan(link(lambda _request: None)[0])

    def test_padding_codes_are_not_codes(self) -> None:
        def padded(request: bytes) -> bytes | None:
            return b"\x43\x02\x00\x00\x01\x71" if request[0] == 0x03 else module(request)

        self.assertEqual(scan(link(padded)[0]).engine.with_state(CodeState.CONFIRMED), ("P0171",))  # type: ignore[union-attr]

    def test_unprintable_names_cannot_draw_on_a_screen(self) -> None:
        def rude(request: bytes) -> bytes | None:
            if request[0] == 0x09 and request[1] == 0x0A:
                return b"\x49\x0a\x01" + b"\x1b[2J<b>ECU".ljust(20, b"\x00")
            return module(request)

        self.assertEqual(scan(link(rude)[0]).modules[0].name, "[2J<b>ECU")


class Polling(unittest.TestCase):
    def test_six_pids_travel_together_and_slow_ones_seldom(self) -> None:
        connection, bus = link(module)
        poller = Poller(connection, 0, ["rpm", "load_pct", "speed_kmh", "coolant_c"])
        bus.requests.clear()
        keys = [{sample.key for sample in poller.poll()} for _ in range(SLOW_EVERY + 1)]
        self.assertEqual(keys[0], {"rpm", "load_pct", "speed_kmh", "coolant_c"})
        self.assertEqual(keys[1], {"rpm", "load_pct", "speed_kmh"})
        self.assertIn("coolant_c", keys[SLOW_EVERY])
        self.assertEqual(len([r for r in bus.requests if 0x05 in r[1:]]), 2)
        self.assertGreater(poller.rates()["rpm"], poller.rates()["coolant_c"])

    def test_one_missing_pid_does_not_silence_its_neighbours(self) -> None:
        def picky(request: bytes) -> bytes | None:
            if request[0] == 0x01 and 0x0D in request[1:]:
                return None
            return module(request)

        poller = Poller(link(picky)[0], 0, ["rpm", "load_pct", "speed_kmh"])
        self.assertEqual({sample.key for sample in poller.poll()}, {"rpm", "load_pct"})

    def test_a_silent_module_is_an_error_at_once(self) -> None:
        with self.assertRaises(NoAnswer):
            Poller(link(lambda _: None)[0], 0, ["rpm", "load_pct", "speed_kmh"]).poll()

    def test_a_foreign_pid_is_never_taken_for_an_answer(self) -> None:
        with self.assertRaises(NoAnswer):
            Poller(link(lambda _: b"\x41\x05\x7b")[0], 0, ["rpm"]).poll()
        with self.assertRaises(BadAnswer):
            Poller(link(lambda _: b"\x41\x0c\x0c\x80\x05\x7b")[0], 0, ["rpm"]).poll()

    def test_batches(self) -> None:
        self.assertEqual(list(batches(range(8), 3)), [(0, 1, 2), (3, 4, 5), (6, 7)])
        self.assertGreater(len(pid_table()), 45)
