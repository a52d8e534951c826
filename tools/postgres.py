"""A PostgreSQL of the distribution's packages, started for a while with data of its own: ``run.py test --postgres``."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

PLACES = "/usr/lib/postgresql"
OWNER = "postgres"
"""Who it runs as where we are root: it refuses to be root itself."""
# Nothing of it outlives the tests, so it need not wait for the disk.
QUICK = "-c fsync=off -c synchronous_commit=off -c full_page_writes=off -c max_connections=60"


def found() -> Path | None:
    """Where its programs are; None where it is not installed."""
    beside = sorted(Path(PLACES).glob("*/bin/initdb"), key=lambda path: path.parts[-3])
    named = shutil.which("initdb")
    return beside[-1].parent if beside else (Path(named).parent if named else None)


@contextmanager
def running() -> Iterator[str]:
    """A server on a free port of this machine; gives the address of an empty database."""
    programs = found()
    assert programs is not None
    with tempfile.TemporaryDirectory(prefix="gumshoe-postgres-") as name:
        folder, root = Path(name), os.geteuid() == 0
        if root:
            shutil.chown(folder, OWNER)
        data = folder / "data"
        before = ["runuser", "-u", OWNER, "--"] if root else []

        def call(program: str, *arguments: str) -> None:
            command = [*before, str(programs / program), *arguments]
            subprocess.run(command, cwd=folder, check=True, stdout=subprocess.DEVNULL)

        call("initdb", "-D", str(data), "-U", "gumshoe", "--auth=trust", "--encoding=UTF8", "--locale=C.UTF-8")
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        how = f"-p {port} -h 127.0.0.1 -k {folder} {QUICK}"
        call("pg_ctl", "-D", str(data), "-l", str(folder / "log"), "-w", "-o", how, "start")
        try:
            call("createdb", "-h", "127.0.0.1", "-p", str(port), "-U", "gumshoe", "shop")
            yield f"postgresql://gumshoe@127.0.0.1:{port}/shop"
        finally:
            call("pg_ctl", "-D", str(data), "-m", "immediate", "stop")
            time.sleep(0.2)
