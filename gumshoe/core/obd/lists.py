"""Codes and readiness of one module now, look after look, without a whole scan: what a proof drive watches."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.obd.classic import ClassicReader
from gumshoe.core.obd.dialect import ON_UDS
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.on_uds import GROUPS, OnUdsReader
from gumshoe.core.obd.snapshot import Part
from gumshoe.core.obd.status import MonitorStatus

PARTS = {
    CodeState.CONFIRMED: (Part.CONFIRMED, Part.CODES),
    CodeState.PENDING: (Part.PENDING, Part.CODES),
    CodeState.PERMANENT: (Part.PERMANENT,),
}


@dataclass(frozen=True)
class Lists:
    """One look: codes by state, None for a list that was not told; readiness of this drive cycle, and the lamp."""

    codes: Mapping[CodeState, tuple[TroubleCode, ...] | None]
    trip_status: MonitorStatus | None = None
    lamp: bool | None = None


class ListsNow:
    """Asks one module again and again. Where readiness is told by groups, the first look finds those it has."""

    def __init__(self, link: Link, module: int) -> None:
        self._link, self._module = link, module
        self._groups = tuple(GROUPS)

    def look(self) -> Lists:
        """Its lists now. Raises BusFailure."""
        if self._link.dialect(self._module) is not ON_UDS:
            return self._of(ClassicReader(self._link, self._module, [], repeats=1))
        reader = OnUdsReader(self._link, self._module, [], repeats=1)
        reader.groups = self._groups
        found = self._of(reader)
        self._groups = reader.told or self._groups
        return found

    def _of(self, reader: ClassicReader | OnUdsReader) -> Lists:
        codes, status, trip, untold = reader.lists()
        held = {
            state: None
            if any(part in untold for part in parts)
            else tuple(dict.fromkeys(item.code for item in codes if item.state is state))
            for state, parts in PARTS.items()
        }
        return Lists(held, trip, status.lamp if status else None)
