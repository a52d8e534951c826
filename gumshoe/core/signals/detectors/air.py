"""Air: filling at full load, boost desired and actual, idle when loads are switched. Limits: common practice."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from gumshoe.core.powertrain.description import Induction
from gumshoe.core.signals.detectors.model import Context, Finding, Grid, Rule, known, lively

FULL_LOAD_PCT, FULL_THROTTLE_PCT = 85.0, 70.0
PEAK_RPM = (2000.0, 5200.0)
FILLING_PCT = 74.0
"""Naturally aspirated, near peak torque: 75 to 95 %."""
WANTED_KPA, SHORT_KPA, SETTLES_S = 15.0, 12.0, 1.5
IDLE_WANDERS_RPM = 45.0
SETTLED_S, LEAVES_S = 22.0, 3.0
HUNTS_S = 10.0
"""Hunting is quicker than this; what changes over longer is the engine settling."""
DIP_LOAD_PCT, RECOVERS_S = 4.0, 4.0


def filling(grid: Grid, _context: Context) -> Iterator[Finding]:
    """Volumetric efficiency with the throttle open, near peak torque."""
    rpm, share = grid["rpm"], grid["ve_pct"]
    opened = np.nan_to_num(grid.one_of("throttle_rel_pct", "throttle_pct")) >= FULL_THROTTLE_PCT
    full = (np.nan_to_num(grid["load_pct"]) >= FULL_LOAD_PCT) if not grid.recording.missing(["load_pct"]) else opened
    where = opened & full & (rpm >= PEAK_RPM[0]) & (rpm <= PEAK_RPM[1]) & np.isfinite(share)
    best = max(grid.stretches(where, 1.0), key=lambda one: one.stop - one.start, default=None)
    if best is None:
        return
    value = float(np.median(share[best]))
    good = value >= FILLING_PCT
    words = f"Filling at full load {value:.0f} %, at {float(np.median(rpm[best])):.0f} rpm"
    said = "sound" if good else "low: with lean trims the meter reads low, with normal ones the engine cannot breathe"
    outcome = "good" if good else "low"
    yield Finding("filling", f"{words}: {said}.", *grid.span(best), good, "full_load_filling", outcome)


def boost(grid: Grid, _context: Context) -> Iterator[Finding]:
    """Boost pressure against what is commanded, once it had time to build."""
    wanted, got = grid["boost_cmd_kpa"], grid["boost_kpa"]
    outside = np.nanmedian(grid["baro_kpa"]) if np.isfinite(grid["baro_kpa"]).any() else 101.0
    asked = grid.running & (wanted - outside >= WANTED_KPA) & np.isfinite(got)
    longest = sorted(grid.stretches(asked, SETTLES_S + 1.5), key=lambda one: one.start - one.stop)
    for stretch in longest:
        settled = slice(stretch.start + int(SETTLES_S / grid.step), stretch.stop)
        short = float(np.median((wanted - got)[settled]))
        if abs(short) <= SHORT_KPA:
            words = f"Boost follows its command within {abs(short):.0f} kPa."
            yield Finding("boost", words, *grid.span(settled), True, "boost_watch", "good")
        else:
            way = "lacks" if short > 0 else "exceeds by"
            first = "hoses and ducts first, then gate or vanes" if short > 0 else "the gate or vanes do not open"
            words = f"Boost {way} {abs(short):.0f} kPa against its command: {first}."
            outcome = "short" if short > 0 else "over"
            yield Finding("boost", words, *grid.span(settled), False, "boost_watch", outcome)
        return


def idle(grid: Grid, context: Context) -> Iterator[Finding]:
    """How steady a warm idle is; and whether it recovers when a consumer is switched."""
    quiet = grid.idle & grid.warm & (np.nan_to_num(grid.one_of("throttle_rel_pct", "pedal_d_pct"), nan=0.0) < 30.0)
    settled, leaves = int(SETTLED_S / grid.step), int(LEAVES_S / grid.step)
    stretches = [  # not the flare of the start or what coasting leaves, nor the pulling away
        slice(one.start + settled, one.stop - leaves)
        for one in grid.stretches(quiet, SETTLED_S + LEAVES_S + 12.0)
        if one.start or np.nan_to_num(grid["run_time_s"][0], nan=60.0) > SETTLED_S
    ]
    if not stretches:
        return
    stretch = max(stretches, key=lambda one: one.stop - one.start)
    rpm, load = grid["rpm"][stretch], grid["load_pct"][stretch]
    wide = max(int(1.0 / grid.step), 1)
    smooth = np.convolve(np.nan_to_num(load, nan=float(np.nanmedian(load))), np.ones(wide) / wide, mode="same")
    jump = smooth[2 * wide :] - smooth[: -2 * wide] if smooth.size > 4 * wide else np.zeros(0)
    inner = jump[wide:-wide] if jump.size > 2 * wide else np.zeros(0)
    if inner.size and float(np.max(np.abs(inner))) >= DIP_LOAD_PCT:
        at = int(np.argmax(np.abs(inner))) + 2 * wide
        before = float(np.nanmedian(rpm[max(at - 3 * wide, 0) : at]))
        after = rpm[at + int(RECOVERS_S / grid.step) : at + int((RECOVERS_S + 4.0) / grid.step)]
        low = float(np.nanmin(rpm[at : at + int(RECOVERS_S / grid.step)]))
        if known(after).size >= 5:
            off = float(np.nanmedian(after)) - before
            hunts = float(np.nanstd(after)) > IDLE_WANDERS_RPM
            good = abs(off) <= 60.0 and low >= 450.0 and not hunts
            said = "dips and recovers" if good else ("hunts" if hunts else "hangs" if off > 0 else "does not recover")
            words = f"A load switched at idle: speed falls to {low:.0f} and settles {off:+.0f} rpm off: {said}."
            begin = float(grid.times[stretch][at])
            outcome = "good" if good else "bad"
            yield Finding("idle", words, begin, begin + RECOVERS_S + 4.0, good, "idle_load", outcome)
    spread = float(np.std(lively(rpm, grid.step, HUNTS_S)))
    good = spread <= IDLE_WANDERS_RPM
    said = "steady" if good else "it wanders"
    idle, specified = float(np.nanmedian(rpm)), context.specification.idle_rpm
    against = "specification not known" if specified is None else f"{idle - specified:+.0f} against specification"
    words = f"Warm idle {idle:.0f} rpm ({against}), ±{spread:.0f}: {said}."
    yield Finding("idle", words, *grid.span(stretch), good)


RULES = (
    Rule("filling", "Filling at full load", ("rpm", "ve_pct", "throttle_rel_pct|throttle_pct"), filling, "look_filter"),
    Rule(
        "boost",
        "Boost, commanded and actual",
        ("rpm", "boost_kpa", "boost_cmd_kpa"),
        boost,
        "look_charge_pipes",
        lambda powertrain: powertrain.induction is not Induction.NATURAL,
    ),
    Rule("idle", "Idle, and when loads are switched", ("rpm", "load_pct"), idle, "idle_load"),
)
