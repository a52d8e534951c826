"""The drive plan against trying everything; the similar-conditions window against 13 CCR 1968.2's numbers [S]."""

import itertools
import random
import unittest
from collections.abc import Iterable

from django.test import tag

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.proof_rows import SegmentRow
from gumshoe.core.obd.status import COMPRESSION_MONITORS, CONTINUOUS_MONITORS, SPARK_MONITORS
from gumshoe.core.proof.drive_plan import (
    FOLDER,
    HOUR_OF_REST,
    START_MINUTES,
    STOP_MINUTES,
    WARM_UP,
    Need,
    plan_drive,
    segments_file,
    segments_for,
)
from gumshoe.core.proof.similar import SIMILAR_LOAD_PCT, SIMILAR_RPM, window_of
from gumshoe.core.validation import check_file

Monitors = dict[str, tuple[tuple[str, ...], ...]]


def segment(name: str, minutes: float, *, warm: bool = True, rest: float = 0.0) -> SegmentRow:
    return SegmentRow(name, name, "", 5, minutes, 1.0, warm, (1000.0, 2000.0), (20.0, 60.0), rest_hours=rest)


def cost(trip: tuple[SegmentRow, ...], *, warm: bool) -> float:
    """What a trip costs, counted anew."""
    rest = max(row.rest_hours for row in trip)
    warm_up = WARM_UP.minutes if any(row.warm for row in trip) and (rest or not warm) else 0.0
    return START_MINUTES + STOP_MINUTES + warm_up + sum(row.minutes for row in trip) + HOUR_OF_REST * rest


def tried(needs: list[Need], rows: list[SegmentRow], monitors: Monitors, most: int) -> float:
    """The cheapest cost by trying every sequence of up to ``most`` trips."""
    trips = [c for size in range(1, len(rows) + 1) for c in itertools.combinations(rows, size)]

    def meets(trip: tuple[SegmentRow, ...], need: Need) -> bool:
        ids = {row.id for row in trip}
        return all(ids & set(clause) for clause in monitors[need.monitor])

    best = float("inf")
    for count in range(1, most + 1):
        for sequence in itertools.product(trips, repeat=count):
            if all(sum(meets(trip, need) for trip in sequence) >= need.trips for need in needs):
                best = min(best, whole(sequence))
    return best


def whole(sequence: Iterable[tuple[SegmentRow, ...]]) -> float:
    """What a sequence costs, the engine cold at its beginning."""
    warm, total = False, 0.0
    for trip in sequence:
        total += cost(trip, warm=warm)
        warm = any(row.warm for row in trip) or (warm and not any(row.rest_hours for row in trip))
    return total


@tag("long")
class AgainstTryingEverything(unittest.TestCase):
    def test_small_cases(self) -> None:
        chance = random.Random(11)
        for _ in range(80):
            count = chance.randint(2, 3)
            rows = [
                segment(f"s{i}", chance.randint(1, 9), warm=chance.random() < 0.7, rest=chance.choice((0.0, 0.0, 8.0)))
                for i in range(count)
            ]
            names = [row.id for row in rows]
            monitors: Monitors = {
                f"m{i}": tuple(
                    tuple(chance.sample(names, chance.randint(1, count))) for _ in range(chance.randint(1, 2))
                )
                for i in range(3)
            }
            needs = [Need(name, chance.randint(1, 2), name) for name in monitors]
            plan = plan_drive(needs, rows, monitors)
            total = whole(tuple(row for row in trip.segments if row.id != "warm_up") for trip in plan.trips)
            best = tried(needs, rows, monitors, 4)
            self.assertLessEqual(total, best + 1e-9)
            if len(plan.trips) <= 4:
                self.assertAlmostEqual(total, best, places=6)

    def test_one_segment_for_two_needs_is_cheaper_than_one_each(self) -> None:
        rows = [segment("a", 5), segment("b", 5), segment("both", 8)]
        monitors: Monitors = {"x": (("a", "both"),), "y": (("b", "both"),)}
        plan = plan_drive([Need("x", 1, "x"), Need("y", 1, "y")], rows, monitors)
        self.assertEqual([row.id for row in plan.trips[0].segments if row.id != "warm_up"], ["both"])

    def test_what_no_segment_meets_is_named(self) -> None:
        plan = plan_drive([Need("x", 1, "x"), Need("y", 1, "y")], [segment("a", 5)], {"x": (("a",),), "y": (("z",),)})
        self.assertEqual([need.words for need in plan.unmet], ["y"])
        self.assertEqual(len(plan.trips), 1)

    def test_nothing_missing_nothing_driven(self) -> None:
        self.assertEqual(plan_drive([Need("x", 0, "x")], [segment("a", 5)], {"x": (("a",),)}).trips, ())


class Shipped(unittest.TestCase):
    def test_every_readiness_monitor_has_a_drive(self) -> None:
        for name in (*CONTINUOUS_MONITORS, *SPARK_MONITORS, *COMPRESSION_MONITORS):
            if not name or name == "air conditioning":
                continue
            self.assertIn(name, segments_file().monitor)
            features = frozenset({"diesel"}) if name in COMPRESSION_MONITORS else frozenset({"spark"})
            plan = plan_drive([Need(name, 1, name)], segments_for(features), segments_file().monitor)
            self.assertEqual(len(plan.trips), 1, name)

    def test_cold_comes_first_and_the_order_is_a_drivers(self) -> None:
        needs = [Need("e", 1, "evaporative system"), Need("c", 1, "catalyst"), Need("v", 1, "EGR / VVT")]
        trip = plan_drive(needs, segments_for(frozenset()), segments_file().monitor).trips[0]
        names = [row.id for row in trip.segments]
        self.assertEqual(names[:2], ["cold_start", "warm_up"])
        self.assertEqual(names[-1], "coast")
        self.assertEqual(trip.rest_hours, 8.0)

    def test_a_warm_engine_is_not_warmed_up_again(self) -> None:
        need = [Need("c", 1, "catalyst")]
        cold, warm = (
            plan_drive(need, segments_for(frozenset()), segments_file().monitor, starts_warm=flag)
            for flag in (False, True)
        )
        self.assertEqual(cold.minutes - warm.minutes, WARM_UP.minutes)

    def test_a_frame_on_the_hill_asks_for_the_hill(self) -> None:
        window = window_of({"rpm": 2400.0, "load_pct": 84.0, "coolant_c": 88.0, "speed_kmh": 60.0})
        plan = plan_drive([Need("f", window=window)], segments_for(frozenset()), segments_file().monitor)
        self.assertIn("hill", [row.id for row in plan.trips[0].segments])

    def test_a_frame_where_no_usual_drive_leads_is_a_segment_of_its_own(self) -> None:
        window = window_of({"rpm": 4700.0, "load_pct": 97.0, "coolant_c": 95.0, "speed_kmh": 130.0})
        plan = plan_drive([Need("f", window=window)], segments_for(frozenset()), segments_file().monitor)
        self.assertEqual(plan.trips[0].segments[-1].id, "frame")
        self.assertIn("4325 to 5075", plan.trips[0].segments[-1].words)

    def test_a_frame_stored_cold_is_driven_before_the_engine_is_warm(self) -> None:
        window = window_of({"rpm": 1440.0, "load_pct": 81.0, "coolant_c": 48.0, "speed_kmh": 34.0})
        needs = [Need("f", window=window), Need("m", 1, "catalyst")]
        plan = plan_drive(needs, segments_for(frozenset()), segments_file().monitor)
        (trip,) = [row for row in plan.trips if "f" in row.meets]
        names = [row.id for row in trip.segments]
        self.assertEqual(names[0], "frame_cold")
        self.assertGreaterEqual(trip.rest_hours, 8.0)

    def test_a_monitor_that_names_no_segment_is_an_error_of_the_data(self) -> None:
        path = FOLDER / "segments.toml"
        text = path.read_text(encoding="utf-8").replace('"hill", ', '"hil", ', 1)
        with self.assertRaisesRegex(DataError, "hil"):
            check_file(path, text)


class Similar(unittest.TestCase):
    """13 CCR 1968.2: engine speed within 375 rpm, load within 20 per cent, same warm-up status."""

    def test_the_regulations_numbers(self) -> None:
        self.assertEqual((SIMILAR_RPM, SIMILAR_LOAD_PCT), (375.0, 20.0))
        window = window_of({"rpm": 1800.0, "load_pct": 50.0, "coolant_c": 85.0})
        assert window
        for rpm, load, coolant, held in (
            (2175.0, 70.0, 85.0, True),
            (1425.0, 30.0, 70.0, True),
            (2176.0, 50.0, 85.0, False),
            (1424.0, 50.0, 85.0, False),
            (1800.0, 70.5, 85.0, False),
            (1800.0, 29.5, 85.0, False),
            (1800.0, 50.0, 69.0, False),
        ):
            self.assertIs(window.holds(rpm, load, coolant), held, (rpm, load, coolant))

    def test_standing_a_lower_load_is_similar_too(self) -> None:
        """A dead cylinder is carried by the others: the frame's idle load is higher than the mended engine's (common
        practice). Driving, or with a speed that is not told, the regulation's window stands."""
        window = window_of({"rpm": 1000.0, "load_pct": 57.0, "coolant_c": 42.0, "speed_kmh": 0.0})
        assert window
        for rpm, load, speed, held in (
            (1000.0, 22.0, 0.0, True),
            (1000.0, 60.0, 0.0, True),
            (1000.0, 22.0, 30.0, False),
            (1000.0, 22.0, None, False),
            (1000.0, 78.0, 0.0, False),
            (1400.0, 22.0, 0.0, False),
        ):
            self.assertIs(window.holds(rpm, load, 42.0, speed), held, (rpm, load, speed))
        self.assertIn("standing", window.words)
        self.assertTrue(window.led_to_by((600.0, 1500.0), (15.0, 50.0), False))

    def test_a_frame_that_tells_no_road_speed_is_no_standstill(self) -> None:
        window = window_of({"rpm": 1800.0, "load_pct": 50.0, "coolant_c": 85.0})
        assert window
        self.assertFalse(window.standing)

    def test_a_frame_without_speed_or_load_has_no_window(self) -> None:
        self.assertIsNone(window_of({"coolant_c": 85.0}))
        self.assertIsNone(window_of({"rpm": 900.0}))
