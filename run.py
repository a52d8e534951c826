#!/usr/bin/env python3
"""Set up and run Gumshoe. Needs only Python 3.11 or newer; everything else is installed from the locked requirements.

python3 run.py demo              demo data and stand-in vehicles, then serve    (--host, --port: where)
python3 run.py serve             serve the shop's own data (folder data/shop, or GUMSHOE_DATA)
python3 run.py test [ARGS]       install what tests need and run them (GUMSHOE_COVERAGE=1: the core measured)
python3 run.py check             lint, types, import contracts
python3 run.py backup FILE       copy the shop's data into a zip file, while it may be running
python3 run.py restore FILE      put a backup in place (the present data is kept beside it)
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import shutil
import sqlite3
import subprocess
import sys
import tempfile
import time
import zipfile
import zlib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import IO, Any

ROOT = Path(__file__).resolve().parent
VENV = ROOT / ".venv"
DATA = ROOT / "data"
MEASURED = ("-m", "coverage", "run")
LONG = "long"
"""The tag of tests that only compute, and long: they go beside the others, in the time that those wait."""
OF_THE_CORE = ("tests.core", "tests.foreign")
"""The core's own tests, by which it is measured."""
KNOWLEDGE = "from gumshoe.core import spread, validation; validation.validate(); spread.validate_spread()"
PYTHON = VENV / ("Scripts/python.exe" if os.name == "nt" else "bin/python")


def main(arguments: list[str]) -> int:
    """Dispatch; returns the exit code."""
    if sys.version_info < (3, 11):
        print(f"Gumshoe needs Python 3.11 or newer; this is {sys.version.split()[0]}.", file=sys.stderr)
        return 2
    commands = {"demo": demo, "serve": serve, "test": test, "check": check, "backup": backup, "restore": restore}
    if not arguments or arguments[0] not in commands:
        print(__doc__, file=sys.stderr)
        return 2
    try:
        return commands[arguments[0]](arguments[1:])
    except subprocess.CalledProcessError as error:
        print(f"\nThis step failed: {' '.join(map(str, error.cmd))}", file=sys.stderr)
        print(
            "Nothing of the shop's data was touched. Read the lines above, then run the same command again.",
            file=sys.stderr,
        )
        return error.returncode or 1


# -- commands ---------------------------------------------------------------------------------------------


def demo(arguments: list[str]) -> int:
    """Demo data in its own folder; never touches data/shop."""
    install("requirements.txt")
    return manage("demo", *arguments, data=DATA / "demo")


def serve(arguments: list[str]) -> int:
    """The shop's own data."""
    install("requirements.txt")
    return manage("serve", *arguments, data=shop_data())


def test(arguments: list[str]) -> int:
    """Install browser and test requirements where absent, then run Django's test runner."""
    install("requirements-dev.txt")
    install_browser()
    told = subprocess.run([PYTHON, ROOT / "tools/compile_simulator.py"], cwd=ROOT, stdout=subprocess.PIPE, text=True)
    os.environ["GUMSHOE_COMPILED"] = told.stdout.strip()
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # each of the hundred processes that tests start reads it again
    tracer = MEASURED if os.environ.get("GUMSHOE_COVERAGE") else ()
    if arguments:
        return tested(arguments, under=tracer)
    others = sorted(f"tests.{path.name}" for path in (ROOT / "tests").iterdir() if (path / "__init__.py").exists())
    others = [name for name in others if name not in OF_THE_CORE]
    with tempfile.TemporaryFile() as said, ThreadPoolExecutor(1) as beside:
        walks = beside.submit(tested, ["tests", "--tag", LONG], before=gives_way(), said=said)
        failed = tested([*OF_THE_CORE, "--exclude-tag", LONG], under=tracer)  # the core is measured by its own tests
        failed |= tested([*others, "--exclude-tag", LONG])
        print("The long walks, which went beside these:", flush=True)
        failed |= walks.result()
        said.seek(0)
        shutil.copyfileobj(said, sys.stdout.buffer)
    return failed


def check(_arguments: list[str]) -> int:
    """ruff, mypy and import contracts; every one is run even when an earlier one fails."""
    install("requirements-dev.txt")
    failed = 0
    for name, command in (
        ("ruff", [PYTHON, "-m", "ruff", "check", "."]),
        ("format", [PYTHON, "-m", "ruff", "format", "--check", "--quiet", "."]),
        ("templates, styles, scripts", [PYTHON, ROOT / "tools" / "formatting.py", "--check"]),
        ("dead code", [PYTHON, ROOT / "tools" / "dead_code.py"]),
        ("mypy", [PYTHON, "-m", "mypy"]),
        ("knowledge", [PYTHON, "-c", KNOWLEDGE]),
        ("import contracts", [VENV / PYTHON.parent.name / "lint-imports"]),
    ):
        code = subprocess.run(list(map(str, command)), cwd=ROOT).returncode
        print(f"{name}: {'ok' if code == 0 else 'FAILED'}")
        failed += code != 0
    return 1 if failed else 0


def backup(arguments: list[str]) -> int:
    """A consistent copy: the database through SQLite's own backup, the other files as they are."""
    if len(arguments) != 1:
        print("Say where to: python3 run.py backup FILE.zip", file=sys.stderr)
        return 2
    folder, target = shop_data(), Path(arguments[0])
    database = folder / "gumshoe.sqlite3"
    if not database.exists():
        print(f"There is no shop data in {folder} yet.", file=sys.stderr)
        return 1
    if target.exists():
        print(f"{target} exists already; nothing was overwritten. Choose another name.", file=sys.stderr)
        return 1
    descriptor = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)  # customers' data: nobody else reads it
    with tempfile.TemporaryDirectory() as temporary, os.fdopen(descriptor, "wb") as file:
        copy = Path(temporary) / "gumshoe.sqlite3"
        with sqlite3.connect(database) as source, sqlite3.connect(copy) as destination:
            source.backup(destination)
        with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
            archive.write(copy, "gumshoe.sqlite3")
            for path in sorted(folder.rglob("*")):
                if path.is_file() and not path.relative_to(folder).as_posix().startswith(NOT_BACKED_UP):
                    archive.write(path, path.relative_to(folder).as_posix())
    print(f"Backed up {folder} to {target}.")
    return 0


def restore(arguments: list[str]) -> int:
    """Put a backup in place. It is unpacked and checked beside the present data, which is then renamed, not deleted."""
    if len(arguments) != 1 or not Path(arguments[0]).is_file():
        print("Say which backup: python3 run.py restore FILE.zip", file=sys.stderr)
        return 2
    folder = shop_data()
    if being_served(folder):
        print(f"Gumshoe serves {folder} just now. Stop it first; nothing was changed.", file=sys.stderr)
        return 1
    folder.parent.mkdir(parents=True, exist_ok=True)
    beside = Path(tempfile.mkdtemp(prefix=f".{folder.name}-restoring-", dir=folder.parent))
    try:
        wrong = unpack(Path(arguments[0]), beside) or what_is_wrong(beside / "gumshoe.sqlite3")
        if wrong:
            print(f"{wrong} Nothing was changed.", file=sys.stderr)
            return 1
        for name in TAKEN_OVER:
            if (folder / name).exists() and not (beside / name).exists():
                take_over(folder / name, beside / name)
        if folder.exists():
            kept = folder.with_name(f"{folder.name}-before-{time.strftime('%Y%m%d-%H%M%S')}")
            folder.rename(kept)
            print(f"The present data is kept in {kept}.")
        beside.rename(folder)
    finally:
        shutil.rmtree(beside, ignore_errors=True)
    print(f"Restored {arguments[0]} to {folder}.")
    return 0


# -- inside -----------------------------------------------------------------------------------------------


TESTED_WITH = {"chromium": "chromium", "chromedriver": "chromium-driver", "ngspice": "ngspice"}
"""The programs that the tests need, and the distribution's packages that bring them."""
INSTALLER = "requirements-installer.txt"
QUIETLY = ("--quiet", "--disable-pip-version-check", "--no-input")
NOT_BACKED_UP = ("gumshoe.sqlite3", "serving.lock", "backups/", "before/", "logs/")
"""The database goes in as a consistent copy; the mark of a running server is no data; copies are not copied."""
TAKEN_OVER = ("photos", "secret_key")
"""What a daily backup leaves where it is."""
MOST_UNPACKED = 50 * 1024**3


def being_served(folder: Path) -> bool:
    """Whether a server holds the data (its lock goes with the process, however that ends)."""
    mark = folder / "serving.lock"
    if not mark.exists():
        return False
    try:
        import fcntl
    except ImportError:  # not on this system: the database's own locks are left
        return False
    with mark.open("a") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return True
    return False


def unpack(source: Path, folder: Path) -> str:
    """Unpack a backup into an empty folder, readable by its owner only. What is wrong with it; empty when nothing."""
    try:
        with zipfile.ZipFile(source) as archive:
            rows = archive.infolist()
            names = [row.filename for row in rows]
            if "gumshoe.sqlite3" not in names:
                return "This is not a backup of Gumshoe: it holds no database."
            if any(".." in Path(name).parts or Path(name).is_absolute() or "\\" in name for name in names):
                return "This archive holds names that lead out of its folder: it is not a backup of Gumshoe."
            if sum(row.file_size for row in rows) > MOST_UNPACKED:
                return "This archive unpacks to more than any shop's data."
            for row in rows:
                target = folder / row.filename
                if row.is_dir():
                    continue
                target.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
                descriptor = os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
                with archive.open(row) as packed, os.fdopen(descriptor, "wb") as out:
                    shutil.copyfileobj(packed, out)
    except (zipfile.BadZipFile, OSError, EOFError, zlib.error) as error:
        return f"{source} cannot be unpacked: {error}."
    return ""


def take_over(source: Path, target: Path) -> None:
    """Copy a file or a folder of the present data into what is restored."""
    if source.is_dir():
        shutil.copytree(source, target)
    else:
        shutil.copy2(source, target)


def what_is_wrong(database: Path) -> str:
    """Whether a database is whole, ours, and of no newer version than this program; empty when all is well."""
    try:
        with contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as opened:
            found = opened.execute("pragma integrity_check").fetchone()[0]
            if found != "ok":
                return f"The database in this backup is damaged: {found}."
            tables = {row[0] for row in opened.execute("select name from sqlite_master where type = 'table'")}
            if not {"django_migrations", "cases_case", "scans_scan", "accounts_user"} <= tables:
                return "The database in this backup is not Gumshoe's."
            applied = {(app, name) for app, name in opened.execute("select app, name from django_migrations")}
    except sqlite3.Error as error:
        return f"The database in this backup cannot be read: {error}."
    ours = {path.parent.parent.name for path in ROOT.glob("gumshoe/web/*/migrations/0*.py")}
    known = {(path.parent.parent.name, path.stem) for path in ROOT.glob("gumshoe/web/*/migrations/0*.py")}
    newer = sorted(f"{app}.{name}" for app, name in applied if app in ours and (app, name) not in known)
    if newer:
        return f"This backup comes from a newer version of Gumshoe ({newer[0]}). Update first, then restore."
    return ""


def shop_data() -> Path:
    """The shop's folder: GUMSHOE_DATA, else data/shop."""
    return Path(os.environ.get("GUMSHOE_DATA", DATA / "shop"))


def tested(arguments: list[str], **how: Any) -> int:
    """Run tests, with data of their own."""
    with tempfile.TemporaryDirectory(prefix="gumshoe-test-") as folder:
        return manage("test", *arguments, data=Path(folder), settings="gumshoe.settings.test", **how)


def gives_way() -> tuple[str, ...]:
    """What lets a command take only the time that others leave."""
    return ("nice", "-n", "19") if shutil.which("nice") else ()


def manage(
    *arguments: str,
    data: Path,
    settings: str = "gumshoe.settings.base",
    under: tuple[str, ...] = (),
    before: tuple[str, ...] = (),
    said: IO[bytes] | None = None,
) -> int:
    """Run manage.py in the virtual environment; Ctrl-C goes through to it. ``under``: the module that runs it;
    ``before``: the command that runs Python; ``said``: where its output goes, if not to the screen."""
    data.mkdir(mode=0o700, parents=True, exist_ok=True)
    environment = os.environ | {"GUMSHOE_DATA": str(data), "DJANGO_SETTINGS_MODULE": settings, "PYTHONUNBUFFERED": "1"}
    command = [*before, str(PYTHON), *under, "manage.py", *arguments]
    process = subprocess.Popen(command, cwd=ROOT, env=environment, stdout=said, stderr=said)
    while True:
        try:
            return process.wait()
        except KeyboardInterrupt:
            continue


def install(lock: str) -> None:
    """Make the virtual environment and install the lock file, unless exactly that was done before."""
    text = (ROOT / lock).read_bytes()
    wanted = hashlib.sha256(text + sys.version.encode()).hexdigest()
    stamp = VENV / f".{lock}.installed"
    if PYTHON.exists() and stamp.exists() and stamp.read_text() == wanted:
        return
    if not PYTHON.exists():
        print("Making a virtual environment in .venv …", flush=True)
        made = subprocess.run([sys.executable, "-m", "venv", str(VENV)], cwd=ROOT)
        if made.returncode != 0:
            shutil.rmtree(VENV, ignore_errors=True)
            apt("python3-venv")
            subprocess.run([sys.executable, "-m", "venv", str(VENV)], cwd=ROOT, check=True)
    print(f"Installing {lock} …", flush=True)
    pip, locked = [str(PYTHON), "-m", "pip", "install", *QUIETLY], ("--require-hashes", "-r")
    uv = [str(PYTHON), "-m", "uv", "pip", "install", "--quiet", "--python", str(PYTHON)]
    quickly = ([*pip, *locked, INSTALLER], [*uv, *locked, lock])
    if any(subprocess.run(command, cwd=ROOT).returncode != 0 for command in quickly):
        print("Once more with pip …", flush=True)  # no uv for this machine, or a mirror that only pip is told of
        subprocess.run([*pip, *locked, lock], cwd=ROOT, check=True)
    stamp.write_text(wanted)


def install_browser() -> None:
    """Headless Chromium and its driver from the distribution's packages, when they are not there; and the circuit
    simulator that the circuits are checked against."""
    missing = [package for program, package in TESTED_WITH.items() if not shutil.which(program)]
    if missing:
        apt(*missing)
    if "chromium" in missing:
        with contextlib.suppress(subprocess.CalledProcessError):  # where there is none, the whole browser does
            apt("chromium-headless-shell")


def apt(*packages: str) -> None:
    """Install distribution packages; says what to do by hand when that is not possible."""
    if not shutil.which("apt-get"):
        print(f"Please install by hand: {' '.join(packages)}", file=sys.stderr)
        raise subprocess.CalledProcessError(1, ["apt-get", "install", *packages])
    prefix = [] if os.geteuid() == 0 else ["sudo"]
    environment = os.environ | {"DEBIAN_FRONTEND": "noninteractive"}
    print(f"Installing {' '.join(packages)} from the distribution …", flush=True)
    subprocess.run([*prefix, "apt-get", "update", "-qq"], env=environment, check=True, stdout=subprocess.DEVNULL)
    subprocess.run(
        [*prefix, "apt-get", "install", "-y", "-qq", "--no-install-recommends", *packages],
        env=environment,
        check=True,
        stdout=subprocess.DEVNULL,
    )


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
