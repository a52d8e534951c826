"""What a person does at a stand-in vehicle, and what they would see there. A real vehicle needs none of this."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from gumshoe.core.circuits import Circuit, Probe
from gumshoe.core.circuits.loops import Floats
from gumshoe.core.errors import BadInput
from gumshoe.core.words import measured as measured_value
from gumshoe.simulator.drives import PIECES, PROFILES
from gumshoe.simulator.finding import Finding
from gumshoe.simulator.garage import Runner
from gumshoe.web.ui.readers import for_shop, shop_scale
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.links import NotReachable
from gumshoe.web.vehicles.models import Vehicle

DRIVE_SPEEDUP = 60.0
RUNS_DOWN_S = 4.0
"""So long an engine gets to stand still."""


def runner_of(vehicle: Vehicle) -> Runner:
    """The running stand-in behind a vehicle. Raises NotReachable when there is none."""
    found = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    if found is None:
        raise NotReachable("No stand-in is running behind this vehicle.", remedies=("use the real vehicle",))
    return found


def state(vehicle: Vehicle) -> dict[str, Any]:
    """What somebody standing at the car sees."""
    return _seen(runner_of(vehicle))


def _seen(runner: Runner) -> dict[str, Any]:
    """What is seen, with its values in the shop's units beside."""
    seen = runner.state()
    speed, coolant = measured_value(float(seen["speed_kmh"]), "km/h"), measured_value(float(seen["coolant_c"]), "°C")
    return {**seen, "speed_words": for_shop(speed), "coolant_words": for_shop(coolant)}


def act(vehicle: Vehicle, action: str) -> dict[str, Any]:
    """Do one thing at the stand-in: ``off``, ``on``, ``start``, ``release``, ``hold``, or ``drive:PROFILE``.

    Raises BadInput for an unknown action.
    """
    runner, said = runner_of(vehicle), ""
    name, _, detail = action.partition(":")
    if name == "off":
        runner.stop_driving()
    elif name == "on":
        said = _key_on(runner)
    elif name == "start":
        runner.key("on")
        runner.key("start")
    elif name == "release":
        runner.hold_rpm(0.0)
    elif name == "hold":
        runner.hold_rpm(2500.0)
    elif name == "drive" and detail in PROFILES:
        runner.drive(detail, DRIVE_SPEEDUP)
    else:
        raise BadInput(f"A stand-in cannot “{action}”.")
    return {**_seen(runner), "said": said}


def _key_on(runner: Runner) -> str:
    """Key on, engine off: a running engine is stopped first, and that is said. Raises BadInput while it is driven."""
    seen = runner.state()
    if seen["driving"] or float(seen["speed_kmh"]) > 0.0:
        raise BadInput("It is being driven.", remedies=("press Key off: that ends the drive",))
    if float(seen["rpm"]) <= 0.0:
        runner.key("on")
        return "Key on, engine off."
    runner.hold_rpm(0.0)
    runner.key("off")
    runner.skip(RUNS_DOWN_S)
    runner.key("on")
    return "The engine was running: it was stopped, and the key is on again."


def finding(vehicle: Vehicle, point: str) -> str:
    """What would be seen or measured at a point of the stand-in; empty for a real vehicle or an unknown point."""
    running = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    found = running.look(point) if running else None
    if found is None:
        return ""
    if found.value is None:
        return found.words
    scale = shop_scale(found.unit)
    shown = f"{found.value:g}" if scale.digits is None else f"{scale.of(found.value):.{scale.digits}f}"
    return f"{found.words} Reading: {shown} {scale.unit}."


def measured(vehicle: Vehicle, circuit: Circuit, probe: Probe) -> Finding | None:
    """What an instrument shows at the wires of the stand-in; None for a real vehicle."""
    running = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    return running.measure(circuit, probe) if running else None


def recorded_scope(
    vehicle: Vehicle, circuit: Circuit, probe: Probe, *, hz: float, seconds: float, moving: bool
) -> tuple[Floats, Floats] | None:
    """An oscilloscope's record at the wires of the stand-in (times, volts); None for a real vehicle."""
    running = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    return running.record_scope(circuit, probe, hz=hz, seconds=seconds, moving=moving) if running else None


def carry_out(vehicle: Vehicle, component: str, reached: Iterable[str], *, wiring: bool) -> None:
    """Carry a repair out on the stand-in, where there is one: put plugs back, and renew the part unless only its
    ``wiring`` is mended. A shared point (a fuse, a ground) is a component of its own."""
    running = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    if running:
        running.carry_out(component, reached, wiring=wiring)


def drive_trips(vehicle: Vehicle, trips: tuple[tuple[str, ...], ...], speedup: float = DRIVE_SPEEDUP) -> None:
    """Drive a stand-in trips made of named pieces (segments of a drive plan have the same names)."""
    known = tuple(tuple(name for name in names if name in PIECES) for names in trips)
    runner_of(vehicle).drive_pieces(tuple(names for names in known if names), speedup)


def keep_in_sight(vehicle: Vehicle, look_s: float) -> None:
    """Let a stand-in that is driven go no faster than it can be watched; a real vehicle goes as it goes."""
    running = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    if running:
        running.keep_in_sight(look_s)


def leave_key_on(vehicle: Vehicle, hours: float) -> None:
    """Leave the key of a stand-in on for so long, where there is one: its battery gives what it has."""
    running = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    if running:
        running.leave_key_on(hours)


def charge(vehicle: Vehicle) -> None:
    """Put a charger on a stand-in's battery, where there is one."""
    running = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    if running:
        running.charge()


def set_plug(vehicle: Vehicle, component: str, *, off: bool) -> None:
    """Unplug or plug in a component of the stand-in, where there is one."""
    running = garage.runner(vehicle.stand_in) if vehicle.stand_in else None
    if running and component:
        running.set_plug(component, off=off)
