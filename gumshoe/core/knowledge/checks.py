"""The checks of what is generated: of every part's circuit, of every shared point, and the maker's plan for a code.

What a check shows of each suspect, and how surely, stands here (common practice).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

from gumshoe.core.knowledge.component_rows import CheckRow
from gumshoe.core.knowledge.parts import (
    Cause,
    Component,
    Local,
    SharedPoint,
    circuit_of,
    components,
    components_file,
    shared_points,
)
from gumshoe.core.knowledge.rows import FaultRow, OutcomeRow, ReadingRow, TestRow
from gumshoe.core.knowledge.values import CheckOutcome, Distribution, FailureMode, Origin
from gumshoe.core.powertrain.description import Powertrain

MODE_OUTCOMES = {
    FailureMode.OPEN: CheckOutcome.OPEN,
    FailureMode.SHORT_GROUND: CheckOutcome.SHORT_GROUND,
    FailureMode.SHORT_FEED: CheckOutcome.SHORT_FEED,
    FailureMode.LOOSE: CheckOutcome.LOOSE,
    FailureMode.WORN: CheckOutcome.PART,
    FailureMode.UNDRIVEN: CheckOutcome.UNDRIVEN,
    FailureMode.STAYS_ON: CheckOutcome.STAYS_ON,
}
"""Which outcome of the circuit check shows which failure mode."""
INSIDE_OPEN = 0.35
"""Of what is open in a circuit, the share that is open inside the part: by the rates of the circuits' own faults
(``circuits/faults.py``: a load 3.0, its wires and terminals 1.0 and 2.5 each)."""
INSIDE_SEEN = 0.88
"""How surely the check of a part whose suspect is described by hand finds it inside the part (common practice)."""
SEEN = {
    FailureMode.OPEN: 0.90,
    FailureMode.SHORT_GROUND: 0.90,
    FailureMode.SHORT_FEED: 0.90,
    FailureMode.LOOSE: 0.55,
    FailureMode.WORN: 0.75,
    FailureMode.UNDRIVEN: 0.80,
    FailureMode.STAYS_ON: 0.75,
}
"""How surely the check finds each mode (common practice)."""
WRONGLY: Distribution = {
    CheckOutcome.OPEN: 0.20,
    CheckOutcome.LOOSE: 0.20,
    CheckOutcome.PART: 0.20,
    CheckOutcome.UNDRIVEN: 0.05,
    CheckOutcome.STAYS_ON: 0.02,
    CheckOutcome.SHORT_GROUND: 0.03,
    CheckOutcome.SHORT_FEED: 0.03,
    CheckOutcome.GOOD: 0.27,
}
"""What is found instead of what is there: a short that is none is hardly ever measured (common practice)."""
AS_SOUND = 2.0
"""Where something is wrong, something else that is wrong is found by mistake this much oftener than where all is well:
a finding that fits nothing still speaks for its own circuit."""
SECOND_SHARE = 0.5
"""Of what is not seen the share that is taken for one thing: a worn part for a good one, a short for the part."""

MEMBER_OF_DEAD_POINT: Distribution = {
    CheckOutcome.OPEN: 0.893,
    CheckOutcome.PART: 0.06,
    CheckOutcome.UNDRIVEN: 0.005,
    CheckOutcome.STAYS_ON: 0.002,
    CheckOutcome.LOOSE: 0.022,
    CheckOutcome.SHORT_GROUND: 0.009,
    CheckOutcome.SHORT_FEED: 0.009,
    CheckOutcome.GOOD: 0.0,
}
"""What the check of one part shows when the point it hangs on is dead: one that works acquits the point."""


def generated_tests(powertrain: Powertrain, local: Local, faults: dict[str, FaultRow]) -> Iterator[TestRow]:
    """One circuit check for each component and each shared point."""
    by_hand: dict[str, list[str]] = {}
    sharing: dict[str, list[str]] = {}
    for name, row in faults.items():
        if row.origin is Origin.TABLE and row.mode in (FailureMode.OPEN, FailureMode.WORN):
            by_hand.setdefault(row.component, []).append(name)
        for member in row.members:
            sharing.setdefault(member, []).append(name)
    for component in components(powertrain, local):
        if circuit_of(component) is not None:
            yield _circuit_check(component, faults, by_hand.get(component.id, ()), sharing.get(component.id, ()))
    for point in shared_points(powertrain, local):
        if point.row is None or not point.row.fault:
            yield _point_check(point)
    for cause in local.causes:
        yield _plan(cause)


# -- inside -----------------------------------------------------------------------------------------------


def _circuit_check(
    component: Component, faults: dict[str, FaultRow], by_hand: Iterable[str], sharing: Iterable[str]
) -> TestRow:
    """The check of one part (``by_hand``: its suspects described instead of generated; ``sharing``: those that take
    it with them)."""
    check = components_file().check["part"]
    for outcome in (CheckOutcome.UNDRIVEN, CheckOutcome.STAYS_ON):
        if f"{outcome}_{component.id}" not in faults:
            check = _without(check, outcome)
    names = tuple(check.outcomes)
    given: dict[str, Distribution] = {}
    proves: dict[str, list[str]] = {name: [] for name in names}
    for mode, outcome in MODE_OUTCOMES.items():
        fault = f"{mode}_{component.id}"
        if fault in faults:
            if mode is FailureMode.OPEN:
                given[fault] = _open(names)
                proves[CheckOutcome.PART].append(fault)
            else:
                given[fault] = _mostly(names, outcome, SEEN[mode], _mistaken_for(mode))
            proves[outcome].append(fault)
    for fault in by_hand:
        worn = faults[fault].mode is FailureMode.WORN
        given[fault] = _mostly(names, CheckOutcome.PART, INSIDE_SEEN) if worn else _open(names)
        proves[CheckOutcome.PART].append(fault)
        if not worn:
            proves[CheckOutcome.OPEN].append(fault)
    given |= {fault: _only(MEMBER_OF_DEAD_POINT, names) for fault in sharing}
    return _check(
        component.id,
        check,
        check.words.replace("{c}", component.words),
        check.purpose,
        max(8.0, component.row.minutes * 0.4),
        {name: tuple(found) for name, found in proves.items()},
        given,
    )


def _without(check: CheckRow, outcome: CheckOutcome) -> CheckRow:
    """The check of a part that has no such outcome: of a sensor nobody asks whether it is driven."""
    left = {name: words for name, words in check.outcomes.items() if name != outcome}
    return replace(check, outcomes=left, otherwise=_only(check.otherwise, tuple(left)))


def _only(table: Distribution, names: tuple[str, ...]) -> Distribution:
    """A distribution over fewer outcomes."""
    total = sum(table[name] for name in names)
    return {name: table[name] / total for name in names}


def _point_check(point: SharedPoint) -> TestRow:
    check = components_file().check["point"]
    fault = f"shared_{point.id}"
    many = ", ".join(member.words for member in point.members[:4]) + (" …" if len(point.members) > 4 else "")
    return _check(
        point.id,
        check,
        check.words.replace("{w}", point.words),
        check.purpose.replace("{members}", many),
        10.0,
        {CheckOutcome.BAD: (fault,), CheckOutcome.GOOD: ()},
        {fault: {CheckOutcome.BAD: 0.93, CheckOutcome.GOOD: 0.07}},
    )


def _plan(cause: Cause) -> TestRow:
    """The search by the maker's own plan for a code."""
    check = components_file().check["cause"]
    made = _check(
        f"{cause.component}_{cause.number}",
        check,
        check.words.replace("{c}", cause.number),
        check.purpose,
        float(cause.minutes),
        {CheckOutcome.BAD: (f"{cause.component}_{cause.number}",), CheckOutcome.GOOD: ()},
        {f"{cause.component}_{cause.number}": {CheckOutcome.BAD: 0.90, CheckOutcome.GOOD: 0.10}},
    )
    steps = (*check.steps[:1], *cause.steps, *check.steps[1:])
    return replace(made, needs=(), steps=steps, cautions=cause.cautions, tool="as the maker's plan says")


def _check(
    of: str,
    check: CheckRow,
    words: str,
    purpose: str,
    minutes: float,
    proves: dict[str, tuple[str, ...]],
    given: dict[str, Distribution],
) -> TestRow:
    """A check whose one reading is the choice among its outcomes."""
    name = f"check_{of}"
    reading = ReadingRow("found", "What you found", "choice", name, options=tuple(check.outcomes.values()))
    return TestRow(
        id=name,
        words=words,
        purpose=purpose,
        tool="meter, test lamp where the circuit takes it",
        minutes=minutes,
        invasive=1,
        needs=("key on, engine off",),
        cautions=("lamp_probe",),
        steps=check.steps,
        readings=(reading,),
        outcomes=tuple(OutcomeRow(key, text, f"found is {text}", proves[key]) for key, text in check.outcomes.items()),
        otherwise=dict(check.otherwise),
        given=given,
        origin=Origin.GENERATED,
        checks=of,
    )


def _mistaken_for(mode: FailureMode) -> CheckOutcome:
    """What a check that does not see it says instead; of an output stage what is found with its plug left on."""
    if mode.of_unit:
        return CheckOutcome.OPEN if mode is FailureMode.UNDRIVEN else CheckOutcome.SHORT_GROUND
    return CheckOutcome.GOOD if mode in (FailureMode.WORN, FailureMode.LOOSE) else CheckOutcome.PART


def _open(names: tuple[str, ...]) -> Distribution:
    """What the check of a part shows when its circuit is open: wires and terminals, or the part itself."""
    found = _mostly(names, CheckOutcome.OPEN, SEEN[FailureMode.OPEN], CheckOutcome.PART)
    inside = found[CheckOutcome.OPEN] * INSIDE_OPEN
    found[CheckOutcome.OPEN] -= inside
    found[CheckOutcome.PART] += inside
    return found


def _mostly(names: tuple[str, ...], outcome: str, right: float, second: str = "") -> Distribution:
    """Nearly always the one outcome, now and then the second where there is one, hardly ever another."""
    sound = components_file().check["part"].otherwise
    wrongly = _only(WRONGLY, tuple(name for name in names if name != outcome))
    twice = SECOND_SHARE if second else 0.0
    found = {
        name: (1.0 - right) * ((1.0 - twice) * share + twice * (name == second)) for name, share in wrongly.items()
    }
    found = {
        name: share if name == CheckOutcome.GOOD else max(share, AS_SOUND * sound[name])
        for name, share in found.items()
    }
    return _only({outcome: right} | found, names)
