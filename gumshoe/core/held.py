"""The shipped tables are checked once for each state of tables and rules, and not again at every start."""

from __future__ import annotations

import contextlib
import hashlib
import sys
from collections.abc import Iterable
from importlib import import_module
from pathlib import Path

import pydantic

CORE = Path(__file__).parent
STORE = CORE / "__pycache__"
"""The mark lies beside what Python itself keeps of these files; where nothing can be written, every start checks."""


def sources() -> list[Path]:
    """The tables, and the rules they are held against."""
    return sorted(path for path in CORE.rglob("*") if path.suffix in (".toml", ".py"))


def fingerprint(files: Iterable[Path]) -> str:
    """Of what these files hold and where they lie, and of what reads them: Python and pydantic."""
    found = hashlib.sha256(f"{sys.version} {pydantic.VERSION}".encode())
    for path in files:
        content = path.read_bytes()
        found.update(f"{path} {len(content)} ".encode() + content)
    return found.hexdigest()


def validate_once(store: Path = STORE) -> None:
    """``validation.validate()``, unless just these files were found to hold before. Raises DataError with file and
    line."""
    mark = store / f"tables-{fingerprint(sources())[:32]}.held"
    if mark.exists():
        return
    import_module("gumshoe.core.validation").validate()
    with contextlib.suppress(OSError):
        store.mkdir(exist_ok=True)
        for old in store.glob("tables-*.held"):
            old.unlink(missing_ok=True)
        mark.touch()
