"""What web tests share: people, a car with a stand-in of its own, and a clean end."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from gumshoe.simulator.garage import Runner, StandIn
from gumshoe.web.accounts.models import Role, User
from gumshoe.web.bench import commanding
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing import aftercare
from gumshoe.web.kit.beside import Task
from gumshoe.web.live import feed
from gumshoe.web.proofs import runner as proofs_runner
from gumshoe.web.vehicles import garage, links
from gumshoe.web.vehicles.models import Vehicle

PASSWORD = "a-long-test-password"


def stand_in(
    key: str = "test-car",
    *,
    defects: tuple[str, ...] = (),
    history: tuple[str, ...] = (),
    seed: int = 5,
    vin: str = "UY0TN16A9G2000001",
    coolant_c: float = 84.0,
) -> StandIn:
    """A stand-in for tests, apart from the demo's fleet."""
    return StandIn(key, f"test car {key}", vin, "TESTCAL-0001", 0x12345678, defects, seed, 60_000.0, history, coolant_c)


def person(name: str = "tess", role: str = Role.TECHNICIAN) -> User:
    """Somebody with a role."""
    return User.objects.create_user(name, password=PASSWORD, role=role, full_name=name.capitalize())


def car(key: str = "test-car", plate: str = "T 1") -> Vehicle:
    """A vehicle with the stand-in of that key behind it."""
    return Vehicle.objects.create(plate=plate, make="Ostrel", model="Tern 1.6", stand_in=key, platform="ostrel_tern_16")


def case_of(user: User, vehicle: Vehicle, *symptoms: str) -> Case:
    """A case with a complaint."""
    case = cases.open_case(user, vehicle)
    cases.complain(
        case,
        user,
        {
            "text": "idles unevenly",
            "symptoms": list(symptoms),
            "lamp": "steady",
            "conditions": "",
            "since": "",
            "recent_work": "",
            "odometer_km": 60_000,
        },
    )
    return case


_driven: dict[StandIn, dict[str, Any]] = {}


def at_once(task: Task, _patience_s: float) -> Task:
    """In place of what is begun beside: it is done here and now."""
    task.carry_out()
    return task


def start(spec: StandIn) -> Runner:
    """Run a stand-in without a state file. Its history is driven once; later tests take over the state it led to."""
    if spec not in _driven:
        runner = garage.start(spec, None)
        with runner.lock:
            _driven[spec] = runner.vehicle.save()
        return runner
    runner = garage.start(replace(spec, history=()), None)
    with runner.lock:
        runner.vehicle.restore(_driven[spec])
    return runner


def stop_everything() -> None:
    """End feeds, watchers, links and stand-ins, in that order."""
    feed.stop_all()
    commanding.stop_all()
    aftercare.stop_all()
    proofs_runner.stop_all()
    links.close_all()
    garage.stop_all()
