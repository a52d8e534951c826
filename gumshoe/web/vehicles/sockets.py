"""What a vehicle is plugged into: one of the shop's adapters, or for a stand-in a bus or text adapter of its own."""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.errors import BadInput
from gumshoe.web.settings.models import Adapter
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.models import Vehicle


@dataclass(frozen=True)
class Socket:
    """One of the things it may be plugged into; ``now``: whether it is."""

    value: str
    words: str
    now: bool


def sockets(vehicle: Vehicle) -> tuple[Socket, ...]:
    """What the vehicle may be plugged into; nothing for a car in a file."""
    if vehicle.stand_in:
        ways = garage.ways_to(vehicle.stand_in)
        now = vehicle.plugged if vehicle.plugged in ways else next(iter(ways))
        return tuple(Socket(name, words, name == now) for name, words in ways.items())
    if vehicle.from_log:
        return ()
    return tuple(
        Socket(str(row.pk), row.name + (f", bay {row.bay}" if row.bay else ""), row.pk == vehicle.adapter_id)
        for row in Adapter.objects.all()
    )


def plug_in(vehicle: Vehicle, value: str) -> str:
    """Plug the vehicle into one of these; its words. Raises BadInput when it is none of them."""
    words = next((socket.words for socket in sockets(vehicle) if socket.value == value), "")
    if not words:
        raise BadInput("That adapter is not on the shop's list any more.", remedies=("choose another",))
    if vehicle.stand_in:
        vehicle.plugged = value
    else:
        vehicle.adapter_id = int(value)
    vehicle.save(update_fields=["plugged", "adapter"])
    return words


def plug_in_bay(vehicle: Vehicle, bay: str) -> None:
    """A real vehicle for which nobody chose an adapter is reached through the one of the bay it stands in."""
    if vehicle.adapter_id is None and bay.strip() and not vehicle.stand_in and not vehicle.from_log:
        there = Adapter.objects.filter(bay__iexact=bay.strip()).first()
        if there is not None:
            plug_in(vehicle, str(there.pk))
