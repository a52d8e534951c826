"""What a person does at a stand-in vehicle by its strip, and what they would see there. A real vehicle has no strip."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from gumshoe.core.car import Shown
from gumshoe.core.errors import BadInput
from gumshoe.core.words import measured as measured_value
from gumshoe.simulator.drives import PROFILES
from gumshoe.simulator.garage import Runner
from gumshoe.web.ui.readers import for_shop, shop_scale
from gumshoe.web.vehicles.cars import DRIVE_SPEEDUP, StandInCar
from gumshoe.web.vehicles.models import Vehicle

RUNS_DOWN_S = 4.0
"""So long an engine gets to stand still."""


def state(vehicle: Vehicle) -> dict[str, Any]:
    """What somebody standing at the car sees."""
    return _seen(StandInCar(vehicle.stand_in).runner())


def _seen(runner: Runner) -> dict[str, Any]:
    """What is seen, with its values in the shop's units beside."""
    return in_words(runner.state())


def in_words(seen: Mapping[str, Any]) -> dict[str, Any]:
    """The same with speed and coolant in the shop's units beside."""
    speed, coolant = measured_value(float(seen["speed_kmh"]), "km/h"), measured_value(float(seen["coolant_c"]), "°C")
    return {**seen, "speed_words": for_shop(speed), "coolant_words": for_shop(coolant)}


def act(vehicle: Vehicle, action: str) -> dict[str, Any]:
    """Do one thing at the stand-in: ``off``, ``on``, ``start``, ``release``, ``hold``, or ``drive:PROFILE``.

    Raises BadInput for an unknown action.
    """
    runner, said = StandInCar(vehicle.stand_in).runner(), ""
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


def words_of(found: Shown | None) -> str:
    """What was found, in words and in the shop's unit; empty where nothing is found from here."""
    if found is None:
        return ""
    if found.value is None:
        return found.words
    scale = shop_scale(found.unit)
    shown = f"{found.value:g}" if scale.digits is None else f"{scale.of(found.value):.{scale.digits}f}"
    return f"{found.words} Reading: {shown} {scale.unit}."
