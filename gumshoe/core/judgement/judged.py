"""The judgement: clues, suspects, codes read together, drive advice, tests and the next action, from one model.

Each part is worked out when it is first asked for and then kept, so that a board that needs the next action only does
not pay for the three ways to work.
"""

from __future__ import annotations

from collections import Counter, OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from itertools import islice
from math import inf
from threading import Lock

from gumshoe.core.clues import (
    Clue,
    ClueKind,
    MisfireReading,
    extract,
    outdated_tests,
    read_misfire,
    scan_notes,
    unknown_entries,
)
from gumshoe.core.clues.extract import does_not_start
from gumshoe.core.codes import CodeState
from gumshoe.core.judgement.grounds import Grounds
from gumshoe.core.knowledge.rows import TestRow
from gumshoe.core.knowledge.values import Origin
from gumshoe.core.obd.snapshot import failure_types, states_by_code
from gumshoe.core.planning import (
    NextAction,
    Outlook,
    Proposal,
    in_order_of,
    look_first,
    make_again,
    next_action,
    outlooks,
    propose,
    what_is_here,
)
from gumshoe.core.planning.next_action import CONFIRM_SHARE, Act, foremost
from gumshoe.core.planning.stop import ENOUGH, LEADS, likely_enough
from gumshoe.core.suspects import Assessment, Suspect, assess
from gumshoe.core.suspects.conflict import Conflict, conflict_in, rests_on
from gumshoe.core.suspects.driving import DriveAdvice, Mended, after_work, drive_advice, situation_of
from gumshoe.core.suspects.rates import BaseRate, base_rate
from gumshoe.core.suspects.relations import CodesRead, read_codes

TELLS = 0.3
"""A code that the fault of a circuit raises so often is a code of that circuit."""
STANDS_UNEXPLAINED = (
    "A code of this circuit stands, and what was measured there explains nothing: one of the two is wrong."
)
SEEN_ONCE = "It was found once, and that is not enough to act on: see it once more before anything is renewed."
NOT_SEEN_ONCE = "What would have shown it was looked at once and did not: see it once more before anything is renewed."
BESIDE = 0.1
"""Of what leads a suspect has at least this share to be looked for beside it when the list is filled up."""
FEW = 3
"""So many tests are proposed where there are as many that speak of the first suspects, though they decide little."""
RISEN, SOON_MINUTES = 2.0, 30.0
"""Where nobody leads yet, what shows the likeliest is looked at early too, if the clues speak for it and it is soon
made."""


@dataclass(frozen=True)
class Judged:
    """What follows from the grounds. The same grounds give the same judgement."""

    grounds: Grounds

    @cached_property
    def clues(self) -> tuple[Clue, ...]:
        """Everything on record as clues."""
        return extract(self.grounds.evidence, self.grounds.knowledge)

    @cached_property
    def assessment(self) -> Assessment:
        """The ranked suspects."""
        return self.ranked_by(self.clues)

    def ranked_by(self, clues: tuple[Clue, ...], *, learned: bool = True) -> Assessment:
        """The suspects by some of the clues only, or without what the shop has learnt."""
        grounds = self.grounds
        return assess(
            grounds.knowledge,
            clues,
            odometer_km=grounds.odometer_km,
            age_years=grounds.age_years,
            climate=grounds.climate,
            ruled_out=grounds.ruled_out,
            own=grounds.own,
            learned=dict(grounds.learned) if learned else None,
        )

    def base_rate(self, suspect: str) -> BaseRate:
        """How often that suspect is behind a lamp, before any clue."""
        grounds = self.grounds
        return base_rate(
            grounds.knowledge,
            suspect,
            grounds.odometer_km,
            grounds.age_years,
            grounds.climate,
            dict(grounds.learned),
        )

    @cached_property
    def read(self) -> CodesRead:
        """The codes of the telling scan read together; none where nothing was read."""
        grounds = self.grounds
        stored = grounds.snapshot.stored_codes if grounds.snapshot else ()
        return read_codes(
            states_by_code(stored), grounds.knowledge, self.assessment, failure_types(stored), grounds.evidence.known
        )

    @cached_property
    def advice(self) -> DriveAdvice:
        """Whether the car may be driven, as it stands with the work that was done."""
        grounds = self.grounds
        found = drive_advice(
            situation_of(
                self.read.codes,
                grounds.knowledge,
                self.assessment,
                lamp=grounds.asked_lamp,
                symptoms=grounds.evidence.symptoms,
                tests=grounds.evidence.tests,
                snapshot=grounds.snapshot,
                scanned=grounds.snapshot is not None,
            )
        )
        return after_work(found, grounds.mended)

    @cached_property
    def notes(self) -> tuple[str, ...]:
        """What the scan as a whole says before any code is read."""
        return scan_notes(self.grounds.snapshot, self.grounds.evidence.module, self.grounds.knowledge)

    @cached_property
    def misfire(self) -> MisfireReading | None:
        """What the engine's misfire codes and counters say together."""
        module = self.grounds.evidence.module
        return read_misfire(module, self.grounds.knowledge) if module else None

    @cached_property
    def unknown(self) -> tuple[str, ...]:
        """Entries on record that nothing here knows."""
        grounds = self.grounds
        return unknown_entries(grounds.evidence, grounds.knowledge, (*grounds.ruled_out, *grounds.own))

    @property
    def done(self) -> frozenset[str]:
        """The tests made already, also by hand, but for those that a repair which did not help has overtaken."""
        evidence = self.grounds.evidence
        by_hand = {clue.stands_for[0] for clue in self.clues if clue.stands_for}
        guided = {row.test for row in evidence.tests}
        return frozenset(guided | by_hand) - outdated_tests(evidence, self.grounds.knowledge)

    @property
    def measured(self) -> frozenset[str]:
        """Graded variables that are known already."""
        return frozenset(clue.variable for clue in self.clues if clue.kind is ClueKind.GRADED)

    @cached_property
    def every_test(self) -> tuple[Proposal, ...]:
        """All tests that can still be made, by bits per minute."""
        return self._proposed(self.conflict.odd.variable if self.conflict else "")

    def _proposed(self, again: str) -> tuple[Proposal, ...]:
        """The tests not made yet, and one that was."""
        grounds = self.grounds
        done, standing = self.done - {again}, does_not_start(grounds.evidence)
        return propose(
            self.assessment, grounds.knowledge, grounds.costs, done=done, known=self.measured, standing=standing
        )

    @cached_property
    def conflict(self) -> Conflict | None:
        """Tests on record that contradict each other, and which of them to make again."""
        return conflict_in(self.assessment, (row.test for row in self.grounds.evidence.tests))

    @property
    def _made(self) -> tuple[tuple[str, str], ...]:
        """Every test made and how it came out, as often as it was."""
        return tuple((row.test, row.outcome) for row in self.grounds.evidence.tests)

    @cached_property
    def leader(self) -> Suspect:
        """The suspect whom the next action is about: see ``foremost``."""
        return foremost(self.assessment)

    def once_more(self, suspect: str) -> Clue | None:
        """The one finding on which the case against a suspect rests, to be seen once more before anything is renewed:
        what is in the hand is looked at anyway. None where he would be acted against without it, or is not yet, and
        once the work is done."""
        found = self.assessment.suspect(suspect)
        if found is None or self.grounds.mended is not Mended.NO or not likely_enough(self.assessment, found):
            return None
        return rests_on(self.assessment, found, self._made, ENOUGH)

    def once_more_at(self, component: str) -> Clue | None:
        """The same for whatever is likeliest to be wrong with a component."""
        found = next((item for item in self.assessment.suspects if item.row.component == component), None)
        return self.once_more(found.id) if found else None

    @cached_property
    def next(self) -> NextAction:
        """What to do next, by the way to work; what a danger asks to be looked at comes before the engine runs."""
        found = self._wanted
        for name, danger in self.advice.looks if found.test and found.test.moves else ():
            look = self.grounds.knowledge.tests.get(name)
            if look and look.id not in self.done:
                return look_first(look, danger, self.leader.id)
        return found

    @property
    def _wanted(self) -> NextAction:
        """The next action but for dangers; where tests contradict each other, the odd one again before anything is
        renewed: at once where it is soon made, else after what takes less."""
        found = next_action(
            self.assessment, self.grounds.knowledge, self._in_order, self.grounds.costs, self.grounds.lacks
        )
        again = self.conflict.odd.variable if self.conflict else ""
        for item in self._in_order:
            if self.conflict and item.test.id == again:
                quicker = found.test is not None and found.test.id != again and found.test.minutes < item.minutes
                if item.minutes <= SOON_MINUTES or not quicker:
                    return make_again(item.test, self.conflict.words, self.leader.id)
        if found.act is Act.WATCH and (doubted := self._measured_once_though_its_code_stands):
            return make_again(doubted, STANDS_UNEXPLAINED, self.leader.id)
        if found.act is Act.GUESS and (once := self._seen_once):
            return make_again(once, SEEN_ONCE, self.leader.id)
        if found.act is Act.GUESS and (missed := self._missed_once):
            return make_again(missed, NOT_SEEN_ONCE, self.leader.id)
        return found

    @cached_property
    def _seen_once(self) -> TestRow | None:
        """The test that alone showed a leader who is not likely enough to act on, where making it again costs little
        against the repair."""
        one = rests_on(self.assessment, self.leader, self._made)
        if one is None or one.result is None:
            return None
        return self._cheap_beside_the_repair(self.grounds.knowledge.tests[one.result[0]])

    @cached_property
    def _missed_once(self) -> TestRow | None:
        """The test that would have shown a leader and did not, made once, where making it again costs little against
        the repair: no part is renewed against the one reading that speaks for leaving it."""
        if self.leader.proven_by or not self.grounds.knowledge.repairs[self.leader.row.repair].renews:
            return None
        times = Counter(name for name, _ in self._made)
        shows = (test for test in self.grounds.knowledge.shown_by(self.leader.id) if times[test.id] == 1)
        test = min(shows, key=lambda row: row.minutes, default=None)
        return self._cheap_beside_the_repair(test) if test else None

    def _cheap_beside_the_repair(self, test: TestRow) -> TestRow | None:
        """The test where it costs little against the repair of the leader."""
        repair, costs = self.grounds.knowledge.repairs[self.leader.row.repair], self.grounds.costs
        return test if costs.of_minutes(test.minutes) <= CONFIRM_SHARE * costs.of_repair(repair) else None

    @cached_property
    def _measured_once_though_its_code_stands(self) -> TestRow | None:
        """The check of a circuit, made once, that explains nothing though the control unit holds a code of it."""
        evidence, knowledge = self.grounds.evidence, self.grounds.knowledge
        stored = evidence.module.codes if evidence.module else ()
        standing = {str(row.code) for row in stored if row.state is CodeState.CONFIRMED}
        of = {
            row.component
            for row in knowledge.faults.values()
            if row.origin is Origin.PART
            and not (row.mode and row.mode.of_unit)
            and any(row.codes.get(number, 0.0) >= TELLS for number in standing)
        }
        times = Counter(row.test for row in evidence.tests)
        checks = (knowledge.tests[name] for name, count in times.items() if count == 1 and name in knowledge.tests)
        return next((test for test in checks if test.checks in of), None)

    @cached_property
    def proposals(self) -> tuple[Proposal, ...]:
        """The tests that can move a decision, in the order of the way to work; the next action's test first."""
        first = self.next.test.id if self.next.test else ""
        looks = self._looks
        worth = [item for item in self._in_order if item.decides or item.test.id == first or item.test.id in looks]
        if first and all(item.test.id != first for item in worth):  # one that is made again
            worth += [item for item in self._proposed(first) if item.test.id == first]
        if len(worth) < FEW:
            foremost_ones = self.assessment.suspects[:FEW]
            least = BESIDE * foremost_ones[0].probability
            about = {item.id for item in foremost_ones if item.probability >= least}
            more = (item for item in self._in_order if item not in worth and not about.isdisjoint(item.test.given))
            worth += list(islice(more, FEW - len(worth)))
        worth.sort(key=lambda item: (item.test.id != first, looks.get(item.test.id, inf)))
        return tuple(self._with_proof(worth))

    def _with_proof(self, rows: list[Proposal]) -> list[Proposal]:
        """The same, what shows the leader soonest among the first few: it is wanted before any dear repair."""
        leader = self.leader
        shows = {test.id for test in self.grounds.knowledge.shown_by(leader.id)}
        proofs = [item for item in rows if item.test.id in shows]
        if leader.proven_by or not proofs:
            return rows
        proof = min(proofs, key=lambda item: item.minutes)
        if leader.probability < LEADS and (leader.probability < RISEN * leader.prior or proof.minutes > SOON_MINUTES):
            return rows
        if rows.index(proof) >= FEW:
            rows.remove(proof)
            rows.insert(FEW - 1, proof)
        return rows

    @property
    def _looks(self) -> dict[str, float]:
        """The tests that come before a dear repair, where the leader is likely enough to act on and no test has shown
        it: what shows it, and what tells of it and takes no longer. Minutes by test."""
        leader, knowledge = self.leader, self.grounds.knowledge
        if leader.proven_by or not likely_enough(self.assessment, leader):
            return {}
        shows = {test.id: test.minutes for test in knowledge.shown_by(leader.id)}
        shortest = min(shows.values(), default=inf)
        library = (test for test in knowledge.tests.values() if test.origin is Origin.TABLE and leader.id in test.given)
        return {test.id: test.minutes for test in library if test.minutes <= shortest} | shows

    @cached_property
    def _in_order(self) -> tuple[Proposal, ...]:
        return what_is_here(in_order_of(self.grounds.way, self.every_test), self.grounds.lacks)

    @cached_property
    def outlooks(self) -> tuple[Outlook, ...]:
        """Every way to work followed to the end; takes a second or more."""
        grounds = self.grounds
        return outlooks(self.assessment, grounds.knowledge, grounds.costs, done=self.done, known=self.measured)


class Kept:
    """Judgements kept under the key of their grounds; when there are too many, the one longest not asked for goes."""

    def __init__(self, most: int = 24) -> None:
        self.most = most
        self._held: OrderedDict[tuple[int, bytes], Judged] = OrderedDict()
        self._lock = Lock()

    def of(self, grounds: Grounds, judge: Callable[[Grounds], Judged] = Judged) -> Judged:
        """The judgement of these grounds."""
        key = grounds.key
        with self._lock:
            found = self._held.get(key)
            if found is None:
                found = self._held[key] = judge(grounds)
            self._held.move_to_end(key)
            while len(self._held) > self.most:
                self._held.popitem(last=False)
        return found
