"""What a row must hold beyond the kinds of its fields: ranges that are none, conditions that never hold, outcomes no
reading gives, tests that tell nothing. Each rule yields the place in the row and what is wrong there.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping
from itertools import product
from typing import Any

from gumshoe.core.circuits.netlist import GROUND, Kind
from gumshoe.core.circuits.templates import SOME, CircuitsFile, drawn, whole
from gumshoe.core.errors import BadInput, DataError
from gumshoe.core.handtests.catalogue import WORKS
from gumshoe.core.handtests.rows import HandTestRow, HandTestsFile
from gumshoe.core.knowledge.by_place import ASKED
from gumshoe.core.knowledge.component_rows import CheckRow, ClassRow
from gumshoe.core.knowledge.outcomes import PART, Reading, alternatives, condition, decide, limit
from gumshoe.core.knowledge.parts import shared_points
from gumshoe.core.knowledge.platform import Platform
from gumshoe.core.knowledge.presets import PresetRow, describe
from gumshoe.core.knowledge.procedures import LimitRow
from gumshoe.core.knowledge.proof_rows import AsksRow, CircumstanceRow
from gumshoe.core.knowledge.references import Location
from gumshoe.core.knowledge.rows import (
    BandRow,
    CluesFile,
    FaultRow,
    FaultsFile,
    ReadingRow,
    Specification,
    TestRow,
    VariableRow,
    WhenRow,
)
from gumshoe.core.knowledge.shipped import tables
from gumshoe.core.knowledge.systems import SystemRow
from gumshoe.core.knowledge.values import Distribution
from gumshoe.core.obd.actuators import ActuatorRow
from gumshoe.core.obd.pids import Pid, fields_by_key

Broken = Iterator[tuple[Location, str]]
NEVER = "an entry without any condition would always hold"
STEP = 1e-6
"""How far beside a limit a reading is tried."""


def _test(row: TestRow) -> Broken:
    if row.measures:
        if row.outcomes or row.readings:
            yield ("measures",), "what is measured has its outcomes from there, and none of its own"
        return
    ids = [item.id for item in row.outcomes]
    told: list[tuple[Location, Distribution]] = [(("otherwise",), row.otherwise)]
    told += [(("given", name), table) for name, table in row.given.items()]
    for key, table in told:
        yield from ((key, f"there is no outcome “{name}”") for name in table if name not in ids)
    yield from ((("elsewhere",), f"there is no outcome “{name}”") for name in row.elsewhere if name not in ids)
    yield from ((("outcomes",), f"the outcome “{name}” is there twice") for name in ids if ids.count(name) > 1)
    yield from ((("otherwise",), f"the outcome “{name}” has no share") for name in ids if name not in row.otherwise)
    if not any(_differs(table, row.otherwise) for table in (*row.given.values(), *filter(None, [row.elsewhere]))):
        yield ("given",), "no suspect makes another outcome likelier: the test tells nothing"
    wrong = list(_conditions(row))
    yield from wrong
    if not wrong:
        yield from _reachable(row)


def _conditions(row: TestRow) -> Broken:
    rows = {item.key: item for item in row.readings}
    for index, outcome in enumerate(row.outcomes):
        for part in (part for parts in alternatives(outcome.when) for part in parts):
            try:
                key, relation, operand = condition(part)
            except DataError as error:
                yield ("outcomes", index, "when"), error.what.rstrip(".")
                continue
            told = rows.get(key)
            if told is None:
                yield ("outcomes", index, "when"), f"there is no reading “{key}”"
            elif (relation == "is") != (told.kind == "choice"):
                yield ("outcomes", index, "when"), f"“{relation}” is not asked of a {told.kind}"
            elif relation == "is" and operand not in told.options:
                yield ("outcomes", index, "when"), f"“{operand}” is none of the options of “{key}”"
            elif relation != "is" and not _number(operand.partition(PART)[0]):
                yield ("outcomes", index, "when"), f"“{operand}” is not a number"
            elif relation != "is" and (whole := operand.partition(PART)[2]) and whole not in rows:
                yield ("outcomes", index, "when"), f"there is no reading “{whole}” to be a part of"


def _reachable(row: TestRow) -> Broken:
    """Every outcome is given by some readings, and all readings give one."""
    reached: set[str] = set()
    tried = [_values(item, row) for item in row.readings if item.key not in ASKED]
    keys = [item.key for item in row.readings if item.key not in ASKED]
    for values in product(*tried):
        readings: Mapping[str, Reading] = dict(zip(keys, values, strict=True))
        try:
            reached.add(decide(row, readings).id)
        except BadInput:
            told = ", ".join(f"{key} {value}" for key, value in readings.items())
            yield ("outcomes",), f"the readings {told} give no outcome"
            return
    for index, outcome in enumerate(row.outcomes):
        if outcome.id not in reached:
            yield ("outcomes", index, "when"), f"no reading gives the outcome “{outcome.id}”"


def _values(item: ReadingRow, row: TestRow) -> list[Reading]:
    """Readings worth trying: every option; of a number its ends, and each limit with what lies beside it."""
    if item.kind == "choice":
        return list(item.options)
    limits = [
        limit(item, float(operand), Specification())
        for outcome in row.outcomes
        for parts in alternatives(outcome.when)
        for key, _relation, operand in map(condition, parts)
        if key == item.key and PART not in operand
    ]
    low, high = item.low if item.low is not None else -1e9, item.high if item.high is not None else 1e9
    tried = {low, high, *(value for limit in limits for value in (limit - STEP, limit, limit + STEP))}
    return [value for value in sorted(tried) if low <= value <= high]


def _reading(row: ReadingRow) -> Broken:
    if row.kind == "choice" and len(row.options) < 2:
        yield ("options",), "a choice needs two options or more"
    if row.kind == "number" and row.options:
        yield ("options",), "a number has no options"
    yield from _ordered(row.low, row.high, ("low",))
    yield from _ordered(row.good_low, row.good_high, ("good_low",))
    if row.of and row.usual is None:
        yield ("usual",), "it is per cent of what may not be known: say between which values that usually lies"
    if (row.good_low is None) != (row.good_high is None):
        yield ("good_low",), "a good range has two ends"


def _check(row: CheckRow) -> Broken:
    for name in row.otherwise:
        if name not in row.outcomes:
            yield ("otherwise", name), f"there is no outcome “{name}”"


def _variable(row: VariableRow) -> Broken:
    yield from _bins(row.normal, row, ("normal",))
    edges = [item.upto for item in row.bins if item.upto is not None]
    if edges != sorted(set(edges)):
        yield ("bins",), "the edges of the bins do not rise"


def _fault(row: FaultRow) -> Broken:
    variables = {item.id: item for item in tables().variables}
    for name, table in row.graded.items():
        if name in variables:
            yield from _bins(table, variables[name], ("graded", name))
    if not (row.codes or row.symptoms or row.graded):
        yield ("codes",), "a suspect that shows nothing can never be found"


def _bins(table: Distribution, of: VariableRow, at: Location) -> Broken:
    known = {item.id for item in of.bins}
    yield from (((*at, name), f"“{of.id}” has no bin “{name}”") for name in table if name not in known)


def _faults(file: FaultsFile) -> Broken:
    repairs = {row.id: row for row in tables().repairs}
    for index, row in enumerate(file.fault):
        if row.per != "cylinder" and row.repair in repairs and repairs[row.repair].per == "cylinder":
            yield ("fault", index, "repair"), "a repair of one cylinder cannot be that of the whole"


def _asks(row: AsksRow) -> Broken:
    if row == AsksRow():
        yield (), NEVER


def _when(row: WhenRow) -> Broken:
    if row == WhenRow():
        yield (), NEVER


def _circumstance(row: CircumstanceRow) -> Broken:
    if not row.by_hand and not (row.segments and row.seconds > 0.0 and row.goes > 0):
        yield ("segments",), "it is neither driven nor done by hand"
    if not row.when:
        yield ("when",), "nothing asks for it"


def _limit(row: LimitRow) -> Broken:
    yield from _ordered(row.low, row.high, ("low",))
    if row.low is None and row.high is None:
        yield ("low",), "a limit without a low or a high end"


def _band(row: BandRow) -> Broken:
    yield from _ordered(row.low, row.high, ("low",))
    yield from _ordered(row.low_per_litre, row.high_per_litre, ("low_per_litre",))


def _class(row: ClassRow) -> Broken:
    if row.netlist and not row.circuit:
        yield ("netlist",), "a part without a circuit type is measured in no circuit"
    if row.misfire and "cylinder" not in row.per and "pair" not in row.per:
        yield ("misfire",), "only what belongs to cylinders makes them misfire"


def _system(row: SystemRow) -> Broken:
    boxes = {box.id for box in row.boxes}
    for index, flow in enumerate(row.flows):
        yield from (
            (("flows", index), f"there is no box “{end}”") for end in (flow.source, flow.to) if end not in boxes
        )


def _preset(row: PresetRow) -> Broken:
    try:
        describe(row.powertrain)
    except BadInput as error:
        yield ("powertrain",), error.what.rstrip(".")


def _platform(row: Platform) -> Broken:
    try:
        shared_points(row.powertrain, row.local)
    except DataError as error:
        yield ("wiring",), error.what.rstrip(".")
    there = {item.id for item in row.components}
    yield from (
        (("pins", name), f"this powertrain has no component “{name}”") for name in row.pins if name not in there
    )
    for index, told in enumerate(row.identifier):
        if told.key in fields_by_key():
            yield ("identifier", index, "key"), f"the key “{told.key}” belongs to service 01"


def _actuator(row: ActuatorRow) -> Broken:
    test = next((item for item in tables().tests if item.id == row.test), None)
    for key, name in (("good", row.good), ("bad", row.bad)):
        if bool(name) != bool(row.test) or (test and name not in {item.id for item in test.outcomes}):
            yield (key,), f"“{name}” is no outcome of “{row.test}”"


def _hand_tests(file: HandTestsFile) -> Broken:
    found = {row.id for row in file.test}
    for name in sorted(found ^ set(WORKS)):
        yield ("test",), f"“{name}” has no arithmetic, or no row"


def _hand_test(row: HandTestRow) -> Broken:
    test = next((item for item in tables().tests if item.id == row.test), None)
    if row.reads and (test is None or row.reads not in {item.key for item in test.readings}):
        yield ("reads",), f"“{row.test}” has no reading “{row.reads}”"
    for index, item in enumerate(row.inputs):
        if not item.options:
            yield from _ordered(item.low, item.high, ("inputs", index, "low"))


def _circuits(file: CircuitsFile) -> Broken:
    for index, row in enumerate(file.circuit):
        try:
            circuit = drawn(whole(row, file.block), row.id, "the part", SOME)
        except DataError as error:
            yield ("circuit", index), error.what.rstrip(".")
            continue
        touched = Counter(node for item in circuit.elements for node in (item.a, item.b))
        reached = {GROUND, *(place.node for place in circuit.places)}
        reached |= {item.a for item in circuit.elements if item.kind is Kind.SUPPLY}
        for node in sorted(node for node, times in touched.items() if times < 2 and node not in reached):
            yield ("circuit", index), f"the node “{node}” hangs in the air"


def _pid(row: Pid) -> Broken:
    for index, item in enumerate(row.fields):
        if item.at + item.size > row.size:
            yield ("fields", index, "at"), f"“{item.key}” ends behind the last of {row.size} bytes"


def _clues(file: CluesFile) -> Broken:
    for index, row in enumerate(file.variable):
        if row.compares == row.id:
            yield ("variable", index, "compares"), "a clue is not compared with itself"


def _ordered(low: float | None, high: float | None, at: Location) -> Broken:
    if low is not None and high is not None and low >= high:
        yield at, f"a range from {low:g} to {high:g} is empty"


def _differs(table: Distribution, other: Distribution) -> bool:
    return any(abs(table.get(name, 0.0) - other.get(name, 0.0)) > 1e-9 for name in {*table, *other})


def _number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


RULES: dict[type, Callable[[Any], Iterable[tuple[Location, str]]]] = {
    TestRow: _test,
    ReadingRow: _reading,
    CheckRow: _check,
    VariableRow: _variable,
    CluesFile: _clues,
    FaultRow: _fault,
    FaultsFile: _faults,
    AsksRow: _asks,
    WhenRow: _when,
    CircumstanceRow: _circumstance,
    LimitRow: _limit,
    BandRow: _band,
    ClassRow: _class,
    SystemRow: _system,
    PresetRow: _preset,
    Platform: _platform,
    ActuatorRow: _actuator,
    HandTestsFile: _hand_tests,
    HandTestRow: _hand_test,
    CircuitsFile: _circuits,
    Pid: _pid,
}
"""The rule of each kind of row that has one."""
