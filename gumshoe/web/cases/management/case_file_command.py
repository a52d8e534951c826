"""What the commands on a case file share: the file, ``--json``, and errors in one line."""

from __future__ import annotations

import json
from abc import ABC, abstractmethod
from argparse import ArgumentParser
from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from gumshoe.core.casefile import CaseFile, read_case
from gumshoe.core.errors import GumshoeError
from gumshoe.core.words import plain


class CaseFileCommand(ABC, BaseCommand):
    """Reads the case file, asks ``work`` for its result, and prints it as words or as JSON."""

    requires_system_checks: list[str] = []

    def add_arguments(self, parser: ArgumentParser) -> None:
        parser.add_argument("file", type=Path)
        parser.add_argument("--json", action="store_true", help="print the stable JSON form")

    def handle(self, *args: Any, **options: Any) -> None:
        try:
            found = self.work(read_case(options["file"].read_bytes()))
        except OSError as error:
            raise CommandError(f"{options['file']} cannot be read: {error.strerror}.") from error
        except GumshoeError as error:
            raise CommandError(str(error)) from error
        if options["json"]:
            self.stdout.write(plain(json.dumps(self.document(found), indent=1, ensure_ascii=False)))
        else:
            self.words(found)

    @abstractmethod
    def work(self, case: CaseFile) -> Any:
        """The result. Raises a GumshoeError where the file cannot be worked with."""

    @abstractmethod
    def document(self, found: Any) -> dict[str, Any]:
        """The stable JSON form."""

    @abstractmethod
    def words(self, found: Any) -> None:
        """Print it for people."""
