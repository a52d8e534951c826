"""Live signals: packing, disturbances, strips, derived channels, tables of other tools.

Invented signals; rules of the trade (common practice, no source) where nothing else is said. Absolute load and
volumetric efficiency: hand-worked after SAE J1979 [S] and the gas law [physics].
"""

import io
import unittest
from random import Random

import numpy as np
import pandas as pd
from hypothesis import given, settings
from hypothesis import strategies as st

from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.obd.dialect import CLASSIC, Dialect
from gumshoe.core.obd.errors import BadAnswer, Refused
from gumshoe.core.obd.identifiers import IdentifierRow, read_answer, request
from gumshoe.core.obd.link import Response
from gumshoe.core.obd.poller import Poller, Sample
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.derived import (
    Deriver,
    absolute_load_pct,
    derived_channels,
    volumetric_efficiency_pct,
    with_derived,
)
from gumshoe.core.signals.disturbances import Kind, disturbances
from gumshoe.core.signals.packing import pack, pack_columns, unpack
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.regions import Region, stretches
from gumshoe.core.signals.strips import MOST_STRIPS, channels_of, every_strip, needed_by, strips_file
from gumshoe.core.signals.tables import read_table, write_long, write_wide
from gumshoe.core.signals.units import converted

V6 = platforms()["ostrel_dunlin_30"].powertrain
TURBO = platforms()["havsel_skua_14"]


class Packing(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(
        st.lists(
            st.tuples(st.sampled_from(["rpm", "maf_gps", "odd"]), st.integers(-(2**33), 2**33), st.integers(0, 59_000)),
            min_size=1,
            max_size=80,
        )
    )
    def test_every_block_comes_back_exactly(self, rows: list[tuple[str, int, int]]) -> None:
        steps = {"rpm": 0.25, "maf_gps": 0.01, "odd": 0.0}
        rows = sorted(rows, key=lambda row: row[2])
        samples = [Sample(1.7e9 + at / 1000.0, key, raw * (steps[key] or 1.0)) for key, raw, at in rows]
        again = unpack(pack(samples, tuple(steps), steps), tuple(steps), steps)
        for key in {row[0] for row in rows}:
            own = [sample for sample in samples if sample.key == key]
            np.testing.assert_allclose(again[key].values, [sample.value for sample in own], rtol=1e-12, atol=1e-9)
            np.testing.assert_allclose(again[key].times, [sample.time for sample in own], atol=6e-4, rtol=0)

    def test_what_is_no_multiple_is_kept_as_it_is(self) -> None:
        values = np.array([0.1, 0.30000001, 1e300, -7.5])
        block = pack_columns({"odd": Channel(np.arange(4.0), values)}, ("odd",), {"odd": 0.25})
        np.testing.assert_array_equal(unpack(block, ("odd",), {"odd": 0.25})["odd"].values, values)

    def test_damage_and_strangers_are_told(self) -> None:
        block = pack([Sample(1.0, "rpm", 800.0)], ("rpm",), {"rpm": 0.25})
        for bad in (b"", b"nonsense", block[:-4], block[:3] + b"\x00" + block[4:]):
            with self.assertRaises(BadInput):
                unpack(bad, ("rpm",), {"rpm": 0.25})
        with self.assertRaisesRegex(BadInput, "no channel “speed_kmh”"):
            pack([Sample(1.0, "speed_kmh", 3.0)], ("rpm",), {})


class Disturbances(unittest.TestCase):
    def signal(self, seed: int, every: float = 0.1, uneven: float = 0.0) -> Channel:
        draw = np.random.default_rng(seed)
        times = np.cumsum(every * (1.0 + uneven * draw.uniform(-0.9, 0.9, 400)))
        return Channel(times, 50.0 + 8.0 * np.sin(times / 3.0) + draw.normal(0.0, 0.4, 400))

    def test_noise_slow_waves_and_steps_are_no_disturbance(self) -> None:
        for seed in range(12):
            for every, uneven in ((0.02, 0.0), (0.1, 0.0), (0.1, 0.8), (0.7, 0.5)):
                channel = self.signal(seed, every, uneven)
                stepped = Channel(channel.times, channel.values + 40.0 * (np.arange(400) > 200))
                for one in (channel, stepped):
                    found = [row for row in disturbances(one) if row.kind is not Kind.GAP]
                    self.assertEqual(found, [], (seed, every, uneven))

    def test_spikes_and_drop_outs_are_found_where_they_are(self) -> None:
        for seed in range(12):
            for every, uneven in ((0.05, 0.0), (0.1, 0.8)):
                channel = self.signal(seed, every, uneven)
                values = channel.values.copy()
                values[100] += 35.0
                values[250:253] = 0.0
                found = disturbances(Channel(channel.times, values))
                kinds = [(row.kind, row.begin) for row in found if row.kind is not Kind.GAP]
                self.assertEqual([kind for kind, _ in kinds], [Kind.SPIKE, Kind.DROP_OUT], (seed, every))
                self.assertAlmostEqual(kinds[0][1], channel.times[100])
                self.assertAlmostEqual(kinds[1][1], channel.times[250])

    def test_the_end_of_the_range_is_a_lost_signal(self) -> None:
        times = np.arange(100) * 0.1
        values = np.full(100, 85.0)
        values[40] = -40.0
        found = disturbances(Channel(times, values), 1.0, (-40.0, 215.0))
        self.assertEqual([row.kind for row in found], [Kind.DROP_OUT])

    def test_one_step_up_and_back_of_a_coarse_channel_is_none(self) -> None:
        told = {item.key: item.step for item in derived_channels(V6)}
        self.assertAlmostEqual(told["total_trim_b1_pct"], 0.78125)
        values = np.full(200, 7.03125)
        values[50:53] += 0.78125
        channel = Channel(np.arange(200) * 0.05, values)
        self.assertEqual(disturbances(channel, told["total_trim_b1_pct"]), [])

    def test_gaps(self) -> None:
        channel = self.signal(1)
        keep = (np.arange(400) < 100) | (np.arange(400) > 160)
        found = [
            row for row in disturbances(Channel(channel.times[keep], channel.values[keep])) if row.kind is Kind.GAP
        ]
        self.assertEqual(len(found), 1)
        self.assertAlmostEqual(found[0].end - found[0].begin, 6.2, delta=0.2)
        self.assertEqual(disturbances(Channel(np.arange(3.0), np.zeros(3))), [])


class Strips(unittest.TestCase):
    def test_banks_and_cylinders_share_their_strips(self) -> None:
        strips = every_strip(V6, channels_of(V6, platforms()["ostrel_dunlin_30"].identifier))
        self.assertEqual(strips["short_trim"].keys, ("stft_b1_pct", "stft_b2_pct"))
        self.assertEqual([item.label for item in strips["short_trim"].series], ["bank 1", "bank 2"])
        self.assertEqual(len(strips["misfires"].keys), 6)
        one = every_strip(TURBO.powertrain, channels_of(TURBO.powertrain, TURBO.identifier))
        self.assertEqual([item.label for item in one["short_trim"].series], [""])
        self.assertEqual(one["cam_intake"].keys, ("cam_intake_cmd_b1_deg", "cam_intake_b1_deg"))
        self.assertEqual(one["cam_intake"].unit, "°")

    def test_every_channel_is_on_a_strip_and_units_agree(self) -> None:
        for platform in platforms().values():
            told = channels_of(platform.powertrain, platform.identifier)
            strips = every_strip(platform.powertrain, told)
            self.assertEqual({key for strip in strips.values() for key in strip.keys}, set(told))
            for strip in strips.values():
                self.assertEqual(len({told[key].unit for key in strip.keys}), 1, strip.id)

    def test_presets_fit_the_page(self) -> None:
        for preset in strips_file().preset:
            self.assertLessEqual(len(preset.strips), MOST_STRIPS)
            self.assertTrue(preset.instead, preset.id)

    def test_what_is_computed_needs_what_it_stands_on(self) -> None:
        self.assertEqual(needed_by(["total_trim_b1_pct", "rpm"], V6), {"stft_b1_pct", "ltft_b1_pct", "rpm"})


class DerivedChannels(unittest.TestCase):
    def test_hand_worked_load_and_filling(self) -> None:
        # 1.6 L at 3000 1/min: 1500 intake strokes of each cylinder a minute fill 40 L a second. At 1.184 g/L that is
        # 47.36 g/s: so much air flow is an absolute load of 100 % (J1979).
        self.assertAlmostEqual(float(absolute_load_pct(47.36, 3000.0, 1.6)), 100.0, places=6)
        # Air of 25 °C and 101.3 kPa has 1.184 g/L by the gas law: filling and absolute load agree there.
        filling = float(volumetric_efficiency_pct(40.0, 3000.0, 25.0, 101.325, 1.6))
        self.assertAlmostEqual(filling, float(absolute_load_pct(40.0, 3000.0, 1.6)), delta=0.05)
        # The same mass of hotter air fills more: 1.184 → 1.011 g/L at 76 °C.
        self.assertAlmostEqual(float(volumetric_efficiency_pct(40.0, 3000.0, 76.0, 101.325, 1.6)), 98.9, delta=0.3)
        self.assertTrue(np.isnan(absolute_load_pct(2.0, 0.0, 1.6)))

    def test_a_round_and_a_recording_give_the_same(self) -> None:
        derived = derived_channels(V6)
        draw = Random(4)
        deriver, live, read = Deriver(derived), list[Sample](), list[Sample]()
        for number in range(50):
            at = 100.0 + 0.1 * number
            told = {"stft_b1_pct": draw.uniform(-5, 5), "rpm": 2000.0 + number, "maf_gps": 20.0 + 0.1 * number}
            if number % 10 == 0:
                told |= {"ltft_b1_pct": draw.uniform(0, 9), "intake_c": 30.0, "baro_kpa": 101.0}
            samples = [Sample(at, key, value) for key, value in told.items()]
            read += samples
            live += [sample for sample in deriver.add(samples) if sample.key not in told]
        made = with_derived(Recording.from_samples(read), derived).channels
        for key in ("total_trim_b1_pct", "ve_pct", "abs_load_air_pct"):
            own = [sample for sample in live if sample.key == key]
            np.testing.assert_allclose(made[key].values, [sample.value for sample in own], rtol=1e-12)
            np.testing.assert_allclose(made[key].times, [sample.time for sample in own])
        self.assertNotIn("boost_error_kpa", made)

    def test_what_is_old_is_not_put_together(self) -> None:
        rows = [Sample(0.0, "stft_b1_pct", 1.0), Sample(20.0, "ltft_b1_pct", 5.0)]
        self.assertNotIn("total_trim_b1_pct", with_derived(Recording.from_samples(rows), derived_channels(V6)).channels)
        deriver = Deriver(derived_channels(V6))
        deriver.add(rows[:1])
        self.assertEqual(deriver.add(rows[1:]), rows[1:])

    def test_regions_along_a_recording(self) -> None:
        times = np.arange(0.0, 60.0, 0.2)
        rpm = np.where(times < 30.0, 780.0, 2500.0)
        channels = {"rpm": Channel(times, rpm), "speed_kmh": Channel(times, np.zeros(300))}
        found = stretches(Recording(channels))
        self.assertEqual([row[2] for row in found], [Region.WARM_IDLE, Region.HIGH_IDLE])
        self.assertAlmostEqual(found[0][1], 30.0, delta=0.6)


class Identifiers(unittest.TestCase):
    ROWS = (IdentifierRow(0x5101, "one", "One", "count", 2), IdentifierRow(0x5202, "two", "Two", "°", 2, 0.1, 0, True))

    def test_request_and_answer(self) -> None:
        self.assertEqual(request(self.ROWS), bytes.fromhex("2251015202"))
        found = read_answer(bytes.fromhex("62510100075202ffec"), self.ROWS)
        self.assertEqual(found["one"], 7.0)
        self.assertAlmostEqual(found["two"], -2.0)
        for bad in ("62510100", "62999900", "6251010007520"):
            with self.assertRaises(BadAnswer):
                read_answer(bytes.fromhex(bad.ljust(len(bad) + len(bad) % 2, "0")), self.ROWS)

    def test_one_that_the_module_refuses_is_not_asked_again(self) -> None:
        asked: list[bytes] = []

        class Fake:
            most_values, longest = 6, 4095

            def dialect(self, _module: int) -> Dialect:
                return CLASSIC

            def ask(self, _module: int, payload: bytes) -> Response:
                asked.append(payload)
                if payload[0] == 0x01:
                    return Response(0x7E8, b"\x41\x00\x00\x10\x00\x00" if payload[1] == 0 else b"\x41\x0c\x0c\x80")
                if payload == bytes.fromhex("225101"):
                    return Response(0x7E8, bytes.fromhex("6251010007"))
                raise Refused(0x22, 0x31, 0x7E8)

        poller = Poller(Fake(), 0, ["rpm", "one", "two"], self.ROWS)  # type: ignore[arg-type]
        first = {sample.key: sample.value for sample in poller.poll()}
        self.assertEqual(first, {"rpm": 800.0, "one": 7.0})
        asked.clear()
        poller.poll()
        self.assertEqual([payload for payload in asked if payload[0] == 0x22], [bytes.fromhex("225101")])
        self.assertEqual(poller.told() & {"rpm", "load_pct", "one"}, {"rpm", "one"})  # type: ignore[operator]

    def test_what_is_wanted_may_change(self) -> None:
        asked: list[bytes] = []

        class Fake:
            most_values, longest = 6, 4095

            def dialect(self, _module: int) -> Dialect:
                return CLASSIC

            def ask(self, _module: int, payload: bytes) -> Response:
                asked.append(payload)
                answers = {0x0C: b"\x41\x0c\x0c\x80", 0x0D: b"\x41\x0d\x32"}
                return Response(0x7E8, b"\x41\x00\x00\x18\x00\x00" if payload[1] == 0 else answers[payload[1]])

        poller = Poller(Fake(), 0, ["rpm"])  # type: ignore[arg-type]
        poller.poll()
        poller.want(["speed_kmh"])
        self.assertEqual([sample.key for sample in poller.poll()], ["speed_kmh"])
        self.assertEqual(asked[-1], b"\x01\x0d")


class Tables(unittest.TestCase):
    KNOWN = channels_of(V6)

    def read(self, text: str):  # type: ignore[no-untyped-def]
        return read_table(text.encode(), self.KNOWN)

    def test_wide_with_units_and_uneven_times(self) -> None:
        found = self.read(
            "time [ms],rpm [1/min],Coolant temperature [°F],my own [V]\n0,800,194,1.5\n130,810,,1.6\n999,,212,\n"
        )
        channels = found.recording.channels
        np.testing.assert_allclose(channels["rpm"].times, [0.0, 0.13])
        np.testing.assert_allclose(channels["coolant_c"].values, [90.0, 100.0])
        self.assertIn("my own", channels)
        self.assertIn("brought from °F into °C", " ".join(found.notes))

    def test_decimal_commas_semicolons_and_a_row_of_units(self) -> None:
        found = self.read("# a remark\nTime;Engine speed;Vehicle speed\ns;1/min;mph\n0,0;800,25;10,0\n0,5;801,5;20,0\n")
        np.testing.assert_allclose(found.recording.channels["rpm"].values, [800.25, 801.5])
        np.testing.assert_allclose(found.recording.channels["speed_kmh"].values, [16.09344, 32.18688])

    def test_long_with_dates(self) -> None:
        text = "timestamp,channel,value,unit\n" + "".join(
            f"2026-03-01T08:15:{n:02d}.250,{key},{n},{unit}\n"
            for n in range(3)
            for key, unit in (("rpm", "rpm"), ("x", ""))
        )
        found = self.read(text)
        self.assertEqual(set(found.recording.channels), {"rpm", "x"})
        self.assertAlmostEqual(float(np.diff(found.recording.channels["rpm"].times)[0]), 1.0)
        self.assertGreater(float(found.recording.channels["x"].times[0]), 1.7e9)

    def test_both_ways(self) -> None:
        draw = np.random.default_rng(2)
        rows = {
            key: Channel(np.cumsum(draw.uniform(0.05, 0.3, 200)), draw.normal(50.0, 9.0, 200))
            for key in ("rpm", "maf_gps", "stranger")
        }
        units = {key: told.unit for key, told in self.KNOWN.items()}
        for write in (write_wide, write_long):
            again = read_table(write(Recording(rows), units).encode(), self.KNOWN).recording
            for key, channel in rows.items():
                np.testing.assert_allclose(again.channels[key].values, channel.values, rtol=1e-9)
                np.testing.assert_allclose(again.channels[key].times, channel.times, rtol=1e-9)

    def test_names_are_no_formulas_in_a_spreadsheet(self) -> None:
        text = write_wide(Recording({"=1+1": Channel(np.arange(2.0), np.arange(2.0))}), {})
        self.assertIn("'=1+1", text.splitlines()[0])

    def test_times_out_of_order_are_put_right_and_told(self) -> None:
        found = self.read("time,rpm\n3,30\n1,10\n2,20\n")
        np.testing.assert_allclose(found.recording.channels["rpm"].values, [10.0, 20.0, 30.0])
        self.assertIn("do not always rise", " ".join(found.notes))

    def test_what_cannot_be_is_refused_with_the_reason(self) -> None:
        for data, words in (
            (b"", "empty"),
            (b"\x7fELF\x00\x00\x01" + bytes(200), "no text file"),
            (b"just words\nand more\n", "No columns"),
            (b"a,b\n1,2\n", "no column of time"),
            (b"time,rpm\n", "no values"),
            (b"time,rpm\nx,y\nz,w\n", "could not be read"),
            (b"time,rpm\n1,=CMD()\n2,oops\n", "no numbers"),
            (("time," + ",".join(f"c{n}" for n in range(3000)) + "\n" + "1," * 3000 + "1\n").encode(), "3001 columns"),
            (b"time,rpm" + b"x" * 300_000 + b"\n1,2\n", "longer than"),
            (b"time,rpm\n1,2\n1,2,3,4\n", "could not be read"),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                read_table(data, self.KNOWN)

    def test_cells_that_are_no_numbers_are_counted(self) -> None:
        found = self.read("time,rpm\n1,800\n2,=1+1\n3,802\n")
        self.assertEqual(found.recording.channels["rpm"].values.tolist(), [800.0, 802.0])
        self.assertIn("1 cell was no number", " ".join(found.notes))

    def test_a_unit_that_measures_something_else_keeps_its_own_name(self) -> None:
        found = self.read("time,rpm [kPa]\n1,800\n2,801\n")
        self.assertIn("rpm [kPa]", found.recording.channels)
        self.assertIsNone(converted(np.ones(1), "kPa", "°C"))

    def test_as_pandas_reads_it(self) -> None:
        draw = np.random.default_rng(5)
        table = pd.DataFrame({"time": np.arange(500) * 0.1, "rpm": draw.normal(2000.0, 50.0, 500)})
        out = io.StringIO()
        table.to_csv(out, index=False)
        found = read_table(out.getvalue().encode(), self.KNOWN).recording.channels["rpm"]
        np.testing.assert_allclose(found.values, pd.read_csv(io.StringIO(out.getvalue()))["rpm"])


class GenericCar(unittest.TestCase):
    def test_a_powertrain_nothing_is_known_of_has_its_channels(self) -> None:
        strips = every_strip(Powertrain(), channels_of(Powertrain()))
        self.assertIn("total_trim", strips)
        self.assertNotIn("misfires", strips)
