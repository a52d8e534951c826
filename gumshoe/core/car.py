"""The one way to a vehicle, whatever stands behind it: a real car on an adapter, or a stand-in.

Who asks need not know which it is: a real car answers with None, or does nothing, where only hands and eyes can.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Protocol

from gumshoe.core.circuits.loops import Floats
from gumshoe.core.circuits.netlist import Circuit, Probe
from gumshoe.core.obd.link import Link, Timing


class Shown(Protocol):
    """What was seen or measured: words, and a number with its unit where there is one."""

    @property
    def words(self) -> str: ...
    @property
    def value(self) -> float | None: ...
    @property
    def unit(self) -> str: ...


class Car(Protocol):
    """What can be asked of a vehicle. Trips are the names of drive segments."""

    words: str
    """How it is reached, for the record of a scan."""
    drives_itself: bool
    """Whether it is driven as a plan says; else somebody drives, and what he drives is watched."""

    holds: int | None
    """The adapter that an open link holds, which then no other car can have; None: nothing is held."""

    # -- by the bus
    def link(self, timing: Timing) -> Link:
        """An open link. Raises LinkError or NotReachable."""
        ...

    @property
    def is_there(self) -> bool:
        """Whether it answers without an adapter being waited for."""
        ...

    # -- driven
    def drive_words(self, trips: tuple[tuple[str, ...], ...]) -> str:
        """How the trips are driven, for the record of a proof."""
        ...

    def drive(self, trips: tuple[tuple[str, ...], ...]) -> None:
        """Begin to drive them; nothing where somebody else does."""
        ...

    def keep_in_sight(self, look_s: float) -> None:
        """Drive no faster than it is watched, one look every ``look_s``."""
        ...

    def progress(self) -> dict[str, object] | None:
        """How far its drive is; None where only the driver knows."""
        ...

    def coolant_c(self) -> float | None:
        """How warm the engine is, where that is seen without a scan."""
        ...

    # -- by hand, eye and meter
    def finding(self, point: str, *, engine_on: bool = False) -> Shown | None:
        """What would be found at a point; ``engine_on``: with the engine running, if it can."""
        ...

    def measure(self, circuit: Circuit, probe: Probe) -> Shown | None:
        """What an instrument shows at its wires."""
        ...

    def record_scope(
        self, circuit: Circuit, probe: Probe, *, hz: float, seconds: float, moving: bool
    ) -> tuple[Floats, Floats] | None:
        """An oscilloscope's record at its wires: times (s) and volts."""
        ...

    @property
    def has_wires(self) -> bool:
        """Whether one can measure at it from here."""
        ...

    # -- worked on
    def carry_out(self, component: str, reached: Iterable[str], *, work: str) -> None:
        """A repair: plugs back on all that is reached by ``wiring``; else what is done with the part (``renew``,
        ``mend``, ``refit``, ``clean``, ``set``, ``service``), which puts right what such work puts right."""
        ...

    def set_plug(self, component: str, *, off: bool) -> None:
        """Take a component's connector off, or put it back."""
        ...

    def leave_key_on(self, hours: float) -> None:
        """Leave the key on for so long: the battery gives what it has."""
        ...

    def charge(self) -> None:
        """A charger on the battery."""
        ...
