"""Turn the evidence of a case into clues.

Present codes count by their state; absent codes only when the monitor that would have set them has completed. Codes
with an ``evidence`` name are read together with the counters as one graded clue.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace

from gumshoe.core.clues.model import Clue, ClueKind
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import Specification, VariableRow
from gumshoe.core.obd.snapshot import FreezeFrame, ModuleSnapshot
from gumshoe.core.signals.regions import Region, classify
from gumshoe.core.signals.trims import RegionTrim

PENDING_WEIGHT = 0.75
DOUBTFUL_WEIGHT = 0.25
MISFIRE_COUNTS = 100
"""Counts of one drive cycle from which the counters name a cylinder (common practice)."""
_TRIM_VARIABLES = {Region.WARM_IDLE: "trim_idle", Region.HIGH_IDLE: "trim_2500"}


@dataclass(frozen=True)
class CodeSeen:
    """A code and its surest state, with the scan it was seen in."""

    code: str
    state: CodeState


@dataclass(frozen=True)
class TestOutcome:
    """The verdict of one performed test."""

    __test__ = False

    test: str
    outcome: str
    source: str
    at: str


@dataclass(frozen=True)
class Evidence:
    """All that is known of a case, as plain values. Each part carries its source record's name and time."""

    symptoms: tuple[str, ...] = ()
    symptom_source: tuple[str, str] = ("", "")
    module: ModuleSnapshot | None = None
    scan_source: tuple[str, str] = ("", "")
    trims: tuple[tuple[RegionTrim, str, str], ...] = ()
    tests: tuple[TestOutcome, ...] = ()
    failed_repairs: tuple[tuple[str, str, str], ...] = ()
    doubtful: frozenset[str] = field(default_factory=frozenset)
    specification: Specification = field(default_factory=Specification)


def extract(evidence: Evidence, knowledge: Knowledge) -> tuple[Clue, ...]:
    """Every clue, those marked doubtful down-weighted, in the order: complaint, codes, live, tests, repairs."""
    clues = [
        *_symptoms(evidence, knowledge),
        *_codes(evidence, knowledge),
        *_frame(evidence, knowledge),
        *_misfire(evidence, knowledge),
        *_live(evidence, knowledge),
        *_tests(evidence, knowledge),
        *_repairs(evidence, knowledge),
    ]
    return tuple(
        replace(clue, doubtful=True, weight=clue.weight * DOUBTFUL_WEIGHT) if clue.id in evidence.doubtful else clue
        for clue in clues
    )


def bin_of(variable: VariableRow, value: float) -> str:
    """The bin a measured value falls into."""
    for item in variable.bins:
        if item.upto is not None and value <= item.upto:
            return item.id
    return variable.bins[-1].id


def bin_words(variable: VariableRow, name: str) -> str:
    """Words for a bin."""
    return next(item.words for item in variable.bins if item.id == name)


def _symptoms(evidence: Evidence, knowledge: Knowledge) -> Iterator[Clue]:
    source, at = evidence.symptom_source
    for name in evidence.symptoms:
        row = knowledge.symptoms.get(name)
        if row is not None:
            yield Clue(
                ClueKind.SYMPTOM, name, "present", f"Customer: {row.words}", f"complaint: {row.words}", source, at
            )


def _codes(evidence: Evidence, knowledge: Knowledge) -> Iterator[Clue]:
    module = evidence.module
    if module is None:
        return
    source, at = evidence.scan_source
    confirmed = set(module.with_state(CodeState.CONFIRMED))
    pending = set(module.with_state(CodeState.PENDING))
    linked = {code for fault in knowledge.faults.values() for code in fault.codes}
    for number, row in knowledge.codes.items():
        if row.evidence or number not in linked:
            continue
        if number in confirmed | pending:
            state = CodeState.CONFIRMED if number in confirmed else CodeState.PENDING
            weight = 1.0 if number in confirmed else PENDING_WEIGHT
            yield Clue(
                ClueKind.CODE, number, "present", f"{number} {state.value}: {row.title}", number, source, at, weight
            )
        elif _completed(module, row.monitor):
            yield Clue(
                ClueKind.CODE, number, "absent", f"{number} absent although its monitor has run", number, source, at
            )


def _completed(module: ModuleSnapshot, monitor: str) -> bool:
    if module.status is None:
        return False
    item = module.status.monitor(monitor)
    return item is not None and item.supported and item.complete


def _frame(evidence: Evidence, knowledge: Knowledge) -> Iterator[Clue]:
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


def misfire_counts(module: ModuleSnapshot) -> dict[int, int]:
    """Counts of the last or current drive cycle by cylinder (service 06, monitors A2 on, test 0C)."""
    return {
        result.mid - 0xA1: round(result.value)
        for result in module.results
        if 0xA2 <= result.mid <= 0xAD and result.tid == 0x0C
    }


def _misfire(evidence: Evidence, knowledge: Knowledge) -> Iterator[Clue]:
    module, variable = evidence.module, knowledge.variables.get("misfire")
    if module is None or variable is None:
        return
    present = {item.code for item in module.codes if item.state is not CodeState.PERMANENT}
    misfire = [code for code in present if code in knowledge.codes and knowledge.codes[code].evidence == "misfire"]
    counts = misfire_counts(module)
    total, top = sum(counts.values()), max(counts, key=lambda n: counts[n], default=0)
    listed = "/".join(str(counts[n]) for n in sorted(counts)) or "no counters"
    if misfire:
        single = [code for code in misfire if code != "P0300"]
        if total > MISFIRE_COUNTS and counts[top] > 0.7 * total:
            name = f"cylinder_{top}"
        else:
            name = f"cylinder_{int(single[0][3:])}" if len(single) == 1 and "P0300" not in misfire else "random"
        confirmed = set(module.with_state(CodeState.CONFIRMED)) & set(misfire)
        weight = 1.0 if confirmed else PENDING_WEIGHT
        words = f"Misfire: {bin_words(variable, name)} ({', '.join(sorted(misfire))}; counts {listed})"
    elif total > MISFIRE_COUNTS:
        name = f"cylinder_{top}" if counts[top] > 0.7 * total else "random"
        weight, words = 0.5, f"Misfire counts without a code: {listed}"
    elif _completed(module, "misfire"):
        name, weight, words = "none", 1.0, f"No misfire code, monitor has run (counts {listed})"
    else:
        return
    if name in {item.id for item in variable.bins}:
        yield Clue(ClueKind.GRADED, "misfire", name, words, variable.family, *evidence.scan_source, weight)


def _live(evidence: Evidence, knowledge: Knowledge) -> Iterator[Clue]:
    latest: dict[str, Clue] = {}
    for trim, source, at in evidence.trims:
        name = _TRIM_VARIABLES.get(trim.region)
        if name and name in knowledge.variables:
            variable = knowledge.variables[name]
            latest[name] = Clue(
                ClueKind.GRADED,
                name,
                bin_of(variable, trim.total_pct),
                f"{variable.name}: {trim.total_pct:+.1f} % at {trim.rpm:.0f} 1/min",
                variable.family,
                source,
                at,
            )
        if trim.region is Region.WARM_IDLE and "idle_speed" in knowledge.variables:
            variable = knowledge.variables["idle_speed"]
            off = trim.rpm - evidence.specification.idle_rpm
            latest["idle_speed"] = Clue(
                ClueKind.GRADED,
                "idle_speed",
                bin_of(variable, off),
                f"Idle {trim.rpm:.0f} 1/min, {off:+.0f} against specification",
                variable.family,
                source,
                at,
            )
    yield from latest.values()


def _tests(evidence: Evidence, knowledge: Knowledge) -> Iterable[Clue]:
    latest: dict[str, Clue] = {}
    for done in evidence.tests:
        test = knowledge.tests.get(done.test)
        outcome = next((item for item in test.outcomes if item.id == done.outcome), None) if test else None
        if test and outcome:
            latest[done.test] = Clue(
                ClueKind.TEST,
                done.test,
                done.outcome,
                f"{test.words}: {outcome.words}",
                f"test {done.test}",
                done.source,
                done.at,
            )
    return latest.values()


def _repairs(evidence: Evidence, knowledge: Knowledge) -> Iterator[Clue]:
    for repair, source, at in evidence.failed_repairs:
        if repair in knowledge.repairs:
            words = f"Done and did not help: {knowledge.repairs[repair].words}"
            yield Clue(ClueKind.REPAIR, repair, "failed", words, f"repair {repair}", source, at)
