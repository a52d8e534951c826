"""Expected bands: the range a channel should lie in, in the present operating region."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gumshoe.core.knowledge.rows import USUAL_IDLE_RPM, BandRow, Specification
from gumshoe.core.signals.regions import Region


@dataclass(frozen=True)
class Band:
    """An expected range and where it comes from."""

    low: float
    high: float
    source: str

    def judge(self, value: float) -> str:
        """``in band``, ``above`` or ``below``."""
        if self.holds(value):
            return "in band"
        return "above" if value > self.high else "below"

    def holds(self, value: float) -> bool:
        """Whether the value lies inside, ends included."""
        return self.low <= value <= self.high


def expected(
    key: str, region: Region, rows: Iterable[BandRow], specification: Specification, displacement_l: float
) -> Band | None:
    """The band of a channel in a region: the vehicle's specification first, a region's band before a general one."""
    if key == "rpm" and region is Region.WARM_IDLE:
        if specification.idle_rpm is None:
            return Band(*USUAL_IDLE_RPM, "what is usual; this vehicle's own idle is not known")
        return Band(
            specification.idle_rpm - specification.idle_tolerance_rpm,
            specification.idle_rpm + specification.idle_tolerance_rpm,
            "vehicle specification",
        )
    best: BandRow | None = None
    like = key.replace("_b2", "_b1", 1)  # what is expected of bank 1 is expected of bank 2
    for row in rows:
        if row.key == like and (row.region == region.slug or (not row.region and best is None)):
            best = row
            if row.region:
                break
    if best is None or region in (Region.OFF, Region.CRANKING):
        return None
    if best.low_per_litre is not None and best.high_per_litre is not None:
        return Band(best.low_per_litre * displacement_l, best.high_per_litre * displacement_l, "common practice")
    if best.low is None or best.high is None:
        return None
    return Band(best.low, best.high, "common practice")
