"""Scope traces against scipy.signal (an independent library) on synthetic pulses; drop-outs; CSV; responses."""

import unittest

import numpy as np
from scipy import signal

from gumshoe.core.errors import BadInput
from gumshoe.core.signals.response import Follows, judge
from gumshoe.core.signals.scope import Trace, drop_outs, measure, read_csv, write_csv


def pulses(hz: float, duty: float, low: float = 0.2, high: float = 12.4, noise: float = 0.05, seed: int = 1) -> Trace:
    times = np.arange(0.0, 0.5, 2e-5)
    shape = 0.5 * (signal.square(2.0 * np.pi * hz * times, duty=duty) + 1.0)
    noisy = np.random.default_rng(seed).normal(0.0, noise, len(times))
    return Trace("command", times, low + (high - low) * shape + noisy)


class Pulses(unittest.TestCase):
    def test_duty_frequency_and_levels_as_scipy_made_them(self) -> None:
        for hz, duty in ((10.0, 0.5), (140.0, 0.05), (140.0, 0.95), (250.0, 0.33), (1000.0, 0.8)):
            found = measure(pulses(hz, duty))
            with self.subTest(hz=hz, duty=duty):
                assert found.frequency and found.duty_high and found.duty_low
                self.assertAlmostEqual(found.frequency / hz, 1.0, places=2)
                self.assertAlmostEqual(found.duty_high, duty, delta=0.02)
                self.assertAlmostEqual(found.duty_low + found.duty_high, 1.0)
                self.assertAlmostEqual(found.low, 0.2, delta=0.05)
                self.assertAlmostEqual(found.high, 12.4, delta=0.05)
                self.assertAlmostEqual(found.mean, 0.2 + 12.2 * duty, delta=0.3)

    def test_the_same_frequency_as_a_periodogram(self) -> None:
        trace = pulses(137.0, 0.4)
        hz, power = signal.periodogram(trace.values, 1.0 / 2e-5)
        found = measure(trace).frequency
        assert found
        self.assertAlmostEqual(found, float(hz[1:][np.argmax(power[1:])]), delta=2.5)

    def test_noise_makes_no_edges(self) -> None:
        found = measure(pulses(50.0, 0.5, noise=0.6))
        self.assertEqual(len(found.ups) + len(found.downs), 49)  # 25 periods: scipy's begins high, after its first rise
        steady = measure(Trace("feed", np.arange(0, 1, 1e-3), np.random.default_rng(2).normal(12.5, 0.02, 1000)))
        self.assertIsNone(steady.frequency)

    def test_uneven_samples_and_a_slow_edge(self) -> None:
        trace = pulses(20.0, 0.5, noise=0.0)
        keep = np.sort(np.random.default_rng(3).choice(len(trace.times), 6000, replace=False))
        found = measure(Trace("c", trace.times[keep], trace.values[keep]))
        assert found.frequency
        self.assertAlmostEqual(found.frequency, 20.0, delta=0.1)
        times = np.arange(0.0, 0.2, 1e-4)
        ramp = np.clip((signal.sawtooth(2 * np.pi * 10 * times, 0.5) + 0.5), 0.0, 1.0) * 5.0
        slow = measure(Trace("c", times, ramp))
        assert slow.rise_s
        self.assertAlmostEqual(slow.rise_s, 0.8 * 0.025, delta=0.003)  # 10 to 90 % of a quarter period's ramp

    def test_too_short(self) -> None:
        with self.assertRaises(BadInput):
            measure(Trace("c", np.arange(3.0), np.arange(3.0)))


class Wiggle(unittest.TestCase):
    def test_a_plug_half_seated_is_found_by_moving_it(self) -> None:
        """Feed at the coil, recorded while the harness is moved: gone for some milliseconds, several times."""
        times = np.arange(0.0, 20.0, 1e-3)
        values = np.random.default_rng(5).normal(12.4, 0.03, len(times))
        for start in (8.0, 8.35, 9.1):
            values[(times >= start) & (times < start + 0.012)] = 0.3
        found = drop_outs(Trace("feed", times, values))
        self.assertEqual([round(item.start, 2) for item in found], [8.0, 8.35, 9.1])
        self.assertAlmostEqual(found[0].end - found[0].start, 0.012, delta=0.002)
        self.assertLess(found[0].deepest, 1.0)

    def test_a_firm_one_shows_none(self) -> None:
        for seed in range(20):
            values = np.random.default_rng(seed).normal(12.4, 0.03, 20_000)
            self.assertEqual(drop_outs(Trace("feed", np.arange(20_000) * 1e-3, values)), ())

    def test_gappy_and_slow(self) -> None:
        times = np.arange(0.0, 20.0, 0.1)
        values = np.full(len(times), 5.0)
        values[[40, 41, 90]] = 0.0
        self.assertEqual(len(drop_outs(Trace("reference", times, values))), 2)
        self.assertEqual(len(drop_outs(Trace("reference", times, values), least_s=0.15)), 1)


class Files(unittest.TestCase):
    def test_round_trip(self) -> None:
        trace = pulses(100.0, 0.3)
        (back,) = read_csv(write_csv((trace,)).encode())
        np.testing.assert_allclose(back.values, trace.values, rtol=1e-8)
        self.assertEqual((back.name, back.unit), ("command", "V"))

    def test_units_semicolons_and_decimal_commas(self) -> None:
        a, b = read_csv(b"Zeit (ms);Kanal A [mV];Strom (A)\n0,0;100,0;1,5\n0,5;12400,5;1,6\n1,0;99;1,5\n")
        np.testing.assert_allclose(a.times, [0.0, 0.0005, 0.001])
        np.testing.assert_allclose(a.values, [0.1, 12.4005, 0.099])
        self.assertEqual((a.name, a.unit, b.unit), ("Kanal A", "V", "A"))

    def test_what_is_wrong_is_said_with_its_line(self) -> None:
        for data, words in (
            (b"", "no trace"),
            (b"time\n1\n2\n3\n", "1 columns"),
            (b"t,a\n0,1\n1,x\n2,3\n", "Line 3"),
            (b"t,a\n0,1\n1\n2,3\n", "Line 3: 1 columns"),
            (b"t,a\n0,1\n2,1\n1,3\n", "Line 4: the time does not rise"),
            (b"t [fortnights],a\n0,1\n1,1\n2,3\n", "fortnights"),
            (("t," + ",".join("abcdefghijklmnopqrst") + "\n" + "0\n" * 3).encode(), "21 columns"),
        ):
            with self.subTest(words), self.assertRaisesRegex(BadInput, words):
                read_csv(data)


class Responses(unittest.TestCase):
    times = np.arange(0.0, 18.0, 0.1)
    command = np.repeat([0.0, 20.0, 40.0, 80.0, 40.0, 0.0], 30)

    def test_follows_late_short_or_stuck(self) -> None:
        noise = np.random.default_rng(4).normal(0.0, 0.6, len(self.times))
        late = np.interp(self.times - 1.6, self.times, self.command)
        for feedback, verdict in (
            (self.command + noise, Follows.FOLLOWS),
            (late + noise, Follows.LAGS),
            (np.minimum(self.command, 35.0) + noise, Follows.SHORT),
            (50.0 + noise, Follows.STUCK),
        ):
            self.assertIs(judge(self.times, self.command, feedback).verdict, verdict)

    def test_lag_and_gain_are_measured(self) -> None:
        found = judge(
            self.times, self.command, 0.5 * np.interp(self.times - 0.4, self.times, self.command), expected=0.5
        )
        self.assertAlmostEqual(found.lag_s, 0.4, delta=0.11)
        self.assertAlmostEqual(found.gain, 0.5, delta=0.02)

    def test_a_command_that_never_moved(self) -> None:
        with self.assertRaises(BadInput):
            judge(self.times, np.zeros(len(self.times)), self.command)
