"""The shape of a case file. Everything is optional but format and version; unknown keys are refused."""

from __future__ import annotations

from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, ClassVar, Literal

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.errors import GumshoeError
from gumshoe.core.knowledge.code_index import OwnCode
from gumshoe.core.knowledge.parts import WiringRow
from gumshoe.core.knowledge.values import Climate
from gumshoe.core.obd.snapshot import FIRST_RESPONDER, ModuleSnapshot, Snapshot, StoredCode
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.powertrain.misfires import Lack
from gumshoe.core.signals.trims import RegionTrim

STRICT: dict[str, Any] = {"extra": "forbid"}


class CaseFileError(GumshoeError):
    """A case file cannot be read; names the place and the reason."""

    kept = "Nothing was imported."
    remedies = ("compare the place with docs/case-format.md",)


@dataclass(frozen=True)
class VehicleFacts:
    """Which vehicle. ``platform`` names a platform file; else it is found by the VIN, else the engine is generic;
    ``climate``: where it lives."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    vin: str = ""
    plate: str = ""
    make: str = ""
    model: str = ""
    year: int | None = None
    odometer_km: int | None = None
    platform: str = ""
    climate: Climate = Climate.TEMPERATE


@dataclass(frozen=True)
class ComplaintFacts:
    """What the customer said; ``symptoms`` by their ids in clues.toml; ``lamp`` out, steady or flashing, empty
    where nobody looked."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    text: str = ""
    symptoms: tuple[str, ...] = ()
    lamp: Literal["", "out", "steady", "flashing"] = ""
    conditions: str = ""
    since: str = ""
    recent_work: str = ""


@dataclass(frozen=True)
class TestFacts:
    """A test that was made: its readings, and the outcome computed from them."""

    __test__ = False
    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    test: str
    outcome: str
    readings: dict[str, float | str] = field(default_factory=dict)
    at: str = ""
    by: str = ""
    withdrawn: str = ""
    """Why it counts no more, where somebody took it back."""


@dataclass(frozen=True)
class EventFacts:
    """A component unplugged with the key on (or ``battery`` taken off): the codes this sets are expected. ``did``: what
    was done to it; ``key_on``: whether the key was on meanwhile, as far as somebody knows."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    off: str
    what: str = ""
    at: str = ""
    back_at: str = ""
    did: Literal["off", "removed", "jumped", "drained", "flat"] = "off"
    key_on: bool | None = None


@dataclass(frozen=True)
class RecordingFacts:
    """A recording: for each channel the times (seconds of Unix time) and the values in the channel's unit. ``origin``:
    the file or recording it is from; ``good_car``: it shows a good car, in the words of who said so."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    label: str
    columns: dict[str, tuple[tuple[float, ...], tuple[float, ...]]]
    purpose: str = ""
    at: str = ""
    by: str = ""
    origin: str = ""
    good_car: str | None = None


@dataclass(frozen=True)
class MarkFacts:
    """A moment of the live signal (seconds of Unix time) that somebody marked."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    moment: float
    text: str = ""
    at: str = ""
    by: str = ""


@dataclass(frozen=True)
class HandTestFacts:
    """Cylinders found by hand to be without what ``lacks`` says: power, spark, injection, compression."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    cylinders: tuple[int, ...]
    how: str = ""
    at: str = ""
    by: str = ""
    lacks: Lack = Lack.POWER


@dataclass(frozen=True)
class LineFacts:
    """A repair proposed, with minutes and prices as they were, and the customer's last answer. Lines of one ``choice``
    are alternatives; ``risk``: what it means to leave it, as it was told."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    repair: str
    words: str = ""
    minutes: int = 0
    parts: Decimal = Decimal(0)
    labour: Decimal = Decimal(0)
    answer: Literal["", "approved", "refused", "deferred"] = ""
    who: str = ""
    how: str = ""
    at: str = ""
    by: str = ""
    kind: Literal["repair", "maintenance"] = "repair"
    choice: int | None = None
    quality: str = ""
    scope: str = ""
    notes: str = ""
    risk: str = ""
    tax_percent: Decimal = Decimal(0)


@dataclass(frozen=True)
class WorkFacts:
    """A repair carried out, and whether a proof drive later showed that it did not help."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    repair: str
    at: str = ""
    by: str = ""
    did_not_help: bool = False
    part_number: str = ""
    part_make: str = ""
    minutes_taken: int | None = None
    remark: str = ""
    price: Decimal | None = None
    warranty_months: int | None = None
    warranty_km: int | None = None


@dataclass(frozen=True)
class ProcedureFacts:
    """An after-work procedure: how it ended, and the state it left the car in."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    procedure: str
    outcome: Literal["done", "aborted", "refused", "link lost", "by hand"]
    words: str = ""
    reason: str = ""
    left: str = ""
    at: str = ""
    by: str = ""


@dataclass(frozen=True)
class RecurrenceFacts:
    """How often the fault was seen before the repair, over what; ``belief``: somebody's own that the repair was
    right."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    times: int
    over: float
    unit: Literal["km", "trips", "days"] = "km"
    belief: float | None = None
    why: str = ""


@dataclass(frozen=True)
class VerdictFacts:
    """The fault that was named, and what the lead technician said of it."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    suspect: str
    words: str = ""
    guess: bool = True
    root_cause: str = ""
    review: Literal["", "countersigned", "sent back"] = ""
    reviewed_by: str = ""
    review_reason: str = ""


@dataclass(frozen=True)
class ConditionFacts:
    """One line of the check list as it stood when the repair was judged."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    words: str
    done: bool
    detail: str = ""
    share: float = 0.0
    signal: bool = False
    failed: bool = False
    plain: str = ""
    by_hand: bool = False
    waits: bool = False
    procedure: bool = False


@dataclass(frozen=True)
class ClearedFacts:
    """The clearing the judgement is about. ``before`` and ``after``: when the scans of it were taken; ``modules``: what
    became of each; ``expected``: codes that the work itself had set."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    at: str = ""
    by: str = ""
    before: str = ""
    after: str = ""
    by_itself: bool = False
    expected: tuple[str, ...] = ()
    modules: tuple[dict[str, str | int | bool], ...] = ()


@dataclass(frozen=True)
class ProofFacts:
    """The last judgement of the repair, its check list, and the clearing it is about."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    verdict: Literal["proven", "not yet", "came back"]
    reasons: tuple[str, ...] = ()
    conditions: tuple[ConditionFacts, ...] = ()
    at: str = ""
    by: str = ""
    cleared: ClearedFacts | None = None


@dataclass(frozen=True)
class ProbeFacts:
    """One reading at a circuit: where the leads were, how it stood, what it showed: volts, ohms, amperes, a lamp's
    shine, or whether a load works. ``jumpers``: pairs of places joined meanwhile; ``alone``: the one part on a shared
    point that was commanded."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    plus: str
    value: float | Literal["dark", "dim", "bright", "works", "nothing", "bad", "clean and tight"]
    instrument: Literal[
        "meter",
        "test lamp",
        "ohmmeter",
        "ammeter",
        "oscilloscope, high level",
        "oscilloscope, low level",
        "listen and feel",
        "look at the pins",
    ] = "meter"
    minus: str = "0"
    command: float = 0.0
    unplugged: tuple[str, ...] = ()
    jumpers: tuple[tuple[str, str], ...] = ()
    at: str = ""
    by: str = ""
    alone: str = ""


@dataclass(frozen=True)
class CircuitFacts:
    """The circuit of one component and the readings made at it."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    component: str
    readings: tuple[ProbeFacts, ...] = ()


@dataclass(frozen=True)
class CaseFile:
    """A whole case. ``codes`` is the short form for codes that no scan stands behind: ``"P0171"`` or with a state.

    ``own_codes`` say what makers' codes stand for, ``wiring`` what shares a point on this vehicle, ``events`` what the
    work unplugged."""

    __pydantic_config__: ClassVar[dict[str, Any]] = STRICT

    format: Literal["gumshoe-case"]
    version: Literal[1]
    number: str = ""
    vehicle: VehicleFacts = field(default_factory=VehicleFacts)
    powertrain: Powertrain | None = None
    complaint: ComplaintFacts | None = None
    codes: tuple[str | StoredCode, ...] = ()
    own_codes: tuple[OwnCode, ...] = ()
    wiring: tuple[WiringRow, ...] = ()
    events: tuple[EventFacts, ...] = ()
    scans: tuple[Snapshot, ...] = ()
    recordings: tuple[RecordingFacts, ...] = ()
    marks: tuple[MarkFacts, ...] = ()
    trims: tuple[RegionTrim, ...] = ()
    hand_tests: tuple[HandTestFacts, ...] = ()
    tests: tuple[TestFacts, ...] = ()
    circuits: tuple[CircuitFacts, ...] = ()
    lines: tuple[LineFacts, ...] = ()
    work: tuple[WorkFacts, ...] = ()
    verdict: VerdictFacts | None = None
    procedures: tuple[ProcedureFacts, ...] = ()
    recurrence: RecurrenceFacts | None = None
    proof: ProofFacts | None = None

    @property
    def stored_codes(self) -> tuple[StoredCode, ...]:
        """The short codes in full: a bare code is a confirmed one."""
        return tuple(
            StoredCode(TroubleCode.parse(item), CodeState.CONFIRMED) if isinstance(item, str) else item
            for item in self.codes
        )

    @property
    def module(self) -> ModuleSnapshot | None:
        """The short codes as an engine's control unit would hold them; None without any."""
        return ModuleSnapshot(FIRST_RESPONDER, name="from a file", codes=self.stored_codes) if self.codes else None
