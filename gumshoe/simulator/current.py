"""Current data as a stand-in's control unit knows it, by channel key."""

from __future__ import annotations

from typing import TYPE_CHECKING

from gumshoe.simulator.control import CLOSED

if TYPE_CHECKING:
    from gumshoe.simulator.vehicle import Vehicle


def current_data(vehicle: Vehicle) -> dict[str, float]:
    """Every channel this car has."""
    seen, state, memory = vehicle.readings, vehicle.management.state, vehicle.memory
    values = {
        "load_pct": state.load_pct,
        "coolant_c": seen.coolant_c,
        "rpm": seen.rpm,
        "speed_kmh": seen.speed_kmh,
        "spark_deg": state.spark_deg,
        "intake_c": seen.intake_c,
        "throttle_pct": 12.0 + 80.0 * state.throttle,
        "oxygen_sensors": float(sum(0x03 << 4 * bank for bank in range(len(seen.banks)))),
        "obd_kind": 6.0,
        "run_time_s": state.run_time_s,
        "distance_lamp_km": memory.distance_lamp_km,
        "purge_pct": state.purge * 100.0,
        "fuel_level_pct": vehicle.fuel_level_pct,
        "warmups": float(memory.warmups),
        "distance_clear_km": memory.distance_clear_km,
        "baro_kpa": seen.baro_kpa,
        "module_v": seen.supply_v,
        "abs_load_pct": state.abs_load_pct,
        "lambda_cmd": state.banks[0].lambda_command,
        "throttle_rel_pct": 80.0 * state.throttle,
        "ambient_c": seen.ambient_c,
        "throttle_b_pct": 12.0 + 80.0 * state.throttle,
        "pedal_d_pct": 16.0 + 68.0 * seen.pedal,
        "pedal_e_pct": 8.0 + 34.0 * seen.pedal,
        "throttle_cmd_pct": 100.0 * state.throttle,
        "time_lamp_min": memory.minutes_lamp,
        "time_clear_min": memory.minutes_clear,
        "fuel_type": 1.0,
    }
    if vehicle.model.boost_kpa:
        systems = vehicle.engine.systems
        values |= {
            "boost_cmd_kpa": seen.baro_kpa + state.boost_target_kpa,
            "boost_kpa": seen.charge_kpa,
            "gate_cmd_pct": 100.0 * state.command.gate,
            "gate_pct": 100.0 * systems.gate,
        }
    if vehicle.model.sealed_tank:
        values["tank_pa"] = 1000.0 * seen.tank_kpa
    values |= {"maf_gps": seen.meter_gps} if vehicle.model.flow_metered else {"map_kpa": seen.map_kpa}
    for n, (own, bank, exhaust) in enumerate(zip(seen.banks, state.banks, vehicle.engine.state.banks, strict=True), 1):
        closed = bank.fuel_state == CLOSED
        values |= {
            f"fuel_status_{n}": float(bank.fuel_state if seen.rpm > 0 else 0),
            f"stft_b{n}_pct": bank.stft * 100.0 if closed else 0.0,
            f"ltft_b{n}_pct": memory.ltft[n - 1][state.cell] * 100.0,
            f"o2_b{n}s2_v": own.downstream_v,
            f"o2_b{n}s2_trim_pct": 99.2,
            f"lambda_b{n}s1": own.lambda_upstream,
            f"pump_b{n}s1_ma": (own.lambda_upstream - 1.0) * 3.0,
            f"catalyst_b{n}_c": exhaust.catalyst_c,
        }
    return values
