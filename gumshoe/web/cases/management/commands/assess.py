"""Read a case file and print what the Read and Suspects pages would show."""

from __future__ import annotations

import json
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from gumshoe.core.casefile import CaseAssessment, CaseFileError, assess_file, read_case
from gumshoe.core.words import share


class Command(BaseCommand):
    """``manage.py assess CASE.json [--json]``; the output's keys are in docs/case-format.md."""

    help = __doc__
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("file", type=Path)
        parser.add_argument("--json", action="store_true", help="print the stable JSON form")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            found = assess_file(read_case(options["file"].read_bytes()))
        except OSError as error:
            raise CommandError(f"{options['file']} cannot be read: {error.strerror}.") from error
        except CaseFileError as error:
            raise CommandError(str(error)) from error
        if options["json"]:
            self.stdout.write(json.dumps(found.document(), indent=1, ensure_ascii=False))
        else:
            self._words(found)

    def _words(self, found: CaseAssessment) -> None:
        say = self.stdout.write
        say(f"{found.knowledge.powertrain.words}")
        say(f"{found.advice.title}. {found.advice.words}\n")
        for row in found.read.codes:
            title = row.row.title if row.row else row.structure_words
            say(f"{row.code}  {row.role}: {title}\n    {row.reason}")
        say("\nSuspects")
        for item in found.assessment.suspects[:5]:
            say(f"  {share(item.probability):>12}  {item.row.words}")
        say("\nNext tests")
        for proposal in found.proposals[:3]:
            say(f"  {proposal.bits:5.2f} bits in {proposal.minutes:.0f} min  {proposal.test.words}")
