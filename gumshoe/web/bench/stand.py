"""How the circuit on the screen stands, as its address says it: so that it outlives an interruption and has a link."""

from __future__ import annotations

from dataclasses import dataclass, replace
from urllib.parse import urlencode

from django.http import QueryDict

from gumshoe.core.circuits import GROUND, Circuit, Instrument, Probe
from gumshoe.core.entry import float_of
from gumshoe.core.errors import BadInput


@dataclass(frozen=True)
class Stand:
    """Instrument, leads, command (0 to 1), plugs off, jumpers, the one member commanded ``alone``; ``moves`` says which
    lead the next click puts down."""

    instrument: Instrument = Instrument.METER
    plus: str = ""
    minus: str = GROUND
    command: float = 0.0
    unplugged: frozenset[str] = frozenset()
    jumpers: frozenset[tuple[str, str]] = frozenset()
    moves: str = "plus"
    alone: str = ""

    @property
    def probe(self) -> Probe:
        return Probe.at(self.instrument, self.plus, self.minus, self.command, self.unplugged, self.jumpers, self.alone)

    @property
    def query(self) -> str:
        """The address's query for this stand."""
        found = {
            "with": self.instrument.name,
            "plus": self.plus,
            "minus": self.minus,
            "command": f"{100.0 * self.command:g}",
            "off": ",".join(sorted(self.unplugged)),
            "jumpers": ",".join(f"{a}~{b}" for a, b in sorted(self.jumpers)),
            "moves": self.moves,
            "alone": self.alone,
        }
        return urlencode({key: value for key, value in found.items() if value})

    def with_lead(self, node: str) -> Stand:
        """The lead that moves is put on a node; the other one moves next only when it is asked to."""
        return replace(self, plus=node) if self.moves == "plus" else replace(self, minus=node)

    def by(self, instrument: Instrument, plus: str) -> Stand:
        """The same with another instrument, its first lead there."""
        return replace(self, instrument=instrument, plus=plus)

    def toggled(self, connector: str) -> Stand:
        """A plug taken off or put on."""
        return replace(self, unplugged=self.unplugged ^ {connector})


def stand_of(circuit: Circuit, query: QueryDict) -> Stand:
    """The stand in a request. Raises BadInput for a command that is no number; unknown names are refused later."""
    name = query.get("with", "METER")
    if name not in Instrument.__members__:
        raise BadInput(f"There is no instrument “{name[:30]}”.", remedies=("choose one from the list",))
    text = query.get("command", "") or "0"
    command = float_of(text, "Command", 0.0, 100.0) / 100.0
    pairs = [pair.partition("~") for pair in query.get("jumpers", "").split(",") if pair]
    first = next((place.node for place in circuit.places if not place.behind), "")
    return Stand(
        Instrument[name],
        query.get("plus", "") or first,
        query.get("minus", "") or GROUND,
        command,
        frozenset(item for item in query.get("off", "").split(",") if item),
        frozenset((a, b) for a, _, b in pairs),
        "minus" if query.get("moves") == "minus" else "plus",
        query.get("alone", ""),
    )


def stand_for(probe: Probe) -> Stand:
    """The stand that puts the leads where a probe has them."""
    setting = probe.setting
    return Stand(
        probe.instrument,
        probe.plus,
        probe.minus or GROUND,
        setting.command,
        setting.unplugged,
        setting.jumpers,
        alone=setting.alone,
    )
