"""Engine: cams, misfires by cylinder, warm-up, temperatures after rest, charging, throttle, tank.

Limits: common practice. Misfire per cent = counts / (revolutions · cylinders / 2) (SAE J1979 / 13 CCR 1968.2 [S]).
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from gumshoe.core.knowledge import by_place
from gumshoe.core.knowledge.rows import USUAL_THERMOSTAT_C
from gumshoe.core.powertrain.description import Evap, Fuel, Phasers, Powertrain, Throttle
from gumshoe.core.signals.detectors.model import Context, Finding, Grid, Rule, known
from gumshoe.core.signals.response import best_lag

CAM_OFF_DEG, CAM_LAG_S, CAM_MOVED_DEG, STUCK_SHARE = 3.0, 0.8, 4.0, 0.25
ALIKE_DEG = 2.0
MISFIRES_PCT = 1.0
COLD_C, RISES_S, SHORT_C, FALLS_C = 45.0, 900.0, 10.0, 9.0
AGREE_C = 6.0
RESTED_S = 25.0
CHARGES_V = (13.2, 15.0)
TRAVEL_PCT = 45.0
TRACKS_PCT, JUMP_PCT = 4.0, 14.0
VACUUM_PA, HOLDS_SHARE, HOLD_S = -250.0, 0.35, 20.0


def cams(grid: Grid, context: Context) -> Iterator[Finding]:
    """Every cam against its command: off when steady, late, or standing still; and which of them alike."""
    where = grid.running & grid.warm
    off: dict[str, float] = {}
    bad: dict[str, str] = {}
    span = (float(grid.times[0]), float(grid.times[-1]))
    for name in _cams_of(context.powertrain):
        wanted, got = grid[_key(name, True)], grid[_key(name, False)]
        stretches = grid.stretches(where & np.isfinite(wanted) & np.isfinite(got), 4.0)
        if not stretches:
            continue
        best = max(stretches, key=lambda one: float(np.ptp(wanted[one])) + 1e-3 * (one.stop - one.start))
        a, b = wanted[best], got[best]
        moved = float(np.ptp(a))
        lag, gain, _ = best_lag(grid.times[best], a, b) if moved >= CAM_MOVED_DEG else (0.0, 1.0, 0.0)
        settled = np.abs(np.gradient(np.convolve(a, np.ones(15) / 15.0, mode="same"))) < 0.02
        error = float(np.median((b - a)[settled])) if settled.any() else float(np.median(b - a))
        off[name] = error
        words = _cam_words(name, context.powertrain)
        if moved >= CAM_MOVED_DEG and gain < STUCK_SHARE:
            bad[name] = f"{words} stands still while {moved:.0f}° are asked for"
        elif lag > CAM_LAG_S:
            bad[name] = f"{words} follows {lag:.1f} s late"
        elif abs(error) > CAM_OFF_DEG:
            bad[name] = f"{words} stands {error:+.1f}° off"
        span = grid.span(best)
    if not off:
        return
    if not bad:
        worst = max(off.values(), key=abs)
        yield Finding("cams", f"Cams follow: at most {abs(worst):.1f}° off.", *span, True, "cam_command", "good")
        return
    words = "; ".join(bad.values()) + "."
    yield Finding("cams", words[0].upper() + words[1:], *span, False, "cam_command", _which_cams(off, bad, context))


def _which_cams(off: dict[str, float], bad: dict[str, str], context: Context) -> str:
    """``one``, ``bank`` or ``all``, and which: cams that are off alike share their drive."""
    if len(bad) == len(off) > 1 and np.ptp(list(off.values())) <= ALIKE_DEG and len({name[-1] for name in off}) > 1:
        return "all"
    for bank in sorted({name[-1] for name in bad}):
        own = [name for name in off if name[-1] == bank]
        if len(own) > 1 and set(own) <= set(bad) and np.ptp([off[name] for name in own]) <= ALIKE_DEG:
            return by_place.outcome_at("bank", by_place.BANK, bank, context.powertrain)
    first = next(iter(bad))
    spot = by_place.cam_at(first[:-1], int(first[-1])) if len(bad) == 1 else ""
    return by_place.outcome_at("one", by_place.CAM, spot, context.powertrain)


def _cams_of(powertrain: Powertrain) -> list[str]:
    kinds = {
        Phasers.NONE: (),
        Phasers.INTAKE: ("intake",),
        Phasers.EXHAUST: ("exhaust",),
        Phasers.BOTH: ("intake", "exhaust"),
    }[powertrain.phasers]
    return [f"{kind}{bank}" for bank in range(1, powertrain.banks + 1) for kind in kinds]


def _key(name: str, commanded: bool) -> str:
    return f"cam_{name[:-1]}{'_cmd' if commanded else ''}_b{name[-1]}_deg"


def _cam_words(name: str, powertrain: Powertrain) -> str:
    return f"the {name[:-1]} cam" + (f" of bank {name[-1]}" if powertrain.banks > 1 else "")


def misfires(grid: Grid, context: Context) -> Iterator[Finding]:
    """Misfires of each cylinder as a share of its combustions, over the recording."""
    rpm = grid["rpm"]
    turns = float(np.nansum(np.where(grid.running, rpm, 0.0)) * grid.step / 60.0)
    if turns < 200.0:
        return
    shares = {}
    for cylinder in range(1, context.powertrain.cylinders + 1):
        counts = np.rint(known(grid[f"misfire_c{cylinder}"]))
        if counts.size:
            rises = np.diff(counts)
            shares[cylinder] = 100.0 * float(rises[rises > 0].sum()) / (turns / 2.0)
    if not shares:
        return
    worst = max(shares, key=lambda cylinder: shares[cylinder])
    span = float(grid.times[0]), float(grid.times[-1])
    if shares[worst] < MISFIRES_PCT:
        yield Finding("misfires", f"No cylinder misfires: at most {shares[worst]:.1f} %.", *span, True)
        return
    where = np.flatnonzero(np.diff(np.nan_to_num(grid[f"misfire_c{worst}"])) > 0)
    begin, end = float(grid.times[where[0]]), float(grid.times[where[-1] + 1])
    rpm_there = float(np.median(known(rpm[where + 1])))
    bad = {number: share for number, share in shares.items() if share >= MISFIRES_PCT}
    named = ", ".join(f"{number} {share:.1f} %" for number, share in bad.items())
    rest = max((share for number, share in shares.items() if number not in bad), default=0.0)
    which = f"Cylinder {worst} misfires" if len(bad) == 1 else "Cylinders misfire:"
    words = f"{which} {named.removeprefix(f'{worst} ') if len(bad) == 1 else named} (around {rpm_there:.0f} rpm)"
    words += f"; the others at most {rest:.1f} %." if len(bad) < len(shares) else "."
    yield Finding("misfires", words, begin, end, False, cylinders=tuple(sorted(bad)))


def warm_up(grid: Grid, context: Context) -> Iterator[Finding]:
    """Coolant from a cold start: whether it reaches the thermostat's temperature, and stays."""
    coolant = grid["coolant_c"]
    running = np.flatnonzero(grid.running & np.isfinite(coolant))
    if not running.size:
        return
    told = context.specification.thermostat_c
    target = (USUAL_THERMOSTAT_C if told is None else told) - SHORT_C
    first, last = int(running[0]), int(running[-1])
    seconds = (last - first) * grid.step
    reached = np.flatnonzero(grid.running & (coolant >= target))
    if reached.size:
        top = int(reached[0])
        driven = (grid.running & (np.nan_to_num(grid["speed_kmh"]) > 60.0))[top:]
        here = np.nan_to_num(coolant[top:], nan=target)
        fallen = np.where(driven, np.maximum.accumulate(here) - here, 0.0)
        if np.count_nonzero(fallen > FALLS_C) * grid.step >= 20.0:
            low = float(np.min(here[driven]))
            words = f"Coolant falls to {low:.0f} °C at cruise after it was warm: the thermostat stays open."
            yield Finding("warm_up", words, *grid.span(slice(top, last)), False, "warm_up_curve", "bad")
        elif float(coolant[first]) < COLD_C:
            took = (top - first) * grid.step / 60.0
            words = f"Coolant rose from {coolant[first]:.0f} to {target:.0f} °C in {took:.0f} minutes and stays."
            yield Finding("warm_up", words, *grid.span(slice(first, last)), True, "warm_up_curve", "good")
    elif seconds >= RISES_S and float(coolant[first]) < COLD_C:
        words = f"Coolant reaches only {np.nanmax(coolant):.0f} °C in {seconds / 60.0:.0f} minutes: the thermostat."
        yield Finding("warm_up", words, *grid.span(slice(first, last)), False, "warm_up_curve", "bad")


def cold_soak(grid: Grid, _context: Context) -> Iterator[Finding]:
    """Temperatures beside each other before the day's first start."""
    values = {
        name: grid[key] for name, key in (("coolant", "coolant_c"), ("intake", "intake_c"), ("outside", "ambient_c"))
    }
    run = grid["run_time_s"]
    rested = ~grid.running | (np.nan_to_num(run, nan=1e9) < RESTED_S)
    told = {name: rows for name, rows in values.items() if np.isfinite(rows[rested]).any()}
    if len(told) < 2 or not rested[0]:
        return
    places = np.flatnonzero(rested & np.all([np.isfinite(rows) for rows in told.values()], axis=0))
    if not places.size:
        return
    at = int(places[0])
    here = {name: float(rows[at]) for name, rows in told.items()}
    outside = here.get("outside", here.get("intake", 0.0))
    if here.get("coolant", 0.0) > max(COLD_C, outside + 20.0):
        return  # it was driven not long ago
    middle = float(np.median(list(here.values())))
    odd = max(here, key=lambda name: abs(here[name] - middle))
    good = abs(here[odd] - middle) <= AGREE_C
    listed = ", ".join(f"{name} {value:.0f}" for name, value in here.items())
    said = "they agree" if good else f"{odd} is off"
    span = grid.span(slice(at, min(at + 20, len(grid.times) - 1)))
    words = f"After rest: {listed} °C: {said}."
    yield Finding("cold_soak", words, *span, good, "cold_soak", "good" if good else "bad")


def charging(grid: Grid, _context: Context) -> Iterator[Finding]:
    """Supply voltage with the engine running."""
    volts = grid["module_v"]
    stretches = grid.stretches(grid.running & np.isfinite(volts) & (grid["rpm"] > 600.0), 10.0)
    if not stretches:
        return
    best = max(stretches, key=lambda one: one.stop - one.start)
    value = float(np.median(volts[best]))
    good = CHARGES_V[0] <= value <= CHARGES_V[1]
    said = "charging holds" if good else ("too low" if value < CHARGES_V[0] else "too high")
    words = f"Supply {value:.1f} V with the engine running: {said}."
    yield Finding("charging", words, *grid.span(best), good, "charging_volts", "good" if good else "bad")


def throttle(grid: Grid, _context: Context) -> Iterator[Finding]:
    """A sweep with the engine off: both tracks agree, and nothing jumps."""
    one, other = grid["throttle_pct"], grid["throttle_b_pct"]
    where = ~grid.running & np.isfinite(one) & np.isfinite(other)
    for stretch in grid.stretches(where, 1.5):
        a, b = one[stretch], other[stretch]
        if float(np.ptp(a)) < TRAVEL_PCT:
            continue
        slope, offset = np.polyfit(a, b, 1)
        apart = float(np.max(np.abs(b - slope * a - offset)))
        # A hand moves evenly: a jump is one that its neighbours do not have.
        steps = np.abs(np.diff(a))
        usual = float(np.percentile(steps, 90))
        jump = float(steps.max())
        jumps = jump > max(JUMP_PCT, 4.0 * usual)
        good = apart <= TRACKS_PCT and not jumps
        said = "smooth, the tracks agree" if good else ("the tracks disagree" if apart > TRACKS_PCT else "it jumps")
        words = f"Sweep over {np.ptp(a):.0f} %: tracks at most {apart:.1f} % apart, largest step {jump:.0f} %: {said}."
        yield Finding("throttle", words, *grid.span(stretch), good, "throttle_sweep", "good" if good else "bad")
        return


def tank(grid: Grid, _context: Context) -> Iterator[Finding]:
    """Vacuum in a closed tank: whether it holds when nothing purges."""
    pressure, purge = grid.one_of("tank_pa", "tank_wide_pa"), np.nan_to_num(grid["purge_pct"])
    under = np.isfinite(pressure) & (pressure <= VACUUM_PA)
    shut = np.isfinite(pressure) & (purge <= 0.5)
    for stretch in grid.stretches(shut, HOLD_S):
        inside = np.flatnonzero(under[stretch])
        if not inside.size or (len(pressure[stretch]) - inside[0]) * grid.step < HOLD_S:
            continue
        start = stretch.start + int(inside[0])
        held = slice(start, min(start + int(60.0 / grid.step), stretch.stop))
        first, last = float(np.median(pressure[held][:5])), float(np.median(pressure[held][-5:]))
        seconds = (held.stop - held.start) * grid.step
        lost = (1.0 - last / first) * 60.0 / seconds
        good = lost <= HOLDS_SHARE
        said = "it holds" if good else "it falls: a leak, or a valve that does not close"
        words = f"Tank at {first:.0f} Pa loses {max(100.0 * lost, 0.0):.0f} % a minute: {said}."
        yield Finding("tank", words, *grid.span(held), good, "purge_hold", "good" if good else "bad")
        return


def _phased(powertrain: Powertrain) -> bool:
    return powertrain.phasers is not Phasers.NONE


def _sealed(powertrain: Powertrain) -> bool:
    return powertrain.evap in (Evap.VACUUM, Evap.PUMP)


CAM = "cam_intake_b1_deg|cam_exhaust_b1_deg"
CAM_CMD = "cam_intake_cmd_b1_deg|cam_exhaust_cmd_b1_deg"
RULES = (
    Rule("cams", "Cams, commanded and actual", ("rpm", CAM, CAM_CMD), cams, "cam_command", _phased),
    Rule(
        "misfires",
        "Misfires by cylinder",
        ("rpm", "misfire_c1"),
        misfires,
        "coil_swap",
        lambda p: p.fuel is not Fuel.DIESEL,
    ),
    Rule("warm_up", "Warm-up", ("rpm", "coolant_c"), warm_up, "warm_up_curve"),
    Rule("cold_soak", "Temperatures after rest", ("coolant_c", "intake_c|ambient_c", "rpm"), cold_soak, "cold_soak"),
    Rule("charging", "Charging", ("rpm", "module_v"), charging, "charging_volts"),
    Rule(
        "throttle",
        "Throttle sweep",
        ("rpm", "throttle_pct", "throttle_b_pct"),
        throttle,
        "throttle_sweep",
        lambda powertrain: powertrain.throttle is Throttle.ELECTRONIC,
    ),
    Rule("tank", "Tank pressure", ("tank_pa|tank_wide_pa", "purge_pct", "rpm"), tank, "purge_hold", _sealed),
)
