"""What hands, eyes and gauges find at a stand-in's engine: air, fuel, spark, compression, timing."""

from __future__ import annotations

from dataclasses import replace

from gumshoe.core.powertrain.component import ComponentRef
from gumshoe.simulator.car import Car
from gumshoe.simulator.diesel_engine import feed_kpa
from gumshoe.simulator.engine import orifice_gps, rail_pressure_kpa
from gumshoe.simulator.finding import Finder, Finding, always, running
from gumshoe.simulator.parts import SPOTS, Parts, healthy
from gumshoe.simulator.sensors import pressure_kpa, pressure_volts


def _hoses(vehicle: Car) -> Finding:
    split = [place for name, place in _places(vehicle).items() if name in vehicle.parts.leaks_mm2 and "hose" in name]
    if split:
        return Finding(f"A split in {split[0]}: it opens when the hose is bent.")
    return Finding("All vacuum hoses are soft, whole and fully home.")


def _places(vehicle: Car) -> dict[str, str]:
    """Where each hole of the intake is found."""
    return {
        "crankcase_ventilation_hose": "the crankcase ventilation hose, at its manifold end",
        "brake_booster_hose": "the brake booster hose, near the manifold",
        "intake_manifold_gasket": f"the joint of the intake manifold at cylinder {vehicle.model.weakest_joint}",
    }


def _ducts(vehicle: Car) -> Finding:
    if vehicle.parts.duct_leak_share > 0.0:
        return Finding("The duct behind the air-flow meter has slipped off its clamp.")
    return Finding("Ducts and clamps are tight from filter to throttle.")


def _smoke(vehicle: Car) -> Finding:
    leaks = [_places(vehicle)[name] for name in vehicle.parts.leaks_mm2]
    if vehicle.parts.duct_leak_share > 0.0:
        leaks.append("the duct behind the air-flow meter")
    if leaks:
        return Finding(f"Smoke comes out at {leaks[0]}.")
    return Finding("No smoke comes out anywhere between the air-flow meter and the head.")


def _spray(vehicle: Car) -> Finding:
    if not running(vehicle):
        return Finding("The engine is not running: nothing to hear.")
    leak = sum(vehicle.parts.leaks_mm2.values())
    if leak > 0.5:
        return Finding("Idle changes when the hose or joint near the manifold is pinched or covered.")
    return Finding("Pinching and covering changes nothing.")


def _fuel_idle(vehicle: Car) -> Finding:
    if not running(vehicle):
        return Finding(
            "The engine is not running: the gauge shows residual pressure.", round(vehicle.engine.state.rail_kpa), "kPa"
        )
    return Finding("Gauge on the rail.", round(vehicle.engine.state.rail_kpa), "kPa")


LOW_SUPPLY = 0.8
"""Below this share of what the pump is built for a gauge before the high-pressure pump reads low (invented)."""


def supply_kpa(vehicle: Car, parts: Parts | None = None) -> float:
    """Pressure of the low side at the flow of full load, kPa."""
    model, parts = vehicle.model, parts or vehicle.parts
    if "fuel_pump" in vehicle.electrics.dead:
        return 0.0
    return feed_kpa(model, parts) if model.diesel else rail_pressure_kpa(model, parts, 1.6 * model.size)


def _fuel_load(vehicle: Car) -> Finding:
    pressure = supply_kpa(vehicle)
    return Finding("Gauge on the rail, second person driving up the hill.", round(pressure), "kPa")


def _rail_supply(vehicle: Car) -> Finding:
    """Before the high-pressure pump, at the flow of full load."""
    low = supply_kpa(vehicle) < LOW_SUPPLY * vehicle.model.rail_kpa
    return Finding(
        "The pressure is low under load, no air."
        if low
        else "The gauge stays where it belongs: pressure right, no air."
    )


def _filter_drop(vehicle: Car) -> Finding:
    """What the filter takes away at flow: the rail with it against the rail without it."""
    drop = supply_kpa(vehicle, replace(vehicle.parts, filter_restriction=1.0)) - supply_kpa(vehicle)
    return Finding("Two gauges, fuel flowing freely.", round(max(drop, 0.0)), "kPa")


def _booster(vehicle: Car) -> Finding:
    if "brake_booster_hose" in vehicle.parts.leaks_mm2:
        return Finding("The pedal does not sink when the engine starts, and there is a hiss.")
    return Finding("The pedal sinks when the engine starts and holds.")


def _sensor(vehicle: Car) -> Finding:
    shifted = max(vehicle.parts.lambda_shift)
    value = 0.98 + shifted
    return Finding(
        "Propane fed into the intake until the engine falters: lowest lambda shown.",
        round(min(value - 0.13, 1.99), 2),
        "λ",
    )


def _sensor_weakened(vehicle: Car) -> Finding:
    shifted = min(vehicle.parts.lambda_shift)
    return Finding(
        "A hose behind the throttle opened until the engine falters: highest lambda shown.",
        round(1.0 + shifted + 0.18, 2),
        "λ",
    )


def _meter(vehicle: Car) -> Finding:
    state = vehicle.engine.state
    if not running(vehicle):
        return Finding("The engine is not running: no flow to compare.")
    flow = orifice_gps(1500.0, 101_000.0, 60_000.0, 288.0)
    share = min(flow / 30.0, 1.0)
    gain = vehicle.parts.meter_gain_low + (vehicle.parts.meter_gain_high - vehicle.parts.meter_gain_low) * share
    gain *= 1.0 - vehicle.parts.duct_leak_share
    return Finding(
        f"Full-throttle pull in second gear, volumetric efficiency from the air flow at 4000 rpm "
        f"(intake air {state.intake_c:.0f} °C).",
        round(88.0 * gain),
        "%",
    )


def _pressure_at_rest(vehicle: Car) -> Finding:
    """What the control unit makes of the air in a standing engine's manifold."""
    if vehicle.model.flow_metered:
        return Finding("There is no manifold pressure sensor on this engine.", 0.0, "kPa")
    held = vehicle.air.pressure_pa * 1e-3
    unplugged = "manifold_pressure_sensor" in vehicle.parts.unplugged
    shown = pressure_kpa(0.02 if unplugged else min(pressure_volts(held * vehicle.parts.pressure_gain), 4.85))
    return Finding(f"The live value shows {shown:.0f} kPa; the air has {held:.0f} kPa.", round(shown - held), "kPa")


def _filter(vehicle: Car) -> Finding:
    if vehicle.parts.air_filter_restriction > 3.0:
        return Finding("The element is grey and packed; leaves lie in the box.")
    return Finding("The element is light and dry, light shines through.")


def _compression(vehicle: Car) -> Finding:
    values = [13.2 * value for value in vehicle.parts.compression]
    listed = ", ".join(f"cylinder {n}: {value:.1f} bar" for n, value in enumerate(values, 1))
    return Finding(listed, round(100.0 * min(values) / max(values)), "% of highest")


def _plugs(vehicle: Car) -> Finding:
    gaps = [vehicle.model.plug_gap_mm * (1.0 + 0.73 * wear) for wear in vehicle.parts.plug_wear]
    worst = max(range(len(gaps)), key=lambda n: gaps[n])
    return Finding(f"Widest gap at cylinder {worst + 1}.", round(max(gaps), 2), "mm")


def _insulators(vehicle: Car) -> Finding:
    cracked = [n for n, strength in enumerate(vehicle.parts.insulator, 1) if strength < 1.0]
    if cracked:
        return Finding(f"One cracked or tracking: the insulator of cylinder {cracked[0]}.")
    return Finding("Every insulator is whole, light brown, and dry.")


FELT, DRIVEN_LOADS = 0.02, (0.25, 0.9)
"""The share of combustions missed that a count on the road shows, at a light load or a heavy one."""


def _missed(vehicle: Car, cylinder: int, parts: Parts) -> float:
    """How often a cylinder misses where it misses most, with these parts, driven after the swap."""
    return max(vehicle.engine.missed_under(cylinder, load, parts) for load in DRIVEN_LOADS)


def _goes_with(vehicle: Car, names: tuple[str, ...]) -> int | None:
    """The cylinder whose misfire a part takes with it (``names``: its own values in the parts), or none."""
    sound = healthy(vehicle.model)
    swapped = replace(vehicle.parts, **{name: getattr(sound, name) for name in names})
    for cylinder in range(vehicle.model.cylinders):
        there = _missed(vehicle, cylinder, vehicle.parts)
        if there > FELT and _missed(vehicle, cylinder, swapped) < there / 2.0:
            return cylinder
    return None


def _coil_swap(vehicle: Car) -> Finding:
    moved = _goes_with(vehicle, ("coil_strength",))
    if moved is not None:
        return Finding(f"The misfire count moved with the coil of cylinder {moved + 1}.")
    counts, off = vehicle.memory.misfire_trip, vehicle.electrics.dead
    missed = [
        max(_missed(vehicle, n, vehicle.parts), float(f"injector_{n + 1}" in off or f"ignition_coil_{n + 1}" in off))
        for n in range(len(counts))
    ]
    top = max(range(len(counts)), key=lambda n: (missed[n], counts[n]))
    reseated = any(ComponentRef.parse(name).kind == "ignition_coil" for name in vehicle.parts.loose)  # plugs sit anew
    if (missed[top] < FELT and counts[top] < 20) or reseated:
        return Finding("No cylinder misfires often enough to tell.")
    return Finding(f"The misfire count stayed with cylinder {top + 1}.")


def _balance(vehicle: Car) -> Finding:
    gains = vehicle.parts.injector_gain
    mean = sum(gains) / len(gains)
    worst = max(range(len(gains)), key=lambda n: abs(gains[n] - mean))
    return Finding(
        f"Pressure drop per pulse, largest deviation at cylinder {worst + 1}.",
        round(100.0 * (gains[worst] / mean - 1.0), 1),
        "%",
    )


def _worst(values: list[float]) -> int:
    return min(range(len(values)), key=values.__getitem__)


def _gets_nothing(vehicle: Car, kind: str) -> list[int]:
    """The cylinders whose part of that kind has no feed, ground or command, or a plug half home."""
    without = vehicle.electrics.dead | vehicle.parts.loose
    return [n for n in range(1, vehicle.model.cylinders + 1) if f"{kind}_{n}" in without]


def _spark(vehicle: Car) -> Finding:
    weak = min(vehicle.parts.coil_strength) < 0.5 or bool(_gets_nothing(vehicle, "ignition_coil"))
    return Finding("The spark is weak or none on one cylinder." if weak else "Every cylinder sparks: strong.")


def _coil_trigger(vehicle: Car) -> Finding:
    """At the coil's own plug: what does not arrive is told apart from a coil that does nothing of it."""
    if _gets_nothing(vehicle, "ignition_coil"):
        return Finding("At one coil: feed, ground or trigger missing.")
    if min(vehicle.parts.coil_strength) < 0.5:
        return Finding("Feed, ground and trigger: all there, no spark at one coil.")
    return Finding("Feed, ground and trigger: all there, sparks.")


def _injector_drive(vehicle: Car) -> Finding:
    """A clamp around one wire of each injector."""
    dead = _gets_nothing(vehicle, "injector")
    if len(dead) == vehicle.model.cylinders:
        return Finding("No pulse: none at any.")
    if tuple(dead) in vehicle.model.stages:
        return Finding(f"None at any of two that share a stage: cylinders {dead[0]} and {dead[1]}.")
    if dead:
        return Finding(f"None at one: cylinder {dead[0]}.")
    return Finding("A pulse: at every one.")


def _pump_sound(vehicle: Car) -> Finding:
    if "fuel_pump" in vehicle.electrics.stuck_on:
        return Finding("The pump runs on and on.")
    if "fuel_pump" in vehicle.electrics.dead:
        return Finding("The pump stays silent.")
    return Finding("The pump runs for a moment.")


def _injector_sound(vehicle: Car) -> Finding:
    """With a rod at each: one that is not driven is silent, and so is one that never shuts."""
    electrics, every = vehicle.electrics, range(1, vehicle.model.cylinders + 1)
    silent = [n for n in every if not electrics.obeys(f"injector_{n}")]
    if silent:
        return Finding(f"One is silent or dull: cylinder {silent[0]}.")
    return Finding("All click alike.")


def _plug_swap(vehicle: Car) -> Finding:
    moved = _goes_with(vehicle, ("plug_wear", "insulator"))
    return Finding("The count moved with the plug." if moved is not None else "The count stayed.")


def _injector_swap(vehicle: Car) -> Finding:
    moved = min(vehicle.parts.injector_gain) < 0.85
    return Finding("The count moved with the injector." if moved else "The count stayed.")


def _leak_down(vehicle: Car) -> Finding:
    values = vehicle.parts.compression
    if min(values) < 0.75:
        return Finding(f"Cylinder {_worst(values) + 1} loses above a quarter; the others are fine.")
    return Finding("Every cylinder loses below a quarter.")


def _humps(vehicle: Car) -> Finding:
    low = min(vehicle.parts.compression) < 0.75
    return Finding("One hump is low; the others are alike." if low else "The humps are even.")


def _idle_load(vehicle: Car) -> Finding:
    leaking = bool(vehicle.parts.leaks_mm2)
    return Finding("It hunts, and hangs high." if leaking else "It dips and recovers.")


def _plate(vehicle: Car) -> Finding:
    if vehicle.parts.throttle_carbon > 0.3:
        return Finding("A carbon ring where the plate closes.")
    if vehicle.parts.throttle_sticks:
        return Finding("The plate sticks or is jammed on its way.")
    return Finding("The plate is clean and closes freely.")


def _oil(vehicle: Car) -> Finding:
    if vehicle.parts.oil_worn:
        return Finding("Black and thick, the tag is long past: low, overdue or wrong.")
    return Finding("Level, grade and date on the tag are right.")


def _marks(vehicle: Car) -> Finding:
    late = max(vehicle.parts.chain_deg)
    return Finding(
        "A tooth out, by the marks." if late > 16.0 else "Stretched." if late > 3.0 else "The marks are right."
    )


def _sample(vehicle: Car) -> Finding:
    if vehicle.parts.fuel_lean > 0.0:
        return Finding("A third of it is alcohol: water, dirt or the wrong fuel.")
    if vehicle.parts.high_pump < 0.5:
        return Finding("It settles with a glitter of metal at the bottom.")
    return Finding("The sample is clear.")


def _sweep(vehicle: Car) -> Finding:
    gap = vehicle.parts.wired.get("throttle_sensor", ("",))[0] in SPOTS
    if gap:
        return Finding("The first track drops out at one place: a gap.")
    return Finding("The sweep is smooth and agreeing.")


def _cams(vehicle: Car) -> Finding:
    parts = vehicle.parts
    late = [bank for bank, off in enumerate(parts.chain_deg, 1) if off > 3.0]
    if abs(parts.tooth_deg) > 3.0:
        return Finding("Every cam stands off by the same angle: all cams off alike.")
    if late:
        return Finding(f"Bank {late[0]} stands off: both cams of a bank off alike.")
    for place, cam in enumerate(vehicle.model.phasers):
        if parts.phaser_stuck[place] or not vehicle.electrics.obeys(cam.valve):
            words = f"The {cam.which} cam of bank {cam.bank} does not follow its command"
            return Finding(f"{words}: one cam lags or sticks.")
    if parts.oil_worn:
        return Finding("Sluggish, none worse than the others: one cam lags or sticks.")
    return Finding("The cam stands where the crank says it should: all follow.")


def _cam_trace(vehicle: Car) -> Finding:
    parts = vehicle.parts
    late = [bank for bank, off in enumerate(parts.chain_deg, 1) if off > 3.0]
    if abs(parts.tooth_deg) > 3.0:
        return Finding("Every edge stands some teeth from where it should: all off alike.")
    if late:
        return Finding(f"Bank {late[0]} stands off the other edges: the cams of one bank off.")
    return Finding("The edges stand in the gap where they do on a sound one: as on a sound one.")


def _base_timing(vehicle: Car) -> Finding:
    off = vehicle.parts.tooth_deg
    return Finding(f"The mark stands {off:.0f} degrees off." if abs(off) > 3.0 else "The mark stands on its mark.")


def _crank_reference(vehicle: Car) -> Finding:
    moved = abs(vehicle.parts.tooth_deg) > 3.0 and not vehicle.model.distributor
    return Finding("The wheel has slipped or is off the key." if moved else "Mark and wheel are where they belong.")


POINTS: dict[str, Finder] = {
    "cam_trace": _cam_trace,
    "base_timing": _base_timing,
    "crank_reference": _crank_reference,
    "vacuum_hoses": _hoses,
    "intake_ducts": _ducts,
    "intake_smoke": _smoke,
    "intake_pinch": _spray,
    "fuel_pressure_idle": _fuel_idle,
    "fuel_pressure_load": _fuel_load,
    "filter_drop": _filter_drop,
    "booster_pedal": _booster,
    "upstream_rich": _sensor,
    "upstream_lean": _sensor_weakened,
    "full_load_filling": _meter,
    "pressure_at_rest": _pressure_at_rest,
    "air_filter": _filter,
    "compression_ratio": _compression,
    "plug_gap": _plugs,
    "plug_insulator": _insulators,
    "coil_swap": _coil_swap,
    "injector_balance": _balance,
    "throttle_plate": _plate,
    "ignition_leads": always("The leads are sound, no sparks to be seen."),
    "distributor_cap": always("Cap and rotor are clean and dry."),
    "coil_trigger": _coil_trigger,
    "injector_drive": _injector_drive,
    "injector_listen": _injector_sound,
    "pump_sound": _pump_sound,
    "spark_tester": _spark,
    "plug_swap": _plug_swap,
    "injector_swap": _injector_swap,
    "leak_down": _leak_down,
    "relative_compression": _humps,
    "fuel_sample": _sample,
    "idle_load": _idle_load,
    "throttle_sweep": _sweep,
    "timing_marks": _marks,
    "oil": _oil,
    "cams": _cams,
    "plug_wells": always("The wells are dry and whole."),
    "bleed_down": always("The pressure holds."),
    "back_pressure": always("The pressure is low."),
    "throttle_relearn": always("It completes, no change."),
    "knock_sensor": always("Torque and lead are right."),
    "rail_supply": _rail_supply,
    "combustion_gas": always("The liquid keeps its colour, no bubbles."),
    "coolant_level": always("It is full and tight."),
    "gearbox_fluid": always("It is clear, and its level is right."),
    "bearings": lambda _: Finding("The dial moves a hair on every cylinder: within the limit."),
}
