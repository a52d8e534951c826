"""What one trouble drags behind it: the codes of ``effects.toml`` laid over the suspects."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

from gumshoe.core.codes import POWERTRAIN, told_by
from gumshoe.core.knowledge.code_catalogue import rank_of
from gumshoe.core.knowledge.code_index import CodeIndex
from gumshoe.core.knowledge.rows import EffectRow, FaultRow
from gumshoe.core.knowledge.values import FailureMode
from gumshoe.core.powertrain.description import Powertrain

CYLINDER_OF = re.compile(r"cylinder (\d+)")
SMALL_EFFECT = 0.02
"""A code that a suspect would drag behind it more rarely than this is left to the leak."""
LOST = "lost"
"""The kind of code that says that a control unit is not heard: what it tells is gone with it."""
SURELY_DEAD = 0.4
"""A suspect that kills a signal more rarely than this is not known by what its loss drags behind it."""
HELD_ON = (FailureMode.SHORT_GROUND, FailureMode.STAYS_ON)
DIRECT = 0.15
"""From this chance in its own table on, a code is the suspect's own and not an echo."""


def echoed(name: str, index: CodeIndex, banks: int) -> tuple[str, ...]:
    """The codes an ``echo`` names: ``misfire`` stands for every misfire code."""
    return index.numbers("*: misfire" if name == "misfire" else name, banks)


def with_effects(
    faults: Mapping[str, FaultRow], effects: Iterable[EffectRow], index: CodeIndex, powertrain: Powertrain
) -> dict[str, FaultRow]:
    """Add to every suspect what it drags behind it."""
    raised = []
    for effect in (row for row in effects if set(row.needs) <= powertrain.features):
        wanted = {name: value for name, value in effect.raises.items() if _has_place(powertrain, name)}
        told = (number for reference in effect.told for number in index.numbers(reference, 1))
        raised.append(Raised(effect, index.strengths(wanted, powertrain.banks), frozenset((*effect.of, *told))))
    everything = Everything(tuple(raised))
    return {name: _with_effects(row, everything, Own(row, index)) for name, row in faults.items()}


def _has_place(powertrain: Powertrain, reference: str) -> bool:
    """Whether the engine has the bank or the cylinder that a code is about."""
    place = CYLINDER_OF.search(reference)
    return ("bank 2" not in reference or powertrain.banks > 1) and (not place or int(place[1]) <= powertrain.cylinders)


@dataclass(frozen=True)
class Raised:
    """One effect on one powertrain: its codes with their chances, and what it is about: the numbers that tell of the
    trouble, or the parts whose loss it is; nothing where it is about no part or code in particular."""

    effect: EffectRow
    strengths: Mapping[str, float]
    about: frozenset[str]


@dataclass(frozen=True)
class Everything:
    """All effects, and which of them a suspect can have at all: by the parts and codes that they are about."""

    rows: tuple[Raised, ...]

    @cached_property
    def _places(self) -> tuple[list[int], dict[str, list[int]]]:
        """The places of the effects that are about nothing in particular, and of the others by what they are about."""
        anywhere, told = list[int](), dict[str, list[int]]()
        for place, raised in enumerate(self.rows):
            if not raised.about:
                anywhere.append(place)
            for name in raised.about:
                told.setdefault(name, []).append(place)
        return anywhere, told

    def of(self, own: Own) -> Iterator[Raised]:
        """Those that this suspect can have, in their order."""
        anywhere, told = self._places
        found = {place for name in (*own.dead, *own.row.codes) for place in told.get(name, ())}
        yield from (self.rows[place] for place in sorted(found.union(anywhere)))


@dataclass(frozen=True)
class Own:
    """What a suspect's own table says of its codes, worked out once for all the effects that ask."""

    row: FaultRow
    index: CodeIndex

    @cached_property
    def signal(self) -> float:
        """How surely it raises a circuit code of the engine: a sensor or actuator its messages are made from."""
        told = ((chance, number, told_by(number)) for number, chance in self.row.codes.items())
        of_engine = ((chance, number) for chance, number, of in told if of.system == POWERTRAIN and not of.gearbox)
        return max((chance for chance, number in of_engine if rank_of(self.index.rows[number].kind) == 0), default=0.0)

    @cached_property
    def gearbox(self) -> float:
        """How surely it raises a code of the gearbox's own."""
        return max((chance for number, chance in self.row.codes.items() if told_by(number).gearbox), default=0.0)

    @cached_property
    def dead(self) -> dict[str, float]:
        """How surely it raises a circuit code of each component: its signal is gone, or it does nothing."""
        found: dict[str, float] = {}
        for number, chance in self.row.codes.items():
            code = self.index.rows[number]
            if chance >= SURELY_DEAD and (code.kind == LOST or rank_of(code.kind) == 0):
                found[code.component] = max(chance, found.get(code.component, 0.0))
        return found

    def of_parts(self, parts: frozenset[str]) -> float:
        """How surely it raises a circuit code of one of these."""
        return _surest(self.dead, parts)

    def held(self, parts: frozenset[str]) -> float:
        """How surely it raises a circuit code of one of these because the load is on all the time."""
        return self.of_parts(parts) if self.row.mode in HELD_ON else 0.0

    def of_codes(self, numbers: frozenset[str]) -> float:
        """How surely it raises one of these codes."""
        return _surest(self.row.codes, numbers)


def _surest(chances: dict[str, float], among: frozenset[str]) -> float:
    return 0.0 if among.isdisjoint(chances) else max(chances[name] for name in chances.keys() & among)


def _with_effects(row: FaultRow, effects: Everything, own: Own) -> FaultRow:
    codes, echoes = dict(row.codes), dict(row.echoes)
    for raised in effects.of(own):
        chance = EFFECT_SOURCES[raised.effect.source](own, raised)
        for number, strength in raised.strengths.items() if chance >= SMALL_EFFECT else ():
            if row.codes.get(number, 0.0) < DIRECT and chance * strength >= SMALL_EFFECT:
                codes[number] = max(codes.get(number, 0.0), chance * strength)
                echoes.setdefault(number, raised.effect.why)
    return row if codes == row.codes and echoes == row.echoes else replace(row, codes=codes, echoes=echoes)


EFFECT_SOURCES: dict[str, Callable[[Own, Raised], float]] = {
    "misfire": lambda own, _raised: own.row.misfires,
    "engine circuit code": lambda own, _raised: own.signal,
    "gearbox code": lambda own, _raised: own.gearbox,
    "dead circuit": lambda own, raised: own.of_parts(raised.about),
    "held on": lambda own, raised: own.held(raised.about),
    "code": lambda own, raised: own.of_codes(raised.about),
}
