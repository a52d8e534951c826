"""What recordings show: rules tried on stand-in cars driven with and without a defect, and on signals of our own that
are noisy, gappy, slow and unevenly sampled.

The stand-ins know nothing of the rules. Limits of the rules: common practice, no source. The pressure fit is checked
against numbers of our own, misfire per cent against its definition (13 CCR 1968.2 [S]).
"""

import unittest
from collections.abc import Callable
from functools import cache

import numpy as np
from django.test import tag

from gumshoe.core.clues import OnRecord, extract
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.powertrain.description import Aftertreatment, Powertrain
from gumshoe.core.signals.comparing import compare
from gumshoe.core.signals.derived import derived_channels, with_derived
from gumshoe.core.signals.detectors import Context, Finding, Grid, Judged, judge_recording
from gumshoe.core.signals.detectors import engine as engine_rules
from gumshoe.core.signals.detectors.air import filling, idle
from gumshoe.core.signals.detectors.exhaust import fit_pressure, particulate_filter, regeneration_history, switches
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.regions import Region
from gumshoe.core.signals.response import Follows, best_lag, judge
from gumshoe.core.suspects import assess
from gumshoe.simulator.drive_log import log_drive
from gumshoe.simulator.drives import STOP, Segment, cruise, start
from gumshoe.simulator.models import models
from gumshoe.simulator.vehicle import Identity, Vehicle

PLATFORM = {"tern_16": "ostrel_tern_16", "dunlin_30": "ostrel_dunlin_30", "skua_14": "havsel_skua_14"}
DIESEL = platforms()["ostrel_fulmar_20"]
ROAD = (*start(60.0), *cruise(3.0, 90.0), Segment("harder", 15.0, kmh=118.0), Segment("kerb", 45.0), *STOP)
COLD = (*start(30.0), *cruise(15.0, 90.0), *STOP)
GENERIC = Context(Powertrain())


@cache
def driven(model: str, defects: tuple[str, ...] = (), cold: bool = False, lag_s: float = 0.0) -> Recording:
    """A drive of a stand-in, as its control unit tells it."""
    car = Vehicle(
        Identity("UY0TN16A9G2000001", "C", 1),
        models()[model],
        defects=defects,
        seed=3,
        coolant_c=None if cold else 84.0,
    )
    if lag_s:
        car.parts.lambda_lag_s = [lag_s] * len(car.parts.lambda_lag_s)
    rows = log_drive(car, COLD if cold else ROAD)
    recording = Recording({key: Channel(times, values) for key, (times, values) in rows.items()})
    return with_derived(recording, derived_channels(platforms()[PLATFORM[model]].powertrain))


def judged(model: str, recording: Recording) -> Judged:
    platform = platforms()[PLATFORM[model]]
    return judge_recording(recording, Context(platform.powertrain, platform.specification))


def changed(
    recording: Recording, change: Callable[[np.random.Generator, Channel], Channel], seed: int = 1
) -> Recording:
    draw = np.random.default_rng(seed)
    return Recording({key: change(draw, channel) for key, channel in recording.channels.items()})


def gappy(draw: np.random.Generator, channel: Channel) -> Channel:
    """Three stretches of some seconds lost, and one sample in ten."""
    keep = draw.uniform(size=channel.times.size) > 0.1
    for _ in range(3):
        at = draw.uniform(channel.times[0], channel.times[-1])
        keep &= (channel.times < at) | (channel.times > at + 4.0)
    return Channel(channel.times[keep], channel.values[keep])


def uneven(draw: np.random.Generator, channel: Channel) -> Channel:
    """Samples at random, about five a second."""
    keep = draw.uniform(size=channel.times.size) < 0.5
    return Channel(channel.times[keep], channel.values[keep])


def noisy(draw: np.random.Generator, channel: Channel) -> Channel:
    """Noise of a hundredth of the signal's spread."""
    spread = float(np.std(channel.values))
    return Channel(channel.times, channel.values + draw.normal(0.0, 0.01 * spread + 1e-12, channel.values.size))


def slow(_draw: np.random.Generator, channel: Channel) -> Channel:
    """One sample a second."""
    return Channel(channel.times[::10], channel.values[::10])


WAYS = {"as told": lambda _draw, channel: channel, "gappy": gappy, "uneven": uneven, "noisy": noisy, "slow": slow}


def bad(found: Judged) -> set[str]:
    return {row.rule for row in found.findings if not row.good}


@tag("long")
class StandIns(unittest.TestCase):
    def test_sound_cars_are_acquitted_however_they_are_sampled(self) -> None:
        for model in PLATFORM:
            for name, way in WAYS.items():
                found = judged(model, changed(driven(model), way))
                with self.subTest(model, way=name):
                    self.assertEqual(bad(found), set(), [row.words for row in found.findings])
                    self.assertEqual(found.missing, ())
                    told = {row.rule for row in found.findings}
                    often = {"misfires", "charging"} | ({"idle"} if name != "gappy" else set())
                    self.assertLessEqual(often, told)
                    # What comes too seldom does not show switching, or a lag: those rules keep silent then.
                    seen = {"slow": set(), "uneven": {"catalyst"}}.get(name, {"catalyst", "upstream"})
                    if name == "gappy":  # what is left may be too short
                        self.assertLessEqual(told & {"catalyst", "upstream"}, seen)
                    else:
                        self.assertEqual(told & {"catalyst", "upstream"}, seen)

    def test_each_defect_shows_and_nothing_else(self) -> None:
        for model, defect, rule, outcome in (
            ("tern_16", "catalyst-worn", "catalyst", ("catalyst_switching", "bad")),
            ("dunlin_30", "catalyst-worn-b2", "catalyst", ("catalyst_switching", "bad")),
            ("skua_14", "gate-stuck", "boost", ("boost_watch", "short")),
            ("skua_14", "phaser-stuck", "cams", ("cam_command", "one")),
            ("dunlin_30", "coil-3-weak", "misfires", ("", "")),
        ):
            for name, way in WAYS.items():
                found = judged(model, changed(driven(model, (defect,)), way))
                with self.subTest(defect, way=name):
                    if name == "slow" and rule == "catalyst":
                        self.assertEqual(bad(found), set())
                        continue
                    self.assertEqual(bad(found), {rule}, [row.words for row in found.findings])
                    row = next(row for row in found.findings if row.rule == rule)
                    self.assertEqual((row.test, row.outcome), outcome)
                    self.assertLess(row.begin, row.end)

    def test_which_cylinder_and_which_bank(self) -> None:
        words = [row.words for row in judged("dunlin_30", driven("dunlin_30", ("coil-3-weak",))).findings]
        self.assertTrue(any("Cylinder 3 misfires" in text for text in words), words)
        words = [row.words for row in judged("dunlin_30", driven("dunlin_30", ("catalyst-worn-b2",))).findings]
        self.assertTrue(any("Catalyst, bank 2" in text for text in words), words)

    def test_misfires_of_a_recording_are_a_clue_where_the_scan_has_none(self) -> None:
        known = expand(platforms()["ostrel_dunlin_30"].powertrain)
        found = judged("dunlin_30", driven("dunlin_30", ("coil-3-weak",)))
        (row,) = (row for row in found.findings if row.rule == "misfires")
        self.assertEqual(row.cylinders, (3,))
        case = OnRecord(misfires=((row.cylinders, "drive", "1"),))
        (clue,) = (clue for clue in extract(case, known) if clue.variable == "misfire")
        self.assertEqual((clue.value, clue.source), ("cylinder 3", "drive"))
        top = assess(known, extract(case, known)).suspects[:3]
        self.assertTrue(all(item.id.endswith("_3") for item in top), [item.id for item in top])
        clean = OnRecord(misfires=(((), "drive", "1"),))
        (clue,) = (clue for clue in extract(clean, known) if clue.variable == "misfire")
        self.assertEqual((clue.value, clue.weight), ("none", 0.4))

    def test_a_lazy_sensor(self) -> None:
        found = judged("tern_16", driven("tern_16", lag_s=1.5))
        self.assertEqual(bad(found), {"upstream"})

        row = next(row for row in found.findings if row.rule == "upstream")
        self.assertEqual((row.test, row.outcome), ("upstream_response", "slow"))

    def test_a_diesel_and_what_only_it_has(self) -> None:
        for defect, rule, outcome in (
            ("", "", ""),
            ("injector-2-clogged", "balance", "one"),
            ("boost-hose-off", "boost", "short"),
            ("filter-full-of-ash", "filter", "bad"),
        ):
            car = Vehicle(
                Identity("UY0FM20A3K2000731", "D", 1),
                models()["fulmar_20"],
                defects=(defect,) if defect else (),
                seed=3,
                coolant_c=84.0,
            )
            plan = (*start(70.0), Segment("hold", 40.0, rpm=2500.0), Segment("hill", 60.0, kmh=95.0, grade=0.05), *STOP)
            rows = log_drive(car, plan)
            recording = Recording({key: Channel(times, values) for key, (times, values) in rows.items()})
            whole = with_derived(recording, derived_channels(DIESEL.powertrain))
            for name, way in WAYS.items():
                found = judge_recording(changed(whole, way), Context(DIESEL.powertrain, DIESEL.specification))
                words = [row.words for row in found.findings]
                with self.subTest(defect, way=name):
                    if not defect:
                        self.assertEqual(bad(found), set(), words)
                        self.assertLessEqual({"balance", "boost", "filter"}, {row.rule for row in found.findings})
                    else:
                        self.assertIn(rule, bad(found), words)
                        told = next(row for row in found.findings if row.rule == rule and not row.good)
                        self.assertEqual(told.outcome, outcome, words)

    def test_cold_start_thermostat_and_rest(self) -> None:
        sound = judged("tern_16", driven("tern_16", cold=True))
        self.assertEqual(bad(sound), set())
        told = {row.test: row.outcome for row in sound.findings if row.test}
        self.assertEqual((told["warm_up_curve"], told["cold_soak"]), ("good", "good"))
        stuck = judged("tern_16", driven("tern_16", ("thermostat-open",), cold=True))
        self.assertEqual(bad(stuck), {"warm_up"})

    def test_what_was_not_recorded_names_the_test_by_hand(self) -> None:
        whole = driven("skua_14")
        less = Recording({key: c for key, c in whole.channels.items() if not key.startswith(("cam_", "o2_"))})
        missing = {row.rule: row for row in judged("skua_14", less).missing}
        self.assertEqual(missing["cams"].instead, "cam_command")
        self.assertEqual(missing["catalyst"].keys, ("o2_b1s2_v",))
        self.assertEqual(judge_recording(Recording(), GENERIC).findings, ())


class BesideAGoodCar(unittest.TestCase):
    def test_a_good_car_beside_itself_and_a_faulty_one_beside_it(self) -> None:
        good = driven("tern_16")
        self.assertEqual([row for row in compare(changed(good, uneven, 2), good) if row.differs], [])
        low = {(row.key, row.region): row for row in compare(driven("tern_16", ("meter-low",)), good) if row.differs}
        self.assertTrue(any(key.startswith("ltft") or key == "maf_gps" for key, _ in low), list(low))
        for row in low.values():
            self.assertGreater(abs(row.here - row.good), 3.0 * row.spread)

    def test_only_regions_that_both_were_in(self) -> None:
        idle_only = Recording(
            {k: Channel(c.times[:500], c.values[:500]) for k, c in driven("tern_16").channels.items()}
        )
        regions = {row.region for row in compare(idle_only, driven("tern_16"))}
        self.assertEqual(regions, {Region.WARM_IDLE})
        self.assertEqual(compare(Recording(), driven("tern_16")), [])


class Signals(unittest.TestCase):
    """Signals of our own where no stand-in has the part or the fault."""

    TIMES = np.arange(0.0, 120.0, 0.1)

    def on(self, **columns: object) -> Grid:
        told = {}
        for key, value in columns.items():
            told[key] = Channel(self.TIMES, np.broadcast_to(np.asarray(value, float), self.TIMES.shape).copy())
        return Grid(Recording(told))

    def only(self, found: list[Finding]) -> Finding:
        self.assertEqual(len(found), 1, [row.words for row in found])
        return found[0]

    def test_switches_do_not_count_drift_or_noise(self) -> None:
        draw = np.random.default_rng(3)
        square = 0.1 * np.sign(np.sin(2 * np.pi * 0.5 * self.TIMES))
        drift = 0.4 * np.sin(self.TIMES / 25.0)
        count = switches(square + drift + draw.normal(0, 0.01, 1200), 0.1, 0.05)
        self.assertAlmostEqual(count, 119, delta=3)  # two a period of 2 s
        self.assertEqual(switches(drift + draw.normal(0, 0.003, 1200), 0.1, 0.05), 0)

    def test_lag_and_gain(self) -> None:
        square = np.sign(np.sin(2 * np.pi * 0.1 * self.TIMES))
        for lag, gain in ((0.0, 1.0), (0.7, 0.6), (2.0, 1.1)):
            late = gain * np.interp(self.TIMES - lag, self.TIMES, square, left=square[0])
            found = best_lag(self.TIMES, square, late)
            self.assertAlmostEqual(found[0], lag, delta=0.11)
            self.assertAlmostEqual(found[1], gain, delta=0.08)

    def test_a_step_is_judged_however_the_samples_came(self) -> None:
        """A busy bus answers in bursts, seconds apart: a step stands between, it is no ramp."""
        draw = np.random.default_rng(5)
        for _ in range(20):
            times = np.cumsum(draw.choice((0.15, 0.2, 0.9), 60, p=(0.6, 0.3, 0.1)))
            command = np.where(times % 6.0 < 3.0, 80.0, 10.0)
            began = np.maximum.accumulate(np.r_[times[0], np.where(np.diff(command) != 0.0, times[1:], times[0])])
            feedback = np.where(times - began > 0.3, command, np.r_[command[0], command[:-1]])
            found = judge(times, command, feedback)
            self.assertEqual(found.verdict, Follows.FOLLOWS, found)
            self.assertEqual(judge(times, command, 45.0 + 0.4 * feedback).verdict, Follows.SHORT)
            self.assertEqual(judge(times, command, np.full_like(times, 30.0)).verdict, Follows.STUCK)

    def test_filling_at_full_load(self) -> None:
        wide = np.where((self.TIMES > 20) & (self.TIMES < 26), 95.0, 20.0)
        for share, outcome in ((84.0, "good"), (58.0, "low")):
            grid = self.on(rpm=3500.0, ve_pct=share, throttle_rel_pct=wide, load_pct=wide)
            row = self.only(list(filling(grid, GENERIC)))
            self.assertEqual((row.test, row.outcome), ("full_load_filling", outcome))
            self.assertAlmostEqual(row.begin, 20.0, delta=0.2)

    def test_idle_when_a_load_is_switched(self) -> None:
        after = self.TIMES - 60.0
        load = np.where(after > 0, 30.0, 22.0)
        dip = np.where((after > 0) & (after < 3), -90.0 * np.exp(-after / 1.2), 0.0)
        common = {"load_pct": load, "speed_kmh": 0.0, "coolant_c": 90.0, "run_time_s": 500.0 + self.TIMES}
        hang = np.where(after > 0, 180.0, 0.0)
        hunt = np.where(after > 0, 120.0 * np.sin(after * 1.5), 0.0)
        for extra, outcome in ((dip, "good"), (dip + hang, "bad"), (dip + hunt, "bad")):
            rows = list(idle(self.on(rpm=780.0 + extra, **common), GENERIC))
            row = next(row for row in rows if row.test == "idle_load")
            self.assertEqual(row.outcome, outcome, row.words)

    def test_cams_off_alike_share_their_drive(self) -> None:
        v6 = Powertrain(cylinders=6, layout="V", phasers="both", firing_order=(1, 2, 3, 4, 5, 6))
        for off, outcome in (
            ({}, "good"),
            ({"intake_b1": 8.0}, "one_intake_1"),
            ({"exhaust_b2": 8.0}, "one_exhaust_2"),
            ({"intake_b1": 8.0, "exhaust_b2": -8.0}, "one"),
            ({"intake_b2": 7.0, "exhaust_b2": 7.5}, "bank_2"),
            ({f"{cam}_b{bank}": 9.0 for cam in ("intake", "exhaust") for bank in (1, 2)}, "all"),
        ):
            columns: dict[str, object] = {"rpm": 800.0, "coolant_c": 90.0}
            for cam in ("intake", "exhaust"):
                for bank in (1, 2):
                    columns[f"cam_{cam}_cmd_b{bank}_deg"] = 10.0
                    columns[f"cam_{cam}_b{bank}_deg"] = 10.0 + off.get(f"{cam}_b{bank}", 0.0)
            row = self.only(list(engine_rules.cams(self.on(**columns), Context(v6))))
            self.assertEqual(row.outcome, outcome, row.words)

    def test_a_cam_that_follows_late(self) -> None:
        wanted = np.where((self.TIMES % 20) < 10, 5.0, 25.0)
        late = np.interp(self.TIMES - 1.6, self.TIMES, wanted)
        columns = {"rpm": 1500.0, "cam_intake_cmd_b1_deg": wanted, "cam_intake_b1_deg": late}
        row = self.only(list(engine_rules.cams(self.on(**columns), Context(Powertrain(phasers="intake")))))  # type: ignore[arg-type]
        self.assertIn("1.6 s late", row.words)

    def test_misfire_per_cent_is_its_definition(self) -> None:
        # 600 1/min for 120 s: 1200 revolutions, 600 combustions of each cylinder; 30 of them missed are 5 %.
        counts = np.floor(30.0 * self.TIMES / self.TIMES[-1])
        columns = {"rpm": 600.0, "misfire_c1": 0.0, "misfire_c2": counts, "misfire_c3": 0.0, "misfire_c4": 0.0}
        row = self.only(list(engine_rules.misfires(self.on(**columns), GENERIC)))
        self.assertIn("Cylinder 2 misfires 5.0 %", row.words)
        columns["misfire_c3"] = counts
        row = self.only(list(engine_rules.misfires(self.on(**columns), GENERIC)))
        self.assertIn("Cylinders misfire: 2 5.0 %, 3 5.0 % (around 600 rpm); the others at most 0.0 %", row.words)

    def test_rest_with_one_sensor_off(self) -> None:
        columns = {"rpm": 0.0, "coolant_c": 31.0, "intake_c": 14.0, "ambient_c": 13.0}
        row = self.only(list(engine_rules.cold_soak(self.on(**columns), GENERIC)))
        self.assertIn("coolant is off", row.words)
        warm = {"rpm": 0.0, "coolant_c": 70.0, "intake_c": 30.0, "ambient_c": 13.0}
        self.assertEqual(list(engine_rules.cold_soak(self.on(**warm), GENERIC)), [])

    def test_charging(self) -> None:
        for volts, outcome in ((14.2, "good"), (12.3, "bad"), (15.6, "bad")):
            row = self.only(list(engine_rules.charging(self.on(rpm=900.0, module_v=volts), GENERIC)))
            self.assertEqual(row.outcome, outcome)

    def test_throttle_sweeps(self) -> None:
        sweep = 12.0 + 40.0 * (1.0 - np.cos(2 * np.pi * self.TIMES / 60.0))
        gap = np.where((sweep > 50) & (sweep < 62), 50.0, sweep)
        for one, other, outcome in (
            (sweep, sweep / 2, "good"),
            (sweep, np.where(sweep > 50, sweep / 2 + 8, sweep / 2), "bad"),
            (gap + 20.0 * ((sweep > 61) & (sweep < 62)), sweep / 2, "bad"),
        ):
            columns = {"rpm": 0.0, "throttle_pct": one, "throttle_b_pct": other}
            row = self.only(list(engine_rules.throttle(self.on(**columns), GENERIC)))
            self.assertEqual(row.outcome, outcome, row.words)

    def test_tank_holds_or_falls(self) -> None:
        for minutes, outcome in ((30.0, "good"), (1.2, "bad")):
            pressure = np.where(self.TIMES < 30, -10.0, -1800.0 * np.exp(-(self.TIMES - 30) / 60.0 / minutes))
            columns = {"rpm": 0.0, "tank_pa": pressure, "purge_pct": np.where(self.TIMES < 30, 40.0, 0.0)}
            row = self.only(list(engine_rules.tank(self.on(**columns), GENERIC)))
            self.assertEqual(row.outcome, outcome, row.words)

    def test_regenerations_remembered(self) -> None:
        diesel = Context(DIESEL.powertrain)
        for done, broken, away, outcome in ((9, 1, 420.0, "good"), (1, 8, 900.0, "bad"), (14, 0, 35.0, "bad")):
            told = self.on(rpm=800.0, regenerations=done, regenerations_broken=broken, regeneration_km=away)
            row = self.only(list(regeneration_history(told, diesel)))
            self.assertEqual((row.test, row.outcome), ("regeneration_history", outcome), row.words)

    def test_the_filters_pressure_against_flow(self) -> None:
        draw = np.random.default_rng(4)
        flow = np.where(
            self.TIMES < 20,
            0.0,
            np.where(self.TIMES < 60, 10.0, np.where(self.TIMES < 80, 10.0 + 2.0 * (self.TIMES - 60), 50.0)),
        )
        rpm = np.where(self.TIMES < 20, 0.0, np.where(self.TIMES < 60, 800.0, 2500.0))
        diesel = Context(Powertrain(aftertreatment=(Aftertreatment.PARTICULATE_FILTER,)))
        for linear, square, zero, outcome in (
            (1.0, 0.006, 0.0, "good"),
            (3.0, 0.03, 0.0, "bad"),
            (1.0, 0.006, 25.0, "bad"),
        ):
            drop = zero + linear * flow + square * flow**2 + draw.normal(0.0, 0.6, 1200)
            fit = fit_pressure(flow, drop)
            self.assertAlmostEqual(fit.linear, linear, delta=0.15 * linear)
            self.assertAlmostEqual(fit.at(50.0), linear * 50 + square * 2500, delta=2.0)
            self.assertAlmostEqual(fit.zero, zero, delta=0.5)
            grid = self.on(rpm=rpm, maf_gps=flow, filter_b1_kpa=drop / 10.0)
            row = self.only(list(particulate_filter(grid, diesel)))
            self.assertEqual((row.test, row.outcome), ("filter_pressure", outcome), row.words)
        dead = self.on(rpm=rpm, maf_gps=flow, filter_b1_kpa=1.5 + draw.normal(0.0, 0.4, 1200))
        self.assertIn("does not rise", self.only(list(particulate_filter(dead, diesel))).words)
