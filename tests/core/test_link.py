"""The link under everything a bus can do to it. ISO 15765-2/-4 for frames and addresses."""

import time
import unittest
from collections.abc import Iterable

import can
from hypothesis import given, settings
from hypothesis import strategies as st

from gumshoe.core.errors import GumshoeError
from gumshoe.core.obd.can_link import CanLink, open_link
from gumshoe.core.obd.capture import candump_line, parse_candump
from gumshoe.core.obd.errors import BrokenAnswer, BusFailure, LinkError, NoAnswer, Refused
from gumshoe.core.obd.link import Addressing, BusFrame, Link, Timing
from gumshoe.core.obd.scanner import scan
from tests.core.bus import Script, ScriptedBus, single

QUICK = Timing(p2=0.004, p2_star=0.05, consecutive=0.03, margin=0.001, patience=0.4, busy_pause=0.002, busy_limit=0.02)


def link(script: Script, **more: object) -> Link:
    """A link over a scripted bus with short times."""
    return CanLink(ScriptedBus(script), timing=QUICK, **more)  # type: ignore[arg-type]


class Requests(unittest.TestCase):
    def test_functional_request_gathers_every_module(self) -> None:
        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            self.assertEqual(message.arbitration_id, 0x7DF)
            yield 0x7E8, single(b"\x41\x00\xbe\x1f\xa8\x13")
            yield 0x7EA, single(b"\x41\x00\x80\x00\x00\x00")

        exchange = link(script).ask_all(b"\x01\x00")
        self.assertEqual([answer.responder for answer in exchange.answers], [0x7E8, 0x7EA])

    def test_twenty_nine_bit_addresses(self) -> None:
        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            if message.arbitration_id == 0x18DB33F1:
                yield 0x18DAF110, single(b"\x41\x00\x80\x00\x00\x00")

        self.assertEqual(link(script).ask_all(b"\x01\x00").answers, ())
        found = link(script, addressing=Addressing.TWENTY_NINE_BIT).ask_all(b"\x01\x00")
        self.assertEqual([answer.responder for answer in found.answers], [0x18DAF110])

    def test_long_answer_with_flow_control(self) -> None:
        payload = b"\x49\x02\x01" + b"UY0TN16A9G2000001"

        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            if message.data[0] >> 4 == 0:
                yield 0x7E8, bytes((0x10, len(payload))) + payload[:6]
            elif message.data[0] >> 4 == 3:
                yield 0x7E8, b"\x21" + payload[6:13]
                yield 0x7E8, (b"\x22" + payload[13:]).ljust(8, b"\x00")

        self.assertEqual(link(script).ask(0, b"\x09\x02").payload, payload)

    def test_response_pending_extends_the_wait(self) -> None:
        class Slow(ScriptedBus):
            later: float | None = None

            def recv(self, timeout: float | None = None) -> can.Message | None:
                if self.later and time.monotonic() > self.later:
                    self.later = None
                    return can.Message(arbitration_id=0x7E8, data=single(b"\x44"), is_extended_id=False)
                return super().recv(timeout)

        bus = Slow(lambda message: [(0x7E8, single(b"\x7f\x04\x78"))])
        quick = CanLink(bus, timing=QUICK)  # type: ignore[arg-type]
        bus.later = time.monotonic() + 0.02  # well past P2, within P2*
        self.assertEqual(quick.ask(0, b"\x04").payload, b"\x44")

    def test_pending_for_ever_ends(self) -> None:
        class Forever(ScriptedBus):
            def recv(self, timeout: float | None = None) -> can.Message | None:
                return (
                    can.Message(arbitration_id=0x7E8, data=single(b"\x7f\x04\x78"), is_extended_id=False)
                    if self.sent
                    else None
                )

        with self.assertRaisesRegex(BrokenAnswer, "asking for more time"):
            quick = CanLink(Forever(lambda _: []), timing=QUICK)
            quick._prepare = lambda: None  # type: ignore[method-assign]  # the endless bus can never be drained
            quick.ask(0, b"\x04")

    def test_any_source_address_of_29_bits_is_heard(self) -> None:
        """ISO 15765-4 [S]: a module may have any source address, and is asked on 18DAxxF1."""
        asked: list[int] = []

        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            asked.append(message.arbitration_id)
            if message.arbitration_id == 0x18DB33F1:
                yield 0x18DAF110, single(b"\x41\x00\x80\x00\x00\x00")
                yield 0x18DAF128, single(b"\x41\x00\x80\x00\x00\x00")
            else:
                yield 0x18DAF128, single(b"\x43\x00")

        heard: list[int] = []
        wide = link(script, addressing=Addressing.TWENTY_NINE_BIT, tap=lambda frame: heard.append(frame.id))
        found = wide.ask_all(b"\x01\x00")
        self.assertEqual([answer.responder for answer in found.answers], [0x18DAF110, 0x18DAF128])
        self.assertEqual(wide.ask(0x18DAF128, b"\x03").payload, b"\x43\x00")
        self.assertEqual(asked[-1], 0x18DA28F1)
        self.assertEqual(heard.count(0x18DAF128), 2)

    def test_a_busy_module_is_asked_again(self) -> None:
        tries: list[int] = []

        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            tries.append(message.arbitration_id)
            yield 0x7E8, single(b"\x7f\x03\x21" if len(tries) < 3 else b"\x43\x00")

        self.assertEqual(link(script).ask(0, b"\x03").payload, b"\x43\x00")
        tries.clear()
        self.assertEqual(link(script).ask_all(b"\x03").answers[0].payload, b"\x43\x00")
        self.assertEqual(tries, [0x7DF, 0x7E0, 0x7E0])  # the one that was busy, not everybody again
        with self.assertRaisesRegex(Refused, "busy"):
            link(lambda _: [(0x7E8, single(b"\x7f\x03\x21"))]).ask(0, b"\x03")

    def test_more_time_is_given_by_the_clock_not_by_count(self) -> None:
        class Slow(ScriptedBus):
            begun = 0.0

            def recv(self, timeout: float | None = None) -> can.Message | None:
                if not self.sent:
                    return None
                self.begun = self.begun or time.monotonic()
                time.sleep(0.01)
                ready = time.monotonic() - self.begun > 0.2
                data = single(b"\x44" if ready else b"\x7f\x04\x78")
                if ready:
                    self.sent.clear()
                return can.Message(arbitration_id=0x7E8, data=data, is_extended_id=False)

        slow = CanLink(Slow(lambda _: []), timing=QUICK)  # type: ignore[arg-type]
        slow._prepare = lambda: None  # type: ignore[method-assign]  # its bus is never empty
        self.assertEqual(slow.ask(0, b"\x04").payload, b"\x44")  # some twenty times pending

    def test_refusal_names_service_and_reason(self) -> None:
        with self.assertRaises(Refused) as caught:
            link(lambda _: [(0x7E8, single(b"\x7f\x04\x22"))]).ask(0, b"\x04")
        self.assertIn("conditions not correct", caught.exception.what)
        self.assertIn("engine off", str(caught.exception))

    def test_silence_says_the_usual_cause_first(self) -> None:
        with self.assertRaises(NoAnswer) as caught:
            link(lambda _: []).ask(0, b"\x01\x0c")
        self.assertEqual(caught.exception.remedies[0], "switch the ignition on")
        self.assertEqual(link(lambda _: []).ask_all(b"\x01\x00").answers, ())
        with self.assertRaises(NoAnswer):
            scan(link(lambda _: []))

    def test_one_lost_answer_is_asked_for_again_and_a_clearing_is_not(self) -> None:
        """A busy adapter loses a frame now and then; what does something each time is nobody's to repeat unasked."""
        asked: list[bytes] = []

        def deaf_once(message: can.Message) -> Iterable[tuple[int, bytes]]:
            asked.append(bytes(message.data[1 : 1 + message.data[0]]))
            if len(asked) > 1:
                yield 0x7E8, single(bytes((asked[-1][0] + 0x40, *asked[-1][1:], 0x0B, 0xB8)))

        self.assertEqual(link(deaf_once).ask(0, b"\x01\x0c").payload, b"\x41\x0c\x0b\xb8")
        self.assertEqual(asked, [b"\x01\x0c"] * 2)
        for payload in (b"\x04", b"\x14\xff\xff\xff", b"\x31\x01\x02\x03"):
            asked.clear()
            with self.assertRaises(NoAnswer):
                link(deaf_once).ask(0, payload)
            self.assertEqual(asked, [payload])

    def test_answer_that_breaks_off(self) -> None:
        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            if message.data[0] >> 4 == 0:
                yield 0x7E8, bytes((0x10, 20)) + b"\x49\x02\x01UY0"

        with self.assertRaises(BrokenAnswer):
            link(script).ask(0, b"\x09\x02")

    def test_wrong_sequence_number(self) -> None:
        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            if message.data[0] >> 4 == 0:
                yield 0x7E8, bytes((0x10, 20)) + b"\x49\x02\x01UY0"
                yield 0x7E8, b"\x23TN16A9G"

        with self.assertRaises(BrokenAnswer):
            link(script).ask(0, b"\x09\x02")

    def test_late_answer_to_another_service_is_passed_over(self) -> None:
        script = lambda _: [(0x7E8, single(b"\x43\x00")), (0x7E8, single(b"\x41\x0c\x0b\xb8"))]  # noqa: E731
        self.assertEqual(link(script).ask(0, b"\x01\x0c").payload, b"\x41\x0c\x0b\xb8")

    def test_late_answer_about_another_pid_is_passed_over(self) -> None:
        late, right = (0x7E8, single(b"\x41\x05\x7b")), (0x7E8, single(b"\x41\x0c\x0b\xb8"))
        self.assertEqual(link(lambda _: [late, right]).ask(0, b"\x01\x0c").payload, b"\x41\x0c\x0b\xb8")

    def test_adapter_failure(self) -> None:
        class Broken(ScriptedBus):
            def send(self, message: can.Message, timeout: float | None = None) -> None:
                raise can.CanOperationError("no buffer space")

        with self.assertRaisesRegex(BusFailure, "no buffer space"):
            CanLink(Broken(lambda _: []), timing=QUICK).ask(0, b"\x01\x00")
        with self.assertRaises(BusFailure):
            open_link("no-such-interface", "x")


answers = st.lists(
    st.tuples(st.sampled_from([0x7E8, 0x7E9, 0x7EF, 0x123, 0x7E0]), st.binary(min_size=0, max_size=8)), max_size=12
)


class Garbage(unittest.TestCase):
    @settings(max_examples=120, deadline=None)
    @given(answers)
    def test_no_garbage_hangs_or_escapes_our_errors(self, frames: list[tuple[int, bytes]]) -> None:
        began = time.monotonic()
        quick = link(lambda _: frames)
        quick.ask_all(b"\x01\x00")
        try:
            quick.ask(0, b"\x01\x0c")
        except LinkError as error:
            self.assertTrue(error.remedies)
        self.assertLess(time.monotonic() - began, 10.0)  # it hangs; how fast it is, a benchmark says

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.binary(min_size=1, max_size=7), min_size=1, max_size=40))
    def test_a_scan_of_nonsense_ends_with_a_snapshot_or_a_clear_error(self, payloads: list[bytes]) -> None:
        stream = iter(payloads * 30)

        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            if message.arbitration_id == 0x7DF:
                return [(0x7E8, single(b"\x41\x00\xff\xff\xff\xff"))]
            service = message.data[1] + 0x40 if message.data[0] >> 4 == 0 else 0x41
            return [(0x7E8, single(bytes((service & 0xFF,)) + next(stream, b"\x00")[:6]))]

        try:
            snapshot = scan(link(script))
        except GumshoeError as error:
            self.assertTrue(str(error))
        else:
            self.assertEqual(snapshot.modules[0].responder, 0x7E8)


class Capture(unittest.TestCase):
    @given(st.integers(0, 0x7FF), st.binary(max_size=8), st.floats(0, 2e9))
    def test_candump_round_trip(self, identifier: int, data: bytes, moment: float) -> None:
        frame = BusFrame(moment, identifier, False, data, False)
        again = next(parse_candump([candump_line(frame)]))
        self.assertEqual((again.id, again.data), (identifier, data))
        self.assertAlmostEqual(again.time, moment, places=4)

    def test_bad_line_names_its_number(self) -> None:
        with self.assertRaisesRegex(GumshoeError, "Line 2 is not"):
            list(parse_candump(["(1.0) can0 7E8#0641", "nonsense"]))
