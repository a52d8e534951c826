"""What the readings at a circuit mean: what is struck out and by which reading, what the meter does itself, what is to
be mended, and pairs of faults when no single one explains everything."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np

from gumshoe.core.circuits.faults import Fault, FaultModel
from gumshoe.core.circuits.instruments import fit, over_phases, predicted, shows, spread, stand
from gumshoe.core.circuits.loops import Floats, Ints
from gumshoe.core.circuits.netlist import GROUND, Circuit, Instrument, Kind
from gumshoe.core.circuits.probing import EXCLUDED, contradiction, expected, fits, weights_after
from gumshoe.core.circuits.sitting import ProbeReading, sitting, unknowns_of
from gumshoe.core.circuits.solver import METER_OHM, meter, solve
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.values import CheckOutcome

ENOUGH = 0.95
"""Probability at which a conclusion stands."""
HELD = 0.8
"""… and it stands on readings, not on how often such a fault occurs: what it would be with all faults alike."""
SOUND_FITS = 0.003
"""A sound circuit explains a reading that it makes so likely (within some three standard deviations)."""
LOADING_V = 0.3
"""A meter that changes what it measures by so much is worth a word."""
SUSPECTED = 14
"""How many single faults are tried in pairs."""
EXPLAINED = 0.05
"""Least likelihood of every reading for a pair to explain it."""
WIRING_OF = "wiring of "
"""With a member's key behind it: the wiring of one part on a shared point."""
UNIT = "unit"
"""What lies in the control unit."""
TOLD_BY = {
    "unit ground": ("unit_ground_drop", "bad"),
    "main ground": ("main_ground_drop", "bad"),
    "battery": ("battery_rest", "low"),
    "alternator": ("charging_volts", "bad"),
}
"""What lies beyond the part's own circuit, with the test and the outcome that say the same of it."""
SHARED = ("feed", "ground", "reference", "low_reference", "bus")
ADVICE = {
    "bad": "Mend it at the point itself: a jumper near a part hides it, and the next wire on it fails later.",
    "unit ground": "Clean and tighten the control unit's ground, then measure it under load: all it read was lifted.",
    "main ground": "Both ends to bright metal, tight, greased after; then the drop again while it is cranked.",
    "alternator": "Belt, plug and main wire before the alternator: what it makes has to arrive.",
    "battery": "Charge it in full, load test it, then measure the drops anew: on a weak battery they are too small.",
    "unit": "Before a control unit is condemned: its own feeds and grounds under load, and the maker's service data.",
    "part": "Look at the plug's pins once more, then renew or mend the part.",
    "good": "Nothing is wrong in this circuit as it stood: if it comes and goes, record while the harness is moved.",
}
"""What to do with a conclusion (common practice)."""
MEND = "Mend the wire or the terminal; then measure the same place again."
OUTCOMES = {"open": "open", "stuck_off": "open", "resistance": "loose", "short_ground": "short_ground"}
OUTCOMES |= {"short_feed": "short_feed", "worn": "part", "there": "short_ground"}


@dataclass(frozen=True)
class Struck:
    """A fault that is excluded, the reading that speaks loudest against it, and what it would have shown there."""

    fault: Fault
    reading: ProbeReading
    lowest: float
    highest: float


@dataclass(frozen=True)
class Loading:
    """A reading that the meter makes itself: without it the place would stand at ``open_volts``; the resistance that
    feeds it, computed from the reading, in ohms. ``fault``: the one this holds for, the likeliest that is left."""

    reading: ProbeReading
    fault: Fault
    open_volts: float
    leakage_ohm: float


@dataclass(frozen=True)
class Conclusion:
    """What is to be mended, by what is left. ``of``: as in Fault; ``outcome`` of the check of the circuit's component
    (or point): ``open``, ``short_ground``, ``short_feed``, ``loose``, ``part``, ``good``, ``bad``, ``unit``, or what
    lies beyond the circuit (``battery``, ``unit ground`` …); empty while nothing stands. ``faults``: those that make it
    up."""

    of: str
    outcome: str
    probability: float
    faults: tuple[Fault, ...]
    explained: bool
    """There are readings, and one fault can explain them all."""
    sound: bool = False
    """A sound circuit explains the readings too: nothing is condemned by them."""
    by_readings: float = 1.0
    """How probable it would be if every fault were as frequent as any other: what the readings alone say."""

    @property
    def stands(self) -> bool:
        held = self.probability >= ENOUGH and (self.by_readings >= HELD or self.outcome == "good")
        return self.explained and held and not (self.sound and self.outcome != "good")

    @property
    def words(self) -> str:
        """The faults it is made up of, in a sentence."""
        named = ", or ".join(fault.words for fault in self.faults[:4])
        return named + (f", or {len(self.faults) - 4} more that lead to the same work" if len(self.faults) > 4 else "")

    @property
    def member(self) -> str:
        """The key of the part on a shared point that it is about; empty for the circuit's own."""
        key = self.of.removeprefix(WIRING_OF)
        return "" if key in ("", "part", "relay", UNIT, *TOLD_BY, *SHARED) else key


@dataclass(frozen=True)
class Pair:
    """Two faults that together explain every reading, and how well."""

    first: Fault
    second: Fault
    fit: float


def struck(model: FaultModel, readings: Sequence[ProbeReading]) -> tuple[Struck, ...]:
    """Every fault the readings exclude, with the reading that does most of it."""
    if not readings:
        return ()
    by_fault = np.bincount(model.owner, weights_after(model, readings), len(model.faults))
    made = fits(model, readings)
    found = []
    for index in np.flatnonzero(by_fault < EXCLUDED):
        own = np.flatnonzero(model.owner == index)
        worst: tuple[float, int, Ints] | None = None
        for place in range(len(readings)):
            # Only the sizes that the other readings leave it count: each size may be struck by another reading.
            others = np.delete(made[:, own], place, axis=0).prod(axis=0)
            sizes = own[others > EXCLUDED * others.max()]
            best = float(made[place, sizes].max())
            if worst is None or best < worst[0]:
                worst = (best, place, sizes)
        assert worst
        values = expected(model, readings, readings[worst[1]].probe)[worst[2]]
        found.append(Struck(model.faults[index], readings[worst[1]], float(values.min()), float(values.max())))
    return tuple(found)


def loading(model: FaultModel, readings: Sequence[ProbeReading]) -> tuple[Loading, ...]:
    """The meter readings that the meter makes itself, under the likeliest fault that is left."""
    weights = weights_after(model, readings)
    likeliest = int(np.argmax(weights))
    supply = max((item.volts for item in model.circuit.elements if item.kind is Kind.SUPPLY), default=0.0)
    found = []
    for reading in readings:
        probe = reading.probe
        if probe.instrument is not Instrument.METER or probe.minus != GROUND or probe.setting.command not in (0.0, 1.0):
            continue
        solved = model.solved(probe.setting, driven=probe.setting.command > 0.0)
        unloaded = float(solved.open_voltage(probe.plus, probe.minus)[likeliest])
        inner = float(solved.inner_ohm(probe.plus, probe.minus)[likeliest])
        shown = float(meter(solved, probe.plus, probe.minus)[likeliest])
        near = abs(shown - reading.value) <= 3.0 * float(spread(probe, np.array([shown]))[0])
        cut_off = inner > METER_OHM / 10.0
        if cut_off and near and (abs(unloaded - shown) > LOADING_V or reading.value < LOADING_V):
            leakage = METER_OHM * (supply / max(reading.value, 1e-3) - 1.0)
            found.append(Loading(reading, model.faults[int(model.owner[likeliest])], unloaded, leakage))
    return tuple(found)


def conclusion(model: FaultModel, readings: Sequence[ProbeReading]) -> Conclusion:
    """What is to be mended, likeliest first: faults that lead to the same work count together."""
    weights = weights_after(model, readings)
    by_fault = np.bincount(model.owner, weights, len(model.faults))
    told = by_fault / np.bincount(model.owner, unknowns_of(model).prior, len(model.faults))
    told /= told.sum()
    total: dict[tuple[str, str], float] = {}
    alike: dict[tuple[str, str], float] = {}
    parts: dict[tuple[str, str], list[tuple[float, Fault]]] = {}
    for index, fault in enumerate(model.faults):
        key = (fault.of, outcome_of(fault))
        total[key] = total.get(key, 0.0) + float(by_fault[index])
        alike[key] = alike.get(key, 0.0) + float(told[index])
        parts.setdefault(key, []).append((float(by_fault[index]), fault))
    of, outcome = key = max(total, key=total.__getitem__)
    named = sorted(parts[key], key=lambda row: -row[0])
    explained = bool(readings) and contradiction(model, readings) is None
    sound = bool(readings) and bool((fits(model, readings)[:, 0] > SOUND_FITS).all())
    faults = tuple(fault for share, fault in named if share > EXCLUDED)
    return Conclusion(of, outcome, total[key], faults, explained, sound, alike[key])


def outcome_of(fault: Fault) -> str:
    """Which outcome of a circuit check a fault is."""
    if not fault.element:
        return "good"
    if fault.of in SHARED:
        return "bad"
    if fault.of == UNIT or fault.of in TOLD_BY:
        return fault.of
    if fault.of not in ("", "relay") and not fault.of.startswith(WIRING_OF):
        return CheckOutcome.PART
    return OUTCOMES.get(fault.mode, "open")


def advice_on(found: Conclusion) -> str:
    """What to do with a conclusion."""
    return ADVICE.get(found.outcome, MEND)


def told_by(knowledge: Knowledge, circuit: Circuit, found: Conclusion) -> tuple[tuple[str, str], ...]:
    """The tests and outcomes that say the same as a conclusion: that of what is at fault and, where that lies beyond
    the circuit, that the circuit itself is good."""
    said = check_of(knowledge, circuit, found)
    own = knowledge.tests.get(f"check_{circuit.id}")
    clears = said is not None and found.outcome in TOLD_BY and own is not None
    return ((said,) if said else ()) + (((own.id, "good"),) if clears and own else ())


def check_of(knowledge: Knowledge, circuit: Circuit, found: Conclusion) -> tuple[str, str] | None:
    """The circuit check and the outcome that say the same as a conclusion; None when there is none to say it."""
    outcome: str
    if found.outcome in TOLD_BY:
        test_id, outcome = TOLD_BY[found.outcome]
        return (test_id, outcome) if test_id in knowledge.tests else None
    if found.outcome == UNIT:
        target, outcome = _in_the_unit(knowledge, circuit, found)
    elif found.outcome == "bad":
        target, outcome = _point(knowledge, circuit, found.of), "bad"
        if not target:  # nothing else hangs on it: it is this part's own wiring
            target, outcome = circuit.id, "open"
    else:
        target, outcome = found.member or circuit.id, found.outcome
        if outcome == CheckOutcome.PART and found.faults[0].mode == "open":
            outcome = "open"  # the check says of an open winding what it says of an open wire
        if circuit.id in knowledge.points and not found.member and outcome != "good":
            return None
    test = knowledge.tests.get(f"check_{target}")
    return (test.id, outcome) if test and any(row.id == outcome for row in test.outcomes) else None


def _in_the_unit(knowledge: Knowledge, circuit: Circuit, found: Conclusion) -> tuple[str, str]:
    """Where a fault in the control unit is told: at what it never or always drives; of what it only listens to, at the
    unit."""
    told = CheckOutcome.STAYS_ON if found.faults and found.faults[0].mode == "stuck_on" else CheckOutcome.UNDRIVEN
    own = knowledge.tests.get(f"check_{circuit.id}")
    driven = own is not None and any(row.id == told for row in own.outcomes)
    return (circuit.id, told) if driven else ("engine_module", CheckOutcome.PART)


def _point(knowledge: Knowledge, circuit: Circuit, field: str) -> str:
    """The shared point of that kind which the circuit hangs on, or is."""
    own = knowledge.points.get(circuit.id)
    if own and own.field == field:
        return own.id
    names = {circuit.id, *circuit.members}
    return next((p.id for p in knowledge.points.values() if p.field == field and names & {m.id for m in p.members}), "")


def pairs(model: FaultModel, readings: Sequence[ProbeReading], most: int = 3) -> tuple[Pair, ...]:
    """Pairs of faults that together explain every reading, the likeliest first; what one needs when no single fault
    does.

    The single faults that explain most readings are tried in pairs, each in a few of its sizes.
    """
    made = sitting(model, readings)
    model = unknowns_of(model).at_supply(round(made.supply_v, 1))
    score = np.full(len(model.faults), -np.inf)
    np.maximum.at(score, model.owner, np.log(made.fits).sum(axis=0))
    likely = [int(i) for i in np.argsort(-score, kind="stable") if model.faults[i].element][:SUSPECTED]
    tried, rows = [], []
    for one, other in combinations(likely, 2):
        for a in _some_sizes(model, one):
            for b in _some_sizes(model, other):
                if model.column[a] != model.column[b]:
                    tried.append((one, other))
                    rows.append((a, b))
    if not rows:
        return ()
    least = np.ones(len(rows))
    total = np.zeros(len(rows))
    for reading in readings:
        fits_two = fit(reading.probe, reading.value, _of_two(model, reading, rows))
        least, total = np.minimum(least, fits_two), total + np.log(fits_two)
    found: dict[tuple[int, int], float] = {}
    for place in np.flatnonzero(least > EXPLAINED):
        key = tried[place]
        rate = model.faults[key[0]].rate * model.faults[key[1]].rate
        found[key] = max(found.get(key, 0.0), float(np.exp(total[place])) * rate)
    ordered = sorted(found, key=lambda key: -found[key])[:most]
    return tuple(Pair(model.faults[a], model.faults[b], found[a, b]) for a, b in ordered)


def _some_sizes(model: FaultModel, fault: int) -> list[int]:
    own = np.flatnonzero(model.owner == fault)
    return [int(own[place]) for place in sorted({0, len(own) // 2, len(own) - 1})]


def _of_two(model: FaultModel, reading: ProbeReading, rows: list[tuple[int, int]]) -> Floats:
    """What a reading would show with two faults at once. Relays and outputs stand as with the first of them."""
    probe = reading.probe
    first, second = (np.array(column) for column in zip(*rows, strict=True))
    if not probe.instrument.has_leads:  # either of them silences a load, or spoils a plug
        alone = predicted(model, probe)
        both: Floats = np.minimum(alone[first], alone[second])
        return both

    def shown(driven: bool) -> Floats:
        states = model.states(stand(probe), driven=driven)
        ohms = states[first]
        ohms[np.arange(len(rows)), model.column[second]] = states[second, model.column[second]]
        return shows(solve(model.wired, ohms, stand(probe)), probe)

    return over_phases(probe, shown)
