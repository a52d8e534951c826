"""Arithmetic of the electrical hand tests. Limits: common practice, no source, unless said."""

from __future__ import annotations

import numpy as np

from gumshoe.core.handtests.rows import Figure, LimitVerdict, Values, Worked, choice, number

DROP_V = {"connection or ground": 0.1, "switch or wire": 0.2, "one whole side": 0.5}
COPPER_PER_C = 0.00393
"""Rise of copper's resistance per °C at 20 °C (physics; handbook value)."""
OHM_AT_20 = {
    "injector": (11.0, 18.0),
    "purge or vent valve": (15.0, 40.0),
    "oil control valve": (6.0, 14.0),
    "relay": (60.0, 100.0),
    "coil primary": (0.4, 2.0),
    "sensor heater": (2.0, 15.0),
}
CHARGE_V = ((11.8, 0.0), (12.0, 25.0), (12.2, 50.0), (12.4, 75.0), (12.6, 100.0))
CRANK_V, CHARGING_V = 9.6, (13.5, 14.8)
DRAIN_MA = 50.0
ASLEEP_MA = 10.0
"""What one circuit may take asleep: an alarm, a clock, a control unit's memory (common practice)."""
FUSE_MOHM = {
    "2 A": 53.5,
    "3 A": 31.1,
    "5 A": 17.9,
    "7.5 A": 10.9,
    "10 A": 7.7,
    "15 A": 4.8,
    "20 A": 3.4,
    "25 A": 2.5,
    "30 A": 2.0,
    "40 A": 1.4,
}
"""Cold resistance of blade fuses by rating (usual data sheets, from memory; 15 % either way)."""
USABLE = 0.5
"""Share of its capacity that a starter battery may lose and still start (common practice)."""


def voltage_drop(values: Values) -> Worked:
    """R = U ÷ I; the limit goes by what lies between the leads."""
    drop, current = number(values, "drop"), number(values, "current")
    limit = DROP_V[choice(values, "stretch")]
    figures = (
        Figure("resistance of the stretch", 1000.0 * drop / current, "mΩ"),
        Figure("heat in it", drop * current, "W"),
        Figure("limit", limit, "V", 2),
    )
    if drop <= limit:
        return Worked(figures, LimitVerdict.GOOD, "The stretch carries its current.")
    return Worked(figures, LimitVerdict.BAD, "Halve the stretch and measure again until the place is found.")


def resistance_20(values: Values) -> Worked:
    """R₂₀ = (R − leads) ÷ (1 + α (ϑ − 20))."""
    ohm = max(number(values, "ohm") - number(values, "leads"), 0.0)
    at_20 = ohm / (1.0 + COPPER_PER_C * (number(values, "celsius") - 20.0))
    low, high = OHM_AT_20[choice(values, "part")]
    figures = (Figure("at 20 °C", at_20, "Ω", 2), Figure("from", low, "Ω"), Figure("to", high, "Ω"))
    if at_20 < low:
        return Worked(
            figures, LimitVerdict.BAD, "Too low: turns shorted. It draws too much; look at its driver as well."
        )
    if at_20 > high:
        return Worked(figures, LimitVerdict.BAD, "Too high: open or corroded inside.")
    return Worked(
        figures, LimitVerdict.GOOD, "Usual for such a part. A winding can still open when hot: measure it hot."
    )


def battery(values: Values) -> Worked:
    """State of charge by the voltage at rest; cranking and charging against their limits."""
    rest, crank, charge = (number(values, key) for key in ("rest", "crank", "charge"))
    share = float(np.interp(rest, [v for v, _ in CHARGE_V], [s for _, s in CHARGE_V]))
    figures = (
        Figure("state of charge", share, "%", 0),
        Figure("drop while cranking", rest - crank, "V", 2),
        Figure("rise while charging", charge - rest, "V", 2),
    )
    said = []
    if share < 50.0:
        said.append("charge it before anything else is believed: half empty and less makes unrelated codes")
    if crank < CRANK_V:
        said.append("it breaks down while cranking: load test, then the drop of main wires and grounds")
    if charge < CHARGING_V[0]:
        said.append("it is not charged: belt, main wire, alternator")
    elif charge > CHARGING_V[1]:
        said.append("it is overcharged: the regulator")
    verdict = LimitVerdict.BAD if said else (LimitVerdict.WATCH if share < 75.0 else LimitVerdict.GOOD)
    words = "; ".join(said) or ("good, but not full" if share < 75.0 else "battery and charging are good")
    return Worked(figures, verdict, words[0].upper() + words[1:] + ".", rest)


def parasitic_drain(values: Values) -> Worked:
    """Days until half the capacity is gone, and what the time it stands takes."""
    milliamperes, capacity, stood = (number(values, key) for key in ("ma", "capacity", "stood"))
    amperes = milliamperes / 1000.0
    days = USABLE * capacity / (24.0 * amperes) if amperes else float("inf")
    taken = 100.0 * 24.0 * stood * amperes / capacity
    figures = (Figure("until half is gone", min(days, 9999.0), "days", 0), Figure("gone after standing", taken, "%"))
    if milliamperes > DRAIN_MA:
        return Worked(figures, LimitVerdict.BAD, "Too much: measure the drop across each fuse to find who draws it.")
    if taken > 100.0 * USABLE:
        return Worked(figures, LimitVerdict.WATCH, "A usual drain, but too long a stand for this battery.")
    return Worked(figures, LimitVerdict.GOOD, "A usual drain.")


def fuse_drop(values: Values) -> Worked:
    """I = U ÷ R of the fuse, which is left in its place."""
    drop, ohm = number(values, "mv"), FUSE_MOHM[choice(values, "fuse")]
    milliamperes = 1000.0 * drop / ohm
    figures = (
        Figure("current through it", milliamperes, "mA", 0),
        Figure("a tenth of a millivolt is", 100.0 / ohm, "mA", 0),
    )
    if milliamperes > DRAIN_MA:
        return Worked(
            figures, LimitVerdict.BAD, "Here it draws: unplug what hangs on this fuse one by one, the drop tells which."
        )
    if milliamperes > ASLEEP_MA:
        return Worked(figures, LimitVerdict.WATCH, "More than a circuit takes asleep: wait half an hour, then again.")
    return Worked(figures, LimitVerdict.GOOD, "This circuit sleeps.")
