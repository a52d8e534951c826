"""Proof and clearing. Similar-conditions window: 13 CCR 1968.2, 375 rpm and 20 % load [S]."""

import unittest
from dataclasses import replace
from datetime import UTC, datetime

import numpy as np

from gumshoe.core.codes import CodeState
from gumshoe.core.errors import BadInput
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot, Part, SilentModule, Snapshot, StoredCode, Unread
from gumshoe.core.obd.status import Monitor, MonitorStatus
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.proof.clear_guard import check_clear
from gumshoe.core.proof.from_recording import observations_of
from gumshoe.core.proof.from_scan import observation_of
from gumshoe.core.proof.plan import Plan, plan_proof
from gumshoe.core.proof.tracker import Condition, Observation, ProofVerdict, Tracker, replay, to_show
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.regions import Region

FRAME = {"rpm": 830.0, "load_pct": 21.0, "coolant_c": 88.0, "speed_kmh": 0.0}
IDLE = {"rpm": 760.0, "load_pct": 24.0, "coolant_c": 88.0, "speed_kmh": 0.0, "stft_b1_pct": 0.5, "ltft_b1_pct": 1.0}
CRUISE = {"rpm": 2150.0, "load_pct": 45.0, "coolant_c": 89.0, "speed_kmh": 75.0, "stft_b1_pct": 0.0, "ltft_b1_pct": 1.0}


def status(*complete: str) -> MonitorStatus:
    names = ("misfire", "fuel system", "comprehensive components", "catalyst")
    return MonitorStatus(True, 1, False, tuple(Monitor(name, True, name in complete) for name in names))


def snapshot(*codes: tuple[str, CodeState]) -> Snapshot:
    module = ModuleSnapshot(
        0x7E8,
        status=status("fuel system"),
        codes=tuple(StoredCode(code, state) for code, state in codes),
        frames=(FreezeFrame("P0171", FRAME),),
    )
    return Snapshot(datetime.now(UTC), "11 bit", (module,))


def plan() -> Plan:
    return plan_proof(snapshot(("P0171", CodeState.CONFIRMED), ("P0171", CodeState.PERMANENT)), expand(Powertrain()))


def trip(values: dict[str, float], seconds: int, *complete: str, pending: tuple[str, ...] = ()) -> list[Observation]:
    rows = [
        Observation(float(t), values, status(*complete), confirmed=(), pending=pending, permanent=())
        for t in range(2, seconds, 2)
    ]
    return [*rows, Observation(None)]


class Proof(unittest.TestCase):
    def test_the_plan_follows_from_the_stored_scan(self) -> None:
        made = plan()
        self.assertEqual([(t.code, t.monitor, t.trips) for t in made.targets], [("P0171", "fuel system", 2)])
        self.assertIs(made.signal_region, Region.WARM_IDLE)

    def test_similar_conditions_are_for_misfire_and_fuel_system_alone(self) -> None:
        """13 CCR 1968.2 (e)(3) and (e)(6) [S]: every other code is proven by its own monitor, wherever that runs."""
        known = expand(Powertrain())

        def planned(code: str, frame: dict[str, float]) -> Plan:
            module = ModuleSnapshot(
                0x7E8, codes=(StoredCode(code, CodeState.CONFIRMED),), frames=(FreezeFrame(code, frame),)
            )
            return plan_proof(Snapshot(datetime.now(UTC), "11 bit", (module,)), known)

        for code in ("P0302", "P0171", "P0172", "P0300"):
            self.assertIsNotNone(planned(code, CRUISE).window, code)
        for code in ("P0443", "P0455", "P0420", "P0128", "P0135", "P0335", "P0113"):
            self.assertIsNone(planned(code, CRUISE).window, code)

    def test_a_frame_stored_with_the_key_on_asks_for_the_key_on(self) -> None:
        module = ModuleSnapshot(
            0x7E8,
            codes=(StoredCode("P0443", CodeState.CONFIRMED),),
            frames=(FreezeFrame("P0443", {"rpm": 0.0, "load_pct": 0.0, "coolant_c": 20.0}),),
        )
        made = plan_proof(Snapshot(datetime.now(UTC), "11 bit", (module,)), expand(Powertrain()))
        self.assertIsNone(made.window)
        self.assertEqual(made.key_on, ("P0443",))
        driven = trip(IDLE, 120, "comprehensive components") + trip(CRUISE, 120, "comprehensive components")
        verdict, missing = replay(made, driven).verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertTrue(any("Key on, engine off" in line for line in missing))
        read = Observation(0.0, confirmed=(), pending=(), permanent=())
        self.assertEqual(replay(made, [*driven, read]).verdict(), (ProofVerdict.PROVEN, ()))
        back = Observation(0.0, confirmed=(), pending=("P0443",), permanent=())
        self.assertIs(replay(made, [*driven, back]).verdict()[0], ProofVerdict.CAME_BACK)

    def test_a_monitor_the_car_does_not_tell_of_is_proven_by_the_drive_it_wants(self) -> None:
        """SAE J1979: a spark engine's readiness has no bit for boost, many cars none for the tank."""
        pull = CRUISE | {"rpm": 2400.0, "load_pct": 88.0}
        cold = IDLE | {"coolant_c": 12.0}
        for code, monitor, driven, short in (
            ("P0299", "boost pressure", trip(pull, 60), trip(IDLE, 300)),
            ("P0442", "evaporative system", trip(cold, 60)[:-1] + trip(CRUISE, 160)[30:], trip(CRUISE, 300)),
        ):
            module = ModuleSnapshot(0x7E8, status=status(), codes=(StoredCode(code, CodeState.CONFIRMED),))
            made = plan_proof(Snapshot(datetime.now(UTC), "11 bit", (module,)), expand(Powertrain()))
            self.assertEqual(made.untold, {monitor})
            self.assertEqual(replay(made, driven * 2).verdict(), (ProofVerdict.PROVEN, ()), code)
            verdict, missing = replay(made, short * 2).verdict()
            self.assertIs(verdict, ProofVerdict.NOT_YET)
            self.assertIn("does not tell", missing[0])
        untold = ModuleSnapshot(0x7E8, codes=(StoredCode("P0299", CodeState.CONFIRMED),))  # readiness was not read
        made = plan_proof(Snapshot(datetime.now(UTC), "11 bit", (untold,)), expand(Powertrain()))
        self.assertEqual(made.untold, frozenset())

    def test_what_is_shown_next_of_a_check_list(self) -> None:
        done, drive = Condition("a", True, "", 1.0), Condition("b", False, "", 0.0)
        again, relearn = replace(drive, signal=True), replace(drive, words="Relearn", procedure=True)
        hands, time = replace(drive, by_hand=True), replace(drive, waits=True)
        for rows, said in (
            ((done,), ""),
            ((done, hands, time), ""),
            ((again, hands), "Measure again"),
            ((again, drive), "Drive"),
            ((drive, relearn), "Relearn"),
        ):
            self.assertTrue(to_show(rows).startswith(said) and bool(to_show(rows)) == bool(said), rows)

    def test_two_good_trips_near_the_frame_prove_it(self) -> None:
        seen = trip(IDLE, 120, "fuel system") + trip(IDLE, 120, "fuel system")
        self.assertEqual(replay(plan(), seen).verdict(), (ProofVerdict.PROVEN, ()))

    def test_one_trip_is_not_enough(self) -> None:
        verdict, missing = replay(plan(), trip(IDLE, 240, "fuel system")).verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertTrue(any("1 of 2 trips" in line for line in missing))

    def test_code_gone_but_monitor_never_ran(self) -> None:
        verdict, missing = replay(plan(), trip(IDLE, 200) + trip(IDLE, 200)).verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertTrue(any("fuel system" in line and "0 of 2" in line for line in missing))

    def test_a_drive_never_near_the_frame_proves_nothing(self) -> None:
        seen = trip(CRUISE, 600, "fuel system") * 2
        verdict, missing = replay(plan(), seen).verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertTrue(any("similar" in line for line in missing))

    def test_pending_again_is_came_back(self) -> None:
        seen = trip(IDLE, 200, "fuel system") + trip(IDLE, 60, "fuel system", pending=("P0171",))
        verdict, reasons = replay(plan(), seen).verdict()
        self.assertIs(verdict, ProofVerdict.CAME_BACK)
        self.assertEqual(reasons, ("P0171 is pending again",))

    def test_the_signal_must_be_right_again(self) -> None:
        lean = IDLE | {"ltft_b1_pct": 17.0}
        verdict, missing = replay(plan(), trip(lean, 120, "fuel system") * 2).verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertTrue(any("Total trim" in line and "+17.5 %" in line for line in missing))

    def test_a_new_code_keeps_the_car_here(self) -> None:
        seen = trip(IDLE, 120, "fuel system") + trip(IDLE, 120, "fuel system", pending=("P0113",))
        verdict, missing = replay(plan(), seen).verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertTrue(any("P0113" in line for line in missing))

    def test_a_code_of_the_work_that_returns_is_something_left_off_not_a_repair_that_failed(self) -> None:
        stored = snapshot(("P0171", CodeState.CONFIRMED), ("P0102", CodeState.CONFIRMED))
        made = plan_proof(stored, expand(Powertrain()), provoked=("P0102",))
        own = next(target for target in made.targets if target.code == "P0102")
        self.assertEqual((own.provoked, own.trips), (True, 1))
        seen = trip(IDLE, 120, "fuel system") + trip(IDLE, 120, "fuel system", pending=("P0102",))
        verdict, reasons = replay(made, seen).verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertIn("something is still off", reasons[0])
        seen[-2] = replace(seen[-2], pending=("P0102", "P0171"))
        self.assertIs(replay(made, seen).verdict()[0], ProofVerdict.CAME_BACK)

    def test_left_to_itself_what_is_held_is_expected_until_the_lamp_is_out(self) -> None:
        stored = snapshot(("P0171", CodeState.CONFIRMED), ("P0171", CodeState.PENDING))
        made = plan_proof(stored, expand(Powertrain()), by_itself=True)
        self.assertEqual(made.targets[0].trips, 3)

        def drive(count: int, *, lamp: bool, pending: tuple[str, ...] = ()) -> list[Observation]:
            rows = [row for _ in range(count) for row in trip(IDLE, 120, "fuel system", pending=pending)]
            return [replace(row, confirmed=("P0171",), lamp=lamp) for row in rows if row.run_time_s is not None]

        verdict, missing = replay(made, drive(2, lamp=True)).verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertTrue(any("still on" in line for line in missing))
        self.assertIs(replay(made, drive(3, lamp=False)).verdict()[0], ProofVerdict.PROVEN)
        again = [*drive(1, lamp=True), *drive(1, lamp=True, pending=("P0171",))]
        self.assertIs(replay(made, again).verdict()[0], ProofVerdict.CAME_BACK)

    def test_the_other_banks_trim_is_looked_at_where_its_code_was(self) -> None:
        v6 = expand(platforms()["ostrel_dunlin_30"].powertrain)
        module = replace(snapshot(("P0174", CodeState.CONFIRMED)).modules[0], frames=(FreezeFrame("P0174", FRAME),))
        made = plan_proof(Snapshot(datetime.now(UTC), "11 bit", (module,)), v6)
        self.assertEqual(made.signal_bank, 2)
        lean = IDLE | {"ltft_b1_pct": 0.0, "stft_b2_pct": 1.0, "ltft_b2_pct": 15.0}
        row = next(row for row in replay(made, trip(lean, 120)).conditions() if "Total trim" in row.words)
        self.assertIn("of bank 2", row.words)
        self.assertFalse(row.done)
        self.assertIn("+16.0 %", row.detail)

    def test_nothing_stored_nothing_proven(self) -> None:
        empty = plan_proof(snapshot(), expand(Powertrain()))
        self.assertIs(replay(empty, trip(IDLE, 200, "fuel system") * 2).verdict()[0], ProofVerdict.NOT_YET)

    def test_without_a_code_the_measurement_can_prove_it(self) -> None:
        empty = replace(plan_proof(snapshot(), expand(Powertrain())), frame={}, signal_region=None)
        tracker = replay(empty, trip(IDLE, 200, "fuel system"))
        good = Condition("Fuel pressure measured again", True, "350 kPa", 1.0, signal=True)
        self.assertIs(tracker.verdict([good])[0], ProofVerdict.PROVEN)
        self.assertIs(tracker.verdict([replace(good, done=False)])[0], ProofVerdict.NOT_YET)
        self.assertIs(tracker.verdict([replace(good, signal=False)])[0], ProofVerdict.NOT_YET)

    def test_window_edges(self) -> None:
        tracker = Tracker(plan())
        self.assertTrue(tracker.is_similar(830 + 375, 21 + 20, 88))
        self.assertFalse(tracker.is_similar(830 + 376, 21, 88))
        self.assertFalse(tracker.is_similar(830, 21 + 20.5, 88))
        self.assertFalse(tracker.is_similar(830, 21, 40))

    def test_a_lost_answer_does_not_start_another_trip(self) -> None:
        first, second = trip(IDLE, 120, "fuel system"), trip(IDLE, 120, "fuel system")
        broken = [*first[:20], Observation(None), *first[20:], *second[:9], Observation(None), *second[9:]]
        tracker = replay(plan(), broken)
        self.assertEqual(len(tracker.trips), 2)
        self.assertEqual(tracker.verdict()[0], ProofVerdict.PROVEN)

    def test_key_on_with_the_engine_off_parts_two_short_trips(self) -> None:
        short = [Observation(5.0, IDLE, status())]
        apart = [*short, Observation(None), Observation(0.0), Observation(6.0, IDLE, status())]
        self.assertEqual(len(replay(plan(), apart).trips), 2)
        self.assertEqual(len(replay(plan(), [*short, Observation(None), Observation(6.0, IDLE, status())]).trips), 1)

    def test_time_not_watched_proves_nothing(self) -> None:
        seen = [Observation(2.0, IDLE, status()), Observation(3600.0, IDLE, status())]
        self.assertLessEqual(replay(plan(), seen).total_s, 32.0)


class FromAScan(unittest.TestCase):
    """A list that was not read is not an empty one."""

    ENGINE = ModuleSnapshot(0x7E8, "ECM", codes=(StoredCode("P0303", CodeState.CONFIRMED),), values={"rpm": 0.0})
    BEFORE = Snapshot(datetime(2026, 1, 1, tzinfo=UTC), "11 bit", (ENGINE,))

    def seen(self, *unread: Unread, silent: tuple[SilentModule, ...] = (), rpm: float = 0.0) -> Observation:
        module = replace(self.ENGINE, codes=(), unread=unread, values={"rpm": rpm})
        found = observation_of(replace(self.BEFORE, modules=(module,), silent=silent), self.BEFORE)
        assert found is not None
        return found

    def test_absence_is_told_by_lists_that_were_read(self) -> None:
        self.assertTrue(self.seen().tells_absence)
        self.assertEqual((self.seen().run_time_s, self.seen(rpm=800.0).run_time_s), (0.0, None))
        self.assertFalse(self.seen(Unread(Part.PENDING, "no answer")).tells_absence)
        self.assertTrue(self.seen(Unread(Part.PERMANENT, "no answer")).tells_absence)
        self.assertIsNone(observation_of(replace(self.BEFORE, modules=()), self.BEFORE))

    def test_a_silent_module_matters_where_it_held_codes(self) -> None:
        silent = SilentModule("gearbox", 0x7E9, "no answer")
        self.assertTrue(self.seen(silent=(silent,)).tells_absence)
        gearbox = ModuleSnapshot(0x7E9, "TCM", codes=(StoredCode("P0715", CodeState.CONFIRMED),))
        before = replace(self.BEFORE, modules=(self.ENGINE, gearbox))
        after = replace(self.BEFORE, modules=(replace(self.ENGINE, codes=()),), silent=(silent,))
        found = observation_of(after, before)
        assert found is not None
        self.assertFalse(found.tells_absence)


class FromARecording(unittest.TestCase):
    def recording(self, **columns: list[float]) -> Recording:
        times = np.arange(len(next(iter(columns.values()))), dtype=float) * 2.0
        return Recording({key: Channel(times, np.array(values)) for key, values in columns.items()})

    def test_time_near_the_frame_and_the_trim_count_monitors_do_not(self) -> None:
        idle = {key: [value] * 60 for key, value in IDLE.items()}
        tracker = replay(plan(), observations_of(self.recording(**idle)))
        self.assertAlmostEqual(tracker.similar_s, 118.0, delta=2.0)
        self.assertAlmostEqual(tracker.signal_pct or 0.0, 1.5, places=3)
        self.assertEqual(tracker.completed, {})
        verdict, missing = tracker.verdict()
        self.assertIs(verdict, ProofVerdict.NOT_YET)
        self.assertTrue(any("not read since the drive" in line for line in missing))

    def test_the_engine_off_in_between_parts_two_trips(self) -> None:
        told = {"rpm": [800.0] * 10 + [0.0] * 5 + [800.0] * 10, "load_pct": [20.0] * 25}
        self.assertEqual(len(replay(plan(), observations_of(self.recording(**told))).trips), 2)

    def test_without_speed_or_load_it_cannot_count(self) -> None:
        with self.assertRaisesRegex(BadInput, "load_pct"):
            list(observations_of(self.recording(rpm=[800.0] * 5)))


class Clearing(unittest.TestCase):
    def test_only_after_a_scan_with_nothing_loose_and_the_engine_still(self) -> None:
        stored = snapshot(("P0171", CodeState.CONFIRMED), ("P0171", CodeState.PERMANENT))
        self.assertTrue(check_clear(stored, (), 0.0).allowed)
        self.assertIn("No scan is stored", check_clear(None, (), 0.0).blocks[0])
        self.assertIn("duct off", check_clear(stored, ("duct off",), 0.0).blocks[0])
        self.assertIn("engine is running", check_clear(stored, (), 760.0).blocks[0])
        self.assertIn("does not answer", check_clear(stored, (), None).blocks[0])

    def test_says_what_goes_and_what_stays(self) -> None:
        check = check_clear(snapshot(("P0171", CodeState.CONFIRMED), ("P0171", CodeState.PERMANENT)), (), 0.0)
        losses = " ".join(check.losses)
        for words in ("P0171", "freeze frame", "fuel system", "inspection"):
            self.assertIn(words, losses)
        self.assertIn("removes them itself", check.remains[0])
