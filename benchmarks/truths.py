"""Which suspect of the reasoning is the name of which physical fault of the stand-ins.

Written down here only, since neither side knows the other.
"""

from __future__ import annotations

from gumshoe.simulator.models import CarModel

_OF_THE_CAR = {
    "crankcase-hose-split": "crankcase_hose_split",
    "booster-hose-cracked": "booster_hose_leak",
    "duct-loose": "intake_duct_loose",
    "meter-low": "air_flow_meter_low",
    "meter-high": "air_flow_meter_high",
    "meter-plug-off": "meter_unplugged",
    "pressure-low": "pressure_sensor_low",
    "pressure-high": "pressure_sensor_high",
    "pressure-plug-off": "shared_plug_manifold_sensor",
    "pump-weak": "fuel_supply_weak",
    "fuel-filter-clogged": "fuel_filter_clogged",
    "regulator-high": "fuel_pressure_high",
    "purge-passing": "purge_valve_passing",
    "purge-plug-off": "purge_circuit_open",
    "purge-open": "purge_circuit_open",
    "purge-wire-open": "purge_circuit_open",
    "coolant-sensor-off": "open_coolant_sensor",
    "coolant-wire-open": "open_coolant_sensor",
    "boost-hose-off": "charge_hose_leak",
    "gate-stuck": "gate_sticks",
    "boost-actuator-open": "open_boost_valve",
    "phaser-stuck": "intake_phaser_sticks",
    "phaser-open": "open_intake_phaser_valve",
    "vent-open": "open_vent_valve",
    "vent-stuck": "vent_does_not_close",
    "thermostat-open": "thermostat_open",
    "turbo-worn": "turbo_worn",
    "high-pump-weak": "rail_pump_weak",
    "egr-stuck-open": "egr_sticks",
    "egr-stuck-shut": "egr_sticks",
    "filter-full-of-ash": "filter_full",
    "filter-cracked": "filter_cracked",
    "filter-sensor-skewed": "filter_pressure_skewed",
    "throttle-carbon": "throttle_carbon",
    "throttle-sticks": "throttle_sticks",
    "fuel-bad": "fuel_bad",
    "injectors-fouled": "injectors_fouled",
    "plugs-worn": "plugs_worn_all",
    "alternator-dead": "charging_weak",
    "battery-weak": "battery_low",
    "ground-strap-corroded": "main_ground_bad",
    "software-old": "software_too_sharp",
    "crank-wheel-moved": "reference_wheel",
    "distributor-turned": "distributor_turned",
    "distributor-tooth": "distributor_turned",
    "cap-off": "cap_loose",
    "tank-leak-small": "evap_hose_leak",
    "tank-leak-tiny": "canister_cracked",
    "air-filter-clogged": "air_filter_clogged",
    "feed-actuators-open": "shared_feed_actuators",
    "feed-heaters-open": "shared_feed_heaters",
    "ground-coils-open": "shared_ground_coils",
    "ground-coils-b2-open": "shared_ground_coils_b2",
}
_OF_A_BANK = {
    "sensor-lean": "upstream_sensor_lean",
    "sensor-rich": "upstream_sensor_rich",
    "exhaust-leak": "exhaust_leak_upstream",
    "catalyst-worn": "catalyst_worn",
    "heater-open": "sensor_heater_open",
    "rear-heater-open": "rear_heater_open",
    "chain-stretched": "chain_stretched",
    "tooth-out": "timing_tooth_out",
}
_OF_A_CYLINDER = {
    ("coil", "weak"): "coil_breakdown",
    ("coil", "off"): "coil_circuit_open",
    ("coil", "loose"): "coil_circuit_open",
    ("plug", "worn"): "plug_bad",
    ("insulator", "cracked"): "plug_bad",
    ("injector", "clogged"): "injector_weak",
    ("injector", "off"): "injector_circuit_open",
    ("compression", "low"): "compression_low",
}


def suspect_of(defect: str, model: CarModel) -> str:
    """The suspect that is the name of a defect. Raises KeyError for a defect that has none."""
    if defect == "fuel-filter-clogged" and model.direct_kpa:  # its filter is part of the low-pressure side
        return "fuel_supply_weak"
    if defect == "pump-weak" and model.diesel:
        return "lift_pump_weak"
    if defect in _OF_THE_CAR:
        return _OF_THE_CAR[defect]
    if defect == "manifold-gasket":
        return "manifold_gasket_leak" + ("" if model.bank_of[model.weakest_joint - 1] == 0 else "_b2")
    if defect.startswith("sensor-plug-off"):
        return f"shared_plug_oxygen_b{defect.partition('-b')[2] or 1}s1"
    stem, _, tail = defect.rpartition("-b")
    if tail.isdigit() and stem in _OF_A_BANK:
        return _OF_A_BANK[stem] + ("" if tail == "1" else f"_b{tail}")
    if defect in _OF_A_BANK:
        return _OF_A_BANK[defect]
    part, cylinder, how = defect.split("-")
    if model.diesel and (part, how) == ("injector", "clogged"):
        return f"diesel_injector_weak_{cylinder}"
    return f"{_OF_A_CYLINDER[part, how]}_{cylinder}"
