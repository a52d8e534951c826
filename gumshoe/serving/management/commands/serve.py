"""Serve the shop's own data."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from gumshoe.serving import server as serving
from gumshoe.web.accounts.models import User
from gumshoe.web.settings import first


class Command(BaseCommand):
    """``manage.py serve``: no stand-ins, no demo data."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--host", default="127.0.0.1", help="address to listen at; 0.0.0.0 for the whole network")
        parser.add_argument("--port", type=int, default=8010)

    def handle(self, *args: Any, **options: Any) -> None:
        if settings.PAGES_ONLY and not settings.DATABASE:
            raise CommandError("Several processes need a database that is made for it: set GUMSHOE_DATABASE.")
        try:
            port = serving.free_port(options["host"], options["port"], 1)
            _held = None if settings.PAGES_ONLY else serving.hold_data()
        except serving.PortTaken as error:
            raise CommandError(f"{error.what} Try: {'; '.join(error.remedies)}.") from error
        if not settings.PAGES_ONLY:
            serving.prepare()
        here = "localhost" if options["host"] in ("0.0.0.0", "::") else options["host"]
        if not User.objects.exists():
            self.stdout.write(f"First start: set the shop up at http://{here}:{port}/first-start/?code={first.code()}")
        self.stdout.write(f"Gumshoe serves at http://{here}:{port}/   (Ctrl-C stops)")
        serving.serve(options["host"], port)
