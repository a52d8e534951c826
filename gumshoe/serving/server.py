"""Serve with waitress: migrate, recover what a kill left, listen, stop in order."""

from __future__ import annotations

import contextlib
import logging
import os
import signal
import socket
import sys
import threading
import time
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import FrameType
from typing import IO, Any

from django.conf import settings
from django.core.management import call_command
from django.core.wsgi import get_wsgi_application
from django.db import connection as database
from django.db.migrations.executor import MigrationExecutor

from gumshoe.core.casefile.untrusted import READER
from gumshoe.core.errors import GumshoeError
from gumshoe.serving.backups import copy_of
from gumshoe.serving.daily import Daily
from gumshoe.web.bench import commanding
from gumshoe.web.board import services as board
from gumshoe.web.clearing import aftercare
from gumshoe.web.finding import services as finding
from gumshoe.web.history import sums
from gumshoe.web.live import feed
from gumshoe.web.proofs import runner
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles import garage, links

THREADS = 12
log = logging.getLogger("gumshoe.serving")


def prepare() -> None:
    """Bring the database up to date (a copy of it is kept before) and put interrupted scans on record."""
    close_to_others(Path(settings.DATA_DIR))
    if settings.DATABASE:
        call_command("createcachetable", verbosity=0)
    executor = MigrationExecutor(database)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        kept = copy_before_migration(executor)
        if kept:
            print(f"The database is brought up to this version; as it was it is kept in {kept}.")
        call_command("migrate", verbosity=0, interactive=False)
    count_the_past()
    left = scans.recover()
    if left:
        print(f"{left} scan(s) were cut off when the server stopped last; their raw frames are kept with their cases.")


def count_the_past() -> None:
    """After an upgrade the shop's sums are made before anybody looks at them; else there is next to nothing to do."""
    done = 0
    while some := sums.count_some():
        done += some
        if done > sums.AT_ONCE:
            print(f"Counting the shop's past: {done} cases, vehicles and customers …", flush=True)


def close_to_others(folder: Path) -> None:
    """Nobody but the owner reads the data: folders 0700, files 0600, those of before too."""
    os.umask(0o077)
    for path in (folder, *folder.rglob("*")):
        with contextlib.suppress(OSError):
            if not path.is_symlink():
                path.chmod(0o700 if path.is_dir() else 0o600)


def copy_before_migration(executor: MigrationExecutor) -> Path | None:
    """A copy of the database as it stands, beside it; None for a new one."""
    if settings.DATABASE:  # pg_dump copies that one (docs/scale.md)
        return None
    source = Path(str(settings.DATABASES["default"]["NAME"]))
    if not executor.loader.applied_migrations or not source.is_file():
        return None
    folder = Path(settings.DATA_DIR) / "before"
    folder.mkdir(mode=0o700, exist_ok=True)
    target = folder / f"gumshoe-{time.strftime('%Y%m%d-%H%M%S')}.sqlite3"
    copy_of(source, target)
    return target


class PortTaken(GumshoeError):
    """Somebody listens there already."""


def hold_data() -> IO[str]:
    """Mark the data as being served, for as long as this process lives: restore then refuses. Raises PortTaken when
    another process serves it."""
    mark = (Path(settings.DATA_DIR) / "serving.lock").open("a+")
    try:
        import fcntl

        fcntl.flock(mark, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except ImportError:  # not on this system
        pass
    except OSError as error:
        raise PortTaken(
            f"The data in {settings.DATA_DIR} is being served by another Gumshoe.", remedies=("stop that one first",)
        ) from error
    return mark


def free_port(host: str, port: int, tries: int) -> int:
    """The port, or the next free one of so many. Raises PortTaken when none is free."""
    for number in range(port, port + tries):
        with socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((host, number))
            except OSError as error:
                reason = error
                continue
            return number
    raise PortTaken(
        f"Port {port} at {host} cannot be used: {reason.strerror or reason}.",
        remedies=(f"stop what listens there, or choose another: --port {port + 1}",),
    )


def log_to_file(folder: Path) -> None:
    """What happens goes into ``logs/gumshoe.log`` too, which is turned over at a megabyte and kept five times. No
    customer's data goes there: neither what was sent nor what was asked for behind a question mark."""
    target = folder / "logs"
    target.mkdir(mode=0o700, exist_ok=True)
    handler = RotatingFileHandler(target / "gumshoe.log", maxBytes=1_000_000, backupCount=5, encoding="utf-8")
    handler.setFormatter(logging.Formatter("{asctime} {levelname} {name}: {message}", style="{"))
    logging.getLogger().addHandler(handler)
    logging.getLogger("gumshoe").setLevel(logging.INFO)


def _catch_up() -> None:
    """Beside the work: what is not in the search yet, after a restore or an upgrade, is put there; and the cases on the
    board are judged once, so that the first who opens one does not wait for the tables to be read."""
    try:
        finding.catch_up()
        board.cards(until_done=True)
    except Exception:  # a case that cannot be judged says so on its page
        log.exception("not everything was made ready")
    finally:
        database.close()


def serve(host: str, port: int) -> None:
    """Listen until stopped (Ctrl-C or SIGTERM), then end feeds, watchers, links and stand-ins.

    Behind a proxy (settings PROXY) scheme, host and address of a request are what that proxy says, and of nobody else.
    """
    import waitress

    application = get_wsgi_application()  # it sets the logging up anew
    log_to_file(Path(settings.DATA_DIR))
    behind: dict[str, Any] = {}
    if settings.PROXY:
        behind = {
            "trusted_proxy": settings.PROXY,
            "trusted_proxy_count": 1,
            "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"},
            "clear_untrusted_proxy_headers": True,
        }
    server = waitress.create_server(application, host=host, port=port, threads=THREADS, ident="gumshoe", **behind)

    def stop(_number: int, _frame: FrameType | None) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, stop)
    READER.start()  # whoever brings the first file does not wait for it
    threading.Thread(target=_catch_up, name="search", daemon=True).start()
    daily = None if settings.DATABASE else Daily(Path(str(settings.DATABASES["default"]["NAME"])))
    if daily is not None:
        daily.start()
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        print("Stopping …", file=sys.stderr)
        if daily is not None:
            daily.stop()
        feed.stop_all()
        commanding.stop_all()
        aftercare.stop_all()
        runner.stop_all()
        links.close_all()
        garage.stop_all()
