"""Current data as a stand-in's control unit knows it, by channel key."""

from __future__ import annotations

from gumshoe.simulator.car import Car
from gumshoe.simulator.control import CLOSED

DIESEL_GPL = 835.0


def current_data(vehicle: Car) -> dict[str, float]:
    """Every channel this car has."""
    return _common(vehicle) | (_of_diesel(vehicle) if vehicle.model.diesel else _of_petrol(vehicle))


def _common(vehicle: Car) -> dict[str, float]:
    """What every engine control unit tells."""
    seen, state, memory, model = vehicle.readings, vehicle.management.state, vehicle.memory, vehicle.model
    values = {
        "load_pct": state.load_pct,
        "coolant_c": seen.coolant_c,
        "rpm": seen.rpm,
        "speed_kmh": seen.speed_kmh,
        "intake_c": seen.intake_c,
        "obd_kind": 6.0,
        "run_time_s": state.run_time_s,
        "distance_lamp_km": memory.distance_lamp_km,
        "fuel_level_pct": seen.level_pct,
        "warmups": float(memory.warmups),
        "distance_clear_km": memory.distance_clear_km,
        "baro_kpa": seen.baro_kpa,
        "module_v": seen.supply_v,
        "abs_load_pct": state.abs_load_pct,
        "ambient_c": seen.ambient_c,
        "time_lamp_min": memory.minutes_lamp,
        "time_clear_min": memory.minutes_clear,
        "fuel_type": 4.0 if model.diesel else 17.0 if model.hybrid else 1.0,
    }
    values |= {"maf_gps": seen.meter_gps} if model.flow_metered else {"map_kpa": seen.map_kpa}
    if model.pedal_sensed:
        values |= {"pedal_d_pct": 16.0 + 68.0 * seen.pedal.first, "pedal_e_pct": 8.0 + 34.0 * seen.pedal.second}
    if model.boost_kpa:
        values |= {"boost_cmd_kpa": seen.baro_kpa + state.boost_target_kpa, "boost_kpa": seen.charge_kpa}
    if model.high_pressure:
        values |= {"rail_kpa": seen.rail_kpa, "rail_cmd_kpa": state.rail_target_kpa, "rail_a_kpa": seen.rail_kpa}
    if vehicle.hybrid:
        values["hybrid_battery_pct"] = 100.0 * vehicle.hybrid.charge
    return values


def _of_diesel(vehicle: Car) -> dict[str, float]:
    """What only a diesel tells."""
    seen, state = vehicle.readings, vehicle.management.state
    actual = seen.egr_pct
    asked = 100.0 * state.command.egr
    return {
        "fuel_rate_lph": vehicle.engine.state.fuel_gps * 3600.0 / DIESEL_GPL,
        "egr_cmd_pct": asked,
        "egr_error_pct": 100.0 * (actual - asked) / asked if asked > 1.0 else 0.0,
        "egr_a_pct": actual,
        "vane_cmd_pct": 100.0 * (1.0 - state.command.gate),
        "vane_pct": 100.0 * (1.0 - vehicle.engine.systems.gate),
        "exhaust_b1s1_c": seen.exhaust_c,
        "exhaust_b1s2_c": seen.filter_in_c,
        "filter_b1_kpa": seen.filter_mbar / 10.0,
    }


def _of_petrol(vehicle: Car) -> dict[str, float]:
    """What only a spark engine tells."""
    seen, state, memory, model = vehicle.readings, vehicle.management.state, vehicle.memory, vehicle.model
    values = {
        "spark_deg": state.spark_deg,
        "throttle_pct": 12.0 + 80.0 * seen.plate.first,
        "throttle_rel_pct": 80.0 * seen.plate.first,
        "oxygen_sensors": float(sum(0x03 << 4 * bank for bank in range(len(seen.banks)))),
        "purge_pct": state.purge * 100.0,
    }
    if model.electronic_throttle:
        values |= {"throttle_b_pct": 12.0 + 80.0 * seen.plate.second, "throttle_cmd_pct": 100.0 * state.throttle}
    if not model.narrow:
        values["lambda_cmd"] = state.banks[0].lambda_command
    if model.boost_kpa:
        values |= {"gate_cmd_pct": 100.0 * state.command.gate, "gate_pct": 100.0 * vehicle.engine.systems.gate}
    if model.filtered:
        values["filter_b1_kpa"] = seen.filter_mbar / 10.0
    if model.sealed_tank:
        values["tank_pa"] = 1000.0 * seen.tank_kpa
    for n, (own, bank, exhaust) in enumerate(zip(seen.banks, state.banks, vehicle.engine.state.banks, strict=True), 1):
        closed = bank.fuel_state == CLOSED
        values |= {
            f"fuel_status_{n}": float(bank.fuel_state if seen.rpm > 0 else 0),
            f"stft_b{n}_pct": bank.stft * 100.0 if closed else 0.0,
            f"ltft_b{n}_pct": memory.ltft[n - 1][state.cell] * 100.0,
            f"o2_b{n}s2_v": own.downstream_v,
            f"o2_b{n}s2_trim_pct": 99.2,
        }
        if model.narrow:
            values |= {f"o2_b{n}s1_v": own.upstream_v, f"o2_b{n}s1_trim_pct": bank.stft * 100.0}
        else:
            values |= {
                f"lambda_b{n}s1": own.lambda_upstream,
                f"pump_b{n}s1_ma": (own.lambda_upstream - 1.0) * 3.0,
                f"catalyst_b{n}_c": exhaust.catalyst_c,
            }
    return values
