"""The shapes of the knowledge tables: one dataclass a row, as it stands in the TOML files."""

from __future__ import annotations

from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, ClassVar, Literal

Distribution = dict[str, float]


@dataclass(frozen=True)
class CodeRow:
    """A trouble code: what it watches, what can and cannot cause it, how to drive with it."""

    number: str
    title: str
    kind: str
    component: str
    monitor: str
    watches: str
    enable: str
    trips: int
    lamp: str
    severity: str
    advice: str
    causes: tuple[str, ...]
    cannot: tuple[str, ...]
    echo_of: tuple[str, ...]
    echo_why: str
    first_tests: tuple[str, ...]
    leak: float
    per: str = ""
    group: str = ""
    evidence: str = ""
    frame_clue: str = ""


@dataclass(frozen=True)
class BinRow:
    """One bin of a graded clue; ``upto`` is its upper edge in the variable's unit."""

    id: str
    words: str
    upto: float | None = None
    per: str = ""


@dataclass(frozen=True)
class VariableRow:
    """A graded clue: its bins and how they are distributed when nothing claims it.

    ``compares``: the clue of which this is the comparison between the banks; its tables follow from that clue's.
    """

    id: str
    name: str
    unit: str
    family: str
    replaced_by: str
    bins: tuple[BinRow, ...]
    normal: Distribution
    needs: tuple[str, ...] = ()
    compares: str = ""


@dataclass(frozen=True)
class SymptomRow:
    """Something the customer can say; ``leak`` is how often it is said without cause; ``about``: what sort of thing it
    is, by which the form groups it (``work``: recent work)."""

    id: str
    words: str
    leak: float
    about: Literal["running", "starting", "noise", "warning", "gearbox", "filter", "work"]


@dataclass(frozen=True)
class FaultRow:
    """A suspect: base rate, growth with distance (``wear``) and age (``ageing``), what it shows, what cures it, why it
    happens. Both are powers: of distance over the usual distance, of years over the usual age.

    ``codes`` by reference in the table, by number once expanded; ``echo`` gives the reason why a code (or ``misfire``)
    only follows; ``echoes`` the same by number. ``roots``: suspects that can be behind this one, with the chance that
    they bring it about. ``members``: components that hang on a shared point. ``origin``: how
    the row came about: ``table``, ``part`` or the kind of shared point. ``mode``: how the circuit fails
    (``open``, ``short`` …), where the row is about one.
    """

    id: str
    words: str
    component: str
    rate: float
    wear: float
    needs: tuple[str, ...]
    repair: str
    why: tuple[str, ...]
    codes: dict[str, float]
    symptoms: dict[str, float]
    graded: dict[str, Distribution]
    per: str = ""
    echo: dict[str, str] = field(default_factory=dict)
    echoes: dict[str, str] = field(default_factory=dict)
    members: tuple[str, ...] = ()
    origin: str = "table"
    mode: str = ""
    roots: dict[str, float] = field(default_factory=dict)
    ageing: float = 0.0


@dataclass(frozen=True)
class EffectRow:
    """What one trouble drags behind it (``effects.toml``)."""

    id: str
    source: str
    why: str
    raises: dict[str, float]


@dataclass(frozen=True)
class EffectsFile:
    effect: tuple[EffectRow, ...]


@dataclass(frozen=True)
class ReadingRow:
    """One thing to enter: a number with its unit and sane range, or a choice.

    ``of``: the value of the vehicle's specification that good range and conditions are per cent of; ``usual``: what
    stands in for it where the specification does not tell.
    """

    key: str
    label: str
    kind: str
    point: str
    unit: str = ""
    options: tuple[str, ...] = ()
    low: float | None = None
    high: float | None = None
    good_low: float | None = None
    good_high: float | None = None
    of: str = ""
    usual: float | None = None


@dataclass(frozen=True)
class OutcomeRow:
    """One possible verdict of a test; ``when`` is decided from the readings, ``proves`` names suspects it shows.
    ``each``: it is found at one ``cylinder``, ``cam`` or ``bank``: it is asked which, and there is one for each."""

    id: str
    words: str
    when: str
    proves: tuple[str, ...] = ()
    each: str = ""


@dataclass(frozen=True)
class TestRow:
    """A test: cost, conditions, steps, readings, outcomes and what each suspect makes likely.

    ``origin``: ``table``, or ``generated`` from a part or shared point. ``equipment``: what not every shop has.
    ``on``: what the powertrain must have. ``at``: the component classes whose access it depends on; ``access`` how the
    hardest of them is reached here, its minutes already counted in. ``cranks``: the engine is cranked for it.
    ``once``: graded variables that must have shown something first (a part is swapped where a cylinder misfires).
    ``elsewhere``: what it shows where some cylinders misfire for any reason not named under ``given``.
    """

    __test__ = False

    id: str
    words: str
    purpose: str
    tool: str
    minutes: float
    invasive: int
    needs: tuple[str, ...]
    cautions: tuple[str, ...]
    steps: tuple[str, ...]
    measures: str = ""
    loose_end: str = ""
    readings: tuple[ReadingRow, ...] = ()
    outcomes: tuple[OutcomeRow, ...] = ()
    otherwise: Distribution = field(default_factory=dict)
    given: dict[str, Distribution] = field(default_factory=dict)
    origin: str = "table"
    equipment: str = ""
    on: tuple[str, ...] = ()
    at: tuple[str, ...] = ()
    access: str = ""
    cranks: bool = False
    once: tuple[str, ...] = ()
    elsewhere: Distribution = field(default_factory=dict)


@dataclass(frozen=True)
class RepairRow:
    """A repair: minutes, parts (in the shop's currency), steps, cautions. ``wiring``: it puts wires and plugs right and
    leaves the part itself as it is. ``on``: what the powertrain must have."""

    id: str
    words: str
    component: str
    minutes: int
    parts: Decimal
    steps: tuple[str, ...]
    cautions: tuple[str, ...]
    check_neighbours: tuple[str, ...]
    per: str = ""
    wiring: bool = False
    on: tuple[str, ...] = ()

    @property
    def renews(self) -> bool:
        """Whether a new part goes in. An id begins with what is done: renew, mend, clean, refit, set."""
        return self.id.startswith("renew_") and not self.wiring

    @property
    def mends(self) -> bool:
        """Whether the part itself stays as it is."""
        return self.wiring or self.id.startswith("mend_")

    @property
    def buys(self) -> bool:
        """Whether there is a part to buy, original or aftermarket."""
        return self.renews and self.parts > 0


@dataclass(frozen=True)
class BandRow:
    """The expected range of a channel, everywhere or in one operating region, of powertrains with those features."""

    key: str
    needs: tuple[str, ...] = ()
    region: str = ""
    low: float | None = None
    high: float | None = None
    low_per_litre: float | None = None
    high_per_litre: float | None = None


@dataclass(frozen=True)
class Specification:
    """Values of one vehicle; the defaults are for a vehicle nothing is known about (common practice)."""

    idle_rpm: float = 750.0
    idle_tolerance_rpm: float = 80.0
    fuel_pressure_kpa: float = 350.0
    plug_gap_mm: float | None = None
    thermostat_c: float = 88.0


@dataclass(frozen=True)
class CodesFile:
    code: tuple[CodeRow, ...]


@dataclass(frozen=True)
class CluesFile:
    variable: tuple[VariableRow, ...]
    symptom: tuple[SymptomRow, ...]


@dataclass(frozen=True)
class FaultsFile:
    fault: tuple[FaultRow, ...]


@dataclass(frozen=True)
class TestsFile:
    __test__ = False

    test: tuple[TestRow, ...]


@dataclass(frozen=True)
class RepairsFile:
    repair: tuple[RepairRow, ...]


@dataclass(frozen=True)
class CautionsFile:
    cautions: dict[str, str]


@dataclass(frozen=True)
class SignalsFile:
    band: tuple[BandRow, ...]


@dataclass(frozen=True)
class WhenRow:
    """One way in which a danger holds: every key that is given must, and one of its values is enough."""

    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid"}

    lamp: tuple[str, ...] = ()
    symptoms: tuple[str, ...] = ()
    codes: tuple[str, ...] = ()
    tests: tuple[str, ...] = ()
    shown: tuple[str, ...] = ()
    features: tuple[str, ...] = ()
    above: dict[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class DangerRow:
    """What limits driving (``dangers.toml``), with the advice to the customer. ``history``: a code kept as history
    counts as well."""

    __pydantic_config__: ClassVar[dict[str, Any]] = {"extra": "forbid"}

    id: str
    stop: bool
    title: str
    words: str
    when: tuple[WhenRow, ...]
    history: bool = False


@dataclass(frozen=True)
class DangersFile:
    danger: tuple[DangerRow, ...]


@dataclass(frozen=True)
class MonitorsFile:
    """What each readiness monitor needs, and what it is about for somebody who is not of the trade."""

    monitors: dict[str, str]
    plain: dict[str, str]


@dataclass(frozen=True)
class KindRow:
    """A kind of trouble code and what it says of itself; ``{c}`` stands for the component."""

    id: str
    words: str
    rank: int
    watches: str
    enable: str
    trips: int
    causes: tuple[str, ...]
    cannot: tuple[str, ...]
    first_tests: tuple[str, ...]


@dataclass(frozen=True)
class KindsFile:
    kind: tuple[KindRow, ...]
    advice: dict[str, str]


@dataclass(frozen=True)
class FailureTypeRow:
    """What a failure-type byte says, and the kind of code it comes to."""

    words: str
    kind: str


@dataclass(frozen=True)
class FailureTypesFile:
    """By two hexadecimal digits."""

    types: dict[str, FailureTypeRow]


@dataclass(frozen=True)
class FamilyRow:
    """A component and its codes, each with its kind. ``class`` gathers positions of the same kind of part."""

    component: str
    severity: str
    numbers: dict[str, str]
    monitor: str = "comprehensive components"


@dataclass(frozen=True)
class SeriesRow:
    """Codes that repeat over positions: number = start + step · (n − 1) + place of the kind in ``kinds``."""

    component: str
    severity: str
    start: str
    count: int
    step: int
    kinds: tuple[str, ...]
    monitor: str = "comprehensive components"
    letters: bool = False


@dataclass(frozen=True)
class FamiliesFile:
    family: tuple[FamilyRow, ...]
    series: tuple[SeriesRow, ...]


@dataclass(frozen=True)
class SheetRow:
    """What a job takes: for which repairs or component classes, tools, what must be new, joints to be torqued, and
    whether threads are to be started by hand."""

    to: tuple[str, ...]
    tools: tuple[str, ...]
    joints: tuple[str, ...] = ()
    new: tuple[str, ...] = ()
    by_hand: bool = False


@dataclass(frozen=True)
class SheetsFile:
    sheet: tuple[SheetRow, ...]


@dataclass(frozen=True)
class RoutineRow:
    """What a platform says of an after-work procedure: the routine's identifier (service 31) and the unit that runs
    it."""

    procedure: str
    identifier: int
    request_id: int = 0x7E0
    response_id: int = 0x7E8
