"""Drive a stand-in and write down what its engine control unit tells, as CSV: data for tests and for other tools.

    python manage.py drive tern-library --profile mixed --export log.csv
    python manage.py drive skua_14 --fault gate-stuck --profile hill --seed 7 --ambient -5 --cold --export log.csv

The same vehicle, faults, profile and seed give the same bytes.
"""

from __future__ import annotations

import sys
from argparse import ArgumentParser, RawDescriptionHelpFormatter
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from gumshoe.core.knowledge.platform import platform_for_vin
from gumshoe.core.obd.pids import FieldKind, fields_by_key
from gumshoe.core.powertrain.description import Powertrain
from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.core.signals.strips import channels_of
from gumshoe.core.signals.tables import write_long, write_wide
from gumshoe.simulator.defects import defects_of, part_defects
from gumshoe.simulator.drive_log import log_drive
from gumshoe.simulator.driver import DRIVERS
from gumshoe.simulator.drives import PROFILES
from gumshoe.simulator.engine import Air
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.models import models
from gumshoe.simulator.vehicle import Identity, Vehicle

WARM_C = 86.0


class Command(BaseCommand):
    """``manage.py drive VEHICLE``."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.formatter_class = RawDescriptionHelpFormatter
        parser.add_argument("vehicle", help="a stand-in of the fleet, or a kind of car (see “vehicles”)")
        parser.add_argument("--fault", action="append", default=[], help="put this fault in (may be repeated)")
        parser.add_argument("--profile", default="mixed", choices=sorted(PROFILES))
        parser.add_argument("--seed", type=int, help="the chance that the drive follows")
        parser.add_argument("--ambient", type=float, default=14.0, help="outside temperature, °C")
        parser.add_argument("--driver", default="usual", choices=sorted(DRIVERS), help="how hasty the driver is")
        parser.add_argument("--wet", action="store_true", help="a wet day: moisture gets into what is not tight")
        parser.add_argument("--cold", action="store_true", help="begin after a night's rest instead of warm")
        parser.add_argument("--every", type=float, default=0.1, help="seconds from sample to sample")
        parser.add_argument("--long", action="store_true", help="a line a sample instead of a column a channel")
        parser.add_argument("--export", type=Path, help="the file to write; without it to standard output")

    def handle(self, *args: Any, **options: Any) -> None:
        target: Path | None = options["export"]
        if target is not None and target.exists():
            raise CommandError(f"{target} exists already; nothing was overwritten. Choose another name.")
        if not 0.02 <= options["every"] <= 60.0:
            raise CommandError("--every: 0.02 to 60 seconds.")
        car = self._car(options)
        rows = log_drive(car, PROFILES[options["profile"]], options["every"])
        platform = platform_for_vin(car.identity.vin)
        powertrain, own = (platform.powertrain, platform.identifier) if platform else (Powertrain(), ())
        units = {key: told.unit for key, told in channels_of(powertrain, own).items()}
        bits = {key for key, item in fields_by_key().items() if item.kind is FieldKind.BITS}
        recording = Recording({key: Channel(times, values) for key, (times, values) in rows.items() if key not in bits})
        text = (write_long if options["long"] else write_wide)(recording, units)
        if target is None:
            sys.stdout.write(text)
            return
        target.write_text(text, encoding="utf-8")
        codes = car.memory.codes("confirmed") + car.memory.codes("pending")
        said = f"; codes {', '.join(dict.fromkeys(codes))}" if codes else "; no codes"
        self.stdout.write(f"{len(recording.channels)} channels over {recording.seconds:.0f} s in {target}{said}.")

    def _car(self, options: dict[str, Any]) -> Vehicle:
        name = options["vehicle"]
        stand_in = fleet().get(name)
        kind = stand_in.model if stand_in else name
        model = models().get(kind)
        if model is None:
            known = ", ".join((*fleet(), *models()))
            raise CommandError(f"There is no vehicle “{name}”. There are: {known}.")
        for fault in options["fault"]:
            if fault not in defects_of(model):
                named = ", ".join(row.key for row in part_defects(model))
                told = f"Its faults: {named}; and every fault of every circuit (see “vehicles --circuits”)."
                raise CommandError(f"A {kind} cannot have “{fault}”. {told}")
        seed = options["seed"] if options["seed"] is not None else (stand_in.seed if stand_in else 1)
        like = stand_in or next((row for row in fleet().values() if row.model == kind), None)
        identity = Identity(like.vin if like else "", "STAND-IN", 1)
        car = Vehicle(
            identity,
            model,
            defects=(*(stand_in.defects if stand_in else ()), *options["fault"]),
            seed=seed,
            air=Air(temperature_c=options["ambient"], wet=options["wet"]),
            coolant_c=None if options["cold"] else WARM_C,
        )
        car.driver.haste = DRIVERS[options["driver"]]
        return car
