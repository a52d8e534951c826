"""PID scaling both ways against Scapy's OBD layers (a general packet library, itself after SAE J1979)."""

import random
import unittest
from typing import Any

from scapy.contrib.automotive.obd.obd import OBD
from scapy.fields import BitField

from gumshoe.core.obd.pids import (
    FieldKind,
    bitmap_for,
    fields_by_key,
    pid_table,
    read_current,
    supported_from_bitmap,
)

# Bit fields and the code of the frame: no quantities to compare.
NO_QUANTITY = {0x01, 0x02, 0x03, 0x12, 0x13, 0x1C, 0x1D, 0x1E, 0x41, 0x51, 0x65}
# The library has no fields for these, or other ones than J1979: 55 to 58 have a second byte for banks 3 and 4 that not
# every car sends, 7F has counters of four bytes, turbines turn in tens. Hand values in Answers.test_values_from_memory.
NOT_THERE = {0x55, 0x56, 0x57, 0x58, 0x74, 0x7F, 0x85, 0x86, 0x8B, 0x9A, 0x9B, 0xA6}
# Where the library's layer is not J1979's text: it reads only the first of PID 10's two bytes, and leaves out
# the offset of −128 mA of the currents of PIDs 34 to 3B. Both are checked by hand values in Answers.test_known_values
# instead.
NOT_AS_J1979 = {"maf_gps"} | {f"pump_b{bank}s{sensor}_ma" for bank in (1, 2) for sensor in (1, 2, 3, 4)}


def scapy_values(number: int, data: bytes) -> list[float]:
    """The numeric fields Scapy reads from a PID's data bytes, in order."""
    packet = OBD(b"\x41" + bytes((number,)) + data)
    record = packet.payload.data_records[0]
    layer: Any = record.payload if record.payload else record
    return [float(layer.getfieldval(item.name)) for item in layer.fields_desc if not isinstance(item, BitField)]


RESERVED_BEHIND = {0x50}
"""Numbers with bytes that the standard keeps for later behind what is told."""


class AgainstScapy(unittest.TestCase):
    def test_values_agree_on_random_bytes(self) -> None:
        draw = random.Random(7)
        compared = 0
        for number, pid in pid_table().items():
            if number in NO_QUANTITY | NOT_THERE:
                continue
            for _ in range(25):
                data = bytes(draw.randrange(256) for _ in range(pid.size))
                theirs = scapy_values(number, data)
                theirs = theirs[:1] if number in RESERVED_BEHIND else theirs
                ours = [item.read(data) for item in pid.fields]
                self.assertEqual(len(theirs), len(ours), f"PID {number:02X}")
                for item, mine, other in zip(pid.fields, ours, theirs, strict=True):
                    if item.key in NOT_AS_J1979:
                        continue
                    # The library rounds to three places.
                    tolerance = max(abs(item.scale) * 0.51, abs(other) * 5e-3, 6e-4)
                    self.assertAlmostEqual(
                        mine, other, delta=tolerance, msg=f"PID {number:02X} {item.key} {data.hex()}"
                    )
                compared += 1
        self.assertGreater(compared, 90 * 25)

    def test_writing_gives_back_the_bytes(self) -> None:
        draw = random.Random(8)
        for number, pid in pid_table().items():
            data = bytes(draw.randrange(256) for _ in range(pid.size))
            if number in RESERVED_BEHIND or any(item.bit is not None or item.absent is not None for item in pid.fields):
                # only what the fields hold, and what is there
                data = pid.encode({item.key: item.read(data) for item in pid.fields})
            self.assertEqual(pid.encode(pid.decode(data)), data, f"PID {number:02X}")

    def test_a_field_is_there_when_its_bit_says_so(self) -> None:
        boost = pid_table()[0x70]
        self.assertEqual(set(boost.decode(bytes((0x02, *bytes(9))))), {"boost_kpa"})
        self.assertEqual(boost.encode({"boost_kpa": 150.0})[0], 0x02)
        self.assertAlmostEqual(boost.decode(boost.encode({"boost_kpa": 150.0}))["boost_kpa"], 150.0)

    def test_values_beyond_the_range_are_held(self) -> None:
        for item in fields_by_key().values():
            if item.kind is FieldKind.NUMBER:
                self.assertAlmostEqual(item.read(b"\0" * item.at + item.write(1e12)), item.high, places=6)
                self.assertAlmostEqual(item.read(b"\0" * item.at + item.write(-1e12)), item.low, places=6)


class Answers(unittest.TestCase):
    def test_known_values(self) -> None:
        # Definitions of SAE J1979 [S]: rpm in quarters, temperature minus 40, trim 128 = 0 %, air flow in 0.01 g/s.
        table = pid_table()
        self.assertEqual(table[0x0C].decode(bytes((0x1A, 0xF8)))["rpm"], 1726.0)
        self.assertEqual(table[0x05].decode(bytes((0x7B,)))["coolant_c"], 83.0)
        self.assertEqual(table[0x06].decode(bytes((0x80,)))["stft_b1_pct"], 0.0)
        self.assertAlmostEqual(table[0x10].decode(bytes((0x01, 0x00)))["maf_gps"], 2.56)
        wide = table[0x34].decode(bytes((0x80, 0x00, 0x80, 0x00)))
        self.assertAlmostEqual(wide["lambda_b1s1"], 1.0)
        self.assertEqual(wide["pump_b1s1_ma"], 0.0)

    def test_values_from_memory(self) -> None:
        """SAE J1979-DA, from memory [M]: NOx and reductant, filter, turbine, hours and odometer."""
        table = pid_table()
        self.assertEqual(table[0x55].decode(b"\x90")["stft_rear_b1_pct"], 12.5)
        self.assertEqual(table[0x74].decode(b"\x01\x27\x10\x00\x00"), {"turbo_a_rpm": 100_000.0})
        self.assertEqual(table[0x7F].decode(b"\x01" + (7200).to_bytes(4, "big") + bytes(8)), {"engine_hours_s": 7200.0})
        self.assertEqual(table[0x85].decode(b"\x04" + bytes(4) + b"\xff" + bytes(4))["reagent_level_pct"], 100.0)
        self.assertEqual(table[0x86].decode(b"\x01\x00\x50\x00\x00"), {"soot_b1_mgm3": 1.0})
        self.assertEqual(table[0x8B].decode(b"\x14\x00\x80\x00\x00\x01\x90")["filter_between_km"], 400.0)
        self.assertEqual(
            table[0x9A].decode(b"\x06\x00\x4b\x00\xff\xce"), {"hybrid_pack_v": 300.0, "hybrid_pack_a": -5.0}
        )
        self.assertEqual(table[0x9B].decode(b"\x02\x00\x3c\x00"), {"reagent_c": 20.0})
        self.assertAlmostEqual(table[0xA6].decode((1_234_567).to_bytes(4, "big"))["odometer_km"], 123_456.7)

    def test_bitmaps_round_trip(self) -> None:
        self.assertEqual(supported_from_bitmap(0, bitmap_for(0, {1, 4, 12, 32})), {1, 4, 12, 32})
        self.assertEqual(supported_from_bitmap(0x20, bitmap_for(0x20, {0x21, 0x40})), {0x21, 0x40})

    def test_several_pids_in_one_answer(self) -> None:
        parts, wrong = read_current(bytes((0x41, 0x0C, 0x1A, 0xF8, 0x05, 0x7B)), (0x0C, 0x05))
        self.assertEqual((parts, wrong), ({0x0C: b"\x1a\xf8", 0x05: b"\x7b"}, ""))

    def test_short_and_foreign_answers_are_refused(self) -> None:
        for payload, words in (
            ((0x41, 0x0C, 0x1A), "2 data bytes, 1 arrived"),
            ((0x41, 0x05, 0x7B), "not asked for"),
            ((0x41, 0x0C, 0x1A, 0xF8, 0x05, 0x7B), "not asked for"),  # then the length before it is not the standard's
        ):
            parts, wrong = read_current(bytes(payload), (0x0C,))
            self.assertEqual(parts, {})
            self.assertIn(words, wrong)
