"""``python manage.py knowledge``: how much of what cars can show the tables cover, by area of the codes."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand

from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.code_index import standard_index
from gumshoe.core.knowledge.covered import codes_covered, codes_led_somewhere, suspects_covered
from gumshoe.core.spread import powertrains

SHOWN = 12


class Command(BaseCommand):
    help = "Coverage of the knowledge: codes with a suspect, suspects with a test that shows them."

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--all", action="store_true", help="name everything that is missing")

    def handle(self, *_args: Any, **options: Any) -> None:
        known = [expand(powertrain, local) for _, powertrain, local in powertrains()]
        most = None if options["all"] else SHOWN
        self.stdout.write(f"{len(standard_index().rows)} codes of the standard have a title.")
        self.stdout.write(f"Over {len(known)} powertrains, codes of their parts with a suspect:")
        areas = codes_covered(known)
        for area, share in areas.items():
            left = f"  without: {', '.join(share.missing[:most])}" if share.missing else ""
            self.stdout.write(f"{share.share:7.1%}  {share.covered:5d} of {share.whole:5d}  {area}{left}")
        covered, whole = (
            sum(values) for values in zip(*((row.covered, row.whole) for row in areas.values()), strict=True)
        )
        self.stdout.write(f"{covered / whole:7.1%}  {covered:5d} of {whole:5d}  in all")
        led = codes_led_somewhere(known, standard_index())
        left = f"  without: {', '.join(led.missing[:most])}" if led.missing else ""
        self.stdout.write(
            f"{led.share:7.1%}  {led.covered:5d} of {led.whole:5d}  of the standard lead to what they name{left}"
        )
        found = suspects_covered(known)
        self.stdout.write(
            f"{found.share:7.1%}  {found.covered:5d} of {found.whole:5d}  suspects that a test shows directly"
        )
        if found.missing:
            self.stdout.write(f"without: {', '.join(found.missing[:most])}")
