"""The stand-ins' loop compiled for the tests: the same source, the same bytes, a third of the time (mypyc).

Prints the folder to put into GUMSHOE_COMPILED; nothing where there is no C compiler, and everything runs interpreted.
What is served is never compiled.
"""

from __future__ import annotations

import hashlib
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SOURCES = ROOT / "gumshoe" / "simulator"
STORE = Path(sys.prefix) / "compiled"
MODULES = (
    "battery", "car", "comes_and_goes", "commanded", "control", "diesel_control", "diesel_engine", "diesel_monitors",
    "drive_line", "driver", "driving", "engine", "hybrid", "monitors", "petrol_filter", "sensors", "system_monitors",
    "systems", "trip", "vehicle", "watch",
)  # fmt: skip
"""What runs fifty times a second, but for what is read from state files (pydantic makes those objects itself). Other
threads get their turn between the steps, whose callers are not compiled."""
SETUP = """
from setuptools import setup
from mypyc.build import mypycify
setup(name="stand_ins", ext_modules=mypycify({files!r}, opt_level="1", debug_level="0"))
"""


def fingerprint() -> str:
    """Of the sources, the compiler and this file."""
    found = hashlib.sha256(sys.version.encode())
    for path in (*sorted(SOURCES.glob("*.py")), Path(__file__)):
        found.update(path.read_bytes())
    return found.hexdigest()[:16]


def compiled() -> Path | None:
    """The folder of the compiled modules, made where it is not there; None where it cannot be made."""
    folder = STORE / fingerprint()
    if folder.is_dir():
        return folder
    if not (shutil.which("cc") or shutil.which("gcc")):
        return None
    with tempfile.TemporaryDirectory() as temporary:
        room = Path(temporary)
        shutil.copytree(ROOT / "gumshoe", room / "gumshoe", ignore=shutil.ignore_patterns("web", "__pycache__"))
        files = [f"gumshoe/simulator/{name}.py" for name in MODULES]
        (room / "setup.py").write_text(SETUP.format(files=files), encoding="utf-8")
        made = subprocess.run(
            [sys.executable, "setup.py", "build_ext", "--inplace"], cwd=room, capture_output=True, text=True
        )
        if made.returncode != 0:
            print(made.stdout[-2000:], made.stderr[-2000:], sep="\n", file=sys.stderr)
            return None
        shutil.rmtree(STORE, ignore_errors=True)
        half = folder.with_suffix(".half")
        (half / "gumshoe/simulator").mkdir(parents=True)
        for path in (*room.glob("*.so"), *room.glob("gumshoe/simulator/*.so"), *room.glob("*.pyd")):
            shutil.copy2(path, half / path.relative_to(room))
        half.rename(folder)
    return folder


if __name__ == "__main__":
    print(compiled() or "")
