"""The cheapest drive that shows what is still to be shown.

A trip is a set of segments between two turns of the key. It completes a monitor when it holds one segment out of every
list that the monitor wants; it meets the stored frame, or the region of a signal, when one of its segments leads there.
Each need asks for a number of trips. Wanted is the sequence of trips with the least cost that meets every need so
often: a weighted set multi-cover. It is solved exactly: of all trips only those are kept that no cheaper trip
dominates, and the shortest path over what is still missing (Dijkstra 1959) gives the sequence. Checked against trying
everything.
"""

from __future__ import annotations

import heapq
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from itertools import combinations
from pathlib import Path

from gumshoe.core.knowledge.proof_rows import SegmentRow, SegmentsFile
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.proof.similar import Window

FOLDER = Path(__file__).parent.parent / "knowledge"
START_MINUTES = 1.0
STOP_MINUTES = 1.0
"""Key off and wait until the control unit has gone to sleep, between two trips (common practice)."""
WARM_UP = SegmentRow(
    "warm_up", "Drive gently until it is warm", "No high engine speed until the gauge stands in the middle.", 2, 7.0,
    4.0, False, (700.0, 2500.0), (15.0, 60.0), cautions=("second_person", "road"),
)  # fmt: skip
HOUR_OF_REST = 2.5
"""What an hour that the car stands costs, in minutes of somebody's time (invented: a night is worth twenty minutes)."""
FRAME_MINUTES, FRAME_KM = 4.0, 4.0


@dataclass(frozen=True)
class Need:
    """Something to be met in so many trips: a monitor by name, a window of engine speed and load, or one segment out of
    each of some lists."""

    words: str
    trips: int = 1
    monitor: str = ""
    window: Window | None = None
    segments: tuple[tuple[str, ...], ...] = ()


@dataclass(frozen=True)
class Trip:
    """Segments in the order they are driven; ``meets`` the needs this trip counts for."""

    segments: tuple[SegmentRow, ...]
    meets: tuple[str, ...]

    @property
    def minutes(self) -> float:
        """On the road and at the kerb, key and start included."""
        return START_MINUTES + sum(item.minutes for item in self.segments) + STOP_MINUTES

    @property
    def km(self) -> float:
        return sum(item.km for item in self.segments)

    @property
    def rest_hours(self) -> float:
        """How long the car stands before it."""
        return max((item.rest_hours for item in self.segments), default=0.0)


@dataclass(frozen=True)
class DrivePlan:
    """The trips to make, and what no drive known here can meet."""

    trips: tuple[Trip, ...]
    unmet: tuple[Need, ...] = ()

    @property
    def minutes(self) -> float:
        return sum(trip.minutes for trip in self.trips)

    @property
    def km(self) -> float:
        return sum(trip.km for trip in self.trips)

    @property
    def rest_hours(self) -> float:
        return sum(trip.rest_hours for trip in self.trips)

    @property
    def cautions(self) -> tuple[str, ...]:
        """The cautions of all segments, each once."""
        return tuple(dict.fromkeys(name for trip in self.trips for row in trip.segments for name in row.cautions))


@cache
def segments_file() -> SegmentsFile:
    """The shipped segments. Raises DataError with file and line."""
    return load_table(FOLDER / "segments.toml", SegmentsFile)


def segments_for(features: frozenset[str]) -> tuple[SegmentRow, ...]:
    """The segments that make sense on a powertrain with those features."""
    return tuple(row for row in segments_file().segment if set(row.needs) <= features)


def asked_by(monitor: str) -> tuple[tuple[SegmentRow, ...], ...]:
    """What a monitor wants of one trip: one segment of every list; of one that is not known here, what sensors and
    wiring want."""
    file = segments_file()
    rows = {row.id: row for row in file.segment}
    clauses = file.monitor.get(monitor, file.monitor["comprehensive components"])
    return tuple(tuple(rows[name] for name in clause) for clause in clauses)


def frame_segment(window: Window) -> SegmentRow:
    """A segment of its own for a frame that no usual segment leads to; one stored cold is driven before it is warm."""
    return SegmentRow(
        "frame" if window.warm else "frame_cold", f"As in the stored frame: {window.words}",
        "Choose gear and road so that engine speed and load stay in the window, a minute in all.",
        6 if window.warm else 1, FRAME_MINUTES, 0.0 if window.standing else FRAME_KM, window.warm, window.rpm,
        window.load_pct,
        rest_hours=0.0 if window.warm else 8.0, cautions=("second_person", "road"),
    )  # fmt: skip


@dataclass(frozen=True)
class _Options:
    """Every trip that nothing cheaper dominates: which needs it meets (a bit each), its cost, its segments."""

    masks: tuple[int, ...]
    costs: tuple[float, ...]
    chosen: tuple[tuple[SegmentRow, ...], ...]


def plan_drive(
    needs: Iterable[Need],
    segments: Iterable[SegmentRow],
    monitors: Mapping[str, tuple[tuple[str, ...], ...]],
    *,
    starts_warm: bool = False,
) -> DrivePlan:
    """The cheapest sequence of trips. ``starts_warm``: the engine is warm now, before the first trip."""
    rows = list(segments)
    wanted = [need for need in needs if need.trips > 0]
    for need in wanted:
        if need.window and not any(need.window.led_to_by(row.rpm, row.load_pct, row.warm) for row in rows):
            rows.append(frame_segment(need.window))
    possible = [need for need in wanted if _met(need, tuple(rows), monitors)]
    unmet = tuple(need for need in wanted if need not in possible)
    if not possible:
        return DrivePlan((), unmet)
    useful = [row for row in rows if any(_helps(row, need, monitors) for need in possible)]
    options = {warm: _options(possible, useful, monitors, warm=warm) for warm in (False, True)}
    path = _cheapest(tuple(need.trips for need in possible), options, starts_warm)
    left = [need.trips for need in possible]
    trips = []
    for mask, chosen in path:
        met = [i for i in range(len(possible)) if mask >> i & 1 and left[i] > 0]
        for i in met:
            left[i] -= 1
        trips.append(Trip(chosen, tuple(possible[i].words for i in met)))
    return DrivePlan(tuple(trips), unmet)


def _helps(row: SegmentRow, need: Need, monitors: Mapping[str, tuple[tuple[str, ...], ...]]) -> bool:
    if need.window:
        return need.window.led_to_by(row.rpm, row.load_pct, row.warm)
    return any(row.id in clause for clause in need.segments or monitors.get(need.monitor, ()))


def _met(need: Need, chosen: tuple[SegmentRow, ...], monitors: Mapping[str, tuple[tuple[str, ...], ...]]) -> bool:
    if need.window:
        return any(need.window.led_to_by(row.rpm, row.load_pct, row.warm) for row in chosen)
    ids = {row.id for row in chosen}
    return all(ids & set(clause) for clause in need.segments or monitors.get(need.monitor, ((),)))


def _driven(chosen: tuple[SegmentRow, ...], *, warm: bool) -> tuple[tuple[SegmentRow, ...], float]:
    """The segments in the order they are driven, warming up where that is needed, and what the trip costs."""
    rests = max((row.rest_hours for row in chosen), default=0.0)
    if any(row.warm for row in chosen) and (rests or not warm):
        chosen = (*chosen, WARM_UP)
    ordered = tuple(sorted(chosen, key=lambda row: (row.order, row.id)))
    minutes = START_MINUTES + sum(row.minutes for row in chosen) + STOP_MINUTES
    return ordered, minutes + HOUR_OF_REST * rests


def _options(
    needs: list[Need],
    rows: list[SegmentRow],
    monitors: Mapping[str, tuple[tuple[str, ...], ...]],
    *,
    warm: bool,
) -> _Options:
    best: dict[tuple[int, bool], tuple[float, tuple[SegmentRow, ...]]] = {}
    for size in range(1, len(rows) + 1):
        for chosen in combinations(rows, size):
            mask = sum(1 << i for i, need in enumerate(needs) if _met(need, chosen, monitors))
            if not mask:
                continue
            ordered, cost = _driven(chosen, warm=warm)
            key = mask, _warm_after(chosen, warm)
            if key not in best or cost < best[key][0] - 1e-9:
                best[key] = cost, ordered
    kept = [
        (mask, cost, ordered)
        for (mask, ends_warm), (cost, ordered) in best.items()
        if not any(
            mask | other == other and warmer >= ends_warm and (mask, ends_warm) != (other, warmer) and price <= cost
            for (other, warmer), (price, _) in best.items()
        )
    ]
    return _Options(tuple(m for m, _, _ in kept), tuple(c for _, c, _ in kept), tuple(o for _, _, o in kept))


def _warm_after(chosen: Iterable[SegmentRow], warm: bool) -> bool:
    """Whether the engine is warm when the trip is over."""
    rows = tuple(chosen)
    return any(row.warm for row in rows) or (warm and not any(row.rest_hours for row in rows))


def _cheapest(
    left: tuple[int, ...], by_warmth: Mapping[bool, _Options], warm: bool
) -> list[tuple[int, tuple[SegmentRow, ...]]]:
    """Shortest path from what is missing to nothing missing; a step is a trip, a state what is missing and whether the
    engine is warm."""
    start = (left, warm)
    cost = {start: 0.0}
    came: dict[tuple[tuple[int, ...], bool], tuple[tuple[tuple[int, ...], bool], int, tuple[SegmentRow, ...]]] = {}
    queue: list[tuple[float, int, tuple[tuple[int, ...], bool]]] = [(0.0, 0, start)]
    count = 0
    while queue:
        spent, _, state = heapq.heappop(queue)
        remaining, is_warm = state
        if not any(remaining):
            path = []
            while state in came:
                state, mask, chosen = came[state]
                path.append((mask, chosen))
            return path[::-1]
        if spent > cost[state]:
            continue
        options = by_warmth[is_warm]
        for mask, price, chosen in zip(options.masks, options.costs, options.chosen, strict=True):
            after = tuple(max(n - (mask >> i & 1), 0) for i, n in enumerate(remaining))
            if after == remaining:
                continue
            following = (after, _warm_after(chosen, is_warm))
            if spent + price < cost.get(following, float("inf")) - 1e-9:
                cost[following] = spent + price
                came[following] = (state, mask, chosen)
                count += 1
                heapq.heappush(queue, (spent + price, count, following))
    return []
