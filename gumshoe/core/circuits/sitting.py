"""What the readings of one sitting share: the supply, what a sound part may have, and how big the fault is.

None of them is known, and all of them are the same for every reading of a sitting; so they are integrated out together,
not counted afresh for each reading: the supply, the place of the parts in their range (all of a circuit together, as
temperature and make have it), each part's own deviation from that, and the size. Every fault in every size carries an
estimate of them (mean and covariance), which each reading corrects (Kalman, Journal of Basic Engineering 82(1), 1960),
in the circuit made linear around the sizes and ranges that are solved: exact in the supply, for sources add up
(superposition), and good to some hundredths of a volt between two sizes. What no state explains within five standard
deviations corrects nothing: a lead slipped.

Priors: common practice, no source.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from gumshoe.core.circuits.faults import Fault, FaultModel
from gumshoe.core.circuits.instruments import CANNOT_BE, exactness, fit, predicted, probes, spread, sweep
from gumshoe.core.circuits.loops import Floats
from gumshoe.core.circuits.netlist import GROUND, Circuit, Element, Kind, Probe

AT_REST_V, RUNNING_V = (12.35, 0.35), (14.1, 0.45)
"""A battery at rest or under the load of the key, and while it is charged: mean and standard deviation."""
RUNNING = 0.3
"""How often one measures with the engine running, before any reading says so."""
OTHER_SUPPLY = 1.1
"""What the supply is multiplied with to see what hangs on it."""
SOUND = {Kind.LOAD: 0.2, Kind.SENSOR: 0.2, Kind.PULL: -0.15}
"""How far sound parts of a kind differ, where their circuit does not say: standard deviation of the logarithm. A
pull-up the other way than what it pulls at: together they would change nothing."""
OWN = {Kind.LOAD: 0.12, Kind.SENSOR: 0.12, Kind.PULL: 0.12, Kind.DRIVER: 0.5}
"""How far each part differs from the others of its circuit as well: standard deviation of the logarithm. Some ±20 % at
most of parts and resistors (usual tolerance), a driver's own by its size (0.05 to 0.4 Ω; common practice)."""
MOST_SOLVED = 40
"""So many circuits are solved at most to see how a reading hangs on each part, at every place of what is sound."""
WIDE = 0.15
"""From here on what a part has is taken at five places of its range, not at its middle alone."""
PLACES = (-2.0, -1.0, 0.0, 1.0, 2.0)
BESIDE = 4.0
"""Two sizes of a fault that differ by more than this factor are two states, not one range."""
UNSEEN, SEEN_FROM = 0.05, 0.5
"""A size that moves no reading by so many standard deviations is hardly a fault: so much less likely."""
KNOWN_V = 0.4
"""The supply is known when its standard deviation is below this."""
KEPT = 64
"""So many sittings are kept."""
CELL = 0.4
"""Standard deviation of a size around the one solved, in steps between sizes: the ranges add up to an even one."""
SUPPLY, PART, SIZE = range(3)
UNKNOWNS = "unknowns"


@dataclass(frozen=True)
class ProbeReading:
    """A probe and what it showed: volts or ohms (volts across it for the lamp)."""

    probe: Probe
    value: float


@dataclass(frozen=True)
class _Around:
    """What a probe shows around the states that are solved: (states) in the middle, and how it moves with the supply,
    with the parts' place in their range, with the size of the fault and with each part's own deviation (states, 3 +
    parts). States: places × variants."""

    middle: Floats
    moves: Floats


class Unknowns:
    """A circuit with everything that can be wrong in it, and the same with another supply and other sound parts."""

    def __init__(self, model: FaultModel) -> None:
        self.model = model
        battery = next((item for item in model.circuit.elements if _is_battery(item)), None)
        self.nominal_v = battery.volts if battery else 0.0
        widest = max((abs(sound_of(item)) for item in model.circuit.elements), default=0.0)
        self.places = PLACES if widest > WIDE else PLACES[1:4] if widest > 0.0 else (0.0,)
        self.kept = self.places if widest > WIDE else (0.0,)
        self.parts = tuple(place for place, item in enumerate(model.circuit.elements) if item.kind in OWN)
        self._around: dict[Probe, _Around] = {}
        self._sittings: dict[tuple[ProbeReading, ...], Sitting] = {}

    def sitting(self, readings: Sequence[ProbeReading]) -> Sitting:
        """What is left after some readings; the last ones are kept. Several threads may ask at once."""
        key = tuple(readings)
        found = self._sittings.get(key)
        if found is None:
            for old in list(self._sittings)[: max(len(self._sittings) - KEPT, 0)]:
                self._sittings.pop(old, None)
            found = self._sittings[key] = Sitting(self, key)
        return found

    def around(self, probe: Probe) -> _Around:
        """What a probe shows, and how that moves; kept."""
        if probe not in self._around:
            self._around[probe] = self._seen(probe)
        return self._around[probe]

    def by_supply(self, probe: Probe) -> Floats:
        """How what each variant shows moves with the supply, a volt."""
        if not (self.nominal_v and probe.setting.powered and probe.instrument.measures):
            return np.zeros(len(self.model.owner))
        step = (OTHER_SUPPLY - 1.0) * self.nominal_v
        result: Floats = (predicted(self._other, probe) - predicted(self.model, probe)) / step
        return result

    def sound_range(self, probe: Probe, supply_v: float) -> tuple[float, float]:
        """Lowest and highest that a sound circuit shows at a probe, over what its parts may have."""
        moved = (supply_v - self.nominal_v) * float(self.by_supply(probe)[0])
        shown = [float(predicted(other, probe)[0]) + moved for other in self._parts]
        return min(shown), max(shown)

    def at_supply(self, volts: float) -> FaultModel:
        """The same circuit on another supply."""
        return replace(self.model, circuit=_supplied(self.model.circuit, volts))

    @cached_property
    def prior(self) -> Floats:
        """Probability of each variant before any reading: as the model has it, less for what nothing shows."""
        asked = probes(self.model.circuit)
        seen = np.zeros(len(self.model.owner), dtype=np.bool_)
        for probe, values in zip(asked, sweep(self.model, asked), strict=True):
            seen |= np.abs(values - values[0]) > SEEN_FROM * spread(probe, values)
        seen[0] = True
        shares = np.where(seen, 1.0, UNSEEN) * self.model.prior
        result: Floats = shares / shares.sum()
        return result

    @cached_property
    def prior_moves(self) -> Floats:
        """Standard deviations of the part's place and of the size's logarithm (2, variants)."""
        part = CELL if len(self.kept) > 1 else 1.0
        return np.stack([np.full(len(self.model.owner), part), CELL * self._steps[0]])

    def _seen(self, probe: Probe) -> _Around:
        shown = np.array([predicted(other, probe) for other in self._parts])
        by_part = np.gradient(shown, axis=0) if len(shown) > 1 else np.zeros_like(shown)
        if len(self.kept) < len(self.places):
            shown, by_part = shown[1:2], by_part[1:2]
        if not probe.instrument.measures:
            return _Around(shown.reshape(-1), np.zeros((shown.size, 3 + len(self.parts))))
        by_supply = np.broadcast_to(self.by_supply(probe), shown.shape)
        width, before, behind = self._steps[1:]
        before, behind = before.astype(np.int64), behind.astype(np.int64)
        by_size = np.where(width > 0.0, (shown[:, behind] - shown[:, before]) / np.maximum(width, 1e-9), 0.0)
        moves = np.stack([by_supply, by_part, by_size, *self._by_own(probe, shown)], axis=-1)
        return _Around(shown.reshape(-1), moves.reshape(shown.size, -1))

    def _by_own(self, probe: Probe, shown: Floats) -> list[Floats]:
        """How what is shown moves with the deviation of each part: one array (places, variants) a part."""
        base = np.array([predicted(self._parts[place], probe) for place in self._based])
        moved = ([predicted(one, probe) for one in models] for models in self._one_off)
        return [np.broadcast_to(np.array(rows) - base, shown.shape) for rows in moved]

    @cached_property
    def _based(self) -> tuple[int, ...]:
        """The places, by index, at which every part's own deviation is solved: all that are kept, or the middle."""
        every = len(self.kept) * len(self.parts) <= MOST_SOLVED and len(self.kept) > 1
        return tuple(range(len(self.places))) if every else (len(self.places) // 2,)

    @cached_property
    def _one_off(self) -> tuple[tuple[FaultModel, ...], ...]:
        """For every part, the circuit with that one off by a standard deviation, at each place it is solved at."""
        return tuple(tuple(_with_one(self._parts[place], part) for place in self._based) for part in self.parts)

    @cached_property
    def _other(self) -> FaultModel:
        return self.at_supply(OTHER_SUPPLY * self.nominal_v)

    @cached_property
    def _parts(self) -> tuple[FaultModel, ...]:
        """The circuit with its parts at each place of what is sound."""
        return tuple(self.model if place == 0.0 else _with_parts(self.model, place) for place in self.places)

    @cached_property
    def _steps(self) -> Floats:
        """Of every variant: the least step to a neighbouring size (logarithm; 0 for what stands alone), the width
        between its neighbours, and the neighbours before and behind it."""
        rows = []
        first = 0
        for fault in self.model.faults:
            rows += [(step, width, first + before, first + behind) for step, width, before, behind in _steps_of(fault)]
            first += len(fault.ohms)
        return np.array(rows).T


class Sitting:
    """The readings of a sitting at one circuit, and what is left. ``fits`` (readings, variants): how likely each
    variant makes a reading, those before it being known. ``weights`` (variants): after all of them. ``supply_v``: what
    the supply must have been; the nominal one while no reading tells."""

    def __init__(self, unknowns: Unknowns, readings: Sequence[ProbeReading]) -> None:
        model = unknowns.model
        variants, places = len(model.owner), len(unknowns.kept)
        parts = len(unknowns.parts)
        by_place = np.exp(-0.5 * np.square(unknowns.kept)) if places > 1 else np.ones(1)
        supplies = [AT_REST_V, RUNNING_V] if unknowns.nominal_v else [(0.0, 1.0)]
        shares = [1.0 - RUNNING, RUNNING] if unknowns.nominal_v else [1.0]
        part, size = (np.tile(row, places) for row in unknowns.prior_moves)
        filters = []
        for volts, deviation in supplies:
            filters.append(_Filter(volts - unknowns.nominal_v, deviation, part, size, parts))
        start = np.log(np.repeat(by_place / by_place.sum(), variants))
        logs = [np.log(share) + start for share in shares]
        fits, before = [], _by_variant(logs, variants)
        for reading in readings:
            around = unknowns.around(reading.probe)
            logs = [log + one.takes(reading, around) for log, one in zip(logs, filters, strict=True)]
            now = _by_variant(logs, variants)
            fits.append(np.exp(now - before))
            before = now
        self.fits: Floats = np.array(fits).reshape(len(fits), variants)
        log = np.log(unknowns.prior) + before
        raised = np.exp(log - log.max())
        self.weights: Floats = raised / raised.sum()
        share_of = np.exp(np.array(logs) - before[None, np.tile(np.arange(variants), places)])
        share_of *= np.tile(self.weights, places)
        offsets = np.array([one.mean[:, SUPPLY] for one in filters])
        mean = float((share_of * offsets).sum())
        spread_v = np.array([one.spread[:, SUPPLY, SUPPLY] for one in filters]) + (offsets - mean) ** 2
        known = float((share_of * spread_v).sum()) < KNOWN_V**2
        self.supply_v: float = unknowns.nominal_v + (mean if known else 0.0)


class _Filter:
    """Estimates of supply, parts and size for every state: means (states, n) and covariances (states, n, n)."""

    def __init__(self, supply_v: float, deviation_v: float, part: Floats, size: Floats, parts: int) -> None:
        """From the supply against the nominal one, and the standard deviations of them; the parts' own are counted in
        standard deviations."""
        self.mean = np.zeros((len(part), 3 + parts))
        self.mean[:, SUPPLY] = supply_v
        self.spread = np.tile(np.eye(3 + parts), (len(part), 1, 1))
        self.spread[:, SUPPLY, SUPPLY] = deviation_v**2
        self.spread[:, PART, PART], self.spread[:, SIZE, SIZE] = part**2, size**2

    def takes(self, reading: ProbeReading, around: _Around) -> Floats:
        """Correct every state by a reading; how likely each made it (logarithm, never quite impossible)."""
        if not reading.probe.instrument.measures:
            return np.log(fit(reading.probe, reading.value, around.middle))
        own = exactness(reading.probe, around.middle)
        reach = np.einsum("sij,sj->si", self.spread, around.moves)
        variance = own**2 + np.einsum("si,si->s", reach, around.moves)
        miss = reading.value - around.middle - np.einsum("si,si->s", self.mean, around.moves)
        density = np.exp(-0.5 * miss**2 / variance)
        held = density > CANNOT_BE
        gain = np.where(held, 1.0 / variance, 0.0)[:, None] * reach
        self.mean = self.mean + gain * miss[:, None]
        self.spread = self.spread - gain[:, :, None] * reach[:, None, :]
        result: Floats = np.log(np.maximum(density * own / np.sqrt(variance), CANNOT_BE))
        return result


def unknowns_of(model: FaultModel) -> Unknowns:
    """The unknowns of a model; kept with it."""
    if UNKNOWNS not in model.beside:
        model.beside[UNKNOWNS] = Unknowns(model)
    found = model.beside[UNKNOWNS]
    assert isinstance(found, Unknowns)
    return found


def sitting(model: FaultModel, readings: Sequence[ProbeReading]) -> Sitting:
    """The readings of a sitting at a circuit."""
    return unknowns_of(model).sitting(readings)


def sound_of(item: Element) -> float:
    """How far sound ones of an element differ (standard deviation of the logarithm; below zero: the other way than the
    others, as the two halves of a potentiometer)."""
    return item.sound or SOUND.get(item.kind, 0.0)


# -- inside -----------------------------------------------------------------------------------------------


def _is_battery(item: Element) -> bool:
    return item.kind is Kind.SUPPLY and item.b == GROUND and item.id == "battery"


def _supplied(circuit: Circuit, volts: float) -> Circuit:
    elements = tuple(replace(item, volts=volts) if _is_battery(item) else item for item in circuit.elements)
    return replace(circuit, elements=elements)


def _with_parts(model: FaultModel, place: float) -> FaultModel:
    elements = []
    for item in model.circuit.elements:
        times = float(np.exp(place * sound_of(item)))
        elements.append(replace(item, ohm=item.ohm * times, off_ohm=item.off_ohm * times))
    return FaultModel(replace(model.circuit, elements=tuple(elements)), model.faults)


def _with_one(model: FaultModel, place: int) -> FaultModel:
    """The circuit with one element off by a standard deviation of its own."""
    elements = list(model.circuit.elements)
    item = elements[place]
    times = float(np.exp(OWN[item.kind]))
    elements[place] = replace(item, ohm=item.ohm * times, off_ohm=item.off_ohm * times)
    return FaultModel(replace(model.circuit, elements=tuple(elements)), model.faults)


def _steps_of(fault: Fault) -> list[tuple[float, float, int, int]]:
    """For every size: least step, width, place before, place behind."""
    logs = np.log(fault.ohms)
    rows = []
    for place in range(len(logs)):
        near = [
            other
            for other in (place - 1, place + 1)
            if 0 <= other < len(logs) and 0.0 < abs(logs[other] - logs[place]) <= np.log(BESIDE)
        ]
        if not near:
            rows.append((0.0, 0.0, place, place))
            continue
        before, behind = min(*near, place), max(*near, place)
        step = min(abs(logs[other] - logs[place]) for other in near)
        rows.append((float(step), float(logs[behind] - logs[before]), before, behind))
    return rows


def _by_variant(logs: Sequence[Floats], variants: int) -> Floats:
    """The likelihood of every variant, over supplies and places (logarithm)."""
    every = np.concatenate([log.reshape(-1, variants) for log in logs])
    most = every.max(axis=0)
    result: Floats = most + np.log(np.exp(every - most).sum(axis=0))
    return result
