"""Give a shop a past of so many closed cases, for measuring how it works with them. Never for a shop's own data."""

from __future__ import annotations

from argparse import ArgumentParser
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from gumshoe.demo import growing
from gumshoe.serving import server as serving
from gumshoe.web.accounts.models import Role, User
from gumshoe.web.cases.models import Case


class Command(BaseCommand):
    """``manage.py grow``: ``GUMSHOE_DATA`` says into which folder."""

    help = __doc__

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("number", type=int, help="so many cases")
        parser.add_argument("--anyway", action="store_true", help="although the shop has cases of its own")

    def handle(self, *args: Any, **options: Any) -> None:
        number = options["number"]
        if number < 1:
            raise CommandError("One case at the least.")
        try:
            _held = serving.hold_data()
        except serving.PortTaken as error:
            raise CommandError(f"{error.what} Try: {'; '.join(error.remedies)}.") from error
        serving.prepare()
        grown = Case.objects.filter(number__startswith=growing.PREFIX)
        if Case.objects.exclude(pk__in=grown).exists() and not options["anyway"]:
            raise CommandError(
                "This shop has cases of its own. Set GUMSHOE_DATA to another folder, or say --anyway: made-up cases"
                " cannot be taken out again."
            )
        lead = User.objects.filter(is_active=True, role=Role.LEAD).first()
        if lead is None:
            lead = User.objects.create_user("grown", role=Role.LEAD)  # without a password: nobody signs in by it
        prefix = f"{growing.PREFIX}{grown.count()}"
        growing.grow(lead, number, prefix, lambda done: self.stdout.write(f"{done} of {number} cases"))
        growing.settle(self.stdout.write)
        self.stdout.write(f"{Case.objects.count()} cases on file.")
