"""A shop's data folder as it is before the first start has made anything of it: migrated once in a process, copied."""

from __future__ import annotations

import atexit
import os
import shutil
import subprocess
import sys
import tempfile
from functools import cache
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]


def of_its_own(folder: Path) -> dict[str, str]:
    """The environment of a process that serves this folder, with the file in it, whatever the tests run on."""
    outside = {name: value for name, value in os.environ.items() if name != "GUMSHOE_DATABASE"}
    return outside | {
        "GUMSHOE_DATA": str(folder),
        "DJANGO_SETTINGS_MODULE": "gumshoe.settings.base",
        "PYTHONUNBUFFERED": "1",
    }


@cache
def _migrated() -> Path:
    folder = Path(tempfile.mkdtemp(prefix="gumshoe-migrated-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    command = [sys.executable, "manage.py", "migrate", "--verbosity", "0"]
    subprocess.run(command, cwd=ROOT, env=of_its_own(folder), check=True)
    return folder


def migrated(folder: Path) -> Path:
    """Fill an empty or missing folder with an empty database of this version."""
    shutil.copytree(_migrated(), folder, dirs_exist_ok=True)
    return folder
