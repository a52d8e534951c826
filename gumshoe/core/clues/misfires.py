"""The clues of a misfire: what scan, recording and hands show of the cylinders, none counted twice."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from gumshoe.core.clues.misfire import found_words, read_misfire
from gumshoe.core.clues.misfire_seen import MisfireSeen
from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.clues.record import FoundDead, OnRecord
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.values import MISFIRE
from gumshoe.core.powertrain.misfires import Lack, Spread
from gumshoe.core.powertrain.positions import Pattern, PatternKind, pattern_of

PENDING_WEIGHT = 0.75
RECORDED_WEIGHT, RECORDED_CLEAN_WEIGHT = 0.8, 0.4
"""A recording's misfires against a code's; one without any was perhaps not where it misfires (common practice)."""


def misfires(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    """What misfires: what the scan shows where it has codes or counts, else what the newest recording does; and what
    was found by hand. Hands and counters look at the same cylinders, so what is found dead counts by how likely it is
    given the counters; what a cylinder was found to lack is another matter than that it misfires, and counts by itself.
    """
    variable = knowledge.variables.get(MISFIRE)
    if variable is None:
        return
    engine = knowledge.powertrain

    def clue(pattern: Pattern, words: str, seen: MisfireSeen, source: str, at: str, weight: float = 1.0) -> Clue:
        value = pattern.words if pattern.kind is not PatternKind.NONE else Spread.NONE.value
        return Clue(ClueKind.GRADED, MISFIRE, value, words, variable.family, source, at, weight, seen=seen)

    told = list(_misfire_of_the_scan(evidence, knowledge, clue))
    if evidence.misfires:
        cylinders, source, at = evidence.misfires[-1]
        pattern = pattern_of(engine, cylinders)
        if not told or (told[0].value == Spread.NONE and cylinders):
            words = f"Misfires counted in a recording: {pattern.words}"
            seen = MisfireSeen(engine.cylinders, engine.firing_order, recorded=tuple(sorted(set(cylinders))))
            told = [clue(pattern, words, seen, source, at, RECORDED_WEIGHT if cylinders else RECORDED_CLEAN_WEIGHT)]
    yield from told
    for hand in {row.lacks: row for row in evidence.by_hand}.values():  # the newest of each
        pattern = pattern_of(engine, hand.cylinders)
        words = f"Found by hand{f' ({hand.how})' if hand.how else ''}: {found_words(hand.lacks, pattern)}"
        before = told[0].seen if told and hand.lacks is Lack.POWER else None
        seen = replace(
            before or MisfireSeen(engine.cylinders, engine.firing_order),
            by_hand=tuple(sorted(set(hand.cylinders))),
            lacks=hand.lacks,
        )
        found = clue(pattern, words, seen, hand.source, hand.at)
        same = as_good_as(hand, knowledge)
        yield replace(found, family=f"found by hand: {hand.lacks}", given=before, stands_for=same)


def as_good_as(hand: FoundDead, knowledge: Knowledge) -> tuple[str, str] | None:
    """The guided test that looks for the same, and which of its outcomes this is; None where none does."""
    for test in knowledge.tests.values():
        without = [item for item in test.outcomes if item.lacks is hand.lacks]
        if not without:
            continue
        if not hand.cylinders:
            return test.id, next(item.id for item in test.outcomes if item.lacks is None)
        own = next((item for item in without if item.place == str(hand.cylinders[0])), None)
        if len(set(hand.cylinders)) == 1 and own is not None:
            return test.id, own.id
        of_more = [item for item in without if not item.each and not item.place] or without
        every = len(set(hand.cylinders)) == knowledge.powertrain.cylinders
        return test.id, of_more[-1 if every else 0].id
    return None


def _misfire_of_the_scan(evidence: OnRecord, knowledge: Knowledge, clue: Callable[..., Clue]) -> Iterator[Clue]:
    module = evidence.module
    if module is None:
        return
    found = read_misfire(module, knowledge)
    listed = "/".join(str(counts) for counts in found.last.values()) or "no counters"
    words = f"Misfire: {found.pattern.words}"
    if found.codes:
        weight = 1.0 if set(module.with_state(CodeState.CONFIRMED)) & set(found.codes) else PENDING_WEIGHT
        words += f" ({', '.join(found.codes)}; counts {listed})"
    elif found.pattern.kind is not PatternKind.NONE:
        weight, words = 0.5, f"Misfire counts without a code: {found.pattern.words} ({listed})"
    elif module.completed(MISFIRE):
        weight, words = 1.0, f"No misfire code, monitor has run (counts {listed})"
    else:
        return
    yield clue(found.pattern, words, found.seen(knowledge.powertrain), *evidence.scan_source, weight)
