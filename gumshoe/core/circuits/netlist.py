"""What a circuit is made of: elements between nodes, connectors that can be pulled, commands, and where leads may go.

Every element is a resistance, a source with its inner resistance, or a filament; ``GROUND`` is the battery's negative
post. A wire's resistance is that of some metres of usual cable, a contact's that of a clean terminal (common practice).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property

from gumshoe.core.errors import DataError
from gumshoe.core.knowledge.values import Amount, Minutes, Number, Row, Words

GROUND = "0"
OPEN_OHM = 1e9
"""What an open place still passes: dirt and insulation (common practice: above 100 MΩ)."""
PULLED_OHM = 1e10
"""What lies between the halves of a plug that is off, or the clips of a fuse that is out: air."""


UNIT_PLUG = "unit"
"""The connector of a circuit that is the control unit's plug."""


class Kind(StrEnum):
    """What an element is; its faults follow from that."""

    SUPPLY = "supply"
    WIRE = "wire"
    CONTACT = "contact"
    FUSE = "fuse"
    SPLICE = "splice"
    GROUND_POINT = "ground point"
    SWITCH = "switch"
    DRIVER = "driver"
    LOAD = "load"
    LAMP = "lamp"
    PULL = "pull-up or pull-down"
    SENSOR = "sensor"
    INPUT = "input"
    TRACK = "track"
    TERMINATOR = "terminator"
    LATENT = "latent"
    """A path that a sound circuit has not; ``sizes`` are the ohms it has when it is there."""


@dataclass(frozen=True)
class Need(Row):
    """A voltage that must stand between two nodes for an element to switch."""

    plus: str
    minus: str
    volts: Amount


@dataclass(frozen=True)
class Element(Row):
    """One element from ``a`` to ``b``. Ohms; ``volts`` of a supply (+ at ``a``); ``off_ohm`` of what switches and is
    not commanded, or lacks one of its ``needs``; ``volts`` and ``watts`` of a lamp are its rating. ``connector``:
    pulling it opens this contact.

    ``of``: what is renewed or mended when it is at fault: ``part``, ``unit``, ``relay``, the kind of a shared point, a
    member's key, ``wiring of`` a member; empty for the wiring. ``heard``: one hears, feels or sees whether it works.

    ``sound``: how far sound ones differ (standard deviation of the logarithm; below zero: the other way than the rest,
    as the two halves of a potentiometer do); without it what is usual for its kind."""

    id: str
    kind: Kind
    a: str
    b: str
    words: Words
    ohm: Amount = 0.02
    volts: Number = 0.0
    watts: Amount = 0.0
    off_ohm: Amount = 0.0
    connector: str = ""
    pin: str = ""
    colour: str = ""
    of: str = ""
    heard: bool = False
    sound: Number = 0.0
    needs: tuple[Need, ...] = ()
    sizes: tuple[Amount, ...] = ()


@dataclass(frozen=True)
class Place(Row):
    """Where a lead can be put: a node, its words, the minutes to reach it, and whether a test lamp may load it.

    ``behind``: the connector that must be off to reach it (the pins of the part itself). ``member``: of a shared
    point, the key of the part that it lies at."""

    node: str
    words: Words
    minutes: Minutes
    takes_lamp: bool = False
    behind: str = ""
    member: str = ""


@dataclass(frozen=True)
class Circuit:
    """A netlist. ``commanded``: the elements that the command switches (a driver, or what a hand or a tooth does to a
    switch or sensor); without one the circuit has no command. ``stands``: words for command off and on; ``duty``: it is
    commanded as a share of time. ``drops``: pairs of places where a voltage drop is worth reading. ``members``: what
    hangs on a shared point, key to words; ``plug_of``: the member that a connector belongs to; ``drives``: of what is
    commanded, the member that it drives."""

    id: str
    words: str
    elements: tuple[Element, ...]
    places: tuple[Place, ...]
    commanded: tuple[str, ...] = ()
    connectors: dict[str, str] = field(default_factory=dict)
    stands: tuple[str, str] = ("key on, not commanded", "commanded on")
    duty: bool = False
    drops: tuple[tuple[str, str], ...] = ()
    members: dict[str, str] = field(default_factory=dict)
    plug_of: dict[str, str] = field(default_factory=dict)
    drives: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Raises DataError when something is named that is not there."""
        names = [item.id for item in self.elements]
        nodes = set(self.nodes) | {GROUND}
        for name in self.commanded:
            if name not in names:
                raise DataError(f"{self.id}: there is no element “{name}” to command.")
        if len(set(names)) != len(names):
            raise DataError(f"{self.id}: an element appears twice.")
        needed = {node for item in self.elements for need in item.needs for node in (need.plus, need.minus)}
        for node in (*(place.node for place in self.places), *needed):
            if node not in nodes:
                raise DataError(f"{self.id}: there is no node “{node}” for a lead.")
        reached = {place.node for place in self.places} | {GROUND}
        for pair in self.drops:
            if not set(pair) <= reached:
                raise DataError(f"{self.id}: a drop from {pair[0]} to {pair[1]} has no place for a lead.")
        for place in self.places:
            if place.behind and place.behind not in self.connectors:
                raise DataError(f"{self.id}: a lead goes behind a connector “{place.behind}” that is not named.")
        for item in self.elements:
            if item.connector and item.connector not in self.connectors:
                raise DataError(f"{self.id}: {item.id} sits in a connector “{item.connector}” that is not named.")
            if (item.needs or item.id in self.commanded) and not item.off_ohm:
                raise DataError(f"{self.id}: {item.id} switches: it needs an off_ohm.")
            if item.ohm <= 0.0 and item.kind is not Kind.LAMP:
                raise DataError(f"{self.id}: {item.id} needs a resistance above zero.")

    @cached_property
    def nodes(self) -> tuple[str, ...]:
        """Every node but ground, in the order of the elements."""
        found = dict.fromkeys(node for item in self.elements for node in (item.a, item.b))
        return tuple(node for node in found if node != GROUND)

    @cached_property
    def in_plug(self) -> dict[str, tuple[int, ...]]:
        """Which elements each connector opens, by their places."""
        found: dict[str, tuple[int, ...]] = dict.fromkeys(self.connectors, ())
        for place, item in enumerate(self.elements):
            if item.connector:
                found[item.connector] += (place,)
        return found

    @cached_property
    def at_unit(self) -> frozenset[str]:
        """The nodes on either side of the control unit's plug."""
        return frozenset(node for item in self.elements if item.connector == UNIT_PLUG for node in (item.a, item.b))

    def driven(self, alone: str) -> frozenset[str]:
        """What is commanded: everything that can be, or what drives one member of a shared point alone."""
        return frozenset(name for name in self.commanded if not alone or self.drives.get(name) == alone)

    def element(self, name: str) -> Element:
        """The element of that id. Raises DataError when there is none."""
        for item in self.elements:
            if item.id == name:
                return item
        raise DataError(f"{self.id}: there is no element “{name}”.")


@dataclass(frozen=True)
class Setting:
    """How the circuit stands while it is measured: command (0 off to 1 on, between them duty), connectors pulled,
    supply on, jumpers; ``alone``: the one member of a shared point that is commanded, the others being off."""

    command: float = 0.0
    unplugged: frozenset[str] = frozenset()
    powered: bool = True
    jumpers: frozenset[tuple[str, str]] = frozenset()
    alone: str = ""


class Instrument(StrEnum):
    """What is at the leads. Two need none: ``HEARD``: one hears, feels or sees whether a load works; ``LOOK``: the pins
    of a plug are looked at and tried with a spare one."""

    METER = "meter"
    LAMP = "test lamp"
    OHM = "ohmmeter"
    AMMETER = "ammeter"
    SCOPE_HIGH = "oscilloscope, high level"
    SCOPE_LOW = "oscilloscope, low level"
    HEARD = "listen and feel"
    LOOK = "look at the pins"

    @property
    def has_leads(self) -> bool:
        """Whether leads are put somewhere; else a load is listened to, or a plug looked at."""
        return self not in (Instrument.HEARD, Instrument.LOOK)

    @property
    def measures(self) -> bool:
        """Whether it shows a number; else a word."""
        return self not in (Instrument.HEARD, Instrument.LOOK, Instrument.LAMP)


UNITS = {Instrument.OHM: "Ω", Instrument.AMMETER: "A"}


@dataclass(frozen=True)
class Probe:
    """Where the leads go and how the circuit stands. ``plus`` and ``minus`` are nodes; of a load that is listened to,
    ``plus`` is its element, of a plug that is looked at the connector."""

    instrument: Instrument
    plus: str
    minus: str
    setting: Setting

    @classmethod
    def at(
        cls,
        instrument: Instrument,
        plus: str,
        minus: str,
        command: float = 0.0,
        unplugged: Iterable[str] = (),
        jumpers: Iterable[tuple[str, str]] = (),
        alone: str = "",
    ) -> Probe:
        """A probe as a person says it: an ohmmeter goes on without supply, command and jumpers; what has no leads has
        no second place."""
        off = frozenset(unplugged)
        setting = Setting(command, off, jumpers=frozenset((a, b) for a, b in jumpers), alone=alone if command else "")
        if instrument is Instrument.OHM:
            setting = Setting(0.0, off, powered=False)
        return cls(instrument, plus, minus if instrument.has_leads else "", setting)

    @property
    def unit(self) -> str:
        return UNITS.get(self.instrument, "V")
