"""The ways to a vehicle (``core/car.py``): a real one by an adapter, a stand-in of this process, a car in a file."""

from __future__ import annotations

from collections.abc import Iterable

from gumshoe.core.car import Car, Shown
from gumshoe.core.circuits.loops import Floats
from gumshoe.core.circuits.netlist import Circuit, Probe
from gumshoe.core.errors import GumshoeError
from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.connect import AdapterKind, AdapterSpec, connect
from gumshoe.core.obd.link import Link, Timing
from gumshoe.simulator.drives import PIECES
from gumshoe.simulator.garage import Runner
from gumshoe.web.settings.models import Adapter
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.models import Vehicle

DRIVE_SPEEDUP = 60.0


class NotReachable(GumshoeError):
    """There is no way to this vehicle from here."""


class _OnlyTheBus:
    """A car of which nothing is reached from here but its bus. What hands and eyes find there, somebody types in."""

    drives_itself = has_wires = is_there = False
    holds: int | None = None

    def drive_words(self, trips: tuple[tuple[str, ...], ...]) -> str:
        return "road test"

    def drive(self, trips: tuple[tuple[str, ...], ...]) -> None:
        return None

    def keep_in_sight(self, look_s: float) -> None:
        return None

    def progress(self) -> dict[str, object] | None:
        return None

    def coolant_c(self) -> float | None:
        return None

    def finding(self, point: str, *, engine_on: bool = False) -> Shown | None:
        return None

    def measure(self, circuit: Circuit, probe: Probe) -> Shown | None:
        return None

    def record_scope(
        self, circuit: Circuit, probe: Probe, *, hz: float, seconds: float, moving: bool
    ) -> tuple[Floats, Floats] | None:
        return None

    def carry_out(self, component: str, reached: Iterable[str], *, work: str) -> None:
        return None

    def set_plug(self, component: str, *, off: bool) -> None:
        return None

    def leave_key_on(self, hours: float) -> None:
        return None

    def charge(self) -> None:
        return None


class RealCar(_OnlyTheBus):
    """A vehicle on one of the shop's adapters."""

    def __init__(self, vehicle: Vehicle) -> None:
        self._vehicle = vehicle
        self._adapter = vehicle.adapter or Adapter.objects.first()
        self.words = f"{self._adapter}, {self._adapter.spec.words}" if self._adapter else "no adapter"
        self.holds = self._adapter.pk if self._adapter else None

    def link(self, timing: Timing) -> Link:
        """As it spoke last, else as it is found; how it speaks is kept with the vehicle."""
        if self._adapter is None:
            raise NotReachable(
                "No adapter for real vehicles is set up.",
                remedies=("Settings, Adapters: add the one that is plugged in, and test it",),
            )
        link, spoke = connect(self._adapter.spec, spoke=self._vehicle.spoke, timing=timing)
        if spoke != self._vehicle.spoke:
            self._vehicle.spoke = spoke
            Vehicle.every.filter(pk=self._vehicle.pk).update(spoke=spoke)
        self.words = f"{self.words}, {link.words}"
        return link


class LoggedCar(_OnlyTheBus):
    """A car in a file: it answers again what its log holds."""

    is_there = True

    def __init__(self, vehicle: Vehicle) -> None:
        self._vehicle = vehicle
        self.words = f"replayed from {vehicle.from_log}"

    def link(self, timing: Timing) -> Link:
        """The log begins anew with every link."""
        channel = garage.replay(self._vehicle.pk, self._vehicle.log.frames)
        return connect(AdapterSpec(AdapterKind.BUS, channel, "virtual"), timing=timing)[0]


class StandInCar:
    """A stand-in of this process. One that does not run here is reached by nobody, and nothing is found at it."""

    drives_itself = has_wires = is_there = True
    holds: int | None = None

    def __init__(self, key: str, speedup: float = DRIVE_SPEEDUP, plugged: str = "") -> None:
        ways = garage.ways_to(key)
        self._key, self._speedup = key, speedup
        self._plugged = plugged if plugged in ways else next(iter(ways), "")
        self.words = f"stand-in vehicle, {ways.get(self._plugged, 'not running')}"

    @property
    def _running(self) -> Runner | None:
        return garage.runner(self._key)

    def runner(self) -> Runner:
        """The running stand-in. Raises NotReachable when there is none."""
        found = self._running
        if found is None:
            raise NotReachable(
                "This stand-in vehicle is not running here.",
                remedies=("start the application with “python3 run.py demo”",),
            )
        return found

    def link(self, timing: Timing) -> Link:
        self.runner()
        if self._plugged == garage.CABLE:
            return connect(AdapterSpec(AdapterKind.IP, garage.gateway(self._key)), timing=timing)[0]
        if self._plugged:
            spec = AdapterSpec(AdapterKind.TEXT, garage.text_adapter(self._key, self._plugged))
            return connect(spec, timing=timing)[0]
        return open_link("virtual", garage.channel_of(self._key), timing=timing)

    def drive_words(self, trips: tuple[tuple[str, ...], ...]) -> str:
        return f"stand-in, {len(trips)} trip{'' if len(trips) == 1 else 's'}"

    def drive(self, trips: tuple[tuple[str, ...], ...]) -> None:
        known = tuple(tuple(name for name in names if name in PIECES) for names in trips)
        self.runner().drive_pieces(tuple(names for names in known if names), self._speedup)

    def keep_in_sight(self, look_s: float) -> None:
        if self._running:
            self._running.keep_in_sight(look_s)

    def progress(self) -> dict[str, object] | None:
        seen = self.runner().state()
        return {key: seen[key] for key in ("drive_share", "driving", "speedup", "rpm", "speed_kmh", "coolant_c")}

    def coolant_c(self) -> float | None:
        return float(self._running.state()["coolant_c"]) if self._running else None

    def finding(self, point: str, *, engine_on: bool = False) -> Shown | None:
        return self._running.look(point, engine_on=engine_on) if self._running else None

    def measure(self, circuit: Circuit, probe: Probe) -> Shown | None:
        return self._running.measure(circuit, probe) if self._running else None

    def record_scope(
        self, circuit: Circuit, probe: Probe, *, hz: float, seconds: float, moving: bool
    ) -> tuple[Floats, Floats] | None:
        if self._running is None:
            return None
        return self._running.record_scope(circuit, probe, hz=hz, seconds=seconds, moving=moving)

    def carry_out(self, component: str, reached: Iterable[str], *, work: str) -> None:
        if self._running:
            self._running.carry_out(component, reached, work=work)

    def set_plug(self, component: str, *, off: bool) -> None:
        if self._running and component:
            self._running.set_plug(component, off=off)

    def leave_key_on(self, hours: float) -> None:
        if self._running:
            self._running.leave_key_on(hours)

    def charge(self) -> None:
        if self._running:
            self._running.charge()


def car_of(vehicle: Vehicle) -> Car:
    """The way to a vehicle."""
    if vehicle.stand_in:
        return StandInCar(vehicle.stand_in, plugged=vehicle.plugged)
    return LoggedCar(vehicle) if vehicle.from_log else RealCar(vehicle)
