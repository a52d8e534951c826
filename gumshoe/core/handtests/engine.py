"""Arithmetic of the hand tests on the engine. Limits: common practice, no source, unless the table says otherwise."""

from __future__ import annotations

import math
from statistics import mean, stdev

from gumshoe.core.handtests.rows import Figure, LimitVerdict, Values, Worked, by_cylinder, choice, cylinders, number

WORN_GAP, ROUNDING = 1.0 / 3.0, 1e-6
EVEN = 75.0
LEAK_FINE, LEAK_BAD = 10.0, 25.0
BALANCE = 12.0
HELD, HELD_MINUTES = 80.0, 10.0
ALONG_MM, ACROSS_MM = 0.10, 0.50
IDLE_CLEAN, FAST_NORMAL, FAST_BLOCKED, NOTHING = 15.0, 65.0, 100.0, 3.0
FAST_RPM = 2500.0


def plug_gap(values: Values) -> Worked:
    """Wear of each plug against the specified gap."""
    spec, gaps = number(values, "spec"), by_cylinder(values, "gap")
    wear = [gap / spec - 1.0 for gap in gaps]
    figures = tuple(Figure(f"wear, cylinder {n}", 100.0 * share, "%", 0) for n, share in enumerate(wear, 1))
    worn = [n for n, share in enumerate(wear, 1) if share >= WORN_GAP - ROUNDING]
    closed = [n for n, share in enumerate(wear, 1) if share < -0.15]
    widest = max(gaps)
    if worn:
        words = f"Worn out: {cylinders(worn)}. The others of the set are as old."
        return Worked(figures, LimitVerdict.BAD, words, widest, "worn")
    if closed:
        return Worked(
            figures, LimitVerdict.WATCH, f"Closed up: {cylinders(closed)}. Dropped, or struck.", widest, "good"
        )
    return Worked(figures, LimitVerdict.GOOD, "Gaps are right.", widest, "good")


def compression(values: Values) -> Worked:
    """Lowest against highest."""
    found = by_cylinder(values, "kpa")
    return _against_highest(found, "kPa", "A wet test or leak-down shows where it goes.", number_wanted=True)


def relative_compression(values: Values) -> Worked:
    """Humps of the cranking current against the highest."""
    valley = number(values, "valley")
    humps = tuple(peak - valley for peak in by_cylinder(values, "peak"))
    worked = _against_highest(humps, "A", "Compression with a gauge on the low ones: a hump follows it only roughly.")
    found = "even" if worked.verdict is LimitVerdict.GOOD else "one low"
    return Worked(worked.figures, worked.verdict, worked.words, found, cylinder=worked.cylinder)


def _against_highest(found: tuple[float, ...], unit: str, then: str, *, number_wanted: bool = False) -> Worked:
    highest = max(found)
    shares = [100.0 * value / highest if highest > 0.0 else 0.0 for value in found]
    figures = tuple(Figure(f"cylinder {n}", share, "% of the highest", 0) for n, share in enumerate(shares, 1))
    lowest = min(shares)
    reading = lowest if number_wanted else None
    low = [n for n, share in enumerate(shares, 1) if share < EVEN]
    if low:
        neighbours = [n for n in low if n + 1 in low]
        gasket = (
            f" {cylinders([neighbours[0], neighbours[0] + 1]).capitalize()} side by side: the head gasket."
            if neighbours
            else ""
        )
        worst = shares.index(lowest) + 1
        words = f"Low: {cylinders(low)}. {then}{gasket}"
        return Worked(figures, LimitVerdict.BAD, words, reading, cylinder=worst)
    return Worked(
        figures,
        LimitVerdict.GOOD,
        f"Even: the lowest has {lowest:.0f} % of the highest ({highest:.0f} {unit}).",
        reading,
    )


def leak_down(values: Values) -> Worked:
    """Loss of each cylinder."""
    supply = number(values, "supply")
    losses = [100.0 * (supply - held) / supply for held in by_cylinder(values, "held")]
    figures = tuple(Figure(f"loss, cylinder {n}", loss, "%", 0) for n, loss in enumerate(losses, 1))
    bad = [n for n, loss in enumerate(losses, 1) if loss > LEAK_BAD]
    found = "above a quarter" if bad else "below a quarter"
    if bad:
        return Worked(
            figures,
            LimitVerdict.BAD,
            f"{cylinders(bad).capitalize()}: hiss at the throttle, the intake valve; at the exhaust, its valve; at the"
            " filler, rings; bubbles in the radiator, the head gasket.",
            found,
            cylinder=losses.index(max(losses)) + 1,
        )
    if max(losses) > LEAK_FINE:
        return Worked(figures, LimitVerdict.WATCH, "Worn, but not the cause of a dead cylinder.", found)
    return Worked(figures, LimitVerdict.GOOD, "Tight.", found)


def injector_balance(values: Values) -> Worked:
    """Deviation of each drop from the mean; negative delivers too little."""
    before = number(values, "before")
    drops = [before - after for after in by_cylinder(values, "after")]
    middle = mean(drops)
    off = [100.0 * (drop - middle) / middle if middle > 0.0 else 0.0 for drop in drops]
    figures = tuple(
        Figure(f"cylinder {n}: {drop:.0f} kPa", share, "%", 0)
        for n, (drop, share) in enumerate(zip(drops, off, strict=True), 1)
    )
    little = [n for n, share in enumerate(off, 1) if share < -BALANCE]
    much = [n for n, share in enumerate(off, 1) if share > BALANCE]
    said = []
    if little:
        said.append(f"too little: {cylinders(little)}")
    if much:
        said.append(f"too much: {cylinders(much)}")
    if said:
        worst = off.index(min(off)) + 1 if little else None
        return Worked(figures, LimitVerdict.BAD, ("; ".join(said) + ".").capitalize(), min(off), cylinder=worst)
    return Worked(figures, LimitVerdict.GOOD, "They deliver alike.", min(off))


def bleed_down(values: Values) -> Worked:
    """What is held, brought to ten minutes as an exponential fall."""
    first, later, minutes = (number(values, key) for key in ("first", "later", "minutes"))
    share = min(later / first, 1.0)
    at_ten = 100.0 * share ** (HELD_MINUTES / minutes)
    figures = (
        Figure("held", 100.0 * share, "%", 0),
        Figure("that is after ten minutes", at_ten, "%", 0),
        Figure("loss", (first - later) / minutes, "kPa/min"),
    )
    if at_ten < HELD:
        return Worked(
            figures,
            LimitVerdict.BAD,
            "It falls fast. If it holds with the supply pinched: the pump's check valve; with the return pinched: the"
            " regulator; with neither: an injector.",
            "falls fast",
        )
    return Worked(figures, LimitVerdict.GOOD, "It holds.", "holds")


def bearing_clearance(values: Values) -> Worked:
    """Mean and its uncertainty for each cylinder: a single reading convicts nobody."""
    limit = number(values, "limit")
    found = values["play"]
    assert isinstance(found, tuple)
    figures, over, unsure = [], [], []
    for n, row in enumerate(found, 1):
        assert isinstance(row, tuple)
        middle = mean(row)
        about = 2.0 * stdev(row) / math.sqrt(len(row)) if len(row) > 1 else limit
        figures.append(Figure(f"cylinder {n}: mean ± {about:.3f}", middle, "mm", 3))
        if middle - about > limit:
            over.append(n)
        elif middle + about > limit:
            unsure.append(n)
    if over:
        return Worked(tuple(figures), LimitVerdict.BAD, f"Beyond the limit: {cylinders(over)}.", "beyond the limit")
    if unsure:
        return Worked(
            tuple(figures), LimitVerdict.WATCH, f"Not decided for {cylinders(unsure)}: read the dial more often."
        )
    return Worked(tuple(figures), LimitVerdict.GOOD, "Every rod is within the limit.", "within the limit")


def shaft_play(values: Values) -> Worked:
    """Play along and across against the limits; a wheel that touches decides."""
    along, across = number(values, "along"), number(values, "across")
    touches = choice(values, "wheel") != "clear all round"
    figures = (
        Figure("along, of the limit", 100.0 * along / ALONG_MM, "%", 0),
        Figure("across, of the limit", 100.0 * across / ACROSS_MM, "%", 0),
    )
    if touches or along > ALONG_MM or across > ACROSS_MM:
        why = "the wheel touches" if touches else ("play along it" if along > ALONG_MM else "play across it")
        return Worked(
            figures, LimitVerdict.BAD, f"The shaft is done: {why}. Ask what starved it of oil.", "play, rubbing or oil"
        )
    return Worked(figures, LimitVerdict.GOOD, "The shaft is good.", "free, little play")


def filter_restriction(values: Values) -> Worked:
    """Fit Δp = aQ + bQ² through idle and 2500 rpm; the sensor must read nothing at rest."""
    off, idle, fast = (number(values, key) for key in ("off", "idle", "fast"))
    idle_q = number(values, "idle_rpm") / FAST_RPM
    b = (fast - idle / idle_q) / (1.0 - idle_q)
    a = fast - b
    figures = (
        Figure("rising with the flow", a, "mbar", 0),
        Figure("rising with its square", b, "mbar", 0),
        Figure("at 2500 rpm, of the normal", 100.0 * fast / FAST_NORMAL, "%", 0),
    )
    bad = "too high or implausible"
    if abs(off) > NOTHING:
        return Worked(figures, LimitVerdict.BAD, "It reads with the engine off: sensor or hoses, not the filter.", bad)
    if fast <= idle:
        return Worked(
            figures, LimitVerdict.BAD, "It does not rise with the revs: sensor, hoses, or a broken filter.", bad
        )
    if fast >= FAST_BLOCKED:
        return Worked(figures, LimitVerdict.BAD, "Blocked: ash or soot? Read the model values and the history.", bad)
    if fast > FAST_NORMAL or idle > IDLE_CLEAN * 1.5:
        return Worked(figures, LimitVerdict.WATCH, "Filling: look at soot, ash and the last regeneration.", bad)
    return Worked(figures, LimitVerdict.GOOD, "As a clean filter's.", "as a clean filter's")
