"""One place that circuits share though no diagram says so: made from the codes themselves.

Three circuits of unlike parts do not fail together by chance: there is a plug, a splice or a stretch of harness that
they have in common, and most often somebody was at it before (common practice). Where a shared point that is known
holds them all, that point says so already.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from functools import lru_cache

from gumshoe.core.knowledge.component_rows import PointRow
from gumshoe.core.knowledge.generate import own_codes, raised_by
from gumshoe.core.knowledge.parts import Component, Local, SharedPoint, components, shared_points
from gumshoe.core.knowledge.values import FailureMode, WiringField
from gumshoe.core.powertrain.description import Powertrain

ONE_PLACE = "one_place"
FIELD: WiringField = "plug"
LEAST, KINDS = 3, 2
"""So many circuits of so many kinds at least."""
OWN = 0.5
"""A code that a failure of the wiring raises so often is a code of the circuit, not of what the part does."""
RATE = 0.002
"""Rate of one such place: that of a plug, over the hundreds of places that some parts might share (common practice)."""
TOLD = 0.6
"""How often such a place raises each of the codes it was made from."""
WIRING = (FailureMode.OPEN, FailureMode.LOOSE, FailureMode.SHORT_GROUND, FailureMode.SHORT_FEED)
MOST_KEPT = 64


@lru_cache(maxsize=MOST_KEPT)
def with_one_place(powertrain: Powertrain, local: Local, codes: frozenset[str]) -> Local:
    """What is known of a vehicle, with the place that the circuits of these codes share; as it was where they are few,
    alike, or held by a point that is known."""
    told = tuple(_circuits(components(powertrain, local), codes))
    parts = tuple(part for part, _ in told)
    kinds, sorts = {part.row.circuit for part in parts}, {part.row.id for part in parts}
    if len(sorts) < LEAST or len(kinds) < KINDS:
        return local
    for point in shared_points(powertrain, local):
        members = {part.id for part in point.members}
        its_own = own_codes(point, local.index, powertrain.banks)
        if all(part.id in members or own <= its_own.keys() for part, own in told):
            return local
    words = f"plug, splice or harness section that {len(parts)} circuits share"
    row = PointRow(ONE_PLACE, FIELD, words, RATE, {code: TOLD for _, own in told for code in sorted(own)})
    return replace(local, places=(SharedPoint(ONE_PLACE, FIELD, words, RATE, parts, row),))


def _circuits(parts: Iterable[Component], codes: frozenset[str]) -> Iterable[tuple[Component, frozenset[str]]]:
    """The parts of whose circuits there is a code, with those codes."""
    for part in parts:
        raised = (raised_by(part, mode) for mode in WIRING)
        own = {code for table in raised for code, chance in table.items() if chance >= OWN} & codes
        if own:
            yield part, frozenset(own)
