"""Oscilloscope traces of a case: read from a file or recorded at a stand-in, measured, kept, given out again."""

from __future__ import annotations

import zlib
from dataclasses import dataclass
from typing import Any

import numpy as np

from gumshoe.core.circuits import GROUND, Instrument, Probe, Setting
from gumshoe.core.circuits.checks import checked
from gumshoe.core.circuits.instruments import place_words, stand_words
from gumshoe.core.errors import BadInput
from gumshoe.core.signals.scope import Trace, drop_outs, measure, read_csv, write_csv
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import circuits
from gumshoe.web.bench.models import ScopeTrace
from gumshoe.web.cases.models import Case
from gumshoe.web.kit.in_turn import in_turn
from gumshoe.web.vehicles.cars import car_of

WIDTH, HEIGHT, LEFT = 640.0, 180.0, 46.0
COLUMNS = 560
MOST_HZ, MOST_SECONDS = 5000.0, 60.0
MOST_LISTED = 20


@dataclass(frozen=True)
class Drawn:
    """A stored trace as the page shows it: its outline, what it measures, its drop-outs."""

    row: ScopeTrace
    points: str
    top: str
    bottom: str
    seconds: str
    figures: list[tuple[str, str]]
    gaps: list[str]


def read(case: Case, user: User, name: str, data: bytes) -> list[ScopeTrace]:
    """Every channel of a CSV file, measured and stored. Raises BadInput; then nothing is stored."""
    found = [(trace, _measured(trace)) for trace in read_csv(data)]
    label = name.rsplit("/", 1)[-1][:60]
    with in_turn():
        return [_store(case, user, f"{label}: {trace.name}", trace, told) for trace, told in found]


def record(case: Case, user: User, component: str, node: str, *, duty: float, hz: float, moving: bool) -> ScopeTrace:
    """Record at the stand-in. Raises BadInput for a place, duty or frequency that cannot be, or a real vehicle."""
    made = circuits.model_of(case, component)
    if not 0.0 <= hz <= MOST_HZ or not 0.0 <= duty <= 1.0:
        raise BadInput("That command cannot be.", remedies=(f"0 to 100 %, 0 to {MOST_HZ:g} Hz",))
    probe = Probe(Instrument.SCOPE_HIGH, node, GROUND, Setting(duty if made.circuit.commanded else 0.0))
    checked(made, probe)
    seconds = 20.0 if moving or hz == 0.0 else 12.0 / hz
    car, seconds = car_of(case.vehicle), min(seconds, MOST_SECONDS)
    found = car.record_scope(made.circuit, probe, hz=hz, seconds=seconds, moving=moving)
    if found is None:
        raise BadInput(
            "No stand-in is running behind this vehicle.", remedies=("read your oscilloscope's file instead",)
        )
    trace = Trace(place_words(made.circuit)[node], *found)
    how = "; harness moved from the 7th to the 12th second" if moving else ""
    label = f"{component.replace('_', ' ')}, {trace.name}, {stand_words(made.circuit, probe.setting)}{how}"
    return _store(case, user, label, trace, _measured(trace))


def listed(case: Case) -> list[Drawn]:
    """The traces of a case, the newest first."""
    return [_drawn(row) for row in case.scopetraces.select_related("by").order_by("-at", "-pk")[:MOST_LISTED]]


def trace_of(row: ScopeTrace) -> Trace:
    """A stored trace."""
    both = np.frombuffer(zlib.decompress(bytes(row.packed)), dtype=np.float32).astype(np.float64).reshape(2, -1)
    return Trace(row.label, both[0], both[1], row.unit)


def file_of(case: Case, number: int) -> tuple[str, str]:
    """(name, CSV) of a stored trace. Raises BadInput when the case has no such one."""
    row = case.scopetraces.filter(pk=number).first()
    if row is None:
        raise BadInput("This case has no such trace.", remedies=("choose one from the list",))
    return f"trace-{case.number}-{row.pk}.csv", write_csv((trace_of(row),))


def _store(case: Case, user: User, label: str, trace: Trace, told: dict[str, Any]) -> ScopeTrace:
    packed = zlib.compress(np.stack([trace.times, trace.values]).astype(np.float32).tobytes(), 6)
    return ScopeTrace.objects.create(
        case=case, by=user, label=label[:120], unit=trace.unit, count=len(trace.times), packed=packed, measured=told
    )


def _measured(trace: Trace) -> dict[str, Any]:
    found = measure(trace)
    told: dict[str, Any] = {"low": found.low, "high": found.high, "mean": found.mean}
    if found.frequency is None:
        gaps = drop_outs(trace)
        return told | {
            "gaps": [[gap.start, gap.end, gap.deepest] for gap in gaps[:MOST_LISTED]],
            "gap_count": len(gaps),
        }
    return told | {
        "frequency": found.frequency,
        "duty_low": found.duty_low,
        "rise_s": found.rise_s,
        "edges": len(found.ups) + len(found.downs),
    }


def _drawn(row: ScopeTrace) -> Drawn:
    trace, told = trace_of(row), row.measured
    unit = row.unit
    figures = [
        (name, f"{told[key]:.2f} {unit}")
        for name, key in (("low level", "low"), ("high level", "high"), ("mean", "mean"))
    ]
    if told.get("frequency"):
        figures.append(("frequency", f"{told['frequency']:.1f} Hz"))
        if told.get("duty_low") is not None:
            low = 100.0 * told["duty_low"]
            figures += [("time low (ground-side duty)", f"{low:.1f} %"), ("time high", f"{100.0 - low:.1f} %")]
        if told.get("rise_s"):
            figures.append(("rise, 10 to 90 %", f"{1e6 * told['rise_s']:.0f} µs"))
        figures.append(("edges", str(told["edges"])))
    gaps = [
        f"at {start:.2f} s, {1000.0 * (end - start):.0f} ms, to {deepest:.2f} {unit}"
        for start, end, deepest in told.get("gaps", [])
    ]
    bottom, top = float(trace.values.min()), float(trace.values.max())
    span = max(top - bottom, 0.5)
    return Drawn(
        row,
        _outline(trace, bottom, span),
        f"{bottom + span:.1f}",
        f"{bottom:.1f}",
        f"{trace.times[-1] - trace.times[0]:.4g} s",
        figures,
        gaps,
    )


def _outline(trace: Trace, bottom: float, span: float) -> str:
    """Lowest and highest of each column, so that no spike or gap is lost in drawing."""
    times, values = trace.times, trace.values
    share = (times - times[0]) / (times[-1] - times[0])
    column = np.minimum((share * COLUMNS).astype(int), COLUMNS - 1)
    starts = np.flatnonzero(np.r_[True, np.diff(column) > 0])
    lows, highs = np.minimum.reduceat(values, starts), np.maximum.reduceat(values, starts)
    points = []
    for place, low, high, first in zip(column[starts], lows, highs, values[starts], strict=True):
        x = LEFT + place * (WIDTH - LEFT - 6.0) / COLUMNS
        ends = (low, high) if first - low <= high - first else (high, low)
        points += [f"{x:.1f},{HEIGHT - 16.0 - (value - bottom) / span * (HEIGHT - 28.0):.1f}" for value in ends]
    return " ".join(points)
