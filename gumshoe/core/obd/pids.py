"""The PID table: bytes of services 01 and 02 to values in the units a technician reads, and back."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cache
from pathlib import Path

from gumshoe.core.knowledge.tables import load_table
from gumshoe.core.knowledge.values import Byte, Bytes, Count, Number, Row, Scale, Words

FILE = Path(__file__).with_name("pids.toml")
_PLACE = re.compile(r"b(\d)s(\d)")


class FieldKind(StrEnum):
    """Whether a field is a quantity or a set of bits that another module reads."""

    NUMBER = "number"
    BITS = "bits"


@dataclass(frozen=True)
class Field(Row):
    """One quantity inside a PID: ``value = raw * scale + offset`` (SAE J1979)."""

    key: str
    name: Words
    unit: str
    at: Count
    size: Bytes
    scale: Scale = 1.0
    offset: Number = 0.0
    signed: bool = False
    kind: FieldKind = FieldKind.NUMBER
    bit: int | None = None
    """Bit of the PID's first byte that says whether the car has this field; None: it always has."""
    absent: int | None = None
    """The raw value that says that the car has no such thing."""
    most: str = ""
    """The channel that tells the largest value, where a car has another than the usual (PIDs 4F and 50)."""

    def told(self, data: bytes) -> bool:
        """Whether the car has this field."""
        if self.bit is not None and not data[0] >> self.bit & 1:
            return False
        return self.absent is None or int.from_bytes(data[self.at : self.at + self.size], "big") != self.absent

    def read(self, data: bytes) -> float:
        """The value held in the PID's data bytes."""
        raw = int.from_bytes(data[self.at : self.at + self.size], "big", signed=self.signed)
        return raw * self.scale + self.offset

    def write(self, value: float) -> bytes:
        """The bytes for ``value``, rounded and held within the field's range."""
        raw = round((value - self.offset) / self.scale)
        top = 1 << (8 * self.size - (1 if self.signed else 0))
        raw = min(max(raw, -top if self.signed else 0), top - 1)
        return raw.to_bytes(self.size, "big", signed=self.signed)

    @property
    def low(self) -> float:
        """The smallest value the field can hold."""
        return (-(1 << (8 * self.size - 1)) if self.signed else 0) * self.scale + self.offset

    @property
    def high(self) -> float:
        """The largest value the field can hold."""
        return ((1 << (8 * self.size - (1 if self.signed else 0))) - 1) * self.scale + self.offset


@dataclass(frozen=True)
class Pid(Row):
    """One parameter of service 01: its number, how many data bytes it has and what they hold."""

    id: Byte
    size: Bytes
    fields: tuple[Field, ...]
    longest: Count = 0
    """How many bytes it may have on some cars; 0: always ``size``. What comes after ``size`` is passed over."""

    def decode(self, data: bytes) -> dict[str, float]:
        """Values by field key, of the fields that the car has. ``data`` holds exactly this PID's bytes."""
        return {item.key: item.read(data) for item in self.fields if item.told(data)}

    def encode(self, values: Mapping[str, float]) -> bytes:
        """Data bytes for the given values; fields not given are zero, and said not to be there."""
        data = bytearray(self.size)
        for item in self.fields:
            if item.key in values:
                data[item.at : item.at + item.size] = item.write(values[item.key])
                if item.bit is not None:
                    data[0] |= 1 << item.bit
        return bytes(data)


@dataclass(frozen=True)
class PidsFile(Row):
    pid: tuple[Pid, ...] = field(default_factory=tuple)


@cache
def pid_table() -> dict[int, Pid]:
    """Every PID we can decode, by number."""
    document = load_table(FILE, PidsFile)
    return {pid.id: pid for pid in document.pid}


USUAL_MOST = {
    "most_lambda": 2.0,
    "most_oxygen_v": 8.0,
    "most_oxygen_ma": 128.0,
    "most_map_kpa": 255.0,
    "most_maf_gps": 655.35,
}
"""What the largest values are where a car does not say otherwise (SAE J1979 PIDs 4F and 50 [S])."""
IN_FOUR = "oxygen_sensors_in_four"
"""The channel of a car that has its oxygen sensors in four banks of two, and not in two of four (PID 1D for 13)."""
OF_OXYGEN_SENSORS = (*range(0x14, 0x1C), *range(0x24, 0x2C), *range(0x34, 0x3C))
"""The numbers whose places that changes (SAE J1979 [S])."""
SAY_HOW = (0x1D, 0x4F, 0x50)
"""The numbers that say how others are meant."""


def how_meant(values: Mapping[str, float]) -> dict[str, float]:
    """Of these values, the ones that say how others are meant."""
    return {key: value for key, value in values.items() if key == IN_FOUR or key in USUAL_MOST}


def as_meant(values: Mapping[str, float], how: Mapping[str, float]) -> dict[str, float]:
    """Values as this car means them: by its own largest values (zero means the usual one) and its own places of oxygen
    sensors. ``values`` as they stand in the table."""
    fields, found = fields_by_key(), {}
    places = {key: place for place, key in _key_in_four().items()} if IN_FOUR in how else {}
    for key, value in values.items():
        told = how.get(fields[key].most, 0.0) if key in fields and fields[key].most else 0.0
        found[places.get(key, key)] = value * told / USUAL_MOST[fields[key].most] if told else value
    return found


@cache
def fields_by_key() -> dict[str, Field]:
    """Every field, by key: the place to ask for a channel's name and unit."""
    fields = {item.key: item for pid in pid_table().values() for item in pid.fields}
    for place, key in _key_in_four().items():
        if place not in fields:  # banks 3 and 4
            name = fields[key].name.replace(_in_words(key), _in_words(place))
            fields[place] = replace(fields[key], key=place, name=name)
    return fields


@cache
def _key_in_four() -> dict[str, str]:
    """By the channel of an oxygen sensor in four banks of two: the key of its field in the table, which has two of
    four."""
    found = {}
    for number in OF_OXYGEN_SENSORS:
        bank, sensor = divmod((number - 0x14) % 8, 2)
        for item in pid_table()[number].fields:
            found[_PLACE.sub(f"b{bank + 1}s{sensor + 1}", item.key)] = item.key
    return found


def _in_words(key: str) -> str:
    place = _PLACE.search(key)
    return f"bank {place[1]} sensor {place[2]}" if place else ""


@cache
def pid_of_key(*, in_four: bool = False) -> dict[str, int]:
    """The PID number that carries each field; ``in_four``: of a car with four banks of oxygen sensors."""
    numbers = {item.key: pid.id for pid in pid_table().values() for item in pid.fields}
    if not in_four:
        return numbers
    moved = {place: numbers[key] for place, key in _key_in_four().items()}
    return {key: number for key, number in numbers.items() if number not in OF_OXYGEN_SENSORS} | moved


def supported_from_bitmap(base: int, data: bytes) -> set[int]:
    """PIDs announced by the bitmap PID ``base`` (00, 20, 40 …): bit 31 is base + 1."""
    word = int.from_bytes(data, "big")
    return {base + 1 + bit for bit in range(32) if word >> (31 - bit) & 1}


def bitmap_for(base: int, pids: Iterable[int]) -> bytes:
    """The bitmap that announces ``pids`` in the range after ``base``."""
    word = 0
    for pid in pids:
        if base < pid <= base + 32:
            word |= 1 << (31 - (pid - base - 1))
    return word.to_bytes(4, "big")


def read_current(
    payload: bytes, asked: Iterable[int], between: int = 0, page: bytes = b""
) -> tuple[dict[int, bytes], str]:
    """Cut a positive answer to service 01 (``41`` then PID, data, PID, data …) into its parts, and say what was wrong.
    ``between``: bytes between a PID and its data, as the frame's number in answers to service 02; ``page``: what stands
    before each PID, as in the identifiers of service 22.

    Only PIDs that were asked for are accepted, each once; what follows something that cannot be read is left, and so is
    what stands before a PID that nobody asked for: its length is not the standard's.
    """
    left = set(asked)
    parts: dict[int, bytes] = {}
    position = 1
    while position < len(payload):
        here = payload[position : position + len(page) + 1]
        number = here[-1]
        if number not in left or not here.startswith(page) or len(here) <= len(page):
            if parts:
                parts.popitem()
            return parts, f"The module sent PID {here.hex().upper()}, which was not asked for."
        position += len(page)
        shortest, longest = _sizes(number)
        position += between
        data = payload[position + 1 : position + 1 + shortest]
        if len(data) < shortest:
            return parts, f"PID {number:02X} should have {shortest} data bytes, {len(data)} arrived."
        left.discard(number)
        parts[number] = data
        position += 1 + shortest
        more = longest - shortest
        if more and position < len(payload):
            after = payload[position + len(page) : position + len(page) + 1]
            known = payload.startswith(page, position) and after and after[0] in left
            if not known or len(payload) == position + more:
                position += more
    return parts, ""


@cache
def _sizes(number: int) -> tuple[int, int]:
    if number % 0x20 == 0:
        return 4, 4
    pid = pid_table()[number]
    return pid.size, max(pid.size, pid.longest)


def readable(data: bytes) -> str:
    """Printable ASCII of a padded field; anything else is dropped, so that a bad module cannot draw on a screen."""
    return "".join(chr(byte) for byte in data if 32 <= byte < 127).strip()
