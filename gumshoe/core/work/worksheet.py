"""The work sheet of the approved repairs: parts and tools to lay out before starting, torques in every wrench's units.

Torque values belong to the vehicle: a platform file gives them, otherwise the maker's service information does.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from gumshoe.core.handtests.upkeep import torques
from gumshoe.core.knowledge.catalogue import Knowledge
from gumshoe.core.knowledge.rows import RepairRow, SheetRow, SheetsFile
from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.powertrain.component import ComponentRef

WIRING_TOOLS = ("meter with back-probes", "terminal tool, crimps and heat-shrink of the right size")
RENEW = re.compile(r"^Renew(:| the) ")
"""How a repair's words begin; what follows names the part."""
FILE = Path(__file__).parent.parent / "knowledge" / "sheets.toml"


@dataclass(frozen=True)
class Joint:
    """A joint to be torqued: (unit, value) in every unit a wrench has, empty where the platform gives none."""

    name: str
    torques: tuple[tuple[str, float], ...] = ()


@dataclass(frozen=True)
class Sheet:
    """One job: the repair, what to lay out, what must be new, joints, neighbours to look at while in there."""

    repair: RepairRow
    tools: tuple[str, ...]
    new: tuple[str, ...]
    joints: tuple[Joint, ...]
    by_hand: bool
    cautions: tuple[str, ...]
    part: str = ""
    """The part to have on the bench; what it is for, where the repair names its own small parts; else empty."""

    @property
    def known(self) -> bool:
        """Whether more is known of the job than its steps."""
        return bool(self.tools)


@cache
def sheets() -> tuple[SheetRow, ...]:
    """The shipped sheets. Raises DataError with file and line."""
    return load_table(FILE, SheetsFile).sheet


def sheet_for(knowledge: Knowledge, repair: RepairRow, torque_nm: Mapping[str, float]) -> Sheet:
    """The sheet of one repair. ``torque_nm``: what the platform gives, by joint, in N·m."""
    part = knowledge.components.get(repair.component)
    names = {repair.id, repair.component, ComponentRef.parse(repair.component).kind} | (
        {part.row.id} if part else set()
    )
    row = next((row for row in sheets() if names & set(row.to)), None)
    cautions = tuple(knowledge.cautions[name] for name in repair.cautions)
    if row is None or repair.wiring:
        tools = WIRING_TOOLS if repair.wiring else ()
        return Sheet(repair, tools, (), (), False, cautions, _part(repair))
    joints = tuple(
        Joint(name.replace("_", " "), torques(torque_nm[name]) if name in torque_nm else ()) for name in row.joints
    )
    return Sheet(repair, row.tools, row.new, joints, row.by_hand, cautions, _part(repair))


def _part(repair: RepairRow) -> str:
    if repair.mends or not repair.parts:
        return ""
    named = RENEW.sub("", repair.words)
    return named if named != repair.words else f"for: {repair.words}"


@dataclass(frozen=True)
class LayOut:
    """Everything for the whole job, each once: to be printed and laid out before anything comes apart."""

    sheets: tuple[Sheet, ...]

    @property
    def tools(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(tool for sheet in self.sheets for tool in sheet.tools))

    @property
    def parts(self) -> tuple[str, ...]:
        return tuple(sheet.part for sheet in self.sheets if sheet.part)

    @property
    def new(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(item for sheet in self.sheets for item in sheet.new))

    @property
    def minutes(self) -> int:
        return sum(sheet.repair.minutes for sheet in self.sheets)


def lay_out(knowledge: Knowledge, repairs: Iterable[RepairRow], torque_nm: Mapping[str, float]) -> LayOut:
    """The sheets of several repairs together."""
    return LayOut(tuple(sheet_for(knowledge, row, torque_nm) for row in repairs))
