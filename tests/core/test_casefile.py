"""The case file: the least one, the whole one, bad ones; and the assessment of situations of the trade."""

import json
import unittest
from dataclasses import replace
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path

import jsonschema
from django.test import tag
from hypothesis import given, settings
from hypothesis import strategies as st

from gumshoe.core import casefile
from gumshoe.core.casefile import CaseFile, CaseFileError, assess_file, json_schema, read_case, write_case
from gumshoe.core.casefile.model import (
    ComplaintFacts,
    EventFacts,
    HandTestFacts,
    LineFacts,
    ProofFacts,
    RecordingFacts,
    TestFacts,
    VehicleFacts,
    VerdictFacts,
    WorkFacts,
)
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.code_index import OwnCode
from gumshoe.core.knowledge.parts import WiringRow
from gumshoe.core.obd.results import MonitorResult
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, Snapshot, StoredCode
from gumshoe.core.obd.status import Monitor, MonitorStatus
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.regions import Region
from gumshoe.core.signals.trims import RegionTrim


def minimal(*codes: str, **more: object) -> CaseFile:
    raw = {"format": "gumshoe-case", "version": 1, "powertrain": {"cylinders": 4}, "codes": list(codes)} | more
    return read_case(json.dumps(raw))


def whole() -> CaseFile:
    status = MonitorStatus(True, 1, False, (Monitor("misfire", True, True, True), Monitor("catalyst", True, False)))
    module = ModuleSnapshot(
        0x7E8,
        "ECM",
        "UY0TN16A9G2000001",
        ("CAL",),
        ("0011AA22",),
        status,
        None,
        (StoredCode("P0171", CodeState.CONFIRMED), StoredCode("P0171", CodeState.PERMANENT)),
        (FreezeFrame("P0171", {"rpm": 827.25, "load_pct": 20.4}),),
        (MonitorResult(0xA2, 0x0C, "misfire, cylinder 1", "counts", 12.0, 0.0, 65535.0),),
        {"rpm": 0.0},
        (1, 4, 12),
    )
    trim = RegionTrim(Region.WARM_IDLE, 3.0, 25.0, 28.0, 0.8, 831.0, 2.15, 250, 14.9)
    return CaseFile(
        format="gumshoe-case",
        version=1,
        number="26-0001",
        vehicle=VehicleFacts("UY0TN16A9G2000001", "T 1", "Ostrel", "Tern 1.6", 2016, 96_000, "ostrel_tern_16"),
        powertrain=Powertrain(displacement_l=1.598),
        complaint=ComplaintFacts("uneven idle", ("rough_idle", "high_idle"), "steady", "idle", "a week", ""),
        codes=("P0300", StoredCode("P0301", CodeState.PENDING)),
        scans=(Snapshot(datetime(2026, 3, 1, 9, 30, tzinfo=UTC), "11 bit", (module,), ("monitor 3C: silent",)),),
        trims=(trim, replace(trim, region=Region.HIGH_IDLE, total_pct=7.8, rpm=2500.0, maf_gps=7.5)),
        own_codes=(OwnCode("C1A05", "engine control unit A", "invalid"),),
        wiring=(WiringRow("G103", "ground", "ground G103", ("purge_valve", "vent_valve")),),
        events=(EventFacts("air_flow_meter", "plug off", "2026-03-01T10:20:00+00:00", "2026-03-01T10:40:00+00:00"),),
        recordings=(
            RecordingFacts(
                "idle",
                {"rpm": ((1772360000.0, 1772360000.1), (830.0, 828.25)), "stft_b1_pct": ((1772360000.05,), (3.1,))},
                "idle",
                "2026-03-01T10:10:00+00:00",
                "T",
            ),
        ),
        hand_tests=(HandTestFacts((3,), "spark tester", "2026-03-01T10:30:00+00:00", "T"),),
        lines=(
            LineFacts(
                "renew_air_flow_meter",
                "Renew the air-flow meter",
                18,
                Decimal("168.00"),
                Decimal("25.20"),
                "approved",
                "owner",
                "by phone",
                "2026-03-01T10:50:00+00:00",
                "T",
            ),
        ),
        tests=(
            TestFacts("look_hoses", "crankcase", {"found": "crankcase hose split"}, "2026-03-01T10:00:00+00:00", "T"),
        ),
        work=(WorkFacts("renew_air_flow_meter", "2026-03-01T11:00:00+00:00", "T", True),),
        verdict=VerdictFacts("crankcase_hose_split", "hose split", False, "heat"),
        proof=ProofFacts("not yet", ("1 of 2 trips",)),
    )


@tag("long")
class Files(unittest.TestCase):
    def test_a_powertrain_and_four_codes_are_a_case(self) -> None:
        case = minimal("P0171", "P0300", "P0420", "U0100")
        self.assertEqual(len(assess_file(case).read.codes), 4)

    def test_round_trip_loses_nothing(self) -> None:
        case = whole()
        self.assertEqual(read_case(write_case(case)), case)
        self.assertEqual(write_case(read_case(write_case(case))), write_case(case))

    def test_the_shipped_schema_is_the_format(self) -> None:
        shipped = json.loads((Path(casefile.__file__).parent / "schema.json").read_text(encoding="utf-8"))
        self.assertEqual(shipped, json.loads(json.dumps(json_schema())))
        jsonschema.Draft202012Validator.check_schema(shipped)
        jsonschema.validate(json.loads(write_case(whole())), shipped)
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate({"format": "gumshoe-case", "version": 1, "colour": "red"}, shipped)

    def test_bad_files_name_the_place_and_the_reason(self) -> None:
        good = json.loads(write_case(whole()))
        for change, place in (
            ({"version": 2}, "version"),
            ({"colour": "red"}, "colour"),
            ({"codes": ["P9"]}, "codes.0"),
            ({"scans": [{"taken_at": "noon"}]}, "scans.0.taken_at"),
            ({"powertrain": {"cylinders": "many"}}, "powertrain.cylinders"),
            ({"complaint": {"lamp": "green"}}, "complaint.lamp"),
            ({"tests": [{"test": "x"}]}, "tests.0.outcome"),
        ):
            with self.assertRaises(CaseFileError) as caught:
                read_case(json.dumps(good | change))
            self.assertIn(place, caught.exception.what)
            self.assertEqual(caught.exception.kept, "Nothing was imported.")
        for text in ("", "{", "[]", "null", '"x"', write_case(whole())[:-400]):
            with self.assertRaises(CaseFileError):
                read_case(text)

    @settings(max_examples=60, deadline=None)
    @given(
        st.recursive(
            st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8),
            lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=8), inner, max_size=3),
            max_leaves=8,
        )
    )
    def test_any_json_is_read_or_refused_clearly(self, value: object) -> None:
        with self.assertRaises(CaseFileError):
            read_case(json.dumps({"format": "gumshoe-case", "version": 1, "scans": value, "extra": value}))


class Situations(unittest.TestCase):
    """What must come out right in the trade (common practice), on made-up numbers."""

    def roles(self, case: CaseFile) -> dict[str, str]:
        return {row["code"]: row["role"] for row in assess_file(case).document()["codes"]}

    def test_the_document_is_stable(self) -> None:
        document = assess_file(whole()).document()
        self.assertEqual(
            list(document),
            [
                "format",
                "version",
                "powertrain",
                "drive",
                "codes",
                "chase",
                "shared",
                "relations",
                "known_causes",
                "notes",
                "unknown",
                "unread",
                "best",
                "nothing",
                "left_out",
                "suspects",
                "conflict",
                "root_causes",
                "next",
                "next_tests",
                "strategies",
                "unmetered_air_gps",
            ],
        )
        self.assertEqual(document["best"]["suspects"], ["crankcase_hose_split"])
        self.assertAlmostEqual(document["unmetered_air_gps"], 0.6, delta=0.05)
        self.assertNotIn("look_hoses", [row["id"] for row in document["next_tests"]])
        json.dumps(document)

    def test_flashing_lamp_stops_the_car_and_a_heater_code_does_not(self) -> None:
        self.assertTrue(assess_file(minimal("P0302", complaint={"lamp": "flashing"})).advice.stop)
        self.assertFalse(assess_file(minimal("P0030")).advice.stop)
        self.assertFalse(assess_file(minimal("P0455")).advice.stop)

    def test_intake_plug_left_off_and_a_coil_are_two_faults(self) -> None:
        document = assess_file(minimal("P0113", "P0102", "P0352")).document()
        self.assertEqual(set(document["best"]["suspects"]), {"meter_unplugged", "coil_circuit_open_2"})
        self.assertEqual({row["role"] for row in document["codes"] if row["code"] in ("P0102", "P0352")}, {"chase"})

    def test_circuit_before_performance_before_functional(self) -> None:
        chase = assess_file(minimal("P0420", "P0101", "P0118")).document()["chase"]
        self.assertEqual(chase[0], "P0118")

    def test_codes_beyond_the_suspects_are_still_read(self) -> None:
        roles = self.roles(minimal("P0741", "P2453", "P1234"))
        self.assertEqual(roles["P1234"], "unknown")
        self.assertNotIn("unknown", (roles["P0741"], roles["P2453"]))

    def test_many_codes_over_many_modules(self) -> None:
        codes = [
            f"P0{n}" for n in (101, 102, 113, 118, 171, 172, 201, 202, 203, 300, 301, 302, 351, 352, 420, 443, 507)
        ]
        modules = tuple(
            ModuleSnapshot(0x7E8 + i % 8, codes=tuple(StoredCode(c, CodeState.CONFIRMED) for c in codes[i::3]))
            for i in range(12)
        )
        case = CaseFile(format="gumshoe-case", version=1, scans=(Snapshot(datetime.now(UTC), "11 bit", modules),))
        self.assertEqual(len(assess_file(case).read.codes), len(codes))
