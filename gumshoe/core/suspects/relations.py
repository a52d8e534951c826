"""What the codes mean together: which one to chase first, which is an echo, what they share, and why.

All of it comes from the fault model that ranks the suspects: a code that the best explanation already predicts is an
echo of the code that explanation raises most directly; a shared point is a suspect like any other; what a known cause
(work done, a flat battery) sets is explained away before anything is suspected. On top of it stands the dependency
order of monitors (common practice): circuit before performance before functional, a misfire before what it drags along.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from enum import StrEnum

from gumshoe.core.clues.known import KnownCause, explained_by
from gumshoe.core.codes import POWERTRAIN, CodeState, TroubleCode, structure, told_by
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.code_catalogue import failure_words, rank_of
from gumshoe.core.knowledge.generate import own_codes
from gumshoe.core.knowledge.rows import CodeRow, FaultRow
from gumshoe.core.knowledge.values import MISFIRE
from gumshoe.core.suspects.posterior import Assessment
from gumshoe.core.words import share

PREDICTS = 0.10
"""From this chance on, the best explanation is said to predict a code."""
DRAGGED = 0.25
"""From this chance on, a code is commonly dragged along by a misfire, whatever else would set it as well."""
SHARED_SHOWN = 0.02
"""Shared points less likely than this are not shown."""
SHOWN_POINTS = 4
States = Mapping[TroubleCode, tuple[CodeState, ...]]


class Role(StrEnum):
    """What part a code plays in the whole."""

    CHASE = "chase first"
    ECHO = "can wait: echo"
    SELF = "set by the work itself"
    SEPARATE = "separate matter"
    STALE = "old: not now"
    UNKNOWN = "decoded by structure only"


_ORDER = {role: place for place, role in enumerate((Role.CHASE, Role.SEPARATE, Role.ECHO, Role.SELF, Role.STALE))}
_SEVERITY = {"now": 0, "soon": 1, "can wait": 2}


@dataclass(frozen=True)
class CodeReading:
    """One code, read: its row (None when only its structure is known), states, role and the reason for it.

    ``after``: the code to chase before this one; ``suspect``: the fault of the best explanation that predicts it.
    """

    code: TroubleCode
    states: tuple[CodeState, ...]
    row: CodeRow | None
    structure_words: str
    role: Role
    reason: str
    after: str = ""
    suspect: str = ""


@dataclass(frozen=True)
class Relation:
    """An arrow of the code map: from a code, a suspect or a known cause to a code, with its reason."""

    source: str
    target: str
    why: str


@dataclass(frozen=True)
class SharedFinding:
    """A point several codes have in common, with its probability and what speaks of it."""

    id: str
    words: str
    field: str
    probability: float
    codes: tuple[TroubleCode, ...]
    members: tuple[str, ...]
    from_platform: bool


@dataclass(frozen=True)
class CodesRead:
    """The codes of one vehicle read together, in the order to chase them."""

    codes: tuple[CodeReading, ...]
    relations: tuple[Relation, ...]
    shared: tuple[SharedFinding, ...]
    known: tuple[str, ...]

    def reading(self, code: TroubleCode) -> CodeReading:
        """The reading of one code. Raises KeyError."""
        return next(item for item in self.codes if item.code == code)

    @property
    def by_cause(self) -> list[tuple[CodeReading, list[CodeReading]]]:
        """The codes in the order to chase them, each with those that only follow from it."""
        causes = {item.code: self._cause(item) for item in self.codes}
        return [
            (head, [item for item in self.codes if causes[item.code] == head.code])
            for head in self.codes
            if not causes[head.code]
        ]

    def _cause(self, item: CodeReading) -> str:
        """The code an echo follows from, over echoes of echoes; nothing where that is none of these."""
        known: dict[str, CodeReading] = {row.code: row for row in self.codes}
        seen = {item.code}
        while item.role is Role.ECHO and item.after in known and item.after not in seen:
            item = known[item.after]
            seen.add(item.code)
        return item.code if len(seen) > 1 and item.role is not Role.ECHO else ""

    def in_role(self, role: Role) -> tuple[TroubleCode, ...]:
        """Codes in that role, in order."""
        return tuple(item.code for item in self.codes if item.role is role)


def read_codes(
    codes: States,
    knowledge: Knowledge,
    assessment: Assessment,
    types: Mapping[str, str] | None = None,
    known: Iterable[KnownCause] = (),
) -> CodesRead:
    """Read the codes of one vehicle together. ``types``: failure-type bytes, by code; ``known``: causes on record,
    which explain a code whether or not any suspect raises it."""
    return _Reader(codes, knowledge, assessment, types or {}, tuple(known)).read()


class _Reader:
    def __init__(
        self,
        codes: States,
        knowledge: Knowledge,
        assessment: Assessment,
        types: Mapping[str, str],
        known: tuple[KnownCause, ...],
    ) -> None:
        self.types = types
        self.codes, self.knowledge, self.assessment = codes, knowledge, assessment
        self.best = [knowledge.faults[name] for name in assessment.best]
        told = {code: explained_by(known, code) for code in codes}
        self.explained = {code: found for code, found in told.items() if found[0] > 0.0}
        self.rated = {code: self._rate(knowledge.codes[code]) for code in codes if code in knowledge.codes}

    def read(self) -> CodesRead:
        active = [code for code in self.rated if self._state_role(code) is None and not self._is_known(code)]
        active.sort(key=self._place)
        leaders: dict[str, TroubleCode] = {}
        for code in active:
            chance, fault = self.rated[code]
            if fault is not None and chance >= PREDICTS:
                leaders.setdefault(fault.id, code)
        readings = {code: self._role(code, leaders) for code in active}
        self._misfire_first(readings)
        self._drag(readings)
        self._lead(readings)
        everything = [readings.get(code) or self._aside(code) for code in self.codes]
        everything.sort(key=self._rank)
        return CodesRead(
            tuple(everything),
            tuple(self._relations(everything)),
            tuple(self._shared(active)),
            tuple(dict.fromkeys(words for _, words in self.explained.values())),
        )

    # -- one code -----------------------------------------------------------------------------------------

    def _rate(self, row: CodeRow) -> tuple[float, FaultRow | None]:
        """How strongly the best explanation predicts the code, and the suspect that does it most."""
        top, who = 0.0, None
        for fault in self.best:
            chance = predicts(fault, row)
            if chance > top:
                top, who = chance, fault
        return top, who

    def _is_known(self, code: TroubleCode) -> bool:
        chance, _ = self.explained.get(code, (0.0, ""))
        return chance >= PREDICTS and chance >= self.rated.get(code, (0.0, None))[0]

    def _state_role(self, code: TroubleCode) -> Role | None:
        """A code that is not of today: held as history or as permanent only."""
        states = set(self.codes[code])
        if states <= {CodeState.HISTORY, CodeState.PERMANENT}:
            return Role.STALE if CodeState.HISTORY in states else Role.SEPARATE
        return None

    def _place(self, code: TroubleCode) -> tuple[bool, bool, int, float, str]:
        """What a shared point says of itself first; direct signs before what only follows; then circuit before
        performance before functional."""
        chance, fault = self.rated[code]
        own = bool(fault and fault.members) and code in self._own_of(fault)
        follows = bool(fault and code in fault.echoes)
        return not own, follows, rank_of(self.knowledge.codes[code].kind), -chance, code

    def _own_of(self, fault: FaultRow | None) -> frozenset[str]:
        """The codes that a shared point has of its own: they say it before its members do."""
        point = self.knowledge.points_by_fault.get(fault.id) if fault else None
        if point is None:
            return frozenset()
        return frozenset(own_codes(point, self.knowledge.index, self.knowledge.powertrain.banks))

    def _reading(self, code: TroubleCode, role: Role, reason: str, **more: str) -> CodeReading:
        row, words = self.knowledge.codes.get(code), structure(code).words
        if code in self.types:
            words += f", failure type {self.types[code]}: {failure_words(self.types[code])}"
        return CodeReading(code, self.codes[code], row, words, role, reason, **more)

    def _role(self, code: TroubleCode, leaders: dict[str, TroubleCode]) -> CodeReading:
        chance, fault = self.rated[code]
        if fault is None or chance < PREDICTS:
            reason = "The best explanation of the rest does not predict this code: look at it by itself."
            return self._reading(code, Role.SEPARATE, reason)
        leader = leaders[fault.id]
        name = fault.words[0].upper() + fault.words[1:]
        if leader == code:
            also = [other for other in leaders_of(fault, self.codes) if other != code]
            if fault.members and also:
                reason = f"{name}: {len(also) + 1} codes hang on this one point. Check it before any part."
            else:
                often = share(chance)
                reason = f"The likeliest suspect ({fault.words}) raises this code most directly ({often} of the time)."
            return self._reading(code, Role.CHASE, reason, suspect=fault.id)
        why = fault.echoes.get(code) or self._told_echo(code, leader)
        tail = f": {why}" if why else ""
        reason = f"{name} explains it as well as {leader}{tail}. Repair that first, then look again."
        return self._reading(code, Role.ECHO, reason, after=leader, suspect=fault.id)

    def _told_echo(self, code: TroubleCode, leader: str) -> str:
        row, lead = self.knowledge.codes[code], self.knowledge.codes[leader]
        return row.echo_why if lead.group and lead.group in row.echo_of else ""

    def _aside(self, code: TroubleCode) -> CodeReading:
        """A code that takes no part: known cause, old, permanent only, or not in the catalogue."""
        role = self._state_role(code)
        if role in (None, Role.STALE) and self._is_known(code):
            _, words = self.explained[code]
            reason = f"{words}: that sets this code by itself. Put it right, clear, and see whether it returns."
            return self._reading(code, Role.SELF, reason)
        if code not in self.rated:
            words = "Not in the catalogue: look it up in the maker's service information, or enter what it stands for."
            return self._reading(code, Role.UNKNOWN, words)
        if role is Role.STALE:
            return self._reading(
                code, role, "Held as history only: it happened, but not now. Store it, clear it, see what returns."
            )
        return self._reading(
            code, Role.SEPARATE, "Permanent only: it leaves by itself once its monitor has run and passed."
        )

    # -- the order of monitors ----------------------------------------------------------------------------

    def _misfire_first(self, readings: dict[TroubleCode, CodeReading]) -> None:
        """A misfire is chased before the codes it drags behind it, even where another suspect explains those."""
        misfire = next((code for code in readings if self.knowledge.codes[code].evidence == MISFIRE), None)
        if misfire is None or self._only_follows(misfire, readings[misfire]):
            return
        least = DRAGGED if readings[misfire].role is Role.ECHO else 0.0
        for effect in (item for item in self.knowledge.effects if item.source == "misfire"):
            dragged = self.knowledge.index.strengths(effect.raises, self.knowledge.powertrain.banks)
            for code, item in list(readings.items()):
                if dragged.get(code, -1.0) >= least and item.role in (Role.CHASE, Role.SEPARATE):
                    readings[code] = replace(item, role=Role.ECHO, reason=_after(misfire, effect.why), after=misfire)
                    if readings[misfire].role is not Role.CHASE:
                        first = f"A misfire comes before what it drags behind it: {effect.why}."
                        readings[misfire] = replace(readings[misfire], role=Role.CHASE, reason=first)

    def _only_follows(self, misfire: TroubleCode, item: CodeReading) -> bool:
        """Whether the suspect behind a misfire is known to bring it about by something that is put right first."""
        fault = self.knowledge.faults.get(item.suspect)
        return item.role is Role.ECHO and fault is not None and misfire in fault.echoes

    def _drag(self, readings: dict[TroubleCode, CodeReading]) -> None:
        """Codes that other modules set because this one has trouble, where no suspect was found to predict them."""
        for effect in self.knowledge.effects:
            if effect.source == "misfire":
                continue
            dragged = self.knowledge.index.strengths(effect.raises, self.knowledge.powertrain.banks)
            cause = next(
                (code for code in readings if told_by(code).system == POWERTRAIN and code not in dragged), None
            )
            for code, item in list(readings.items()):
                if cause and code in dragged and item.role is Role.SEPARATE:
                    readings[code] = replace(item, role=Role.ECHO, reason=_after(cause, effect.why), after=cause)

    def _lead(self, readings: dict[TroubleCode, CodeReading]) -> None:
        """There is always one to begin with."""
        if readings and not any(item.role is Role.CHASE for item in readings.values()):
            first = min(readings.values(), key=self._rank)
            why = "Nothing else explains it yet, and circuit codes come before performance before functional codes."
            readings[first.code] = replace(first, role=Role.CHASE, reason=why)

    def _rank(self, item: CodeReading) -> tuple[int, int, int, float, str]:
        role = _ORDER.get(item.role, len(_ORDER))
        if item.row is None or item.code not in self.rated:
            return role, 9, 9, 0.0, item.code
        chance = self.rated[item.code][0]
        return role, _SEVERITY.get(item.row.severity, 1), rank_of(item.row.kind), -chance, item.code

    # -- the map ------------------------------------------------------------------------------------------

    def _relations(self, readings: list[CodeReading]) -> Iterable[Relation]:
        for item in readings:
            if item.role is Role.CHASE and item.suspect:
                yield Relation(item.suspect, item.code, "raises it directly")
            elif item.role is Role.ECHO:
                fault = self.knowledge.faults.get(item.suspect)
                why = fault.echoes.get(item.code, "") if fault else self._why_after(item)
                if not why and item.suspect in self.knowledge.points_by_fault:
                    yield Relation(item.suspect, item.code, "hangs on the same point")
                    continue
                yield Relation(item.after, item.code, why or "the same fault raises both")
            elif item.role is Role.SELF:
                yield Relation(self.explained[item.code][1], item.code, "set by the work")

    def _why_after(self, item: CodeReading) -> str:
        """The reason of an effect that no suspect of the best explanation carries."""
        banks = self.knowledge.powertrain.banks
        for effect in self.knowledge.effects:
            if item.code in self.knowledge.index.strengths(effect.raises, banks):
                return effect.why
        return ""

    def _shared(self, active: list[TroubleCode]) -> Iterable[SharedFinding]:
        """The points that two or more of today's codes have in common, the likeliest first."""
        found = []
        for fault, point in self.knowledge.points_by_fault.items():
            suspect = self.assessment.suspect(fault)
            row = self.knowledge.faults[fault]
            codes = tuple(sorted(code for code in active if row.codes.get(code, 0.0) >= PREDICTS))
            if suspect is not None and len(codes) > 1 and suspect.probability >= SHARED_SHOWN:
                names = tuple(member.words for member in point.members)
                found.append(
                    SharedFinding(
                        point.id, row.words, point.field, suspect.probability, codes, names, point.from_platform
                    )
                )
        found.sort(key=lambda item: (-item.probability, item.id))
        return found[:SHOWN_POINTS]


def predicts(fault: FaultRow, row: CodeRow) -> float:
    """How likely a suspect makes a code; misfire codes are judged by the misfire pattern as a whole."""
    chance = fault.codes.get(row.number, 0.0)
    return max(chance, fault.misfires) if row.evidence == MISFIRE else chance


def leaders_of(fault: FaultRow, codes: Iterable[str]) -> list[str]:
    """Those of the codes that the suspect raises directly."""
    return [code for code in codes if fault.codes.get(code, 0.0) >= PREDICTS and code not in fault.echoes]


def _after(code: TroubleCode, why: str) -> str:
    return f"Comes after {code}: {why}. Repair that first, then look again."
