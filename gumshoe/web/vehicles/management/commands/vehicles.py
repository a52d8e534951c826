"""List the stand-in vehicles, the kinds of car there are, and the faults that can be put into each."""

from __future__ import annotations

import json
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand

from gumshoe.simulator.defects import defects_of
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.models import models


class Command(BaseCommand):
    """``manage.py vehicles [--json] [--circuits]``."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--json", action="store_true", help="as JSON")
        parser.add_argument("--circuits", action="store_true", help="name every fault of every circuit too")

    def handle(self, *args: Any, **options: Any) -> None:
        kinds = {
            name: {
                "words": model.words,
                "faults": {key: {"words": row.words, "part": row.component} for key, row in defects_of(model).items()},
            }
            for name, model in models().items()
        }
        cars = {
            key: {"words": row.words, "vin": row.vin, "kind": row.model, "faults": list(row.defects)}
            for key, row in fleet().items()
        }
        if options["json"]:
            self.stdout.write(json.dumps({"kinds": kinds, "vehicles": cars}, indent=1, ensure_ascii=False))
            return
        for name, kind in kinds.items():
            self.stdout.write(f"{name}: {kind['words']}, {len(kind['faults'])} faults")
            of_circuits = 0
            for key, row in kind["faults"].items():  # type: ignore[attr-defined]
                if ":" in key and not options["circuits"]:
                    of_circuits += 1
                    continue
                self.stdout.write(f"  {key:32} {row['words']}")
            if of_circuits:
                self.stdout.write(f"  … and {of_circuits} faults of its circuits, as PART:ELEMENT:WHAT (--circuits)")
        self.stdout.write("")
        for key, car in cars.items():
            with_faults = ", ".join(car["faults"]) or "nothing wrong"
            self.stdout.write(f"{key:18} {car['words']} ({car['kind']}): {with_faults}")
        total = sum(len(kind["faults"]) for kind in kinds.values())
        self.stdout.write(f"\n{len(kinds)} kinds, {len(cars)} vehicles, {total} faults.")
