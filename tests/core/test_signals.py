"""Trims, regions and bands on made signals, with the mass balance worked by hand."""

import unittest
from random import Random

import numpy as np

from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.obd.poller import Sample
from gumshoe.core.obd.snapshot import FreezeFrame
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.bands import expected
from gumshoe.core.signals.derived import Deriver, derived_channels
from gumshoe.core.signals.frame_reading import read_frame
from gumshoe.core.signals.recording import Recording
from gumshoe.core.signals.regions import Region, classify
from gumshoe.core.signals.trims import RegionTrim, fit_leak, read_pattern, trims_by_region


def region_trim(total: float, flow: float, region: Region = Region.WARM_IDLE) -> RegionTrim:
    return RegionTrim(region, 0.0, total, total, 0.5, 800.0, flow, 100, 20.0)


def samples(leak: float, error: float, *, gaps: bool = False, seed: int = 1) -> list[Sample]:
    """Twenty seconds of idle and of 2500 rpm as the mass balance gives them: 1 + trim = (m + L) / (m (1 − e))."""
    draw = Random(seed)
    rows = []
    for start, rpm, flow in ((0.0, 800.0, 2.2), (30.0, 2500.0, 7.6)):
        read = flow * (1.0 - error)
        trim = ((flow + leak) / read - 1.0) * 100.0
        moment = start
        while moment < start + 20.0:
            moment += draw.uniform(0.04, 0.2)
            if gaps and draw.random() < 0.3:
                continue
            for key, value in (
                ("rpm", rpm + draw.gauss(0, 8)),
                ("maf_gps", read * (1 + draw.gauss(0, 0.01))),
                ("speed_kmh", 0.0),
                ("coolant_c", 88.0),
                ("load_pct", 22.0),
                ("ltft_b1_pct", trim - 2.0),
                ("stft_b1_pct", 2.0 + draw.gauss(0, 1.0)),
            ):
                rows.append(Sample(moment + draw.uniform(0, 0.02), key, value))
    return rows


class Trims(unittest.TestCase):
    def test_leak_and_gain_are_recovered(self) -> None:
        for leak, error, gaps in ((0.6, 0.0, False), (0.0, 0.12, True), (0.4, 0.05, True)):
            found = fit_leak(trims_by_region(Recording.from_samples(samples(leak, error, gaps=gaps))))
            assert found is not None
            # L/(1−e) is what the slope against the *read* flow holds: slope·(1/m_read), m_read = m(1−e).
            self.assertAlmostEqual(found.leak_gps, leak, delta=0.05)
            self.assertAlmostEqual(found.flow_error_pct, (1.0 / (1.0 - error) - 1.0) * 100.0, delta=1.2)

    def test_one_region_or_equal_flows_give_no_line(self) -> None:
        self.assertIsNone(fit_leak([region_trim(20.0, 2.2)]))
        self.assertIsNone(fit_leak([region_trim(20.0, 2.2), region_trim(18.0, 2.5)]))

    def test_order_and_repetition_of_samples_do_not_matter(self) -> None:
        rows = samples(0.6, 0.0)
        first = trims_by_region(Recording.from_samples(rows))
        Random(2).shuffle(rows)
        again = trims_by_region(Recording.from_samples(rows))
        self.assertEqual([t.region for t in first], [t.region for t in again])
        self.assertAlmostEqual(first[0].total_pct, again[0].total_pct, places=9)

    def test_missing_channel_is_named(self) -> None:
        rows = [sample for sample in samples(0.6, 0.0) if sample.key != "ltft_b1_pct"]
        with self.assertRaisesRegex(KeyError, "ltft_b1_pct"):
            trims_by_region(Recording.from_samples(rows))

    def test_patterns_of_the_trade(self) -> None:
        # Common practice: lean at idle only = leak; lean with flow = meter or fuel; lean everywhere = gain; and so on.
        for idle, fast, words in (
            (28, 7, "Air leaks in after"),
            (2, 16, "meter reads low, or the fuel supply"),
            (25, 24, "upstream sensor"),
            (-20, -4, "purge valve"),
            (-20, -20, "Fuel pressure too high"),
            (1, 2, "needs no correction"),
        ):
            pattern = read_pattern(region_trim(idle, 2.2), region_trim(fast, 7.5, Region.HIGH_IDLE))
            self.assertIn(words, pattern.meaning, (idle, fast))
        self.assertEqual(read_pattern(None, region_trim(7, 7.5)).title, "Not enough yet")

    def test_total_is_the_sum_of_short_and_long(self) -> None:
        deriver = Deriver(derived_channels(Powertrain()))
        rows = deriver.add([Sample(1.0, "stft_b1_pct", 3.0), Sample(1.1, "ltft_b1_pct", 20.0)])
        self.assertEqual(rows[-1], Sample(1.1, "total_trim_b1_pct", 23.0))


class Regions(unittest.TestCase):
    def test_regions(self) -> None:
        for values, region in (
            ({"rpm": 0}, Region.OFF),
            ({"rpm": 220}, Region.CRANKING),
            ({"rpm": 780, "coolant_c": 88}, Region.WARM_IDLE),
            ({"rpm": 1150, "coolant_c": 20}, Region.COLD_IDLE),
            ({"rpm": 2480, "coolant_c": 88}, Region.HIGH_IDLE),
            ({"rpm": 2100, "speed_kmh": 70, "load_pct": 45}, Region.CRUISE),
            ({"rpm": 2100, "speed_kmh": 70, "load_pct": 90}, Region.LOAD),
            ({"rpm": 2100, "speed_kmh": 70, "load_pct": 5}, Region.COAST),
        ):
            self.assertIs(classify({key: float(value) for key, value in values.items()}), region)

    def test_bands_prefer_the_vehicle_then_the_region(self) -> None:
        rows = expand(Powertrain()).bands
        spec = Specification(idle_rpm=760, idle_tolerance_rpm=40)
        idle = expected("rpm", Region.WARM_IDLE, rows, spec, 1.6)
        assert idle
        self.assertEqual((idle.low, idle.high, idle.source), (720.0, 800.0, "vehicle specification"))
        flow = expected("maf_gps", Region.WARM_IDLE, rows, spec, 2.0)
        assert flow
        self.assertEqual([flow.judge(value) for value in (4.0, 0.5, 9.0)], ["in band", "below", "above"])
        self.assertTrue(flow.holds(4.0))  # 2.0 g/s per litre: a common figure for warm idle
        self.assertIsNone(expected("rpm", Region.CRUISE, rows, spec, 1.6))
        second = expected("total_trim_b2_pct", Region.WARM_IDLE, rows, spec, 1.6)
        self.assertEqual(second, expected("total_trim_b1_pct", Region.WARM_IDLE, rows, spec, 1.6))
        self.assertIsNotNone(second)
        self.assertIsNone(expected("stft_b1_pct", Region.OFF, rows, spec, 1.6))


class Frames(unittest.TestCase):
    def test_frame_in_words(self) -> None:
        reading = read_frame(
            FreezeFrame(
                "P0171",
                {
                    "rpm": 827.0,
                    "load_pct": 20.0,
                    "coolant_c": 89.0,
                    "speed_kmh": 0.0,
                    "stft_b1_pct": 3.0,
                    "ltft_b1_pct": 24.0,
                    "run_time_s": 114.0,
                    "module_v": 14.1,
                },
            )
        )
        self.assertIs(reading.region, Region.WARM_IDLE)
        self.assertIn("1:54 after starting", reading.where)
        self.assertTrue(any("+27.0 %" in remark for remark in reading.remarks))
        self.assertTrue(any("unlikely here" in words for words in reading.excludes))

    def test_every_region_says_what_it_excludes(self) -> None:
        seen = {}
        for rpm, speed, load, coolant in (
            (0, 0, 0, 20),
            (220, 0, 30, 20),
            (900, 0, 25, 20),
            (800, 0, 20, 90),
            (2500, 0, 22, 90),
            (1800, 40, 40, 30),
            (1900, 60, 8, 90),
            (2000, 80, 35, 90),
            (3000, 60, 85, 90),
        ):
            values = {"rpm": rpm, "speed_kmh": speed, "load_pct": load, "coolant_c": coolant}
            reading = read_frame(FreezeFrame("P0171", values))
            seen[reading.region] = reading.excludes
        self.assertEqual(set(seen), set(Region))
        self.assertTrue(all(seen.values()))

    def test_banks_cold_start_load_and_open_sensor_stand_out(self) -> None:
        base = {
            "rpm": 900.0,
            "speed_kmh": 0.0,
            "load_pct": 52.0,
            "coolant_c": 14.0,
            "intake_c": 12.0,
            "run_time_s": 20.0,
        }
        trims = {"stft_b1_pct": 1.0, "ltft_b1_pct": 2.0, "stft_b2_pct": 6.0, "ltft_b2_pct": 16.0}
        reading = read_frame(FreezeFrame("P0174", base | trims))
        self.assertTrue(reading.where.startswith("cold start"))
        words = " ".join(reading.remarks)
        for part in ("Total trim of bank 2 +22.0 %", "The banks differ", "Load 52 % at idle"):
            self.assertIn(part, words)
        opened = read_frame(FreezeFrame("P0118", base | {"coolant_c": -40.0}))
        self.assertTrue(any("open sensor circuit" in remark for remark in opened.remarks))

    def test_cold_after_long_running_and_low_voltage_stand_out(self) -> None:
        reading = read_frame(
            FreezeFrame(
                "P0128",
                {
                    "rpm": 2100.0,
                    "speed_kmh": 80.0,
                    "load_pct": 40.0,
                    "coolant_c": 55.0,
                    "run_time_s": 1500.0,
                    "module_v": 12.1,
                },
            )
        )
        self.assertTrue(any("thermostat" in remark for remark in reading.remarks))
        self.assertTrue(any("charging first" in remark for remark in reading.remarks))


class Holding(unittest.TestCase):
    def test_sample_and_hold(self) -> None:
        channel = Recording.from_samples([Sample(1.0, "a", 5.0), Sample(2.0, "a", 7.0)]).channels["a"]
        values = channel.at(np.array([0.5, 1.0, 1.9, 2.0, 9.0]))
        self.assertTrue(np.isnan(values[0]))
        self.assertEqual(list(values[1:]), [5.0, 5.0, 7.0, 7.0])
