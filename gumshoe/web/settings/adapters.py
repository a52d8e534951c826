"""The shop's adapters: opened for a car, and tested, a test beside the pages with its progress to be asked for."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field

from django.conf import settings
from django.db import connection as database
from django.utils import timezone

from gumshoe.core.obd.connect import AdapterSpec, Line, Mark, tested
from gumshoe.core.obd.link import Timing
from gumshoe.web.kit.ports import Port
from gumshoe.web.settings.models import FOUND, Adapter


@dataclass
class Running:
    """A test under way: what is being done now, and whether it has ended."""

    said: list[str] = field(default_factory=list)
    done: bool = False


let_go: Port[[int], str] = Port("who holds an adapter")
"""Frees an adapter that nobody works with; the plate of the car that somebody works at through it, else nothing."""
_running: dict[int, Running] = {}
_lock = threading.Lock()


def start_test(adapter: Adapter) -> Running:
    """Begin to test an adapter; one that is being tested goes on."""
    with _lock:
        found = _running.get(adapter.pk)
        if found is not None and not found.done:
            return found
        running = _running[adapter.pk] = Running()
    threading.Thread(target=_test, args=(adapter.pk, adapter.spec, running), daemon=True).start()
    return running


def test_of(adapter: Adapter) -> Running | None:
    """The test that runs, or ran last in this process."""
    return _running.get(adapter.pk)


def timing() -> Timing:
    """How long is waited for answers, with the shop's grace for slow adapters."""
    return Timing(margin=settings.LINK_GRACE_S)


def at_work_for(plate: str) -> tuple[Line, ...]:
    """What a test says of an adapter that somebody works with."""
    return (
        Line("Adapter", f"is at work for {plate}", Mark.WAIT),
        Line("What to do", "end what runs there, a live view, a recording or a proof drive, and test it again"),
    )


def _test(pk: int, spec: AdapterSpec, running: Running) -> None:
    try:
        holder = let_go(pk)
        lines = at_work_for(holder) if holder else tested(spec, timing(), running.said.append)
        Adapter.objects.filter(pk=pk).update(found=FOUND.write(list(lines)), tested_at=timezone.now())
    finally:
        running.done = True
        database.close()
