"""Codes and readiness of one module now, look after look, without a whole scan: what a proof drive watches."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from gumshoe.core.codes import CodeState, TroubleCode
from gumshoe.core.obd.classic import ClassicReader
from gumshoe.core.obd.dialect import ON_UDS
from gumshoe.core.obd.link import Link
from gumshoe.core.obd.on_uds import GROUPS, MonitorOf, OnUdsReader, nobody_says
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


def reader_of(
    link: Link,
    module: int,
    problems: list[str],
    expect: Callable[[str], None] = lambda _vin: None,
    repeats: int = 0,
    monitor_of: MonitorOf = nobody_says,
) -> ClassicReader | OnUdsReader:
    """The reader of the way in which a module speaks."""
    if link.dialect(module) is not ON_UDS:
        return ClassicReader(link, module, problems, expect, repeats)
    reader = OnUdsReader(link, module, problems, expect, repeats)
    reader.monitor_of = monitor_of
    return reader


class ListsNow:
    """Asks one module again and again. Where readiness is told by groups, the first look finds those it has."""

    def __init__(self, link: Link, module: int, monitor_of: MonitorOf = nobody_says) -> None:
        self._link, self._module, self._monitor_of = link, module, monitor_of
        self._groups = tuple(GROUPS)

    def look(self) -> Lists:
        """Its lists now. Raises BusFailure."""
        reader = reader_of(self._link, self._module, [], repeats=1, monitor_of=self._monitor_of)
        if isinstance(reader, OnUdsReader):
            reader.groups = self._groups
        codes, status, trip, untold = reader.lists()
        if isinstance(reader, OnUdsReader) and reader.settled:
            self._groups = reader.told
        held = {
            state: None
            if any(part in untold for part in parts)
            else tuple(dict.fromkeys(item.code for item in codes if item.state is state))
            for state, parts in PARTS.items()
        }
        return Lists(held, trip, status.lamp if status else None)
