"""Serve the shop's own data."""

from __future__ import annotations

import secrets
from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from gumshoe.serving import server as serving
from gumshoe.web.accounts.models import Role, User


class Command(BaseCommand):
    """``manage.py serve``: no stand-ins, no demo data."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("--host", default="127.0.0.1", help="address to listen at; 0.0.0.0 for the whole network")
        parser.add_argument("--port", type=int, default=8010)

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            port, _held = serving.free_port(options["host"], options["port"], 1), serving.hold_data()
        except serving.PortTaken as error:
            raise CommandError(f"{error.what} Try: {'; '.join(error.remedies)}.") from error
        serving.prepare()
        if not User.objects.exists():
            word = secrets.token_urlsafe(9)
            User.objects.create_user("lead", password=word, role=Role.LEAD, full_name="Lead technician")
            self.stdout.write(f"First start: sign in as “lead” with the password {word} (shown only now).")
        self.stdout.write(f"Gumshoe serves at http://{options['host']}:{port}/   (Ctrl-C stops)")
        serving.serve(options["host"], port)
