"""What hands, eyes and gauges find at a stand-in's exhaust, boost, tank, cooling and particulate filter."""

from __future__ import annotations

from gumshoe.simulator.car import Car
from gumshoe.simulator.finding import Finder, Finding, always, running
from gumshoe.simulator.hands_engine import supply_kpa

LEAST_RAIL = 0.35
"""Of what the pump holds at idle the share below which nothing is injected (common practice)."""


def _purge(vehicle: Car) -> Finding:
    if vehicle.parts.purge_passing_mm2 > 0.0:
        return Finding("With the valve unpowered there is still suction at the hose from the canister.")
    return Finding("No suction at the canister hose while the valve is unpowered.")


def _bank_words(vehicle: Car, bank: int) -> str:
    """The bank (counted from 0) where there are two."""
    return f" of bank {bank + 1}" if len(vehicle.model.banks) > 1 else ""


def _exhaust(vehicle: Car) -> Finding:
    for bank, leak in enumerate(vehicle.parts.exhaust_leak):
        if leak > 0.0:
            of = _bank_words(vehicle, bank)
            return Finding(f"Soot streaks and a ticking at the manifold joint{of} ahead of the upstream sensor.")
    return Finding("The exhaust is tight ahead of the upstream sensor.")


def _catalyst(vehicle: Car) -> Finding:
    worn = min(vehicle.parts.catalyst_capacity) < 0.3
    return Finding("It switches with the front sensor." if worn else "It stays steady.")


def _upstream_response(vehicle: Car) -> Finding:
    lazy = max(vehicle.parts.lambda_lag_s, default=0.0) > 0.5
    return Finding("The upstream sensor is late or hardly moving." if lazy else "It follows at once.")


def _warm_up(vehicle: Car) -> Finding:
    slow = vehicle.parts.thermostat_open
    return Finding("It rises too slowly or falls at cruise." if slow else "It reaches its temperature and stays.")


def _tank(vehicle: Car) -> Finding:
    passing = vehicle.parts.purge_passing_mm2 > 0.0 or vehicle.parts.vent_stuck or vehicle.parts.tank_leak_mm2
    return Finding("The tank pressure falls." if passing else "The tank pressure holds.")


def _vent(vehicle: Car) -> Finding:
    if vehicle.parts.vent_stuck or not vehicle.electrics.obeys("vent_valve"):
        return Finding("It can be blown through however it is commanded: it stays open or shut.")
    return Finding("One click each way: it opens and closes.")


def _charge_pipes(vehicle: Car) -> Finding:
    if vehicle.parts.boost_gain < 0.5:
        return Finding("A charge pipe has slipped off its stub, oil around it: leaking.")
    return Finding("Pipes and clamps are tight under pressure.")


def _gate(vehicle: Car) -> Finding:
    if vehicle.parts.gate_stuck:
        return Finding("The rod does not move by hand: stiff, stuck or loose.")
    if not vehicle.electrics.obeys("boost_valve"):
        return Finding("By hand it is free; by command nothing moves.")
    return Finding("The rod is free, it follows the command.")


def _boost_watch(vehicle: Car) -> Finding:
    parts = vehicle.parts
    driven = vehicle.electrics.obeys("boost_valve")
    weak = min(parts.boost_gain, parts.turbo_gain) < 0.8 or parts.gate_stuck or not driven
    return Finding("Boost stays below it." if weak else "Boost follows its command.")


def _turbo_shaft(vehicle: Car) -> Finding:
    worn = vehicle.parts.turbo_gain < 0.8
    return Finding("It has play, rubbing or oil in the duct." if worn else "It turns free, little play.")


def _balance_watch(vehicle: Car) -> Finding:
    parts = vehicle.parts
    weak = [n for n, gain in enumerate(parts.injector_gain, 1) if gain < 0.85]
    weak += [n for n, share in enumerate(parts.compression, 1) if share < 0.75]
    return Finding(f"One cylinder needs much more: cylinder {weak[0]}." if weak else "The corrections are even.")


def _filter_pressure(vehicle: Car) -> Finding:
    parts, state = vehicle.parts, vehicle.engine.state
    if parts.filter_cracked:
        return Finding("Hardly any for the flow.")
    odd = parts.ash_g > 60.0 or state.soot_g > 30.0 or parts.filter_sensor_gain != 1.0
    return Finding("Too high or implausible for the flow." if odd else "As a clean filter's, at idle and at 2500.")


def _filter_gauge(vehicle: Car) -> Finding:
    skewed = vehicle.parts.filter_sensor_gain != 1.0
    return Finding("They differ, or no zero at rest." if skewed else "They agree.")


def _tailpipe(vehicle: Car) -> Finding:
    return Finding("Dry black soot." if vehicle.parts.filter_cracked else "It is clean or grey.")


def _soot_share(vehicle: Car) -> Finding:
    diesel = vehicle.model.compression
    full = diesel.filter_soot_g if diesel else 22.0
    return Finding(
        "Soot by the model, of what starts a regeneration.", round(100 * vehicle.memory.soot_model_g / full), "%"
    )


def _regenerations(vehicle: Car) -> Finding:
    memory = vehicle.memory
    bad = memory.regenerations_broken >= 4 and memory.regenerations < memory.regenerations_broken / 2
    return Finding("Too often or never completed." if bad else "They are as they should be.")


def _egr(vehicle: Car) -> Finding:
    stuck = vehicle.parts.egr_stuck >= 0.0 or not vehicle.electrics.obeys("egr_valve")
    return Finding("No change or sticks." if stuck else "It stumbles as it should.")


def _cap(vehicle: Car) -> Finding:
    if "filler_cap" in vehicle.parts.tank_leak_mm2:
        return Finding("The cap is not on: loose, cross-threaded or cracked.")
    return Finding("The cap clicks; its seal is whole: tight and whole.")


SMOKE_AT = {
    "filler_cap": "at the cap or its neck",
    "evaporative_lines": "at a line or hose",
    "canister": "at the canister",
    "fuel_tank": "at the tank, its pump or sender seal",
}
"""Where smoke comes out, by what leaks."""


def _evap_smoke(vehicle: Car) -> Finding:
    parts = vehicle.parts
    place = next((where for name, where in SMOKE_AT.items() if name in parts.tank_leak_mm2), "")
    if not place and (parts.vent_stuck or "vent_valve" in vehicle.electrics.dead):
        place = "out of the vent valve"
    if not place and parts.purge_passing_mm2 > 0.0:
        place = "through the purge valve into the intake"
    return Finding(f"Smoke comes: {place}." if place else "There is no smoke: none.")


def _converter(vehicle: Car) -> Finding:
    volts = 14.2 if vehicle.parts.converter else 12.1
    return Finding(f"{volts:.1f} V at the 12 V battery, system ready.", volts, "V")


def _purge_opens(vehicle: Car) -> Finding:
    if vehicle.parts.purge_passing_mm2 > 0.0 or "purge_valve" in vehicle.electrics.stuck_on:
        return Finding("Suction is there whatever the command says: it does not follow.")
    if "purge_valve" in vehicle.electrics.dead:
        return Finding("No click and no suction on command: it does not follow.")
    return Finding("Suction comes and goes with the command.")


def _rail_hold(vehicle: Car) -> Finding:
    if vehicle.parts.high_pump * min(supply_kpa(vehicle) / vehicle.model.rail_kpa, 1.0) < 0.8:
        return Finding("It stays below its target under load; switched off, it holds.")
    return Finding("The pressure follows its target and holds.")


def _rail_cranked(vehicle: Car) -> Finding:
    """What the control unit makes of its rail while it is cranked, or has just been."""
    model, diesel = vehicle.model, vehicle.model.compression
    enough = LEAST_RAIL * (diesel.squeeze_kpa[0] if diesel else model.direct_kpa)
    told = vehicle.readings.rail_kpa
    state = "builds up" if told >= enough else "stays too low"
    return Finding(f"The rail pressure {state}: {told / 1000.0:.1f} MPa.")


def _second_rail_sensor(vehicle: Car) -> Finding:
    """What the control unit makes of its rail against what is in it, while the engine runs."""
    held, shown = vehicle.engine.systems.high_kpa, vehicle.readings.rail_kpa
    if not running(vehicle) or held <= 0.0:
        return Finding("The engine does not run: the rail holds nothing to compare.")
    off = round(100.0 * (shown / held - 1.0))
    return Finding(
        f"The live value shows {shown / 1000.0:.1f} MPa, the second sensor {held / 1000.0:.1f} MPa.", off, "%"
    )


def _boost_control(vehicle: Car) -> Finding:
    if not vehicle.electrics.obeys("boost_valve"):
        return Finding("The actuator moves by the pump; the valve does nothing on command: leaks or does not switch.")
    return Finding("The actuator moves, holds, switches as it is told.")


def _cooling_flow(vehicle: Car) -> Finding:
    if "fan" in vehicle.electrics.dead:
        return Finding("Hoses and radiator are as they should be; the fan does not run.")
    return Finding("It warms evenly, fan runs at its temperature.")


def _idle_valve(vehicle: Car) -> Finding:
    still = vehicle.parts.idle_valve_stuck or not vehicle.electrics.obeys("idle_valve")
    return Finding("It sticks or does nothing on command." if still else "It follows its command.")


def _injector_flow(vehicle: Car) -> Finding:
    gains = vehicle.parts.injector_gain
    if max(gains) < 0.92:
        return Finding("All deliver too little, alike.")
    weak = [n for n, gain in enumerate(gains, 1) if gain < 0.9]
    return Finding(f"One differs: cylinder {weak[0]}." if weak else "Quantity and spray are right and alike.")


def _better_fuel(vehicle: Car) -> Finding:
    bad = vehicle.parts.fuel_lean > 0.0
    return Finding("With better fuel it is gone or far less." if bad else "It is the same with better fuel.")


SOUND_LOOKS = {
    "coolant_level_told": "The level is told as it is.",
    "oil_cap": "Cap and dipstick are seated and tight.",
    "gearbox_slip": "There is none in any gear.",
    "valves_endoscope": "There is a film on the valves, no more.",
    "unit_by_exclusion": "With all it needs the code stays away.",
    "nox_conversion": "There is most of it converted.",
    "unit_grounds": "It drops less than a tenth of a volt, everything on.",
    "return_flow": "All glasses fill alike, and little: alike and small.",
    "valve_gear": "Springs and lobes are whole and alike.",
    "cams_turn": "The cams turn while it is cranked.",
    "fuel_level": "There is enough then and now.",
    "fuel_outside": "From tank to rail dry everywhere.",
    "oil_pressure": "Cold and hot it is as the maker says.",
    "gearbox_cooling": "The cooler is free and flowing.",
    "sensor_leads": "The leads go each to its own bank.",
    "battery_blocks": "All blocks alike, at rest and under load.",
    "battery_duct": "The air duct is clear and the fan turns when it is asked to.",
    "interlock_look": "Every high-voltage plug and the service disconnect are home.",
    "isolation_told": "Insulation is well above its limit, as the control unit tells it.",
    "contactor_command": "Both contactors follow what is asked of them.",
    "inverter_pump_turns": "The loop is full and the coolant moves.",
    "reductant_quality": "32.5 % by refractometer, clear.",
    "reductant_pressure": "Pressure builds up and holds.",
    "reductant_dose": "Quantity and spray are right.",
    "reductant_tank_values": "Level and temperature fit what is seen, the plug is dry.",
    "look_oil_fuel": "Level between the marks; it does not smell of fuel.",
    "egr_cooler_pressure": "The cooler holds pressure and its bypass moves.",
    "runner_flaps_by_hand": "The flaps are free and follow their actuator.",
}
POINTS: dict[str, Finder] = {point: always(words) for point, words in SOUND_LOOKS.items()} | {
    "purge_opens": _purge_opens,
    "rail_hold": _rail_hold,
    "rail_cranking": _rail_cranked,
    "rail_second_sensor": _second_rail_sensor,
    "boost_control": _boost_control,
    "cooling_flow": _cooling_flow,
    "idle_valve": _idle_valve,
    "injector_flow": _injector_flow,
    "better_fuel": _better_fuel,
    "converter_output": _converter,
    "purge_suction": _purge,
    "exhaust_joint": _exhaust,
    "filler_cap": _cap,
    "catalyst_switching": _catalyst,
    "warm_up": _warm_up,
    "tank_hold": _tank,
    "smoke_evap": _evap_smoke,
    "vent_valve": _vent,
    "charge_pipes": _charge_pipes,
    "boost_gate": _gate,
    "filter_pressure": _filter_pressure,
    "filter_gauge": _filter_gauge,
    "filter_model": _soot_share,
    "tailpipe": _tailpipe,
    "regeneration_history": _regenerations,
    "egr_command": _egr,
    "turbo_shaft": _turbo_shaft,
    "boost_watch": _boost_watch,
    "upstream_response": _upstream_response,
    "balance_watch": _balance_watch,
}
