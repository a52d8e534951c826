#!/usr/bin/env python3
"""Set up and run Gumshoe. Needs only Python 3.11 or newer; everything else is installed from the locked requirements.

python3 run.py demo              demo data and stand-in vehicles, then serve    (--host, --port: where)
python3 run.py serve             serve the shop's own data (folder data/shop, or GUMSHOE_DATA)
python3 run.py test [ARGS]       install what tests need and run them (GUMSHOE_COVERAGE=1: the core measured;
                                 --postgres: the web's tests on a PostgreSQL that is started for them)
python3 run.py check             lint, types, import contracts
python3 run.py backup FILE       copy the shop's data into a file, while it may be running (--seal: with a passphrase)
python3 run.py restore FILE      put a backup in place (the present data is kept beside it)
"""

from __future__ import annotations

import contextlib
import getpass
import hashlib
import os
import shutil
import subprocess
import sys
import tempfile
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
    from gumshoe.serving.backups import finish

    finish(shop_data().resolve())  # a restoring that a power cut left half done
    install("requirements.txt")
    if os.environ.get("GUMSHOE_DATABASE"):
        install("requirements-postgres.txt")
    return manage("serve", *arguments, data=shop_data())


def test(arguments: list[str]) -> int:
    """Install browser and test requirements where absent, then run Django's test runner."""
    install("requirements-dev.txt")
    if "--postgres" in arguments:
        return on_postgres([argument for argument in arguments if argument != "--postgres"])
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


def on_postgres(arguments: list[str]) -> int:
    """The web's tests on a PostgreSQL that is started for them."""
    from tools import postgres

    install("requirements-postgres.txt")
    if postgres.found() is None:
        apt("postgresql")
    with postgres.running() as address:
        os.environ["GUMSHOE_DATABASE"] = address
        return tested(arguments or ["tests.web"])


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
    """A consistent copy of the shop's data; sealed where there is a passphrase."""
    seal = "--seal" in arguments
    files = [argument for argument in arguments if argument != "--seal"]
    if len(files) != 1:
        print("Say where to: python3 run.py backup FILE.zip   (--seal: with a passphrase)", file=sys.stderr)
        return 2
    install("requirements.txt")
    return backups("make", files[0], passphrase(twice=True) if seal else "")


def restore(arguments: list[str]) -> int:
    """Put a backup in place; the present data is renamed, not deleted."""
    if len(arguments) != 1 or not Path(arguments[0]).is_file():
        print("Say which backup: python3 run.py restore FILE.zip", file=sys.stderr)
        return 2
    install("requirements.txt")
    with Path(arguments[0]).open("rb") as file:
        sealed = file.read(len(SEALED)) == SEALED
    return backups("restore", arguments[0], passphrase() if sealed else "")


# -- inside -----------------------------------------------------------------------------------------------


TESTED_WITH = {"chromium": "chromium", "chromedriver": "chromium-driver", "ngspice": "ngspice", "nginx": "nginx"}
"""The programs that the tests need, and the distribution's packages that bring them."""
INSTALLER = "requirements-installer.txt"
QUIETLY = ("--quiet", "--disable-pip-version-check", "--no-input")
SEALED = b"gumshoe sealed backup"


def passphrase(*, twice: bool = False) -> str:
    """``GUMSHOE_PASSPHRASE``, else asked for; it cannot be found out again."""
    told = os.environ.get("GUMSHOE_PASSPHRASE", "")
    while not told:
        told = getpass.getpass("Passphrase of the backup: ")
        if twice and told != getpass.getpass("Once more: "):
            print("These were two.", file=sys.stderr)
            told = ""
    return told


def backups(what: str, file: str, secret: str) -> int:
    """Make or restore, where the packages are."""
    environment = {name: value for name, value in os.environ.items() if name != "GUMSHOE_PASSPHRASE"}
    environment |= {"GUMSHOE_PASSPHRASE": secret} if secret else {}
    command = [PYTHON, "-m", "gumshoe.serving.backups", what, shop_data().resolve(), Path(file).resolve()]
    return subprocess.run(list(map(str, command)), cwd=ROOT, env=environment).returncode


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
    # What is installed here is started by the tests alone: no web server or database of the machine's own begins.
    quiet = ("env", "DEBIAN_FRONTEND=noninteractive", "SYSTEMD_OFFLINE=1", "RUNLEVEL=1")
    before = quiet if os.geteuid() == 0 else ("sudo", *quiet)
    print(f"Installing {' '.join(packages)} from the distribution …", flush=True)
    for command in (("update", "-qq"), ("install", "-y", "-qq", "--no-install-recommends", *packages)):
        subprocess.run([*before, "apt-get", *command], check=True, stdout=subprocess.DEVNULL)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
