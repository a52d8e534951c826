"""Serve demo data with stand-in vehicles. Has its own data folder and never opens the shop's."""

from __future__ import annotations

from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from gumshoe.demo import building as demo
from gumshoe.serving import server as serving
from gumshoe.web.vehicles import garage

PORTS = 20
"""So many ports are tried from the one asked for on."""


class Command(BaseCommand):
    """``manage.py demo``."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--port", type=int, default=8000)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            port, _held = serving.free_port(options["host"], options["port"], PORTS), serving.hold_data()
        except serving.PortTaken as error:
            raise CommandError(f"{error.what} Try: {'; '.join(error.remedies)}.") from error
        if port != options["port"]:
            self.stdout.write(f"Port {options['port']} is taken: this demo listens at {port}.")
        serving.prepare()
        first = demo.needed()
        if first:
            self.stdout.write("First start: the stand-in cars are driven until their faults show (some minutes) …")
        garage.start_fleet(Path(settings.DATA_DIR) / "stand-ins", self.stdout.write if first else None)
        if first:
            demo.load(self.stdout.write)
        people = ", ".join(f"{name} ({full}, {role.label.lower()})" for name, full, role in demo.PEOPLE)
        self.stdout.write("")
        self.stdout.write(f"  Gumshoe demo:  http://{options['host']}:{port}/")
        self.stdout.write(f"  Sign in as     {people}")
        self.stdout.write(f"  Password       {demo.password()}")
        self.stdout.write("  Try            New case, type hq204, press the car → Key on → Scan.   Ctrl-C stops.")
        self.stdout.write("")
        serving.serve(options["host"], port)
