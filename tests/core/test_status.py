"""Readiness bits and monitor results: SAE J1979, against Scapy where it has a layer."""

import unittest

from hypothesis import given
from hypothesis import strategies as st
from scapy.contrib.automotive.obd.obd import OBD

from gumshoe.core.obd.errors import BadAnswer
from gumshoe.core.obd.results import SCALINGS, decode_results, encode_result, result_name
from gumshoe.core.obd.status import decode_status, encode_status

# Scalings the library shows in thousandths of our unit (millivolts, milliseconds).
THOUSANDTHS = dict.fromkeys((0x0A, 0x0D, 0x10, 0x11, 0x13, 0x21, 0x35, 0x8A, 0x8D, 0x90, 0xB1), 1000.0)
"""Where scapy keeps the standard's milli-unit and we the whole one."""
NOT_IN_SCAPY = {0x99, 0xAD, 0xAE, 0xFC}
"""From memory alone [M]: scapy gives them raw."""


class Readiness(unittest.TestCase):
    def test_lamp_count_and_ignition_kind_agree_with_scapy(self) -> None:
        for data in (b"\x83\x07\xff\x00", b"\x00\x77\x65\x65", b"\x81\x0f\xeb\x80", b"\x7f\x00\x00\x00"):
            record = OBD(b"\x41\x01" + data).payload.data_records[0]
            layer = record.payload if record.payload else record
            status = decode_status(data)
            self.assertEqual(status.lamp, bool(layer.mil))
            self.assertEqual(status.codes, layer.dtc_count)

    def test_bits_of_byte_b_c_d(self) -> None:
        # B: supported bits 0–2, incomplete bits 4–6; bit 3 compression ignition. C supported, D incomplete [S].
        status = decode_status(bytes((0x00, 0x57, 0x21, 0x20)))
        self.assertFalse(status.compression_ignition)
        self.assertFalse(status.monitor("misfire").complete)
        self.assertTrue(status.monitor("fuel system").complete)
        self.assertFalse(status.monitor("comprehensive components").complete)
        self.assertTrue(status.monitor("catalyst").complete)
        self.assertFalse(status.monitor("oxygen sensor").complete)
        self.assertEqual(status.incomplete, ("misfire", "comprehensive components", "oxygen sensor"))
        self.assertIn("boost pressure", [m.name for m in decode_status(bytes((0, 8, 0, 0))).monitors])

    @given(st.binary(min_size=4, max_size=4))
    def test_round_trip_keeps_what_is_defined(self, data: bytes) -> None:
        status = decode_status(data)
        again = decode_status(encode_status(status))
        for before, after in zip(status.monitors, again.monitors, strict=True):
            self.assertEqual(before.supported, after.supported)
            if before.supported:
                self.assertEqual(before.complete, after.complete)


class MonitorResults(unittest.TestCase):
    def test_scalings_agree_with_scapy(self) -> None:
        for kind, sample in [
            (kind, sample) for kind in SCALINGS if kind not in NOT_IN_SCAPY for sample in (b"\x12\x34", b"\xff\xfb")
        ]:
            scaling = SCALINGS[kind]
            raw = b"\xa2\x0b" + bytes((kind,)) + sample + b"\x00\x10\x70\x00"
            layer = OBD(b"\x46" + raw).payload.data_records[0].payload
            theirs = float(layer.test_value) / THOUSANDTHS.get(kind, 1.0)
            self.assertAlmostEqual(
                decode_results(b"\x46" + raw)[0].value,
                theirs,
                delta=abs(scaling.scale) * 0.6 + 2e-3,
                msg=f"scaling {kind:02X}",
            )

    def test_misfire_counters(self) -> None:
        # Monitor A3 is cylinder 2; test 0C the last or current drive cycle; scaling 24 plain counts [S].
        result = decode_results(b"\x46" + encode_result(0xA3, 0x0C, 0x24, 417, 0, 65535))[0]
        self.assertEqual((result.value, result.unit), (417.0, "counts"))
        self.assertEqual(result.name, "misfire, cylinder 2: last or current drive cycle")
        self.assertIn("monitor E1", result_name(0xE1, 0x55))

    def test_limits_include_their_ends(self) -> None:
        good, bad = decode_results(
            b"\x46" + encode_result(0x21, 0x80, 0x20, 0.75, 0.0, 0.75) + encode_result(0x21, 0x80, 0x20, 0.8, 0.0, 0.75)
        )
        self.assertIs(good.passed, True)
        self.assertFalse(bad.passed)

    def test_signed_ids_are_signed_and_unknown_ones_get_no_verdict(self) -> None:
        """J1979 appendix E [S]: ids from 80 hold signed values; -5 within ±100 is inside, not 65531 outside."""
        for kind in (0x8B, 0x99, 0xC7, 0xFE):
            record = bytes((0x01, 0x85, kind)) + b"\xff\xfb\xff\x9c\x00\x64"
            result = decode_results(b"\x46" + record)[0]
            self.assertLess(result.value, 0.0, f"{kind:02X}")
            self.assertIs(result.passed, True if kind in SCALINGS else None)
        raw = decode_results(b"\x46\x01\x85\x7b\xff\xfb\x00\x00\x00\x64")[0]
        self.assertEqual((raw.value, raw.passed), (65531.0, None))
        self.assertIn("scaling 7B", raw.unit)

    def test_broken_record(self) -> None:
        with self.assertRaisesRegex(BadAnswer, "records of 9 bytes; 7 bytes"):
            decode_results(b"\x46" + bytes(7))
