"""A backup a day, kept for a fortnight: the database as it was at that moment, in ``backups/`` beside it.

Photographs are never changed and stay where they are; the secret key is left out. ``run.py restore`` takes both from
the present data where a backup has none.
"""

from __future__ import annotations

import contextlib
import logging
import os
import shutil
import sqlite3
import tempfile
import threading
import zipfile
from datetime import date, timedelta
from pathlib import Path

from django.utils import timezone

from gumshoe.serving.backups import copy_of

log = logging.getLogger("gumshoe.backup")
DAYS_KEPT = 14
LOOK_S = 600.0
SUFFIX = ".zip"


def back_up(database: Path, day: date) -> Path | None:
    """The backup of a day, unless it is there; older ones than a fortnight go. A backup is whole or not there."""
    folder = database.parent / "backups"
    folder.mkdir(mode=0o700, exist_ok=True)
    target = folder / f"{day:%Y-%m-%d}{SUFFIX}"
    if target.exists():
        return None
    with tempfile.TemporaryDirectory(prefix=".making-", dir=folder) as making:
        copy, part = Path(making) / database.name, Path(making) / target.name
        copy_of(database, copy)
        part.touch(0o600)
        with zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.write(copy, database.name)
        os.replace(part, target)
    _forget(folder, day - timedelta(days=DAYS_KEPT))
    return target


def _forget(folder: Path, oldest: date) -> None:
    """Backups from before that day, and what was left of one that was cut off."""
    for path in folder.iterdir():
        with contextlib.suppress(ValueError):
            if path.suffix == SUFFIX and date.fromisoformat(path.stem) <= oldest:
                path.unlink()
        if path.name.startswith(".making-"):
            shutil.rmtree(path, ignore_errors=True)


class Daily(threading.Thread):
    """Sees to the backup of each day while the server runs."""

    def __init__(self, database: Path) -> None:
        super().__init__(name="backup", daemon=True)
        self.database, self._stopping = database, threading.Event()

    def run(self) -> None:
        while not self._stopping.is_set():
            try:
                made = back_up(self.database, timezone.localdate())
                if made is not None:
                    log.info("backed up to %s", made.name)
            except (OSError, sqlite3.Error) as error:  # a full disk must not end the backups of all days to come
                log.error("no backup today: %s", error)
            self._stopping.wait(LOOK_S)

    def stop(self) -> None:
        """No more of them."""
        self._stopping.set()
        self.join(5.0)
