"""Connections to vehicles: one a vehicle, opened when first needed, shared by scan, live and proof."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from django.conf import settings

from gumshoe.core.errors import GumshoeError
from gumshoe.core.obd.errors import BusFailure
from gumshoe.core.obd.link import BusFrame, Link, Timing
from gumshoe.core.obd.present import present_values
from gumshoe.core.obd.who import find_engine
from gumshoe.web.vehicles.cars import NotReachable, car_of
from gumshoe.web.vehicles.models import Vehicle

AT_WORK_S = 10.0
__all__ = ["Connection", "NotReachable", "close_all", "connection", "speed_where_connected"]


class Connection:
    """The link to one vehicle. A bus failure closes it; the next use opens it again."""

    def __init__(self, vehicle: Vehicle) -> None:
        self.vehicle_id, self.way = vehicle.pk, way_of(vehicle)
        self._vehicle = vehicle
        self._words = ""
        self.holds: int | None = None
        """The adapter that the open link holds."""
        self._users, self._used = 0, 0.0
        self._link: Link | None = None
        self._engine: int | None = None
        self._lock = threading.RLock()
        self._tap_lock = threading.Lock()

    @contextmanager
    def use(self, tap: Callable[[BusFrame], None] | None = None) -> Iterator[Link]:
        """The open link, with ``tap`` hearing every frame meanwhile. Raises LinkError or NotReachable.

        The lock is only held while opening: requests of scan, live and proof interleave, each safe by itself.
        """
        with self._lock:
            if self._link is None:
                self._link = self._open()
            link = self._link
            self._users += 1
        try:
            if tap is None:
                yield link
            else:
                with self._tap_lock:  # one listener at a time: two scans do not mix their logs
                    link.tap = tap
                    try:
                        yield link
                    finally:
                        link.tap = None
        except BusFailure:
            self.close()
            raise
        finally:
            self._users, self._used = self._users - 1, time.monotonic()

    @property
    def at_work(self) -> bool:
        """Whether somebody works through it, or did a moment ago: a live view asks again and again."""
        return self._users > 0 or time.monotonic() - self._used < AT_WORK_S

    def engine(self, link: Link) -> int:
        """The id on which the engine's control unit answers, asked for once a link. Raises NoAnswer, BusFailure."""
        if self._engine is None:
            self._engine = find_engine(link)
        return self._engine

    @property
    def plate(self) -> str:
        """Of its vehicle."""
        return self._vehicle.plate

    @property
    def is_open(self) -> bool:
        return self._link is not None

    def close(self) -> None:
        """Give the adapter back."""
        with self._lock:
            self._engine = None
            if self._link is not None:
                self._link.close()
                self._link = None

    @property
    def words(self) -> str:
        """What the scan's record says about the link: as it was opened last, else as it would be."""
        return self._words or car_of(self._vehicle).words

    @property
    def is_there(self) -> bool:
        """Whether it answers without an adapter being waited for."""
        return self.is_open or car_of(self._vehicle).is_there

    def _open(self) -> Link:
        car = car_of(self._vehicle)
        if car.holds is not None:
            holder = free(car.holds, self)
            if holder:
                raise NotReachable(
                    f"The adapter is at work for {holder}.",
                    remedies=(
                        "end what runs there: a live view, a recording, a proof drive",
                        "plug another adapter into this car, and choose it on the Scan page",
                    ),
                )
        self.holds = car.holds
        link = car.link(Timing(margin=settings.LINK_GRACE_S))
        self._words = car.words
        return link


def way_of(vehicle: Vehicle) -> tuple[str, str, int | None]:
    """Which stand-in or adapter is behind it: another one is another connection."""
    return vehicle.stand_in, vehicle.plugged, vehicle.adapter_id


_connections: dict[int, Connection] = {}
_connections_lock = threading.Lock()


def connection(vehicle: Vehicle) -> Connection:
    """The connection of a vehicle; the same object for the same vehicle."""
    with _connections_lock:
        found = _connections.get(vehicle.pk)
        if found is not None and found.way != way_of(vehicle):
            found.close()
            found = None
        if found is None:
            found = _connections[vehicle.pk] = Connection(vehicle)
        return found


def free(adapter: int, but: Connection | None = None) -> str:
    """Let an adapter go that nobody works with: it was plugged into another car. The plate of the car that somebody
    works at through it, else nothing."""
    with _connections_lock:
        holders = [row for row in _connections.values() if row is not but and row.is_open and row.holds == adapter]
    for row in holders:
        if row.at_work:
            return row.plate
        row.close()
    return ""


def speed_where_connected(vehicle: Vehicle) -> float | None:
    """Engine speed now, where the car is connected anyway; None else: nobody waits for an adapter that is not there."""
    link_of = connection(vehicle)
    if not link_of.is_there:
        return None
    try:
        with link_of.use() as link:
            return present_values(link, ("rpm",), link_of.engine(link)).get("rpm")
    except GumshoeError:
        return None


def settings_changed(created: bool, **_: Any) -> None:
    """Links open anew with the next request."""
    if not created:
        close_all()


def adapter_gone(**_: Any) -> None:
    """Nothing is reached any more through an adapter that is off the list."""
    close_all()


def close_all() -> None:
    """Close every link (end of the process, end of a test)."""
    with _connections_lock:
        for item in _connections.values():
            item.close()
        _connections.clear()
