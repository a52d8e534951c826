"""What one trouble drags behind it: the codes of ``effects.toml`` laid over the suspects."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import replace

from gumshoe.core.codes import POWERTRAIN, told_by
from gumshoe.core.knowledge.code_catalogue import rank_of
from gumshoe.core.knowledge.code_index import CodeIndex
from gumshoe.core.knowledge.rows import EffectRow, FaultRow
from gumshoe.core.powertrain.description import Powertrain

SMALL_EFFECT = 0.02
"""A code that a suspect would drag behind it more rarely than this is left to the leak."""
LOST = "lost"
"""The kind of code that says that a control unit is not heard: what it tells is gone with it."""
SURELY_DEAD = 0.4
"""A suspect that kills a signal more rarely than this is not known by what its loss drags behind it."""
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
    for effect in effects:
        wanted = {name: value for name, value in effect.raises.items() if "bank 2" not in name or powertrain.banks > 1}
        raised.append((effect, index.strengths(wanted, powertrain.banks)))
    return {name: _with_effects(row, raised, index) for name, row in faults.items()}


def _with_effects(row: FaultRow, raised: Iterable[tuple[EffectRow, Mapping[str, float]]], index: CodeIndex) -> FaultRow:
    codes, echoes = dict(row.codes), dict(row.echoes)
    for effect, strengths in raised:
        chance = EFFECT_SOURCES[effect.source](row, index, effect)
        for number, strength in strengths.items() if chance >= SMALL_EFFECT else ():
            if row.codes.get(number, 0.0) < DIRECT and chance * strength >= SMALL_EFFECT:
                codes[number] = max(codes.get(number, 0.0), chance * strength)
                echoes.setdefault(number, effect.why)
    return replace(row, codes=codes, echoes=echoes)


def _share_of_misfire(row: FaultRow, _index: CodeIndex, _effect: EffectRow) -> float:
    return row.misfires


def _signal_chance(row: FaultRow, index: CodeIndex, _effect: EffectRow) -> float:
    """How surely the suspect raises a circuit code of the engine: a sensor or actuator its messages are made from."""
    own = [
        chance
        for number, chance in row.codes.items()
        if told_by(number).system == POWERTRAIN
        and not told_by(number).gearbox
        and rank_of(index.rows[number].kind) == 0
    ]
    return max(own, default=0.0)


def _is_dead(kind: str) -> bool:
    return rank_of(kind) == 0 or kind == LOST


def _dead_chance(row: FaultRow, index: CodeIndex, effect: EffectRow) -> float:
    """How surely the suspect raises a circuit code of one of these: its signal is gone, or it does nothing."""
    own = [
        chance
        for number, chance in row.codes.items()
        if index.rows[number].component in effect.of and _is_dead(index.rows[number].kind)
    ]
    found = max(own, default=0.0)
    return found if found >= SURELY_DEAD else 0.0


def _code_chance(row: FaultRow, index: CodeIndex, effect: EffectRow) -> float:
    """How surely the suspect raises one of the codes that tell of the trouble."""
    numbers = (number for reference in effect.told for number in index.numbers(reference, 1))
    return max((row.codes.get(number, 0.0) for number in numbers), default=0.0)


def _gearbox_chance(row: FaultRow, _index: CodeIndex, _effect: EffectRow) -> float:
    """How surely the suspect raises a code of the gearbox's own."""
    own = [chance for number, chance in row.codes.items() if told_by(number).gearbox]
    return max(own, default=0.0)


EFFECT_SOURCES: dict[str, Callable[[FaultRow, CodeIndex, EffectRow], float]] = {
    "misfire": _share_of_misfire,
    "engine circuit code": _signal_chance,
    "gearbox code": _gearbox_chance,
    "dead circuit": _dead_chance,
    "code": _code_chance,
}
