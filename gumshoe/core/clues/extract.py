"""Turn the evidence of a case into clues.

Present codes count by their state; absent codes only when the monitor that would have set them has completed. Codes
with an ``evidence`` name are read together with the counters as one graded clue.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

from gumshoe.core.clues.known import explained_by
from gumshoe.core.clues.misfires import PENDING_WEIGHT, as_good_as, misfires
from gumshoe.core.clues.model import Clue, ClueKind, Presence
from gumshoe.core.clues.record import OnRecord
from gumshoe.core.codes import POWERTRAIN, CodeState, told_by
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.code_catalogue import rank_of
from gumshoe.core.knowledge.code_index import sibling_of
from gumshoe.core.knowledge.effects import LOST
from gumshoe.core.knowledge.rows import USUAL_IDLE_RPM, VariableRow
from gumshoe.core.knowledge.values import MISFIRE, Origin
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot
from gumshoe.core.signals.regions import RUNS_RPM, Region, classify
from gumshoe.core.signals.trims import RegionTrim

HISTORY_WEIGHT = 0.3
UNTOLD_WEIGHT, SIBLING_WEIGHT = 0.6, 0.9
"""Circuits are watched all the time: one that is not among codes typed in, or beside a code of another circuit before
the monitor is through, is probably sound. The other bank was watched by the monitor that has just told of this one."""
MOST_ABSENT = 120
"""So many absent codes are looked at, those that most suspects would raise first."""
RAISES, TELLS = 0.10, 0.20
"""From these chances on, a suspect is behind a present code; and its other codes would be missed."""
DOUBTFUL_WEIGHT = 0.25
NO_START = frozenset({"no_start", "slow_crank"})
LAMP_OUT, CLEARED_KM = "out", 200.0
SUPPLY_RUNNING = "supply_running"
AT_REST = (
    ("air_at_rest", "maf_gps", "Air flow", False),
    ("manifold_at_rest", "map_kpa", "Manifold pressure", True),
    ("boost_at_rest", "boost_kpa", "Boost pressure", True),
    ("rail_at_rest", "rail_kpa", "Rail pressure", False),
)
"""Variables that a read tells at a standing engine: the value they are of, its name, whether the air's is taken off."""
SUPPLY_LOW = "system voltage: too low"
INTERMITTENT = "intermittent"
BANKS_DIFFER_PCT = 8.0
"""Total trims of the banks that lie farther apart than this belong to one bank's own trouble (common practice)."""
_SURENESS: dict[CodeState | None, float] = {
    CodeState.CONFIRMED: 1.0,
    CodeState.PENDING: PENDING_WEIGHT,
    CodeState.HISTORY: HISTORY_WEIGHT,
}
_TRIM_VARIABLES = {Region.WARM_IDLE: "trim_idle", Region.HIGH_IDLE: "trim_2500"}


def extract(evidence: OnRecord, knowledge: Knowledge) -> tuple[Clue, ...]:
    """Every clue, those marked doubtful down-weighted, in the order: complaint, codes, live, tests, repairs."""
    clues = [
        *_symptoms(evidence, knowledge),
        *_codes(evidence, knowledge),
        *_frame(evidence, knowledge),
        *misfires(evidence, knowledge),
        *_supply(evidence, knowledge),
        *_at_rest(evidence, knowledge),
        *_lamp(evidence, knowledge),
        *_live(evidence, knowledge),
        *_tests(evidence, knowledge),
        *_repairs(evidence, knowledge),
    ]
    outdated = outdated_tests(evidence, knowledge)
    return tuple(_doubted(clue, evidence, outdated) for clue in clues)


def does_not_start(evidence: OnRecord) -> bool:
    """Whether the customer says that it does not start, and nothing on record shows it running."""
    said = not NO_START.isdisjoint(evidence.symptoms)
    runs = evidence.module is not None and evidence.module.values.get("rpm", 0.0) >= RUNS_RPM
    return said and not runs and not evidence.trims and not evidence.misfires


def _doubted(clue: Clue, evidence: OnRecord, outdated: frozenset[str]) -> Clue:
    """A clue with less weight where somebody doubts it, or where the repair it led to did not help."""
    old = clue.result is not None and clue.result[0] in outdated
    if not old and clue.id not in evidence.doubtful:
        return clue
    words = f"{clue.words} (before the repair that did not help: make it again)" if old else clue.words
    return replace(clue, words=words, doubtful=True, weight=clue.weight * DOUBTFUL_WEIGHT)


def outdated_tests(evidence: OnRecord, knowledge: Knowledge) -> frozenset[str]:
    """Tests, also those that hands made by themselves, that showed a fault whose repair was then done and did not help:
    the part they were made on is in the car no more, or they were mistaken. They are worth making again."""
    repairs = knowledge.repairs
    done = [(at, repairs[name].component) for name, _, at in evidence.failed_repairs if name in repairs]
    by_hand = ((same, row.at) for row in evidence.by_hand if (same := as_good_as(row, knowledge)))
    made = [*((row.test, row.outcome, row.at) for row in evidence.tests), *((*same, at) for same, at in by_hand)]
    newest = {name: (outcome, at) for name, outcome, at in sorted(made, key=lambda row: row[2])}
    found = set()
    for name, (told, since) in newest.items():
        test = knowledge.tests.get(name)
        outcome = test.outcome(told) if test else None
        shown = outcome.proves if outcome else ()
        mended = {knowledge.faults[fault].component for fault in knowledge.proven_by(shown)} if shown else set()
        if any(since and since < at and component in mended for at, component in done):
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
    modules = (item for item in (evidence.module, *evidence.others) if item is not None)
    brought = not any(module.codes for module in modules)
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
                brought=brought,
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
    watched = any(rank_of(knowledge.codes[number].kind) == 0 for number in states if number in knowledge.codes)
    told = watched or (evidence.module.status is None and bool(states))
    said = {about for number in states if number in knowledge.index.rows for about in _about(number, knowledge)}
    heard = _heard(set(states), knowledge)
    siblings = _siblings(set(states), knowledge)
    for number in sorted(_telling_absence(set(states), evidence, knowledge) | heard | siblings):
        row = knowledge.codes[number]
        if number in states or row.evidence or not said.isdisjoint(_about(number, knowledge)):
            continue  # a control unit says the same thing with one of several codes, not with all of them
        if number in heard:
            words, weight = f"{number} not among what is told: {row.title}", UNTOLD_WEIGHT
        elif evidence.module.completed(row.monitor):
            words, weight = f"{number} absent although its monitor has run", 1.0
        elif number in siblings:
            words = f"{number} not among the codes told, though what watches the other watches it as well"
            weight = SIBLING_WEIGHT
        elif told and rank_of(row.kind) == 0:
            words = f"{number} not among the codes told, and circuits are watched all the time"
            weight = UNTOLD_WEIGHT
        else:
            continue
        about = " ".join(map(str, min(_about(number, knowledge))))
        yield Clue(ClueKind.CODE, number, Presence.ABSENT, words, number, source, at, weight, about=about)


def _siblings(present: set[str], knowledge: Knowledge) -> set[str]:
    """The codes of the other bank to those that are there, and those of the same circuit of the other cylinders: what
    watches one has watched the others as well."""
    found: set[str | None] = set()
    if knowledge.powertrain.banks > 1:
        found = {sibling_of(number, knowledge.index) for number in present}
    for number in present:
        for part in (knowledge.components[name] for name in knowledge.components_of(number)):
            kind = dict(part.codes)[number]
            alike = (item for item in knowledge.components.values() if part.cylinders and item.row is part.row)
            found |= {code for item in alike for code, other in item.codes if other == kind and rank_of(kind) == 0}
    return {number for number in found if number in knowledge.linked and number not in present}


def _about(number: str, knowledge: Knowledge) -> set[tuple[str, int, bool]]:
    """What a code is about, whether of its circuit, its plausibility or its effect, and whether it comes and goes. Of a
    circuit also the car's part: its numbers have several names (the fan, its control, its motor)."""
    row = knowledge.index.rows.get(number) or knowledge.codes[number]
    rank = rank_of(row.kind)
    names = (row.component, *(knowledge.components_of(number) if rank == 0 else ()))
    return {(name, rank, row.kind == INTERMITTENT) for name in names}


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


def _at_rest(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    """What the sensors of air and rail tell of an engine that was read while it stood; as good as the test that would
    find the same."""
    values = evidence.module.values if evidence.module else {}
    if values.get("rpm", RUNS_RPM) > 0.0:
        return
    air = values.get("baro_kpa")
    tests = {test.told_by: test for test in knowledge.tests.values() if test.told_by}
    for variable_id, key, words, less_air in AT_REST:
        variable, shown = knowledge.variables.get(variable_id), values.get(key)
        if variable is None or shown is None or (less_air and air is None):
            continue
        name = bin_of(variable, shown - air if less_air and air is not None else shown)
        said = f"{words} {shown:.0f} {variable.unit} while the engine stands: {bin_words(variable, name)}"
        test = tests.get(variable_id)
        same = (test.id, name) if test and test.outcome(name) else None
        yield Clue(ClueKind.GRADED, variable.id, name, said, variable.family, *evidence.scan_source, stands_for=same)


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


def _off_idle(rpm: float, specified: float | None) -> tuple[float | None, str]:
    """How far an idle is off, in rpm, and against what; None where nothing is specified and it may be right."""
    if specified is not None:
        return rpm - specified, f"{rpm - specified:+.0f} against specification"
    low, high = USUAL_IDLE_RPM
    if low <= rpm <= high:
        return None, ""
    return rpm - (low if rpm < low else high), f"outside of what is usual ({low:.0f} to {high:.0f})"


def _live(evidence: OnRecord, knowledge: Knowledge) -> Iterator[Clue]:
    latest: dict[str, Clue] = {}
    newest: dict[str, dict[int, tuple[RegionTrim, str, str]]] = {}
    for trim, source, at in evidence.trims:
        name = _TRIM_VARIABLES.get(trim.region)
        if name and name in knowledge.variables:
            newest.setdefault(name, {})[trim.bank] = (trim, source, at)
        if trim.region is Region.WARM_IDLE and "idle_speed" in knowledge.variables:
            variable = knowledge.variables["idle_speed"]
            off, words = _off_idle(trim.rpm, evidence.specification.idle_rpm)
            if off is None:
                continue
            latest["idle_speed"] = Clue(
                ClueKind.GRADED,
                "idle_speed",
                bin_of(variable, off),
                f"Idle {trim.rpm:.0f} rpm, {words}",
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
