"""Exhaust: the sensor behind the catalyst against the one before it, how fast that one answers, the particulate filter.

Limits: common practice. The filter's pressure follows Δp = a·Q + b·Q² (laminar and turbulent share, Darcy and
Forchheimer: physics); figures of a clean one at idle and 2500 rpm: common practice.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from gumshoe.core.powertrain.description import Aftertreatment, Fuel, Powertrain
from gumshoe.core.signals.detectors.model import Bools, Context, Finding, Floats, Grid, Rule, known, lively
from gumshoe.core.signals.response import best_lag

CRUISE_RPM = (1300.0, 3800.0)
STEADY_S = 20.0
SHARE = 0.3
"""Switching of the rear sensor as a share of the front's, from which the catalyst is poor."""
REAR_SWING_V = 0.12
SLOW_S, WEAK_GAIN = 0.9, 0.5
PERIOD_SHARE = 0.4
"""A lag beyond this share of the command's period cannot be told from an early answer."""
LEAST_SWITCHES = 6
SEEN_S, PARTS = 0.35, 8.0
"""A signal that comes more seldom does not show its switching; for its lag, so many samples to a period."""
CLEAN_MBAR = {"idle": 25.0, "fast": 90.0}
"""From these on a filter is not clean at idle and at 2500 rpm (10 to 15 and 60 to 65 are usual, 100 to 200 full)."""
ZERO_MBAR = 6.0
OFTEN_BROKEN, OFTEN, SOON_KM = 6, 5, 80.0
UNEVEN_MG = 0.6
USUAL_C = 200.0
REGENERATES_C = 550.0


def switches(values: Floats, step: float, least: float) -> int:
    """How often a signal swings from one side to the other, with a dead band against noise; 0 when it swings less than
    ``least``. What changes slowly does not count."""
    moving = lively(values, step)
    if moving.size < 4:
        return 0
    low, high = np.percentile(moving, [4, 96])
    if high - low < least:
        return 0
    middle, band = 0.5 * float(low + high), 0.2 * float(high - low)
    side = np.where(moving > middle + band, 1, np.where(moving < middle - band, -1, 0))
    told = side[side != 0]
    return int(np.count_nonzero(np.diff(told)))


def _cruising(grid: Grid) -> Bools:
    driving = np.nan_to_num(grid["speed_kmh"]) > 30.0 if not grid.recording.missing(["speed_kmh"]) else grid.running
    rpm = grid["rpm"]
    load = np.nan_to_num(grid["load_pct"], nan=40.0)
    return grid.warm & driving & (rpm >= CRUISE_RPM[0]) & (rpm <= CRUISE_RPM[1]) & (load > 16.0) & (load < 75.0)


def catalyst(grid: Grid, context: Context) -> Iterator[Finding]:
    """How often the rear sensor switches against the front, at steady cruise; the worst bank speaks."""
    where = _cruising(grid) & grid.steady("rpm", 500.0, 8.0)
    stretches = grid.stretches(where, STEADY_S)
    if not stretches:
        return
    best = max(stretches, key=lambda one: one.stop - one.start)
    seconds = (best.stop - best.start) * grid.step
    told: list[tuple[float, str]] = []
    for bank in range(1, context.powertrain.banks + 1):
        front = grid.one_of(f"lambda_b{bank}s1", f"lambda_v_b{bank}s1", f"o2_b{bank}s1_v")[best]
        least = 0.3 if not grid.recording.missing([f"o2_b{bank}s1_v"]) else 0.004
        if not grid.quick(f"o2_b{bank}s2_v", SEEN_S):
            continue
        ahead = switches(front, grid.step, least)
        behind = switches(grid[f"o2_b{bank}s2_v"][best], grid.step, REAR_SWING_V)
        if ahead >= LEAST_SWITCHES:
            of_bank = f"bank {bank}: " if context.powertrain.banks > 1 else ""
            rear, lead = (count * 60.0 / seconds for count in (behind, ahead))
            words = f"{of_bank}the rear switches {rear:.0f} times a minute, the front {lead:.0f}"
            told.append((behind / ahead, words))
    if told:
        share, words = max(told)
        good = share < SHARE
        said = "the catalyst holds oxygen" if good else "the catalyst stores hardly any oxygen"
        outcome = "good" if good else "bad"
        yield Finding("catalyst", f"Catalyst, {words}: {said}.", *grid.span(best), good, "catalyst_switching", outcome)


def upstream(grid: Grid, context: Context) -> Iterator[Finding]:
    """How late and how far the upstream sensor follows the mixture that is commanded."""
    where = grid.running & grid.warm & np.isfinite(grid["lambda_cmd"]) & grid.steady("rpm", 400.0, 6.0)
    stretches = grid.stretches(where, 15.0)
    if not stretches:
        return
    best = max(stretches, key=lambda one: one.stop - one.start)
    wanted = grid["lambda_cmd"][best]
    turns = switches(wanted, grid.step, 0.008)
    if turns < LEAST_SWITCHES:
        return
    period = 2.0 * (best.stop - best.start) * grid.step / turns
    most = min(PERIOD_SHARE * period, 3.0)
    for bank in range(1, context.powertrain.banks + 1):
        got = grid.one_of(f"lambda_b{bank}s1", f"lambda_v_b{bank}s1")[best]
        key = f"lambda_b{bank}s1" if not grid.recording.missing([f"lambda_b{bank}s1"]) else f"lambda_v_b{bank}s1"
        if (
            not np.isfinite(got).all()
            or not grid.quick(key, period / PARTS)
            or not grid.quick("lambda_cmd", period / PARTS)
        ):
            continue
        lag, gain, _ = best_lag(grid.times[best], lively(wanted, grid.step), lively(got, grid.step), most)
        good = lag <= SLOW_S and gain >= WEAK_GAIN
        of_bank = f" of bank {bank}" if context.powertrain.banks > 1 else ""
        said = "answers as it should" if good else ("answers late" if gain >= WEAK_GAIN else "is slow and hardly moves")
        words = f"The upstream sensor{of_bank} follows the mixture {lag:.1f} s later, gain {gain:.2f}: it {said}."
        yield Finding("upstream", words, *grid.span(best), good, "upstream_response", "good" if good else "slow")


@dataclass(frozen=True)
class PressureFit:
    """Δp = a·Q + b·Q² (mbar, Q in g/s): the filter's resistance, and its pressure at no flow."""

    linear: float
    square: float
    zero: float

    def at(self, flow_gps: float) -> float:
        """Pressure drop at an air flow, in mbar."""
        return self.linear * flow_gps + self.square * flow_gps * flow_gps


def fit_pressure(flow_gps: Floats, mbar: Floats) -> PressureFit:
    """Least squares with the zero as it was read at rest, coefficients not below nothing."""
    still = flow_gps < 0.3
    zero = float(np.median(mbar[still])) if still.any() else 0.0
    table = np.stack([flow_gps, flow_gps**2], axis=1)[~still]
    height = (mbar - zero)[~still]
    linear, square = np.linalg.lstsq(table, height, rcond=None)[0] if len(table) > 2 else (0.0, 0.0)
    if square < 0.0:
        linear, square = float(np.sum(table[:, 0] * height) / np.sum(table[:, 0] ** 2)), 0.0
    elif linear < 0.0:
        linear, square = 0.0, float(np.sum(table[:, 1] * height) / np.sum(table[:, 1] ** 2))
    return PressureFit(float(linear), float(square), zero)


def _through_filter(grid: Grid) -> Floats:
    """The flow through the filter: grams of air a second, as many as at 200 °C where the exhaust's temperature is told
    (gas law: what drops pressure is volume)."""
    flow = grid.one_of("maf_gps", "maf_a_gps")
    celsius = grid.one_of("filter_in_b1_c", "exhaust_b1s2_c", "exhaust_b1s3_c")
    if not np.isfinite(celsius).any():
        return flow
    return flow * (np.where(np.isfinite(celsius), celsius, USUAL_C) + 273.15) / (USUAL_C + 273.15)


def particulate_filter(grid: Grid, _context: Context) -> Iterator[Finding]:
    """The filter's pressure against the flow through it."""
    flow, drop = _through_filter(grid), 10.0 * grid["filter_b1_kpa"]
    rpm = grid["rpm"]
    here = np.isfinite(flow) & np.isfinite(drop) & np.isfinite(rpm)
    moving = here & (flow > 0.3)
    if np.count_nonzero(moving) * grid.step < 10.0 or float(np.ptp(flow[moving])) < 5.0:
        return
    fit = fit_pressure(flow[here], drop[here])
    span = float(grid.times[here][0]), float(grid.times[here][-1])
    wrong: list[str] = []
    told: list[str] = []
    for name, low, high in (("idle", 500.0, 1100.0), ("fast", 2300.0, 2700.0)):
        at = here & (rpm >= low) & (rpm <= high)
        if np.count_nonzero(at) * grid.step >= 3.0:
            value = fit.at(float(np.median(flow[at])))
            told.append(f"{value:.0f} mbar at {'idle' if name == 'idle' else '2500 rpm'}")
            if value > CLEAN_MBAR[name]:
                wrong.append("too high")
    if abs(fit.zero) > ZERO_MBAR:
        wrong.append(f"{fit.zero:+.0f} mbar with no flow: the sensor or its hoses")
    left = drop[moving] - fit.zero - (fit.linear * flow[moving] + fit.square * flow[moving] ** 2)
    if float(np.std(left)) > 0.5 * max(float(np.std(drop[moving])), 1.0):
        wrong.append("it does not rise and fall with the flow: the sensor or its hoses")
    if told or wrong:
        good = not wrong
        said = "as a clean filter's" if good else "; ".join(dict.fromkeys(wrong))
        words = f"Filter pressure {', '.join(told) or 'against flow'}: {said}."
        yield Finding("filter", words, *span, good, "filter_pressure", "good" if good else "bad")


def regeneration(grid: Grid, _context: Context) -> Iterator[Finding]:
    """Whether a regeneration was in progress: told by the control unit, or hot exhaust that no load asks for."""
    hot = grid.one_of("exhaust_b1s2_c", "filter_in_b1_c", "exhaust_b1s3_c") > REGENERATES_C
    light = np.nan_to_num(grid["load_pct"], nan=0.0) < 60.0
    asked = np.nan_to_num(grid["regenerating"]) > 0.5
    for stretch in grid.stretches(grid.running & ((hot & light) | asked), 20.0)[:1]:
        words = "A regeneration was in progress: exhaust above 550 °C without load. Not over dry grass; let it finish."
        yield Finding("regeneration", words, *grid.span(stretch), True)


def regeneration_history(grid: Grid, _context: Context) -> Iterator[Finding]:
    """What the control unit remembers of regenerations: how many were completed and broken off, and how long ago."""
    done, broken, away = (known(grid[key]) for key in ("regenerations", "regenerations_broken", "regeneration_km"))
    if not done.size or not broken.size or not away.size:
        return
    completed, begun = float(np.rint(done[-1])), float(np.rint(done[-1] + broken[-1]))
    if begun < 1.0:
        return
    never = begun >= OFTEN_BROKEN and completed < 0.34 * begun
    often = completed >= OFTEN and float(away[-1]) < SOON_KM
    words = f"{completed:.0f} of {begun:.0f} regenerations completed, the last {away[-1]:.0f} km ago"
    said = "hardly one is completed: short trips" if never else "they come too often" if often else "as they should be"
    outcome = "bad" if never or often else "good"
    span = float(grid.times[0]), float(grid.times[-1])
    yield Finding("history", f"{words}: {said}.", *span, outcome == "good", "regeneration_history", outcome)


def balance(grid: Grid, context: Context) -> Iterator[Finding]:
    """What each cylinder of a diesel is given more than the others at warm idle."""
    where = grid.idle & grid.warm
    if np.count_nonzero(where) * grid.step < 10.0:
        return
    given = {}
    for cylinder in range(1, context.powertrain.cylinders + 1):
        values = known(grid[f"injector_correction_c{cylinder}_mg"][where])
        if values.size:
            given[cylinder] = float(np.median(values[-max(values.size // 3, 1) :]))
    if len(given) < context.powertrain.cylinders:
        return
    worst = max(given, key=lambda cylinder: given[cylinder])
    rest = float(np.median([value for cylinder, value in given.items() if cylinder != worst]))
    more, stretches = given[worst] - rest, grid.stretches(where, 5.0)
    span = grid.span(max(stretches, key=lambda one: one.stop - one.start)) if stretches else (0.0, 0.0)
    if more < UNEVEN_MG:
        words = f"Injection corrections are even: at most {more:.1f} mg apart."
        yield Finding("balance", words, *span, True, "balance_watch", "even")
    else:
        words = (
            f"Cylinder {worst} is given {more:.1f} mg a stroke more than the others: its injector or its compression."
        )
        yield Finding("balance", words, *span, False, "balance_watch", "one")


def _petrol(powertrain: Powertrain) -> bool:
    return powertrain.fuel is not Fuel.DIESEL


def _filtered(powertrain: Powertrain) -> bool:
    return Aftertreatment.PARTICULATE_FILTER in powertrain.aftertreatment


FRONT = "lambda_b1s1|lambda_v_b1s1|o2_b1s1_v"
WIDE = "lambda_b1s1|lambda_v_b1s1"
RULES = (
    Rule("catalyst", "Catalyst", ("rpm", FRONT, "o2_b1s2_v"), catalyst, "catalyst_switching", _petrol),
    Rule(
        "upstream",
        "Upstream sensor",
        ("rpm", "lambda_cmd", WIDE),
        upstream,
        "upstream_rich",
        _petrol,
    ),
    Rule(
        "filter",
        "Particulate filter",
        ("rpm", "filter_b1_kpa", "maf_gps|maf_a_gps"),
        particulate_filter,
        "filter_pressure",
        _filtered,
    ),
    Rule(
        "regeneration",
        "Regeneration",
        ("rpm", "exhaust_b1s2_c|filter_in_b1_c|exhaust_b1s3_c"),
        regeneration,
        "regeneration_history",
        _filtered,
    ),
    Rule(
        "history",
        "Regeneration history",
        ("regenerations", "regenerations_broken", "regeneration_km"),
        regeneration_history,
        "regeneration_history",
        _filtered,
    ),
    Rule(
        "balance",
        "Injection corrections",
        ("rpm", "injector_correction_c1_mg"),
        balance,
        "balance_watch",
        lambda powertrain: powertrain.fuel is Fuel.DIESEL,
    ),
)
