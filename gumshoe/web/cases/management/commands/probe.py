"""Read a case file and print what the readings at its circuits say, and where to put the leads next."""

from __future__ import annotations

import json
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from gumshoe.core.casefile import CaseFileError, read_case
from gumshoe.core.casefile.probe import CircuitRead, probe_file
from gumshoe.core.errors import BadInput
from gumshoe.core.words import share


class Command(BaseCommand):
    """``manage.py probe CASE.json [--json]``; the output's keys are in docs/case-format.md."""

    help = __doc__
    requires_system_checks: list[str] = []

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("file", type=Path)
        parser.add_argument("--json", action="store_true", help="print the stable JSON form")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            found = probe_file(read_case(options["file"].read_bytes()))
        except OSError as error:
            raise CommandError(f"{options['file']} cannot be read: {error.strerror}.") from error
        except (CaseFileError, BadInput) as error:
            raise CommandError(str(error)) from error
        if not found:
            raise CommandError("This case file holds no circuit: name a component under “circuits”.")
        if options["json"]:
            rows = [item.document() for item in found]
            document = {"format": "gumshoe-probing", "version": 1, "circuits": rows}
            self.stdout.write(json.dumps(document, indent=1, ensure_ascii=False))
            return
        for item in found:
            self._words(item)

    def _words(self, found: CircuitRead) -> None:
        say = self.stdout.write
        say(found.circuit.words)
        if found.doubtful:
            say("  No single fault explains these readings; look again at the least believable one.")
        for group in found.groups[:5]:
            say(f"  {share(group.probability):>12}  {', or '.join(fault.words for fault in group.faults)}")
        say("  Next")
        for item in found.proposals[:3]:
            say(f"  {item.bits:5.2f} bits in {item.minutes:.0f} min  {item.words}")
            for fault, lowest, highest in item.shows[:4]:
                shown = f"{lowest:.2f}" if abs(highest - lowest) < 0.05 else f"{lowest:.2f} to {highest:.2f}"
                say(f"        {shown} {item.probe.unit}: {fault.words}")
