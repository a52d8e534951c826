"""The papers of a vehicle: what its platform file and, for a stand-in, its model say of it."""

from __future__ import annotations

from dataclasses import dataclass

from gumshoe.core.circuits.pins import Plug, pin_table
from gumshoe.core.knowledge.platform import limits_of, platforms
from gumshoe.core.knowledge.rows import Specification
from gumshoe.core.obd.actuators import actuators
from gumshoe.core.obd.link import Addressing
from gumshoe.simulator.defects import defects_of
from gumshoe.simulator.fleet import fleet
from gumshoe.simulator.models import models
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case


@dataclass(frozen=True)
class Papers:
    """The documentation of one kind of vehicle. ``limits``: specification, name to value with its unit; ``points``:
    what hangs on each shared feed, ground, reference and plug; ``pins``: the pin table; ``stand_in``: words of the
    kind of stand-in behind it, and how many faults can be put into it."""

    name: str
    known: bool
    words: str
    firing: str
    limits: tuple[tuple[str, str], ...]
    modules: tuple[tuple[str, str, str], ...]
    told: tuple[tuple[str, str, str], ...]
    commands: tuple[tuple[str, str, str], ...]
    points: tuple[tuple[str, tuple[str, ...]], ...]
    pins: tuple[Plug, ...]
    stand_in: str
    faults: int


def papers_of(case: Case) -> Papers:
    """What is known of the vehicle of a case, from its platform file or the generic tables."""
    vehicle, knowledge = case.vehicle, cases.knowledge_of(case)
    platform = platforms().get(vehicle.platform)
    powertrain, specification = knowledge.powertrain, platform.specification if platform else Specification()
    head = platform.platform if platform else None
    usual = Addressing.ELEVEN_BIT
    modules = [
        (name, usual.request_id(number), usual.response_id(number))
        for number, name in enumerate(("Engine", "Transmission, where it has one"))
    ]
    modules += [(row.name, row.request_id, row.response_id) for row in (platform.module if platform else ())]
    stand_in = fleet().get(vehicle.stand_in)
    model = models()[stand_in.model] if stand_in else None
    return Papers(
        name=f"{head.make} {head.model}, {head.years}" if head else str(vehicle),
        known=platform is not None,
        words=powertrain.words,
        firing=powertrain.firing_words,
        limits=limits_of(powertrain, specification),
        modules=tuple((name, f"{asked:03X}", f"{answers:03X}") for name, asked, answers in modules),
        told=tuple((f"{row.id:04X}", row.name, row.unit) for row in (platform.identifier if platform else ())),
        commands=tuple(
            (actuators()[row.actuator].words, f"{row.identifier:04X}", f"{row.feedback:04X}" if row.feedback else "")
            for row in (platform.command if platform else ())
        ),
        points=tuple(
            (point.words, tuple(part.words for part in point.members))
            for point in knowledge.points.values()
            if point.field != "bus"
        ),
        pins=pin_table(knowledge),
        stand_in=model.words if model else "",
        faults=len(defects_of(model)) if model else 0,
    )
