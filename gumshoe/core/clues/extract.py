"""Turn the evidence of a case into clues.

Present codes count by their state; absent codes only when the monitor that would have set them has completed. Codes
with an ``evidence`` name are read together with the counters as one graded clue.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace

from gumshoe.core.clues.known import KnownCause, explained_by
from gumshoe.core.clues.misfire import found_words, read_misfire
from gumshoe.core.clues.misfire_seen import MisfireSeen
from gumshoe.core.clues.model import Clue, ClueKind, Presence
from gumshoe.core.codes import POWERTRAIN, CodeState, told_by
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.code_catalogue import rank_of
from gumshoe.core.knowledge.code_index import sibling_of
from gumshoe.core.knowledge.effects import LOST
from gumshoe.core.knowledge.rows import Specification, VariableRow
from gumshoe.core.knowledge.values import MISFIRE, Origin
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot
from gumshoe.core.powertrain.misfires import Lack, Spread
from gumshoe.core.powertrain.positions import Pattern, PatternKind, pattern_of
from gumshoe.core.signals.regions import RUNS_RPM, Region, classify
from gumshoe.core.signals.trims import RegionTrim

PENDING_WEIGHT = 0.75
RECORDED_WEIGHT, RECORDED_CLEAN_WEIGHT = 0.8, 0.4
"""A recording's misfires against a code's; one without any was perhaps not where it misfires (common practice)."""
HISTORY_WEIGHT = 0.3
UNTOLD_WEIGHT, SIBLING_WEIGHT = 0.6, 0.9
"""Circuits are watched all the time: one that is not among codes typed in is probably sound. The other bank was watched
by the monitor that has just told of this one."""
MOST_ABSENT = 120
"""So many absent codes are looked at, those that most suspects would raise first."""
RAISES, TELLS = 0.10, 0.20
"""From these chances on, a suspect is behind a present code; and its other codes would be missed."""
DOUBTFUL_WEIGHT = 0.25
NO_START = "no_start"
LAMP_OUT, CLEARED_KM = "out", 200.0
SUPPLY_RUNNING = "supply_running"
SUPPLY_LOW = "system voltage: too low"
BANKS_DIFFER_PCT = 8.0
"""Total trims of the banks that lie farther apart than this belong to one bank's own trouble (common practice)."""
_SURENESS: dict[CodeState | None, float] = {
    CodeState.CONFIRMED: 1.0,
    CodeState.PENDING: PENDING_WEIGHT,
    CodeState.HISTORY: HISTORY_WEIGHT,
}
_TRIM_VARIABLES = {Region.WARM_IDLE: "trim_idle", Region.HIGH_IDLE: "trim_2500"}


@dataclass(frozen=True)
class FoundDead:
    """Cylinders found by hand to be without something, none of them also; ``how`` in words."""

    cylinders: tuple[int, ...]
    lacks: Lack
    how: str
    source: str
    at: str


@dataclass(frozen=True)
class TestOutcome:
    """The verdict of one performed test."""

    __test__ = False

    test: str
    outcome: str
    source: str
    at: str


@dataclass(frozen=True)
class OnRecord:
    """All that is known of a case, as plain values. Each part carries its source record's name and time.

    ``module`` is the engine's part of the scan, ``others`` those of the other modules; ``known``: causes on record.
    """

    symptoms: tuple[str, ...] = ()
    symptom_source: tuple[str, str] = ("", "")
    lamp: str = ""
    """What the customer says of the warning lamp: out, steady, flashing; empty where nobody asked."""
    module: ModuleSnapshot | None = None
    others: tuple[ModuleSnapshot, ...] = ()
    known: tuple[KnownCause, ...] = ()
    scan_source: tuple[str, str] = ("", "")
    trims: tuple[tuple[RegionTrim, str, str], ...] = ()
    tests: tuple[TestOutcome, ...] = ()
    misfires: tuple[tuple[tuple[int, ...], str, str], ...] = ()
    """Which cylinders misfired in a recording (none: it ran clean), the newest last."""
    by_hand: tuple[FoundDead, ...] = ()
    """The newest last: nothing is more direct."""
    failed_repairs: tuple[tuple[str, str, str], ...] = ()
    doubtful: frozenset[str] = field(default_factory=frozenset)
    specification: Specification = field(default_factory=Specification)


def extract(evidence: OnRecord, knowledge: Knowledge) -> tuple[Clue, ...]:
    """Every clue, those marked doubtful down-weighted, in the order: complaint, codes, live, tests, repairs."""
    clues = [
        *_symptoms(evidence, knowledge),
        *_codes(evidence, knowledge),
        *_frame(evidence, knowledge),
        *_misfire(evidence, knowledge),
        *_supply(evidence, knowledge),
        *_lamp(evidence, knowledge),
        *_live(evidence, knowledge),
        *_tests(evidence, knowledge),
        *_repairs(evidence, knowledge),
    ]
    outdated = outdated_tests(evidence, knowledge)
    return tuple(_doubted(clue, evidence, outdated) for clue in clues)


def does_not_start(evidence: OnRecord) -> bool:
    """Whether the customer says that it does not start, and nothing on record shows it running."""
    said = any(name == NO_START for name in evidence.symptoms)
    runs = evidence.module is not None and evidence.module.values.get("rpm", 0.0) >= RUNS_RPM
    return said and not runs and not evidence.trims and not evidence.misfires


def _doubted(clue: Clue, evidence: OnRecord, outdated: frozenset[str]) -> Clue:
    """A clue with less weight where somebody doubts it, or where the repair it led to did not help."""
    old = clue.kind is ClueKind.TEST and clue.variable in outdated
    if not old and clue.id not in evidence.doubtful:
        return clue
    words = f"{clue.words} (before the repair that did not help: make it again)" if old else clue.words
    return replace(clue, words=words, doubtful=True, weight=clue.weight * DOUBTFUL_WEIGHT)


def outdated_tests(evidence: OnRecord, knowledge: Knowledge) -> frozenset[str]:
    """Tests that showed a fault whose repair was then done and did not help: the part they were made on is in the car
    no more, or they were mistaken. They are worth making again."""
    repairs = knowledge.repairs
    done = [(at, repairs[name].component) for name, _, at in evidence.failed_repairs if name in repairs]
    newest = {row.test: row for row in evidence.tests}
    found = set()
    for name, row in newest.items():
        test = knowledge.tests.get(name)
        outcome = test.outcome(row.outcome) if test else None
        shown = outcome.proves if outcome else ()
        mended = {knowledge.faults[fault].component for fault in knowledge.proven_by(shown)} if shown else set()
        if any(row.at and row.at < at and component in mended for at, component in done):
            found.add(name)
    return frozenset(found)


def bin_of(variable: VariableRow, value: float) -> str:
    """The bin a measured value falls into."""
    for item in variable.bins:
        if item.upto is not None and value <= item.upto:
            return item.id
    return variable.bins[-1].id


def bin_words(variable: VariableRow, name: str) -> str:
    """Words for a bin."""
    return next(item.words for item in variable.bins if item.id == name)


def _symptoms(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    source, at = evidence.symptom_source
    for name in evidence.symptoms:
        row = knowledge.symptoms.get(name)
        if row is not None:
            yield Clue(
                ClueKind.SYMPTOM,
                name,
                Presence.PRESENT,
                f"Customer: {row.words}",
                f"complaint: {row.words}",
                source,
                at,
            )


def _codes(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    source, at = evidence.scan_source
    modules = [item for item in (evidence.module, *evidence.others) if item is not None]
    states: dict[str, CodeState] = {}
    for stored in (item for module in modules for item in module.codes):
        if stored.state in _SURENESS and _SURENESS[stored.state] > _SURENESS.get(states.get(stored.code), 0.0):
            states[stored.code] = stored.state
    for number, state in states.items():
        row = knowledge.codes.get(number)
        if row is None or row.evidence or number not in knowledge.linked:
            continue
        words = f"{number} {state.value}: {row.title}"
        chance, by = explained_by(evidence.known, number)
        yield Clue(
            ClueKind.CODE, number, Presence.PRESENT, words, number, source, at, _SURENESS[state], min(chance, 0.999), by
        )
    if evidence.module is None:
        return
    told = evidence.module.status is None and bool(states)
    said = {_about(number, knowledge) for number in states if number in knowledge.index.rows}
    heard = _heard(set(states), knowledge)
    siblings = _siblings(set(states), knowledge)
    for number in sorted(_telling_absence(set(states), evidence, knowledge) | heard | siblings):
        row = knowledge.codes[number]
        about = _about(number, knowledge)
        if number in states or row.evidence or about in said:
            continue  # a control unit says the same thing with one of several codes, not with all of them
        if number in heard:
            words = f"{number} not among what is told: {row.title}"
            yield Clue(ClueKind.CODE, number, Presence.ABSENT, words, number, source, at, UNTOLD_WEIGHT)
            continue
        if _completed(evidence.module, row.monitor):
            words = f"{number} absent although its monitor has run"
            yield Clue(ClueKind.CODE, number, Presence.ABSENT, words, number, source, at)
        elif told and number in siblings:
            words = f"{number} not among the codes told, though the same monitor watches both banks"
            yield Clue(ClueKind.CODE, number, Presence.ABSENT, words, number, source, at, SIBLING_WEIGHT)
        elif told and rank_of(row.kind) == 0:
            words = f"{number} not among the codes told"
            yield Clue(ClueKind.CODE, number, Presence.ABSENT, words, number, source, at, UNTOLD_WEIGHT)


def _siblings(present: set[str], knowledge: Knowledge) -> set[str]:
    """The codes of the other bank to those that are there: what watches one bank has watched the other as well."""
    if knowledge.powertrain.banks == 1:
        return set()
    found = (sibling_of(number, knowledge.index) for number in present)
    return {number for number in found if number in knowledge.linked and number not in present}


def _about(number: str, knowledge: Knowledge) -> tuple[str, int]:
    """What a code is about, and whether of its circuit, its plausibility or its effect."""
    row = knowledge.index.rows.get(number) or knowledge.codes[number]
    return row.component, rank_of(row.kind)


def _telling_absence(present: set[str], evidence: OnRecord, knowledge: Knowledge) -> set[str]:
    """Codes whose absence can tell: those that a suspect behind a present code or symptom would raise as well."""
    said = set(evidence.symptoms)
    nothing_said = not present and not said
    misfires = any(code in knowledge.codes and knowledge.codes[code].evidence == MISFIRE for code in present)
    worth: dict[str, float] = {}
    for row in knowledge.faults.values():
        shown = max((row.codes.get(code, 0.0) for code in present), default=0.0)
        if misfires:
            shown = max(shown, row.misfires)
        if row.origin is Origin.TABLE:
            shown = max([shown, *(row.symptoms.get(name, 0.0) for name in said)])
            shown = 1.0 if nothing_said else shown
        if shown >= RAISES:
            for code, chance in row.codes.items():
                if chance >= TELLS and told_by(code).system == POWERTRAIN:
                    worth[code] = worth.get(code, 0.0) + row.rate * shown * chance
    return set(sorted(worth, key=lambda code: (-worth[code], code))[:MOST_ABSENT])


def _heard(present: set[str], knowledge: Knowledge) -> set[str]:
    """Codes that whoever misses a control unit would set as well: of the others, to which it listens too, and of a
    supply that broke down (common practice: one silent unit is that unit, all of them silent is what they share)."""
    codes = knowledge.codes
    if not any(number in codes and codes[number].kind == LOST for number in present):
        return set()
    found = set(knowledge.index.numbers(SUPPLY_LOW, knowledge.powertrain.banks))
    for part in knowledge.components.values():
        own = {number for number, kind in part.codes if kind == LOST}
        if not own & present:  # one unit is named by one of its codes
            found |= own
    return {number for number in found - present if number in knowledge.linked and number in codes}


def _completed(module: ModuleSnapshot, monitor: str) -> bool:
    if module.status is None:
        return False
    item = module.status.monitor(monitor)
    return item is not None and item.supported and item.complete


def _frame(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    module = evidence.module
    for frame in module.frames if module else ():
        row = knowledge.codes.get(frame.code)
        if row is None or not row.frame_clue or row.frame_clue not in knowledge.variables:
            continue
        name = frame_region(frame)
        if name:
            words = f"{frame.code} set {bin_words(knowledge.variables[row.frame_clue], name)}"
            yield Clue(ClueKind.GRADED, row.frame_clue, name, words, row.frame_clue, *evidence.scan_source)


def frame_region(frame: FreezeFrame) -> str:
    """``idle``, ``part_load`` or ``high_load`` for a stored frame; empty when the engine was not running."""
    region = classify(frame.values)
    if region in (Region.OFF, Region.CRANKING):
        return ""
    if region in (Region.WARM_IDLE, Region.COLD_IDLE) and frame.values.get("rpm", 0.0) < 1500.0:
        return "idle"
    return "high_load" if frame.values.get("load_pct", 0.0) >= 65.0 else "part_load"


def _misfire(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
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
        same = _as_good_as(hand, knowledge)
        yield replace(found, family=f"found by hand: {hand.lacks}", given=before, stands_for=same)


def _as_good_as(hand: FoundDead, knowledge: Knowledge) -> tuple[str, str] | None:
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
    elif _completed(module, MISFIRE):
        weight, words = 1.0, f"No misfire code, monitor has run (counts {listed})"
    else:
        return
    yield clue(found.pattern, words, found.seen(knowledge.powertrain), *evidence.scan_source, weight)


def _supply(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    """The supply voltage of the scan: of the battery while the engine stands, of the charging while it runs."""
    found = supply_of(evidence.module, knowledge)
    if found is not None:
        variable, name, volts = found
        how = ", engine running" if variable.id == SUPPLY_RUNNING else ""
        words = f"Supply {volts:.1f} V{how} when the codes were read: {bin_words(variable, name)}"
        yield Clue(ClueKind.GRADED, variable.id, name, words, variable.family, *evidence.scan_source)


def supply_of(module: ModuleSnapshot | None, knowledge: Knowledge) -> tuple[VariableRow, str, float] | None:
    """The supply of a scan: its variable (standing or running), the bin and the volts; None where it was not read."""
    volts = module.values.get("module_v") if module else None
    if module is None or volts is None or volts <= 0.0:
        return None
    runs = module.values.get("rpm", 0.0) >= RUNS_RPM
    variable = knowledge.variables.get(SUPPLY_RUNNING if runs else "supply")
    return (variable, bin_of(variable, volts), volts) if variable else None


def _lamp(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    """The lamp against what the control unit asks of it, where its memory is empty and was not cleared lately: a lamp
    that was lit went out with the codes."""
    module, variable = evidence.module, knowledge.variables.get("lamp_told")
    if module is None or module.status is None or not evidence.lamp or variable is None or module.codes:
        return
    if module.values.get("distance_clear_km", CLEARED_KM) < CLEARED_KM:
        return
    lit, asked = evidence.lamp != LAMP_OUT, module.status.lamp
    name = "unasked" if lit and not asked else "dark" if asked and not lit else "normal"
    words = f"Warning lamp {evidence.lamp}: {bin_words(variable, name)}"
    yield Clue(ClueKind.GRADED, variable.id, name, words, variable.family, *evidence.symptom_source)


def _live(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    latest: dict[str, Clue] = {}
    newest: dict[str, dict[int, tuple[RegionTrim, str, str]]] = {}
    for trim, source, at in evidence.trims:
        name = _TRIM_VARIABLES.get(trim.region)
        if name and name in knowledge.variables:
            newest.setdefault(name, {})[trim.bank] = (trim, source, at)
        if trim.region is Region.WARM_IDLE and "idle_speed" in knowledge.variables:
            variable = knowledge.variables["idle_speed"]
            off = trim.rpm - evidence.specification.idle_rpm
            latest["idle_speed"] = Clue(
                ClueKind.GRADED,
                "idle_speed",
                bin_of(variable, off),
                f"Idle {trim.rpm:.0f} rpm, {off:+.0f} against specification",
                variable.family,
                source,
                at,
            )
    for name, banks in newest.items():
        yield from _mixture(name, banks, knowledge)
    yield from latest.values()


def _mixture(name: str, banks: dict[int, tuple[RegionTrim, str, str]], knowledge: Knowledge) -> Iterator[Clue]:
    """The trim that lies farthest off speaks for the mixture; beside it, whether the banks agree."""
    variable = knowledge.variables[name]
    trim, source, at = max(banks.values(), key=lambda row: (abs(row[0].total_pct), -row[0].bank))
    of_bank = f", bank {trim.bank}" if len(banks) > 1 else ""
    words = f"{variable.name}{of_bank}: {trim.total_pct:+.1f} % at {trim.rpm:.0f} rpm"
    yield Clue(ClueKind.GRADED, name, bin_of(variable, trim.total_pct), words, variable.family, source, at)
    compared = knowledge.variables.get(f"{name}_banks")
    if len(banks) > 1 and compared is not None:
        first, second = (banks[number][0].total_pct for number in (1, 2))
        found = f"bank_{trim.bank}" if abs(first - second) > BANKS_DIFFER_PCT else "alike"
        words = f"{compared.name}: {first:+.1f} % and {second:+.1f} %, {bin_words(compared, found)}"
        yield Clue(ClueKind.GRADED, compared.id, found, words, compared.family, source, at)


def _tests(evidence: OnRecord, knowledge: Knowledge) -> Iterable[Clue]:
    latest: dict[str, Clue] = {}
    for done in evidence.tests:
        test = knowledge.tests.get(done.test)
        outcome = test.outcome(done.outcome) if test else None
        if test and outcome:
            latest[done.test] = Clue(
                ClueKind.TEST,
                done.test,
                outcome.id,
                f"{test.words}: {outcome.words}",
                f"test {done.test}",
                done.source,
                done.at,
            )
    return latest.values()


def _repairs(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    for repair, source, at in evidence.failed_repairs:
        if repair in knowledge.repairs:
            words = f"Done and did not help: {knowledge.repairs[repair].words}"
            yield Clue(ClueKind.REPAIR, repair, "failed", words, f"repair {repair}", source, at)
