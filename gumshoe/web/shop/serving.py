"""Serve with waitress: migrate, recover what a kill left, listen, stop in order."""

from __future__ import annotations

import signal
import sys
from types import FrameType

from django.core.management import call_command
from django.core.wsgi import get_wsgi_application
from django.db import connection as database
from django.db.migrations.executor import MigrationExecutor

from gumshoe.web.bench import commanding
from gumshoe.web.live import feed
from gumshoe.web.proofs import runner
from gumshoe.web.repairs import aftercare
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles import garage, links

THREADS = 12


def prepare() -> None:
    """Bring the database up to date and put interrupted scans on record."""
    executor = MigrationExecutor(database)
    if executor.migration_plan(executor.loader.graph.leaf_nodes()):
        call_command("migrate", verbosity=0, interactive=False)
    left = scans.recover()
    if left:
        print(f"{left} scan(s) were cut off when the server stopped last; their raw frames are kept with their cases.")


def serve(host: str, port: int) -> None:
    """Listen until stopped (Ctrl-C or SIGTERM), then end feeds, watchers, links and stand-ins."""
    import waitress

    application = get_wsgi_application()
    server = waitress.create_server(application, host=host, port=port, threads=THREADS, ident="gumshoe")

    def stop(_number: int, _frame: FrameType | None) -> None:
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, stop)
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        print("Stopping …", file=sys.stderr)
        feed.stop_all()
        commanding.stop_all()
        aftercare.stop_all()
        runner.stop_all()
        links.close_all()
        garage.stop_all()
