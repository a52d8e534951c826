"""What hands, eyes and gauges find at a stand-in's wires, supply, sensors and lamp."""

from __future__ import annotations

from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.simulator.bus import bus_ohm
from gumshoe.simulator.car import Car
from gumshoe.simulator.electrics import cranking
from gumshoe.simulator.finding import Finder, Finding, running
from gumshoe.simulator.identity import Key
from gumshoe.simulator.mending import OUTPUTS
from gumshoe.simulator.models import kind_of_point
from gumshoe.simulator.parts import INSIDE
from gumshoe.simulator.sensors import thermistor_ohm
from gumshoe.simulator.wires import OWN_POINTS, wrong_in

BROKEN_OHM = 1e6
LEAST_CRANKING_V, ENOUGH_SHARE = 9.6, 0.7
"""What a battery holds while it cranks, and how much of that a starter needs to turn as it should (common practice)."""
_AWAY = {"to_ground": "ground", "to_feed": "a feed"}


def circuit(vehicle: Car, component: str) -> Finding:
    """Feed, ground, wire and part of one component, gone through with meter and lamp."""
    parts = vehicle.parts
    if component in vehicle.model.points or component in OWN_POINTS:
        if component in parts.open_points or _own_wire_wrong(vehicle, component):
            return Finding("Lost or dropping: nothing arrives behind this point.")
        return Finding("It is good under load.")
    if component in parts.unplugged:
        return Finding("The plug is off: circuit open.")
    if component in parts.loose or component in parts.moods:
        return Finding("The plug sits half home, or a wire parts as it is moved: contact loose.")
    wired = vehicle.electrics.parts.get(component)
    wrong = dict(wrong_in(parts, component, wired.circuit)) if wired else {}
    if wrong and wired:
        name, ohm = next(iter(wrong.items()))
        path, _, element = name.rpartition(":")
        what = wired.circuit.element(element).words
        if path:
            return Finding(f"The plug is on. The {what} reaches where it must not: wire shorted to {_AWAY[path]}.")
        if element in OUTPUTS:
            how = "does not drive it" if ohm >= BROKEN_OHM else "drives it all the time"
            return Finding(f"Wires and part are whole: the control unit {how}.")
        if element in INSIDE:
            return Finding(f"The plug is on, its wires are whole. {what[0].upper()}{what[1:]}: part does not answer.")
        said = "broken: circuit open" if ohm >= BROKEN_OHM else f"{ohm:.0f} Ω too much: contact loose"
        return Finding(f"The plug is on. Measured through: {what} {said}.")
    if component in vehicle.electrics.dead or component in parts.silent:
        return Finding("Nothing arrives at its feed or ground: circuit open.")
    part = ComponentRef.parse(component)
    coil = part.cylinder if part.kind == "ignition_coil" else 0
    if 0 < coil <= len(parts.coil_strength) and parts.coil_strength[coil - 1] < 0.5:
        return Finding("Feed, ground and trigger are good; the spark is weak: the part does not answer.")
    return Finding("Feed, ground and wire are good, the part answers.")


def _own_wire_wrong(vehicle: Car, point: str) -> bool:
    """Whether a point that is one part's own wire is not as it must be."""
    part, path = OWN_POINTS.get(point, ("", frozenset()))
    wired = vehicle.electrics.parts.get(part)
    wrong = wrong_in(vehicle.parts, part, wired.circuit) if wired else ()
    return any(name.rpartition(":")[2] in path for name, _ in wrong)


def _battery(vehicle: Car) -> Finding:
    return Finding("Meter across the battery posts, engine as it is.", round(vehicle.supply_v, 2), "V")


def _cold_soak(vehicle: Car) -> Finding:
    coolant, intake = _sensed(vehicle), vehicle.engine.state.intake_c
    return Finding(f"Coolant {coolant:.0f} °C, intake {intake:.0f} °C.", round(abs(coolant - intake)), "°C apart")


def _heater_ohm(vehicle: Car) -> Finding:
    """At the sensor's own pins, its plug off: a wire that is broken elsewhere does not show here."""
    for name, (element, ohm) in vehicle.parts.wired.items():
        part = ComponentRef.parse(name)
        if (part.kind, part.sensor) == ("oxygen_heater", 1) and element in INSIDE and ohm >= BROKEN_OHM:
            return Finding("Open: the meter shows no continuity.", 99_999.0, "Ω")
    return Finding("Heater of the upstream sensor, unplugged.", 6.4, "Ω")


def _sensed(vehicle: Car) -> float:
    """The temperature that the coolant sensor's element has the resistance of, °C."""
    return vehicle.engine.state.coolant_c + vehicle.parts.coolant_offset_c


def _sensor_off(vehicle: Car) -> bool:
    return "coolant_sensor" in vehicle.parts.unplugged or vehicle.parts.coolant_offset_c != 0.0


def _coolant_ohm(vehicle: Car) -> Finding:
    return Finding("Coolant sensor, unplugged.", round(thermistor_ohm(_sensed(vehicle))), "Ω")


def _coolant_curve(vehicle: Car) -> Finding:
    off = _sensor_off(vehicle)
    return Finding("The circuit is open or off its curve." if off else "The sensor is on its curve.")


def _soak_look(vehicle: Car) -> Finding:
    off = _sensor_off(vehicle)
    return Finding("One is off: the coolant sensor." if off else "All temperatures agree.")


def _lamp(vehicle: Car) -> Finding:
    if vehicle.key is Key.OFF:
        return Finding("Key off: the lamp is dark.")
    if "warning_lamp" in vehicle.electrics.dead:
        return Finding("The lamp is dark, key on or engine running.")
    if "warning_lamp" in vehicle.electrics.stuck_on:
        return Finding("The lamp is on, steady.")
    if not running(vehicle):
        return Finding("Key on, engine off: the lamp is on, as it must be (bulb check).")
    if vehicle.lamp_flashing:
        return Finding("The lamp is flashing.")
    return Finding("The lamp is on, steady." if vehicle.memory.lamp else "The lamp is out.")


def _lamp_at_key_on(vehicle: Car) -> Finding:
    """Before the engine runs the control unit asks for it; after that only what is lit unasked tells of its wire."""
    if "warning_lamp" in vehicle.electrics.dead:
        return Finding("It never lights.")
    if "warning_lamp" in vehicle.electrics.stuck_on:
        return Finding("It stays lit unasked.")
    return Finding("It lights, then as it is asked.")


def _loose_plugs(vehicle: Car) -> Finding:
    off = sorted(vehicle.parts.unplugged | vehicle.parts.loose)
    if off:
        return Finding("Off: " + ", ".join(name.replace("_", " ") for name in off) + ".")
    return Finding("Every connector in reach is home and locked.")


def _earlier_work(vehicle: Car) -> Finding:
    seen = vehicle.parts.duct_leak_share > 0.0 or bool(vehicle.parts.unplugged)
    return Finding("Something not as it should be: opened lately." if seen else "There is nothing to see.")


def _wiggle(vehicle: Car) -> Finding:
    moved = vehicle.parts.loose | {name for name, mood in vehicle.parts.moods.items() if "vibration" in mood}
    if moved:
        name = sorted(moved)[0].replace("_", " ")
        return Finding(f"The trace drops out each time the plug of {name} is moved: a gap at one place.")
    return Finding("There is no gap.")


def _provoke(vehicle: Car) -> Finding:
    """Hot air, cold spray and a mist of water: what heat or moisture parts shows where it is."""
    for name, mood in sorted(vehicle.parts.moods.items()):
        how = "warmed" if "heat" in mood else "wetted" if "moisture" in mood else ""
        if how:
            return Finding(
                f"The trace drops out when the plug of {name.replace('_', ' ')} is {how}: a gap at one place."
            )
    return Finding("There is no gap.")


def _reference(vehicle: Car) -> Finding:
    """A reference that is lost feeds none of its sensors, whichever is unplugged."""
    lost = any(kind_of_point(point) == "reference" for point in vehicle.parts.open_points)
    return Finding("The 5 V stay away with all of them off." if lost else "The 5 V stand.")


def _bus(vehicle: Car) -> Finding:
    ohm = bus_ohm(vehicle.parts)
    return Finding("60 ohms." if ohm == 60.0 else f"{ohm:.0f} Ω: another value.")


def _grounds(vehicle: Car) -> Finding:
    bad = vehicle.parts.strap_ohm > 0.01
    return Finding("The drop over the engine's strap is far too much." if bad else "The drop is within limits.")


def _starter(vehicle: Car) -> Finding:
    """Volts at the posts and at the starter while the key asks for it."""
    parts = vehicle.parts
    share, posts = cranking(parts.battery_health * (0.4 + 0.6 * vehicle.charge_share), parts.strap_ohm)
    if "battery" in parts.unplugged or posts < LEAST_CRANKING_V:
        return Finding("The posts themselves fall under 9.6 V.")
    if share < ENOUGH_SHARE:
        return Finding(f"Volts are lost on the way to it: the posts hold {posts:.1f} V.")
    if parts.starter < ENOUGH_SHARE:
        return Finding("It has its volts and turns slowly or not at all.")
    return Finding("It has its volts and turns as it should.")


def _charging(vehicle: Car) -> Finding:
    works = vehicle.parts.charging > 0.5 and vehicle.parts.converter
    return Finding("The voltage holds." if works else "The voltage falls, nothing is charged: too low or too high.")


def _software(vehicle: Car) -> Finding:
    return Finding("An older one with a campaign." if vehicle.parts.software_old else "It is the newest.")


POINTS: dict[str, Finder] = {
    "battery_voltage": _battery,
    "cold_soak": _cold_soak,
    "heater_ohm": _heater_ohm,
    "coolant_ohm": _coolant_ohm,
    "warning_lamp": _lamp,
    "lamp_at_key_on": _lamp_at_key_on,
    "connectors": _loose_plugs,
    "prior_work": _earlier_work,
    "charging": _charging,
    "main_grounds": _grounds,
    "starter_volts": _starter,
    "coolant_curve": _coolant_curve,
    "wiggle": _wiggle,
    "provoke": _provoke,
    "bus_resistance": _bus,
    "reference_bus": _reference,
    "cold_soak_look": _soak_look,
    "software_level": _software,
}
