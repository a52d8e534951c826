"""The shapes of the knowledge tables: one dataclass a row, as it stands in the TOML files."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from gumshoe.core.knowledge.values import (
    MISFIRE,
    Amount,
    Asked,
    Axis,
    BusId,
    Byte2,
    Caution,
    Chance,
    Channel,
    Code,
    CodeChances,
    CodeComponent,
    CodeGroup,
    CodeKind,
    CodeNumber,
    CodePattern,
    CodePlaced,
    Count,
    Distribution,
    Echo,
    EffectSource,
    Equipment,
    FailureMode,
    Feature,
    LampTold,
    Minutes,
    Money,
    MonitorName,
    Number,
    Origin,
    Part,
    PartClass,
    PartOrRepair,
    Power,
    Procedure,
    Range,
    Rate,
    RegionName,
    RepairName,
    Row,
    Severity,
    ShownSuspect,
    Specified,
    Standing,
    State,
    Suspect,
    SuspectOrKind,
    Symptom,
    SymptomChances,
    TestName,
    TestOutcomeName,
    Variable,
    WholeMinutes,
    Words,
)
from gumshoe.core.powertrain.misfires import Lack, Spread

MOVING = frozenset({"running", "road", "warm"})
"""What a test may need for which the engine turns."""


@dataclass(frozen=True)
class CodeRow(Row):
    """A trouble code: what it watches, what can and cannot cause it, how to drive with it."""

    number: CodePlaced
    title: Words
    kind: CodeKind
    component: Words
    monitor: MonitorName
    watches: Words
    enable: Words
    trips: Count
    lamp: LampTold
    severity: Severity
    advice: Words
    causes: tuple[Words, ...]
    cannot: tuple[Words, ...]
    echo_of: tuple[CodeGroup, ...]
    echo_why: str
    first_tests: tuple[Words, ...]
    leak: Chance
    per: Axis = ""
    group: str = ""
    evidence: Variable = ""
    frame_clue: Variable = ""


@dataclass(frozen=True)
class BinRow(Row):
    """One bin of a graded clue; ``upto`` is its upper edge in the variable's unit."""

    id: str
    words: Words
    upto: Number | None = None
    per: Axis = ""


@dataclass(frozen=True)
class VariableRow(Row):
    """A graded clue: its bins and how they are distributed when nothing claims it.

    ``compares``: the clue of which this is the comparison between the banks; its tables follow from that clue's.
    """

    id: str
    name: Words
    unit: str
    family: str
    replaced_by: str
    bins: tuple[BinRow, ...]
    normal: Distribution
    needs: tuple[Feature, ...] = ()
    compares: Variable = ""


@dataclass(frozen=True)
class SymptomRow(Row):
    """Something the customer can say; ``leak`` is how often it is said without cause; ``about``: what sort of thing it
    is, by which the form groups it (``work``: recent work)."""

    id: str
    words: Words
    leak: Chance
    about: Literal["running", "starting", "noise", "warning", "gearbox", "filter", "work"]


@dataclass(frozen=True)
class FaultRow(Row):
    """A suspect: base rate, growth with distance (``wear``) and age (``ageing``), what it shows, what cures it, why it
    happens. Both are powers: of distance over the usual distance, of years over the usual age.

    ``codes`` by reference in the table, by number once expanded; ``echo`` gives the reason why a code (or ``misfire``)
    only follows; ``echoes`` the same by number. ``roots``: suspects that can be behind this one, with the chance that
    they bring it about. ``members``: components that hang on a shared point. ``origin``: how
    the row came about. ``mode``: how the circuit fails
    (``open``, ``short`` …), where the row is about one. Once placed: the ``template`` it came from, its bank and its
    cylinders, where it has them, and ``misfire``: how often it makes which set of cylinders misfire
    (``powertrain/misfires.py``). ``standing``: what its rate rests on, by the file it stands in.
    """

    id: str
    words: Words
    component: Part
    rate: Rate
    wear: Power
    needs: tuple[Feature, ...]
    repair: RepairName
    why: tuple[Words, ...]
    codes: CodeChances
    symptoms: SymptomChances
    graded: dict[Variable, Distribution]
    per: Axis = ""
    echo: dict[Echo, Words] = field(default_factory=dict)
    echoes: dict[str, str] = field(default_factory=dict)
    members: tuple[str, ...] = ()
    origin: Origin = Origin.TABLE
    mode: FailureMode | Literal[""] = ""
    roots: dict[Suspect, Chance] = field(default_factory=dict)
    ageing: Power = 0.0
    template: str = ""
    bank: int = 0
    cylinders: tuple[int, ...] = ()
    misfire: dict[int, float] = field(default_factory=dict)
    standing: Standing = "common practice"

    @property
    def misfires(self) -> float:
        """How often it makes any cylinder misfire."""
        table = self.graded.get(MISFIRE)
        return 1.0 - table.get(Spread.NONE, 1.0) if table else 0.0


@dataclass(frozen=True)
class EffectRow(Row):
    """What one trouble drags behind it (``effects.toml``). ``of``: of a dead circuit or a load held on, which
    components' codes tell of it; ``told``: which codes tell of the trouble."""

    id: str
    source: EffectSource
    why: Words
    raises: CodeChances
    of: tuple[CodeComponent, ...] = ()
    told: tuple[Code, ...] = ()
    needs: tuple[Feature, ...] = ()


@dataclass(frozen=True)
class EffectsFile(Row):
    effect: tuple[EffectRow, ...]


@dataclass(frozen=True)
class ReadingRow(Row):
    """One thing to enter: a number with its unit and sane range, or a choice.

    ``of``: the value of the vehicle's specification that good range and conditions are per cent of; ``usual``: between
    which values it lies on vehicles of all kinds, where this one's is not known. Then a limit under 100 % is one of the
    lowest, a limit over it one of the highest: what lies between may be sound.
    """

    key: str
    label: Words
    kind: Literal["choice", "number"]
    point: str
    unit: str = ""
    options: tuple[Words, ...] = ()
    low: Number | None = None
    high: Number | None = None
    good_low: Number | None = None
    good_high: Number | None = None
    of: Specified = ""
    usual: Range | None = None


@dataclass(frozen=True)
class OutcomeRow(Row):
    """One possible verdict of a test; ``when`` is decided from the readings, ``proves`` names suspects it shows.
    ``each``: it is found at one ``cylinder``, ``cam``, ``bank`` or ``plug``: it is asked which, and there is one for
    each; of that place it shows also what fails in one of ``proves_modes``.
    ``lacks``: what a cylinder is without where it comes out so; who makes it likely takes that away; ``was``: ids it
    had before, under which it may stand on record. Once placed, ``place``: the one it was found at."""

    id: str
    words: Words
    when: Words
    proves: tuple[ShownSuspect, ...] = ()
    proves_modes: tuple[FailureMode, ...] = ()
    each: Asked = ""
    lacks: Lack | None = None
    was: tuple[str, ...] = ()
    place: str = ""


@dataclass(frozen=True)
class TestRow(Row):
    """A test: cost, conditions, steps, readings, outcomes and what each suspect makes likely.

    ``origin``: ``table``, or ``generated`` from a part or shared point. ``equipment``: what not every shop has.
    ``on``: what the powertrain must have. ``at``: the component classes whose access it depends on; ``access`` how the
    hardest of them is reached here, its minutes already counted in. ``cranks``: the engine is cranked for it.
    ``once``: graded variables that must have shown something first (a part is swapped where a cylinder misfires).
    ``elsewhere``: what it shows where some cylinders misfire for any reason not named under ``given``; ``shared``:
    what it shows of a point that several parts share. ``swaps``: a
    part changes places with that of another cylinder. ``modes``: what it shows of any part whose circuit fails in that
    way and that is not named under ``given``. ``checks``: the component or shared point that a generated check
    is of. ``told_by``: the graded variable by which a read tells the same, so that nobody need look again.
    """

    __test__ = False

    id: str
    words: Words
    purpose: Words
    tool: Words
    minutes: Minutes
    invasive: Literal[0, 1, 2]
    needs: tuple[State, ...]
    cautions: tuple[Caution, ...]
    steps: tuple[Words, ...]
    measures: Variable = ""
    loose_end: str = ""
    readings: tuple[ReadingRow, ...] = ()
    outcomes: tuple[OutcomeRow, ...] = ()
    otherwise: Distribution = field(default_factory=dict)
    given: dict[SuspectOrKind, Distribution] = field(default_factory=dict)
    modes: dict[FailureMode, Distribution] = field(default_factory=dict)
    origin: Origin = Origin.TABLE
    equipment: Equipment = ""
    on: tuple[Feature, ...] = ()
    at: tuple[PartClass, ...] = ()
    access: str = ""
    cranks: bool = False
    once: tuple[Variable, ...] = ()
    elsewhere: Distribution = field(default_factory=dict)
    shared: Distribution = field(default_factory=dict)
    swaps: bool = False
    checks: str = ""
    told_by: Variable = ""

    @property
    def runs(self) -> bool:
        """Whether it can only be made at an engine that runs; being cranked is not running."""
        return "running" in self.needs and not self.cranks

    @property
    def moves(self) -> bool:
        """Whether the engine turns for it, by itself or by the starter."""
        return self.cranks or not MOVING.isdisjoint(self.needs)

    def outcome(self, told: str) -> OutcomeRow | None:
        """The outcome of that id, of today or before, or said in these words; None where there is none."""
        same = (item for item in self.outcomes if told in (item.id, *item.was))
        said = (item for item in self.outcomes if item.words.casefold() == told.casefold())
        return next(same, None) or next(said, None)


@dataclass(frozen=True)
class RepairRow(Row):
    """A repair: minutes, parts (in the shop's currency), steps, cautions. ``wiring``: it puts wires and plugs right and
    leaves the part itself as it is. ``on``: what the powertrain must have. ``template``: once placed, the row it came
    from."""

    id: str
    words: Words
    component: Part
    minutes: WholeMinutes
    parts: Money
    steps: tuple[Words, ...]
    cautions: tuple[Caution, ...]
    check_neighbours: tuple[Words, ...]
    does: Literal["renew", "mend", "refit", "clean", "set", "service"]
    per: Axis = ""
    wiring: bool = False
    on: tuple[Feature, ...] = ()
    template: str = ""

    @property
    def work(self) -> str:
        """What is done: ``wiring``, or what with the part."""
        return "wiring" if self.wiring else self.does

    @property
    def renews(self) -> bool:
        """Whether a new part goes in."""
        return self.does == "renew" and not self.wiring

    @property
    def mends(self) -> bool:
        """Whether the part itself stays as it is."""
        return self.wiring or self.does == "mend"

    @property
    def buys(self) -> bool:
        """Whether there is a part to buy, original or aftermarket."""
        return self.renews and self.parts > 0


@dataclass(frozen=True)
class BandRow(Row):
    """The expected range of a channel, everywhere or in one operating region, of powertrains with those features."""

    key: Channel
    needs: tuple[Feature, ...] = ()
    region: RegionName = ""
    low: Number | None = None
    high: Number | None = None
    low_per_litre: Number | None = None
    high_per_litre: Number | None = None


@dataclass(frozen=True)
class Specification(Row):
    """Values of one vehicle, as its maker states them; None: not known. What is not known is never taken to be some
    usual value: it is judged by the whole usual range (below, and ``usual`` of a reading)."""

    idle_rpm: Amount | None = None
    idle_tolerance_rpm: Amount = 80.0
    fuel_pressure_kpa: Amount | None = None
    plug_gap_mm: Amount | None = None
    thermostat_c: Amount | None = None


USUAL_IDLE_RPM = 550.0, 1000.0
"""Between these idles what is warm and sound, whatever it is (common practice, from memory)."""
USUAL_THERMOSTAT_C = 80.0
"""No engine's thermostat opens at less (common practice, from memory)."""


@dataclass(frozen=True)
class CodesFile(Row):
    code: tuple[CodeRow, ...]


@dataclass(frozen=True)
class CluesFile(Row):
    variable: tuple[VariableRow, ...]
    symptom: tuple[SymptomRow, ...]


@dataclass(frozen=True)
class FaultsFile(Row):
    standing: Standing
    fault: tuple[FaultRow, ...]


@dataclass(frozen=True)
class TestsFile(Row):
    __test__ = False

    test: tuple[TestRow, ...]


@dataclass(frozen=True)
class RepairsFile(Row):
    repair: tuple[RepairRow, ...]


@dataclass(frozen=True)
class CautionsFile(Row):
    cautions: dict[str, Words]


@dataclass(frozen=True)
class SignalsFile(Row):
    band: tuple[BandRow, ...]


@dataclass(frozen=True)
class WhenRow(Row):
    """One way in which a danger holds: every key that is given must, and one of its values is enough."""

    lamp: tuple[Literal["steady", "flashing", "out"], ...] = ()
    symptoms: tuple[Symptom, ...] = ()
    codes: tuple[CodePattern, ...] = ()
    tests: tuple[TestOutcomeName, ...] = ()
    shown: tuple[ShownSuspect, ...] = ()
    features: tuple[Feature, ...] = ()
    above: dict[Channel, Number] = field(default_factory=dict)


@dataclass(frozen=True)
class DangerRow(Row):
    """What limits driving (``dangers.toml``), with the advice to the customer. ``look``: the test that is made before
    the engine runs for any other; ``history``: a code kept as history counts as well."""

    id: str
    stop: bool
    title: Words
    words: Words
    when: tuple[WhenRow, ...]
    look: TestName | Literal[""] = ""
    history: bool = False


@dataclass(frozen=True)
class DangersFile(Row):
    danger: tuple[DangerRow, ...]


@dataclass(frozen=True)
class MonitorsFile(Row):
    """What each readiness monitor needs, and what it is about for somebody who is not of the trade."""

    monitors: dict[MonitorName, Words]
    plain: dict[MonitorName, Words]


@dataclass(frozen=True)
class KindRow(Row):
    """A kind of trouble code and what it says of itself; ``{c}`` stands for the component."""

    id: str
    words: Words
    rank: Count
    watches: Words
    enable: Words
    trips: Count
    causes: tuple[Words, ...]
    cannot: tuple[Words, ...]
    first_tests: tuple[Words, ...]


@dataclass(frozen=True)
class KindsFile(Row):
    kind: tuple[KindRow, ...]
    advice: dict[Severity, Words]


@dataclass(frozen=True)
class FailureTypeRow(Row):
    """What a failure-type byte says, and the kind of code it comes to."""

    words: Words
    kind: CodeKind


@dataclass(frozen=True)
class FailureTypesFile(Row):
    """By two hexadecimal digits."""

    types: dict[str, FailureTypeRow]


@dataclass(frozen=True)
class FamilyRow(Row):
    """A component and its codes, each with its kind. ``uncertain``: the numbers are remembered, but not surely."""

    component: Words
    severity: Severity
    numbers: dict[CodeNumber, CodeKind]
    monitor: MonitorName = "comprehensive components"
    uncertain: bool = False


@dataclass(frozen=True)
class SeriesRow(Row):
    """Codes that repeat over positions: number = start + step · (n − 1) + place of the kind in ``kinds``."""

    component: Words
    severity: Severity
    start: CodeNumber
    count: Count
    step: Count
    kinds: tuple[CodeKind, ...]
    monitor: MonitorName = "comprehensive components"
    letters: bool = False


@dataclass(frozen=True)
class FamiliesFile(Row):
    family: tuple[FamilyRow, ...]
    series: tuple[SeriesRow, ...] = ()


@dataclass(frozen=True)
class ApartFile(Row):
    """``code_apart.toml``: what tells codes of one component and one kind apart."""

    apart: dict[CodeNumber, Words]


@dataclass(frozen=True)
class SheetRow(Row):
    """What a job takes: for which repairs or component classes, tools, what must be new, joints to be torqued, and
    whether threads are to be started by hand."""

    to: tuple[PartOrRepair, ...]
    tools: tuple[Words, ...]
    joints: tuple[str, ...] = ()
    new: tuple[Words, ...] = ()
    by_hand: bool = False


@dataclass(frozen=True)
class SheetsFile(Row):
    sheet: tuple[SheetRow, ...]


@dataclass(frozen=True)
class RoutineRow(Row):
    """What a platform says of an after-work procedure: the routine's identifier (service 31) and the unit that runs
    it."""

    procedure: Procedure
    identifier: Byte2
    request_id: BusId = 0x7E0
    response_id: BusId = 0x7E8
