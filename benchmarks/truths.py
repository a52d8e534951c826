"""Which suspect of the reasoning is the name of which physical fault of the stand-ins; and the cars of a benchmark.

Written down here only, since neither side knows the other.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from benchmarks.heard import Drives
from gumshoe.core.knowledge.catalogue import Knowledge, expand
from gumshoe.core.knowledge.platform import Platform, platforms
from gumshoe.simulator.defects import defects_of, part_defects
from gumshoe.simulator.drives import PROFILES
from gumshoe.simulator.models import CarModel, models
from gumshoe.simulator.vehicle import Identity, Vehicle

_OF_THE_CAR = {
    "crankcase-hose-split": "crankcase_hose_split",
    "booster-hose-cracked": "booster_hose_leak",
    "duct-loose": "intake_duct_loose",
    "meter-low": "air_flow_meter_low",
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
    "coolant-sensor-off": "coolant_sensor_open",
    "coolant-wire-open": "coolant_sensor_open",
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


@dataclass(frozen=True)
class Car:
    """One car of the benchmark: its kind, platform, odometer, and the coolant temperature it was found at."""

    model: str
    platform: str
    vin: str
    odometer_km: float
    coolant_c: float

    @property
    def built(self) -> CarModel:
        return models()[self.model]

    @property
    def described(self) -> Platform:
        return platforms()[self.platform]

    @property
    def known(self) -> Knowledge:
        return expand(self.described.powertrain, self.described.local)

    @property
    def defects(self) -> tuple[str, ...]:
        """Every fault of a part that the stand-in can have, whether or not a suspect is named after it."""
        return tuple(row.key for row in part_defects(self.built))

    @property
    def wires(self) -> tuple[str, ...]:
        """Every fault of a wire, plug or terminal that it can have."""
        parts = set(self.defects)
        return tuple(key for key in defects_of(self.built) if key not in parts)

    def fresh(self, *defects: str, seed: int) -> Vehicle:
        """The car with these defects, not driven."""
        return Vehicle(
            Identity(self.vin, "B", 1),
            self.built,
            defects=defects,
            seed=seed,
            coolant_c=self.coolant_c,
            odometer_km=self.odometer_km,
        )

    def driven(self, *defects: str, seed: int) -> tuple[dict[str, Any], Drives]:
        """The state of the car with these defects after two mixed drives, and what was felt in them."""
        car, felt = self.fresh(*defects, seed=seed), Drives(self.usual)
        drive(car, felt)
        return car.save(), felt

    @cached_property
    def usual(self) -> Counter[str]:
        """What is felt in a sound car of this kind on the same drives, in seconds."""
        felt = Drives()
        drive(self.fresh(seed=0), felt)
        return felt.felt


def drive(car: Vehicle, felt: Drives) -> None:
    """Two mixed drives."""
    for _ in range(2):
        car.begin(PROFILES["mixed"])
        while car.driving:
            car.step()
            felt.watch(car)


CARS = (
    Car("tern_16", "ostrel_tern_16", "UY0TN16A9E2004417", 61_000.0, 64.0),
    Car("dunlin_30", "ostrel_dunlin_30", "UY0DN30A5F2000214", 131_000.0, 21.0),
    Car("skua_14", "havsel_skua_14", "UY3SK14A3J2000416", 72_000.0, 50.0),
    Car("pipit_10", "havsel_pipit_10", "UY3PP10A6H2000935", 92_000.0, 40.0),
    Car("gannet_52", "ostrel_gannet_52", "UY0GN52A6D2000418", 168_000.0, 30.0),
    Car("fulmar_20", "ostrel_fulmar_20", "UY0FM20A3K2000731", 143_000.0, 40.0),
    Car("eider_50", "ostrel_eider_50", "UY0ED50B312000118", 231_000.0, 50.0),
    Car("plover_18", "havsel_plover_18", "UY3PV18A1M2000264", 58_000.0, 40.0),
)
"""Eight kinds: a four with an air-flow meter, a V6 with four phasers, a turbocharged four with direct injection and a
sealed tank, a three metered by manifold pressure, a V8 with a coil ground for each bank, a turbo-diesel, an older V8
with a distributor, a hybrid."""
