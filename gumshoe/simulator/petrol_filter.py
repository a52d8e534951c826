"""The particulate filter of a petrol engine with direct injection: what fills it, what burns it free, and its monitor.

Soot comes from a cold or rich charge; it burns on the overrun, when hot exhaust brings air. Sizes lie where such
filters commonly lie (common practice, no source).
"""

from __future__ import annotations

from typing import ClassVar

from gumshoe.simulator.diesel_engine import ASH_SHARE_G, filter_flow_lps
from gumshoe.simulator.diesel_monitors import ParticulateFilter
from gumshoe.simulator.engine import DT, Engine
from gumshoe.simulator.watch import Watch

WARM_SHARE, COLD_SHARE, RICH_SHARE = 0.00004, 0.0008, 0.02
"""Soot from each gram of fuel: warm, cold, and as the air runs short."""
BURNS_FROM_C, BURNS_PER_S = 520.0, 0.02
ASH_PER_G = 1.0e-7
LINEAR_MBAR, SQUARE_MBAR = 0.45, 0.0022
"""Pressure across an empty one over the volume flow in L/s of an engine of 2 litres: linear and square part."""
SOOT_SHARE_G = 12.0


class FilteredEngine(Engine):
    """A petrol engine with a particulate filter behind its catalyst."""

    def _exhaust(self) -> None:
        super()._exhaust()
        parts, state, model = self.parts, self.state, self.model
        turning = state.rpm > 60.0
        state.filter_c += (state.banks[0].catalyst_c - 40.0 - state.filter_c) * DT / (30.0 if turning else 900.0)
        if not turning:
            state.filter_mbar *= 0.95
            return
        cold = min(max((60.0 - state.coolant_c) / 60.0, 0.0), 1.0)
        charge = state.banks[0].lambda_exhaust
        made = state.fuel_gps * (WARM_SHARE + COLD_SHARE * cold + RICH_SHARE * max(0.97 - charge, 0.0))
        state.soot_g = max(state.soot_g + made * DT * (0.25 if parts.filter_cracked else 1.0), 0.0)
        if state.filter_c > BURNS_FROM_C and charge > 1.2:
            state.soot_g *= 1.0 - BURNS_PER_S * min((state.filter_c - BURNS_FROM_C) / 100.0, 1.5) * DT
        parts.ash_g += state.fuel_gps * ASH_PER_G * DT
        flow = state.cylinder_gps + state.fuel_gps
        litres = filter_flow_lps(model, flow, state.filter_c, self.air.pressure_pa)
        filled = 1.0 + state.soot_g / SOOT_SHARE_G + parts.ash_g / ASH_SHARE_G
        whole = 0.15 if parts.filter_cracked else 1.0
        state.filter_mbar = (LINEAR_MBAR * filled * litres + SQUARE_MBAR * litres**2) * whole


class PetrolFilter(ParticulateFilter):
    """The filter's pressure: none at rest, and at flow neither too little nor too much. It burns free by itself."""

    FULL_TIMES: ClassVar[float] = 2.8

    def _empty(self, lps: float) -> float:
        return LINEAR_MBAR * lps + SQUARE_MBAR * lps**2

    def _full(self, watch: Watch, empty: float) -> bool:
        return watch.seen.filter_mbar > self.FULL_TIMES * empty

    def _burning(self, watch: Watch, full: bool) -> None:
        return None
