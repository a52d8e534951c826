"""The demo: an invented workshop at an island ferry harbour, with cases in several stages.

Nothing is written into the cases by hand that a vehicle can say: they are worked through the same services the pages
use, against the stand-ins, with simulated time skipped where a person would wait.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from pathlib import Path

from django.conf import settings

from gumshoe.core.knowledge.platform import platforms
from gumshoe.demo import stories
from gumshoe.web.accounts.models import Role, User
from gumshoe.web.cases.models import Case
from gumshoe.web.practice import services as practice
from gumshoe.web.settings.models import Settings
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.vehicles.register import customer_named

Say = Callable[[str], None]
PEOPLE = (
    ("runa", "Runa Oskel", Role.TECHNICIAN),
    ("teo", "Teo Varrick", Role.LEAD),
    ("mila", "Mila Sund", Role.ADVISER),
)
CARS = (
    ("tern-library", "HQ 204", "Island library", "ostrel_tern_16", 2014),
    ("tern-dive", "HQ 118", "Dive school", "ostrel_tern_16", 2015),
    ("tern-parcel", "HQ 356", "Parcel round", "ostrel_tern_16", 2016),
    ("tern-resident", "HQ 031", "Ansa Brekke", "ostrel_tern_16", 2017),
    ("tern-ferry", "HQ 265", "Ferry office", "ostrel_tern_16", 2016),
    ("dunlin-pickup", "HQ 277", "Dive school", "ostrel_dunlin_30", 2015),
    ("skua-harbour", "HQ 088", "Harbour office", "havsel_skua_14", 2018),
    ("pipit-baker", "HQ 420", "Baker's round", "havsel_pipit_10", 2017),
    ("gannet-tug", "HQ 640", "The tug's owner", "ostrel_gannet_52", 2013),
    ("fulmar-library", "HQ 517", "Island library", "ostrel_fulmar_20", 2019),
    ("eider-lifeboat", "HQ 009", "Lifeboat crew", "ostrel_eider_50", 2001),
    ("plover-purser", "HQ 720", "The ferry's purser", "havsel_plover_18", 2021),
    ("wigeon-post", "HQ 811", "Post office", "havsel_wigeon_12", 2024),
    ("avocet-chandler", "HQ 052", "Ship's chandler", "ostrel_avocet_22", 2001),
)


def password_file() -> Path:
    """Where the demo's sign-in stands: made at random for each data folder."""
    return Path(settings.DATA_DIR) / "sign-in.txt"


def password() -> str:
    """The demo's password; made on first use."""
    path = password_file()
    if not path.exists():
        path.write_text("quay-" + secrets.token_hex(3), encoding="ascii")
        path.chmod(0o600)
    return path.read_text(encoding="ascii").strip()


def people() -> dict[str, User]:
    """The people of the demo shop."""
    found = {}
    for name, full, role in PEOPLE:
        user, new = User.objects.get_or_create(username=name, defaults={"full_name": full, "role": role})
        if new:
            user.set_password(password())
            user.save()
        found[name] = user
    return found


def vehicles() -> dict[str, Vehicle]:
    """The cars of the demo, each with its stand-in. VINs are left for the scan to read."""
    found = {}
    for key, plate, owner, platform, year in CARS:
        head = platforms()[platform].platform
        found[key], _ = Vehicle.objects.get_or_create(
            plate=plate,
            defaults={
                "make": head.make,
                "model": head.model,
                "year": year,
                "customer": customer_named(owner),
                "stand_in": key,
                "platform": platform,
            },
        )
    return found


def load(say: Say = print) -> None:
    """Fill an empty demo database. The stand-ins must be running."""
    shop = Settings.load()
    shop.shop_name = "Holmsay Quayside Workshop"
    shop.address, shop.phone = "3 Quayside\nHolmsay", "0000 440 21"
    shop.tax_percent = Decimal(20)
    shop.terms = "Renewed parts stay ours until they are paid. Warranty as each line says; what was refused has none."
    shop.save()
    staff, fleet_cars = people(), vehicles()
    exercises = [practice.named(*which)[1] for which in (stories.WORKED, stories.ON_HAND)]
    beside = ThreadPoolExecutor(len(exercises))  # their cars are driven meanwhile, each in a process of its own
    driven = {exercise.digest: beside.submit(practice.ready, exercise) for exercise in exercises}
    say("Demo case: a van that is not connected, its codes read over the telephone …")
    stories.typed_in(staff)
    say("Demo case: a cylinder that misfires, not yet found …")
    stories.misfire(staff, fleet_cars["tern-dive"])
    say("Demo case: the wrong part was renewed, and the code came back …")
    stories.came_back(staff, fleet_cars["tern-parcel"])
    say("Demo case: one bank of a V6 runs lean, not yet found …")
    stories.one_bank(staff, fleet_cars["dunlin-pickup"])
    say("Demo case: a solenoid's circuit code, its wires half measured …")
    stories.at_the_circuit(staff, fleet_cars["tern-ferry"])
    say("Demo case: found, mended and proven …")
    stories.proven(staff, fleet_cars["tern-resident"])
    say("Demo case: approved, and half taken apart …")
    stories.in_pieces(staff, fleet_cars["gannet-tug"])
    say("Demo case: mended and cleared, its proof still open …")
    stories.proof_open(staff, fleet_cars["pipit-baker"])
    say("Demo case: a cheap part, fitted in winter, has failed again …")
    stories.cheap_part(staff)
    say("Demo case: a code that comes every few thousand kilometres, deferred by the owner …")
    stories.deferred(staff)
    say("Demo case: just come in …")
    stories.just_in(staff, fleet_cars["plover-purser"])
    say("Two exercises of practice: one worked, one on hand …")
    stories.practised(staff, {digest: future.result() for digest, future in driven.items()})
    beside.shutdown()
    for car in fleet_cars.values():
        running = garage.runner(car.stand_in)
        if running:
            running.stop_driving()
            running.save()


def needed() -> bool:
    """Whether the demo has not been loaded into this database yet."""
    return not Case.objects.exists()
