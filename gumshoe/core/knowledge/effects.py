"""What one trouble drags behind it: the codes of ``effects.toml`` laid over the suspects."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

from gumshoe.core.codes import POWERTRAIN, told_by
from gumshoe.core.knowledge.code_catalogue import rank_of
from gumshoe.core.knowledge.code_index import CodeIndex
from gumshoe.core.knowledge.rows import EffectRow, FaultRow
from gumshoe.core.powertrain.description import Powertrain

SMALL_EFFECT = 0.02
"""A code that a suspect would drag behind it more rarely than this is left to the leak."""
DIRECT = 0.15
"""From this chance in its own table on, a code is the suspect's own and not an echo."""


def echoed(name: str, index: CodeIndex, banks: int) -> tuple[str, ...]:
    """The codes an ``echo`` names: ``misfire`` stands for every misfire code."""
    return index.numbers("*: misfire" if name == "misfire" else name, banks)


def with_effects(row: FaultRow, effects: Iterable[EffectRow], index: CodeIndex, powertrain: Powertrain) -> FaultRow:
    """Add what the suspect drags behind it."""
    codes, echoes = dict(row.codes), dict(row.echoes)
    for effect in effects:
        chance = EFFECT_SOURCES[effect.source](row, index)
        wanted = {name: value for name, value in effect.raises.items() if "bank 2" not in name or powertrain.banks > 1}
        for number, strength in index.strengths(wanted, powertrain.banks).items():
            if row.codes.get(number, 0.0) < DIRECT and chance * strength >= SMALL_EFFECT:
                codes[number] = max(codes.get(number, 0.0), chance * strength)
                echoes.setdefault(number, effect.why)
    return replace(row, codes=codes, echoes=echoes)


def _share_of_misfire(row: FaultRow, _index: CodeIndex) -> float:
    return 1.0 - row.graded["misfire"].get("none", 1.0) if "misfire" in row.graded else 0.0


def _signal_chance(row: FaultRow, index: CodeIndex) -> float:
    """How surely the suspect raises a circuit code of the engine: a sensor or actuator its messages are made from."""
    own = [
        chance
        for number, chance in row.codes.items()
        if told_by(number).system == POWERTRAIN
        and not told_by(number).gearbox
        and rank_of(index.rows[number].kind) == 0
    ]
    return max(own, default=0.0)


def _gearbox_chance(row: FaultRow, _index: CodeIndex) -> float:
    """How surely the suspect raises a code of the gearbox's own."""
    own = [chance for number, chance in row.codes.items() if told_by(number).gearbox]
    return max(own, default=0.0)


EFFECT_SOURCES: dict[str, Callable[[FaultRow, CodeIndex], float]] = {
    "misfire": _share_of_misfire,
    "engine circuit code": _signal_chance,
    "gearbox code": _gearbox_chance,
}
