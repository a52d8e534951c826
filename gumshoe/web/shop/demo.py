"""The demo: an invented workshop at an island ferry harbour, with cases in several stages.

Nothing is written into the cases by hand that a vehicle can say: they are worked through the same services the pages
use, against the stand-ins, with simulated time skipped where a person would wait.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone

from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.presets import facts_of, presets
from gumshoe.core.obd.poller import Poller
from gumshoe.core.proof.tracker import replay
from gumshoe.core.signals.derived import Deriver, derived_channels
from gumshoe.core.signals.strips import needed_by
from gumshoe.web.accounts.models import Role, User
from gumshoe.web.bench import circuits
from gumshoe.web.bench import services as bench
from gumshoe.web.bench.stand import Stand
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.models import Case
from gumshoe.web.live import looking, store
from gumshoe.web.live import services as live
from gumshoe.web.live.models import Recording
from gumshoe.web.proofs import runner as proofs_runner
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs.models import ProofChunk, ProofDrive
from gumshoe.web.repairs import clearing, offering, verdicts, working
from gumshoe.web.scans import services as scans
from gumshoe.web.shop.models import Settings
from gumshoe.web.vehicles import description, garage
from gumshoe.web.vehicles import services as cars
from gumshoe.web.vehicles.links import ENGINE_MODULE, connection
from gumshoe.web.vehicles.models import Vehicle

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
)


VAN_CODES = """P0018 confirmed
P000C confirmed
P0300 confirmed pending
P0304 pending
P0101 pending
P0031 confirmed
P0037 confirmed
P0051 confirmed
P0057 confirmed
U0401 confirmed
P0741 history
"""


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
                "owner": owner,
                "stand_in": key,
                "platform": platform,
            },
        )
    return found


def _typed_in(staff: dict[str, User]) -> None:
    """A V6 across, described by hand, its codes typed in: two faults and what follows from them."""
    van, _ = Vehicle.objects.get_or_create(
        plate="HQ 512",
        defaults={"make": "Morrow", "model": "Gannet 3.5", "year": 2013, "owner": "Parcel round", "platform": ""},
    )
    description.store(
        van,
        facts_of(presets()["v6_across"][1]),
    )
    case = cases.open_case(staff["runa"], van, "yard")
    cases.complain(
        case,
        staff["mila"],
        {
            "text": "Rattles for a moment in the morning, shakes at the lights, no power up the ferry ramp.",
            "symptoms": ["start_rattle", "rough_idle", "low_power", "oil_overdue"],
            "lamp": "steady",
            "odometer_km": 187_400,
        },
    )
    scans.type_in(case, staff["runa"], VAN_CODES)


def load(say: Say = print) -> None:
    """Fill an empty demo database. The stand-ins must be running."""
    shop = Settings.load()
    shop.shop_name = "Holmsay Quayside Workshop"
    shop.save()
    staff, fleet_cars = people(), vehicles()
    say("Demo case: a van that is not connected, its codes read over the telephone …")
    _typed_in(staff)
    say("Demo case: a cylinder that misfires, not yet found …")
    _misfire(staff, fleet_cars["tern-dive"])
    say("Demo case: the wrong part was renewed, and the code came back …")
    _came_back(staff, fleet_cars["tern-parcel"])
    say("Demo case: one bank of a V6 runs lean, not yet found …")
    _one_bank(staff, fleet_cars["dunlin-pickup"])
    say("Demo case: a solenoid's circuit code, its wires half measured …")
    _at_the_circuit(staff, fleet_cars["tern-ferry"])
    say("Demo case: found, mended and proven …")
    _proven(staff, fleet_cars["tern-resident"])
    for car in fleet_cars.values():
        running = garage.runner(car.stand_in)
        if running:
            running.stop_driving()
            running.save()


def _misfire(staff: dict[str, User], car: Vehicle) -> None:
    runa = staff["runa"]
    case = _open(
        runa,
        car,
        "2",
        {
            "text": "Shakes at the pier hill, the orange lamp flashed on the way up. At idle it trembles.",
            "symptoms": ["rough_idle", "jerks_under_load", "low_power"],
            "lamp": "flashing",
            "conditions": "hill, engine warm",
            "since": "three days",
            "recent_work": "",
            "odometer_km": 131880,
        },
    )
    _key(car, "on")
    scans.perform(case, runa)


def _one_bank(staff: dict[str, User], car: Vehicle) -> None:
    runa = staff["runa"]
    case = _open(
        runa,
        car,
        "4",
        {
            "text": "Ticks when cold, drinks more than it did. The lamp came on at the slipway.",
            "symptoms": ["exhaust_tick", "high_consumption"],
            "lamp": "steady",
            "conditions": "idle, cold mornings",
            "since": "a month",
            "recent_work": "",
            "odometer_km": 131207,
        },
    )
    _key(car, "on")
    scans.perform(case, runa)
    _record(case, runa, "idle", 0.0)
    _record(case, runa, "fast", 2500.0)


def _at_the_circuit(staff: dict[str, User], car: Vehicle) -> None:
    """The purge valve's code, with the first three readings that its circuit proposes."""
    runa = staff["runa"]
    case = _open(
        runa,
        car,
        "6",
        {
            "text": "The lamp came on in the ferry queue. Drives as always.",
            "symptoms": [],
            "lamp": "steady",
            "conditions": "none noticed",
            "since": "yesterday",
            "recent_work": "",
            "odometer_km": 88140,
        },
    )
    _key(car, "on")
    scans.perform(case, runa)
    for command, node in ((0.0, "control"), (1.0, "feed")):
        stand = Stand(plus=node, command=command)
        circuit = circuits.model_of(case, "purge_valve").circuit
        found = cars.measured(car, circuit, stand.probe)
        if found and found.value is not None:
            circuits.record(case, runa, "purge_valve", stand, str(found.value))


def _came_back(staff: dict[str, User], car: Vehicle) -> None:
    runa = staff["runa"]
    case = _open(
        runa,
        car,
        "1",
        {
            "text": "No pull in the long climb from the harbour, hesitates when pulling away.",
            "symptoms": ["low_power", "hesitation"],
            "lamp": "steady",
            "conditions": "loaded, uphill",
            "since": "two weeks",
            "recent_work": "",
            "odometer_km": 154023,
        },
    )
    _key(car, "on")
    scans.perform(case, runa)
    verdicts.give_verdict(case, runa, "upstream_sensor_lean")
    verdicts.name_cause(case, runa, "", "age")
    _repair(case, runa, "renew_upstream_sensor", "Parcel office", "by phone")
    clear_and_drive(case, runa)


def _proven(staff: dict[str, User], car: Vehicle) -> None:
    teo = staff["teo"]
    case = _open(
        teo,
        car,
        "3",
        {
            "text": "Idles unevenly and hisses since the cold spell; the brake pedal feels hard in the morning.",
            "symptoms": ["rough_idle", "hiss", "hard_brake_pedal"],
            "lamp": "steady",
            "conditions": "idle",
            "since": "a week",
            "recent_work": "",
            "odometer_km": 41277,
        },
    )
    _key(car, "on")
    scans.perform(case, teo)
    _record(case, teo, "idle", 0.0)
    _record(case, teo, "fast", 2500.0)
    for name, typed in (
        ("booster_pedal", {"pedal": "stays hard or hisses"}),
        ("look_hoses", {"found": "booster hose split"}),
    ):
        bench.record(case, teo, bench.test_of(case, name), typed, "")
    verdicts.give_verdict(case, teo, "booster_hose_leak")
    verdicts.name_cause(case, teo, "", "the hose hardens at its clamp")
    _repair(case, teo, "renew_booster_hose", "Ansa Brekke", "at the counter")
    clear_and_drive(case, teo)


# -- inside -----------------------------------------------------------------------------------------------


def _open(user: User, car: Vehicle, bay: str, complaint: dict[str, Any]) -> Case:
    case = cases.open_case(user, car, bay)
    case.opened_at = timezone.now() - timedelta(hours=3 * int(bay))
    case.save(update_fields=["opened_at"])
    cases.complain(case, user, complaint)
    return case


def _key(car: Vehicle, position: str) -> None:
    running = cars.runner_of(car)
    running.stop_driving()
    running.skip(2.0)
    running.key(position)
    running.skip(1.0)


def _record(case: Case, user: User, purpose: str, rpm: float) -> None:
    """A guided recording with simulated time skipped between the answers."""
    running = cars.runner_of(case.vehicle)
    running.key("on")
    running.key("start")
    running.hold_rpm(rpm)
    running.skip(45.0)
    row = next(item for item in live.PURPOSES if item.key == purpose)
    powertrain = cases.powertrain_of(case)
    keys = live.recorded_keys(powertrain)
    channels = looking.steps(case, keys)
    recording = Recording.objects.create(case=case, by=user, label=row.label, purpose=purpose, channels=channels)
    samples = []
    with connection(case.vehicle).use() as link:
        poller, deriver = (
            Poller(link, ENGINE_MODULE, needed_by(keys, powertrain)),
            Deriver(derived_channels(powertrain)),
        )
        origin = running.vehicle.clock_s
        for _ in range(75):
            running.skip(0.2)
            moment = recording.at.timestamp() + running.vehicle.clock_s - origin
            samples += deriver.add([replace(sample, time=moment) for sample in poller.poll()])
    samples = [sample for sample in samples if sample.key in channels]
    store.append(recording, 0, samples, last=True)
    running.hold_rpm(0.0)
    running.key("off")
    running.skip(3.0)
    running.key("on")


def _repair(case: Case, user: User, repair: str, who: str, how: str) -> None:
    line = offering.propose_line(case, user, repair)
    offering.answer(case, user, line.pk, "approved", who, how)
    working.do_work(case, user, line.pk, "", "", None, "")


def clear_and_drive(case: Case, user: User) -> None:
    """Clear, drive the stand-in's proof profile with time skipped, judge."""
    _key(case.vehicle, "on")
    cleared = clearing.clear(case, user, triage=False)
    drive = ProofDrive.objects.create(
        case=case, by=user, clearing=cleared, how="stand-in, as the plan says, time skipped"
    )
    tracker = replay(proofs.plan_of(cleared), [])
    running = cars.runner_of(case.vehicle)
    plan = proofs.still_to_drive(cleared, tracker)
    cars.drive_trips(case.vehicle, proofs.pieces_of(plan), 1.0)
    observations, codes_at = [], 0.0
    with connection(case.vehicle).use() as link:
        while running.vehicle.driving:
            running.skip(2.0)
            with_codes = running.vehicle.clock_s - codes_at > 30.0
            seen = proofs_runner.observe(link, codes=with_codes)
            codes_at = running.vehicle.clock_s if with_codes else codes_at
            observations.append(seen)
            tracker.observe(seen)
    ProofChunk.objects.create(drive=drive, number=0, data=proofs_runner.pack(observations), last=True)
    proofs.finish(case, user)


def needed() -> bool:
    """Whether the demo has not been loaded into this database yet."""
    return not Case.objects.exists()
