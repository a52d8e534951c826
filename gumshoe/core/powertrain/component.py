"""What a component is called: its kind and its position, with one parser and one printer.

``coolant_sensor``, ``spark_plug_3``, ``catalyst_b2`` (bank 1 is not said), ``oxygen_sensor_b1s2``,
``cam_sensor_b2_exhaust``, ``shift_solenoid_C``. The tables write ``{n}``, ``{bb}``, ``{b}``, ``{m}``,
``{P}`` where the position is filled in.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache

_WRITTEN = re.compile(
    r"(?P<kind>[a-z][a-z0-9_]*?)"
    r"(?:_b(?P<of_bank>\d)s(?P<sensor>\d)"
    r"|(?:_b(?P<bank>\d))?(?:_(?P<cam>intake|exhaust))?(?:_(?P<cylinder>\d+)|_(?P<letter>[A-Z]))?)"
)
_PLACEHOLDERS = (("_b{b}s{s}", "_b1s1"), ("_b{b}s", "_b1s"), ("{bb}", ""), ("_{n}", "_1"), ("_{m}", ""), ("_{P}", "_A"))


@dataclass(frozen=True)
class ComponentRef:
    """One component. ``bank`` is 1 also for what belongs to no bank; ``cylinder`` and ``sensor`` are 0 where there is
    none; ``letter`` numbers pairs of cylinders and solenoids."""

    kind: str
    bank: int = 1
    cylinder: int = 0
    sensor: int = 0
    cam: str = ""
    letter: str = ""

    @classmethod
    def parse(cls, name: str) -> ComponentRef:
        """Read a component's name; one that is not of this form is a kind by itself."""
        return _parsed(name)

    @classmethod
    def of_template(cls, name: str) -> ComponentRef:
        """The first component that a name with placeholders stands for."""
        for written, first in _PLACEHOLDERS:
            name = name.replace(written, first)
        return cls.parse(name)

    def __str__(self) -> str:
        if self.sensor:
            return f"{self.kind}_b{self.bank}s{self.sensor}"
        tails = (
            f"b{self.bank}" if self.bank > 1 and not self.cylinder else "",
            self.cam,
            str(self.cylinder or ""),
            self.letter,
        )
        return "_".join((self.kind, *filter(None, tails)))


@cache
def _parsed(name: str) -> ComponentRef:
    found = _WRITTEN.fullmatch(name)
    if found is None:
        return ComponentRef(name)
    return ComponentRef(
        found["kind"],
        int(found["of_bank"] or found["bank"] or 1),
        int(found["cylinder"] or 0),
        int(found["sensor"] or 0),
        found["cam"] or "",
        found["letter"] or "",
    )
