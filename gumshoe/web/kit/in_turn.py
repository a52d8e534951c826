"""What is read and then stored happens one at a time in the whole shop, so that nobody decides by what another is just
changing. SQLite's transactions are so by themselves (they are begun to write); PostgreSQL is asked for a lock."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection, transaction

SHOP = 0x6775_6D73
"""The number of the lock."""


@contextmanager
def in_turn() -> Iterator[None]:
    """A transaction beside which no other of these runs; nothing in it may wait for anything. Also a decorator."""
    with transaction.atomic():
        if connection.vendor == "postgresql":
            with connection.cursor() as cursor:
                cursor.execute("SELECT pg_advisory_xact_lock(%s)", [SHOP])
        yield
