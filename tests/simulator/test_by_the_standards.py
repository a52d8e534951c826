"""What the stand-ins' control units answer, held against the standards: lengths and layouts by the decoders of two
other libraries (Scapy's for SAE J1979, udsoncan's for ISO 14229-1), bad requests by the standards' words."""

from __future__ import annotations

import logging
import unittest
from functools import cache
from typing import Any

import udsoncan
from udsoncan.services import ReadDTCInformation

from gumshoe.simulator.answers import EngineModule, Module
from gumshoe.simulator.answers_on_uds import ModernEngineModule, ModernTransmissionModule
from gumshoe.simulator.chassis import ChassisModule, TransmissionModule
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.garage import engine_module, modules_of, vehicle_of
from gumshoe.simulator.models import Speech
from gumshoe.simulator.vehicle import Key

logging.getLogger("scapy").setLevel(logging.ERROR)
CLASSIC = ("tern-library", "fulmar-library", "plover-purser", "dunlin-pickup")
OWN_MISTAKE = {0x10}
"""This release of Scapy has one byte for two."""


@cache
def modules(key: str) -> tuple[EngineModule, TransmissionModule, list[ChassisModule]]:
    """The control units of a stand-in of the fleet, awake, with a code on record."""
    stand_in = fleet()[key]
    vehicle = vehicle_of(stand_in)
    chassis, gearbox = modules_of(vehicle, stand_in)
    vehicle.turn_key(Key.START)
    vehicle.run(20.0)
    vehicle.memory.fail("P0113", {"rpm": 800.0, "load_pct": 20.0, "coolant_c": 83.0, "speed_kmh": 0.0}, trips=1)
    gearbox.memory.status["U040186"] = 0x2F
    vehicle.turn_key(Key.OFF)
    vehicle.run(5.0)
    vehicle.turn_key(Key.ON)
    vehicle.run(1.0)
    return engine_module(vehicle), gearbox, chassis


def ask(module: Module, request: str) -> str:
    """The last answer to a physical request; empty for none."""
    found = module.answer(bytes.fromhex(request), False)
    return found[-1].hex() if found else ""


def numbers(bitmap: bytes, base: int) -> list[int]:
    word = int.from_bytes(bitmap, "big")
    return [base + 1 + bit for bit in range(32) if word >> (31 - bit) & 1]


class ByScapy(unittest.TestCase):
    """scapy.contrib.automotive.obd knows the length of every PID it has a name for (SAE J1979)."""

    def decoded(self, payload: str) -> Any:
        from scapy.contrib.automotive.obd.obd import OBD

        found = OBD(bytes.fromhex(payload))
        self.assertEqual(found.build().hex(), payload)
        return found

    def test_every_number_of_current_data_and_freeze_frame_has_the_standards_length(self) -> None:
        from scapy.packet import Raw

        for key in CLASSIC:
            engine, gearbox, _chassis = modules(key)
            for module in (engine, gearbox):
                announced, base = list[int](), 0
                while base == 0 or base in announced:
                    announced += numbers(bytes.fromhex(ask(module, f"01{base:02x}"))[2:6], base)
                    base += 0x20
                for number in sorted(set(announced) - OWN_MISTAKE):
                    with self.subTest(key, number=f"{number:02X}"):
                        answer = ask(module, f"01{number:02x}")
                        (record,) = self.decoded(answer).payload.data_records
                        self.assertEqual((record.pid, record.haslayer(Raw)), (number, False), answer)
            for number in (2, 4, 5, 0x0C, 0x0D):
                with self.subTest(key, frame=f"{number:02X}"):
                    (record,) = self.decoded(ask(engine, f"02{number:02x}00")).payload.data_records
                    self.assertEqual((record.pid, record.haslayer(Raw)), (number, False))

    def test_codes_and_vehicle_information(self) -> None:
        for key in CLASSIC:
            engine, gearbox, _chassis = modules(key)
            for service in ("03", "07", "0a"):
                for module in (engine, gearbox):
                    told = self.decoded(ask(module, service)).payload
                    self.assertEqual(told.count, len(told.dtcs))
            for module in (engine, gearbox):
                for number in numbers(bytes.fromhex(ask(module, "0900"))[2:6], 0):
                    with self.subTest(key, info=f"{number:02X}"):
                        answer = bytes.fromhex(ask(module, f"09{number:02x}"))
                        self.assertEqual(answer[:2], bytes((0x49, number)))
                        size = {0x02: 17, 0x04: 16, 0x06: 4, 0x08: 2, 0x0A: 20, 0x0B: 2}[number]
                        self.assertEqual(len(answer), 3 + answer[2] * size)
            name = bytes.fromhex(ask(engine, "090a"))[3:]
            self.assertEqual((name[:5], len(name)), (b"ECM\x00-", 20))


class ByUdsoncan(unittest.TestCase):
    """SAE J1979-2's lists of codes as udsoncan reads them (ISO 14229-1:2020)."""

    KEY = "wigeon-post"

    def listed(self, module: Module, request: str) -> Any:
        payload = bytes.fromhex(ask(module, request))
        self.assertEqual(payload[0], 0x59)
        response = udsoncan.Response(ReadDTCInformation, udsoncan.Response.Code.PositiveResponse, data=payload[1:])
        found = ReadDTCInformation.interpret_response(
            response, subfunction=payload[1], tolerate_zero_padding=False, ignore_all_zero_dtc=False, didconfig=SIZES
        )
        return found.service_data

    def test_lists_of_codes(self) -> None:
        engine, gearbox, _chassis = modules(self.KEY)
        self.assertEqual((type(engine), type(gearbox)), (ModernEngineModule, ModernTransmissionModule))
        told = self.listed(engine, "194233ffff")
        (row,) = told.dtcs
        self.assertEqual((row.id, row.status.confirmed, row.status.warning_indicator_requested), (0x011300, True, True))
        self.assertEqual(told.functional_group_id, 0x33)
        self.assertEqual([row.id for row in self.listed(engine, "195533").dtcs], [0x011300])
        self.assertEqual([row.id for row in self.listed(engine, "1902ff").dtcs], [0x011300])
        self.assertEqual([row.id for row in self.listed(gearbox, "194233ffff").dtcs], [0xC40186])

    def test_a_frame(self) -> None:
        engine, _gearbox, _chassis = modules(self.KEY)
        told = self.listed(engine, "190401130000")
        (row,) = told.dtcs
        found = {snapshot.did: bytes(snapshot.raw_data) for snapshot in row.snapshots}
        self.assertEqual(found[0xF40C], bytes((0x0C, 0x80)))
        self.assertEqual(found[0xF405], bytes((83 + 40,)))

    def test_of_a_group_each_code_has_its_status(self) -> None:
        engine, _gearbox, _chassis = modules(self.KEY)
        answer = bytes.fromhex(ask(engine, "1956330d"))
        self.assertEqual(answer[:6].hex(), "595633ff040d")
        self.assertEqual((len(answer) - 6) % 4, 0)
        self.assertIn(b"\x01\x13\x00", answer)


class _Size(udsoncan.DidCodec):
    def __init__(self, size: int) -> None:
        self.size = size

    def decode(self, payload: bytes) -> bytes:
        return payload

    def encode(self, *value: Any, **_: Any) -> bytes:
        return bytes(value[0])

    def __len__(self) -> int:
        return self.size


SIZES = {0xF404: _Size(1), 0xF405: _Size(1), 0xF40C: _Size(2), 0xF40D: _Size(1), "default": _Size(1)}


class BadRequests(unittest.TestCase):
    """Wrong length 13, wrong sub-function 12, out of range 31 (ISO 14229-1 [S]); each of these was answered."""

    def test_the_engine(self) -> None:
        engine, _gearbox, _chassis = modules("tern-library")
        for request, answer in {
            "01": "7f0113",
            "010405060708090a": "7f0113",
            "0300": "7f0313",
            "040000": "7f0413",
            "0700": "7f0713",
            "06": "7f0613",
            "09": "7f0913",
            "02": "7f0213",
            "0202": "7f0213",
            "026000": "7f0231",
            "0160": "7f0131",
            "3e80": "",
            "3e00": "7e00",
            "3e01": "7f3e12",
            "1081": "",
            "1002": "7f1012",
            "22": "7f2213",
            "0a0a": "7f0a13",
            "85": "7f8511",
        }.items():
            with self.subTest(request):
                self.assertEqual(ask(engine, request), answer)
        self.assertEqual(ask(engine, "010c0c"), ask(engine, "010c"))
        self.assertEqual(len(bytes.fromhex(ask(engine, "06002040 6080a0"))), 1 + 5 * 6)
        self.assertEqual(engine.vehicle.memory.codes("confirmed"), ["P0113"], "nothing was cleared by a bad request")

    def test_the_gearbox_and_the_rest(self) -> None:
        _engine, gearbox, chassis = modules("tern-library")
        for request, answer in {
            "01": "7f0113",
            "011c": "411c06",
            "0900": "490014400000",
            "0300": "7f0313",
            "040000": "7f0413",
            "3e80": "",
            "1081": "",
            "1083": "",
            "1003": "5003003201f4",
        }.items():
            with self.subTest(request):
                self.assertEqual(ask(gearbox, request), answer)
        for module in chassis:
            self.assertEqual(
                [ask(module, request) for request in ("3e80", "3e00", "1081", "1902")], ["", "7e00", "", "7f1913"]
            )
        self.assertEqual(gearbox.memory.status["U040186"] & 0x08, 0x08)

    def test_the_new_cars_engine(self) -> None:
        engine, gearbox, _chassis = modules("wigeon-post")
        for module in (engine, gearbox):
            for request, answer in {
                "0100": "7f0111",
                "03": "7f0311",
                "04": "7f0411",
                "0902": "7f0911",
                "1956": "7f1913",
                "19ff": "7f1912",
                "1956331f": "7f1931",
                "14ffff": "7f1413",
                "14123456": "7f1431",
                "22f4ff": "7f2231",
            }.items():
                with self.subTest(type(module).__name__, request=request):
                    self.assertEqual(ask(module, request), answer)
            for request in ("0100", "22f4ff", "19ff"):
                self.assertEqual(module.answer(bytes.fromhex(request), True), [])
        self.assertEqual(engine.vehicle.model.speaks, Speech.ON_UDS)
