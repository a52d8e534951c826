"""The demo's cases, one function each: what stands on the board when somebody opens it for the first time."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal

from django.utils import timezone

from gumshoe.core.knowledge.presets import facts_of, presets
from gumshoe.demo import steps
from gumshoe.practice.prepared import Prepared
from gumshoe.web.accounts.models import User
from gumshoe.web.bench import circuits
from gumshoe.web.bench import services as bench
from gumshoe.web.bench.stand import Stand
from gumshoe.web.cases import services as cases
from gumshoe.web.clearing import services as clearing
from gumshoe.web.ledger import ends
from gumshoe.web.practice import services as practice
from gumshoe.web.practice.models import Level
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs import waiting
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans
from gumshoe.web.suspects import services as suspects
from gumshoe.web.vehicles import description
from gumshoe.web.vehicles.cars import car_of
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.vehicles.register import customer_named
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import services as working

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


WORKED, ON_HAND = ("mixture", 1), ("ignition", 1)
"""The exercises of the demo: course and number."""


def typed_in(staff: dict[str, User]) -> None:
    """A V6 across, described by hand, its codes typed in: two faults and what follows from them."""
    van, _ = Vehicle.objects.get_or_create(
        plate="HQ 512",
        defaults={
            "make": "Morrow",
            "model": "Gannet 3.5",
            "year": 2013,
            "customer": customer_named("Parcel round"),
            "platform": "",
        },
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


def misfire(staff: dict[str, User], car: Vehicle) -> None:
    runa = staff["runa"]
    case = steps.open_case(
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
    steps.turn_key(car, "on")
    scans.perform(case, runa)


def one_bank(staff: dict[str, User], car: Vehicle) -> None:
    runa = staff["runa"]
    case = steps.open_case(
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
    steps.turn_key(car, "on")
    scans.perform(case, runa)
    steps.record(case, runa, "idle", 0.0)
    steps.record(case, runa, "fast", 2500.0)


def at_the_circuit(staff: dict[str, User], car: Vehicle) -> None:
    """The purge valve's code, with the first three readings that its circuit proposes."""
    runa = staff["runa"]
    case = steps.open_case(
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
    steps.turn_key(car, "on")
    scans.perform(case, runa)
    for command, node in ((0.0, "control"), (1.0, "feed")):
        stand = Stand(plus=node, command=command)
        circuit = circuits.model_of(case, "purge_valve").circuit
        found = car_of(car).measure(circuit, stand.probe)
        if found and found.value is not None:
            circuits.record(case, runa, "purge_valve", stand, str(found.value))


def came_back(staff: dict[str, User], car: Vehicle) -> None:
    runa = staff["runa"]
    case = steps.open_case(
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
    steps.turn_key(car, "on")
    scans.perform(case, runa)
    verdicts.give_verdict(case, runa, "upstream_sensor_lean")
    verdicts.name_cause(case, runa, "", "age")
    steps.repair(case, runa, "renew_upstream_sensor", "Parcel office", "by phone")
    steps.clear_and_drive(case, runa)


def proven(staff: dict[str, User], car: Vehicle) -> None:
    teo = staff["teo"]
    case = steps.open_case(
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
    steps.turn_key(car, "on")
    scans.perform(case, teo)
    steps.record(case, teo, "idle", 0.0)
    steps.record(case, teo, "fast", 2500.0)
    for name, typed in (
        ("booster_pedal", {"pedal": "stays hard or hisses"}),
        ("look_hoses", {"found": "booster hose split"}),
    ):
        bench.record(case, teo, bench.test_of(case, name), typed, "")
    verdicts.give_verdict(case, teo, "booster_hose_leak")
    verdicts.name_cause(case, teo, "", "the hose hardens at its clamp")
    steps.repair(case, teo, "renew_booster_hose", "Ansa Brekke", "at the counter")
    steps.clear_and_drive(case, teo)


def in_pieces(staff: dict[str, User], car: Vehicle) -> None:
    """Every coil of one bank without its ground: a repair approved of two ways, and a plug off."""
    runa, teo = staff["runa"], staff["teo"]
    case = steps.open_case(
        runa,
        car,
        "5",
        {
            "text": "Shakes from one moment to the next, the lamp flashed, no pull.",
            "symptoms": ["rough_idle", "low_power"],
            "lamp": "flashing",
            "conditions": "always",
            "since": "since the rain",
            "odometer_km": 163_900,
        },
    )
    steps.turn_key(car, "on")
    scans.perform(case, runa)
    found = next(
        item for item in suspects.assess_case(case)[0].suspects if item.row.component.startswith("ground_coils")
    )
    given = verdicts.give_verdict(case, runa, found.id)
    verdicts.review(case, teo, given.pk, "countersigned", "")
    verdicts.name_cause(case, runa, "", "water under the ring terminal")
    ways = [item.key for item in offering.offers_for(case, found.row.repair)][:1]
    (line,) = offering.propose_offers(case, runa, found.row.repair, ways)
    offering.propose_maintenance(case, runa, "Coolant hose at the heater: swollen, renew it", 36, Decimal("22.50"))
    offering.answer(case, staff["mila"], line.pk, "approved", "The tug's owner", "by phone")
    ends.open_end(case, runa, "coils of the other bank unplugged", "ignition_coil_1")


def proof_open(staff: dict[str, User], car: Vehicle) -> None:
    """The sensor renewed and the codes cleared, and only idled since: the proof waits."""
    runa = staff["runa"]
    case = steps.open_case(
        runa,
        car,
        "7",
        {
            "text": "Drinks too little fuel, if that can be: it jerks on the flat and the lamp is on.",
            "symptoms": ["hesitation"],
            "lamp": "steady",
            "conditions": "pulling away",
            "since": "ten days",
            "odometer_km": 58_020,
        },
    )
    steps.turn_key(car, "on")
    scans.perform(case, runa)
    name = next(
        item.id
        for item in suspects.assess_case(case)[0].suspects
        if item.row.repair == "renew_manifold_pressure_sensor"
    )
    verdicts.give_verdict(case, runa, name)
    verdicts.name_cause(case, runa, "", "age")
    steps.repair(case, runa, "renew_manifold_pressure_sensor", "Baker", "by phone")
    steps.turn_key(car, "on")
    cleared = clearing.clear(case, runa, triage=False)
    steps.drive_skipped(case, runa, cleared, (("idle",),))
    proofs.finish(case, runa)


def just_in(staff: dict[str, User], car: Vehicle) -> None:
    """The complaint is written down, nothing is plugged in yet."""
    complaint = {
        "text": "The lamp came on two days after filling up. It drives as always; in the hold it smells of fuel.",
        "symptoms": ["fuel_smell"],
        "lamp": "steady",
        "conditions": "standing, warm",
        "since": "two days",
        "recent_work": "",
        "odometer_km": 74_310,
    }
    steps.open_case(staff["mila"], car, "8", complaint)


def cheap_part(staff: dict[str, User]) -> None:
    """A heater of an oxygen sensor renewed in winter with a cheap part; the same code stands again."""
    runa = staff["runa"]
    van = steps.on_paper("HQ 142", "ostrel_tern_16", 2015, "Ferry kiosk")
    with steps.days_ago(305):
        winter = steps.earlier(runa, van, 305, 88_200, "The lamp came on in the cold.", "P0135 confirmed")
        line = offering.propose_line(winter, runa, "renew_oxygen_heater_b1s1")
        offering.answer(winter, runa, line.pk, "approved", "Ferry kiosk", "by phone")
        fitting = working.Fitting("QP-77-1", "Quayparts", Decimal("38.00"))
        working.do_work(winter, runa, line.pk, fitting, 30)
    winter.closed_at = winter.opened_at + timedelta(days=1)
    winter.save(update_fields=["closed_at"])
    steps.earlier(staff["mila"], van, 0, 99_650, "The lamp is on again, as in winter.", "P0135 confirmed pending")


def deferred(staff: dict[str, User]) -> None:
    """A crank signal that drops out now and then: three times in the last year, and the owner would rather wait."""
    runa = staff["runa"]
    car = steps.on_paper("HQ 333", "havsel_pipit_10", 2016, "Net maker")
    for days, km in ((330, 61_300), (190, 65_100)):
        with steps.days_ago(days):
            seen = steps.earlier(runa, car, days, km, "Died once at the lights and started again.", "P0335 history")
            scans.type_in(seen, runa, "P0335 confirmed")
        seen.closed_at = seen.opened_at + timedelta(hours=6)
        seen.save(update_fields=["closed_at"])
    case = steps.earlier(
        runa, car, 0, 69_400, "It died once more, on the slipway, and started at once.", "P0335 confirmed"
    )
    leading = suspects.assess_case(case)[0].suspects[0]
    verdicts.give_verdict(case, runa, leading.id)
    verdicts.name_cause(case, runa, "", "looked for, not found")
    line = offering.propose_line(case, runa, leading.row.repair)
    offering.answer(case, staff["mila"], line.pk, "deferred", "Net maker", "at the counter")
    waiting.follow_up(case, staff["mila"], timezone.localdate() + timedelta(days=21), 2000, "see whether it came again")


def practised(staff: dict[str, User], ready: dict[str, Prepared]) -> None:
    """Two exercises: one worked to its end with a detour and looked back at, one on hand with the suspects hidden."""
    runa = staff["runa"]
    course, exercise = practice.named(*WORKED)
    attempt = practice.begin(runa, exercise, ready[exercise.digest], Level.GUIDED, course.id)
    case = attempt.case
    steps.turn_key(case.vehicle, "on")
    scans.perform(case, runa)
    steps.record(case, runa, "idle", 0.0)
    steps.repair(case, runa, "renew_booster_hose", "the customer", "by phone")
    bench.record(case, runa, bench.test_of(case, "look_hoses"), {"found": "crankcase hose split"}, "")
    verdicts.give_verdict(case, runa, "crankcase_hose_split")
    verdicts.name_cause(case, runa, "", "age")
    steps.repair(case, runa, "renew_crankcase_hose", "the customer", "by phone")
    steps.clear_and_drive(case, runa)
    practice.end(attempt)
    practice.look_back(attempt)
    course, exercise = practice.named(*ON_HAND)
    attempt = practice.begin(runa, exercise, ready[exercise.digest], Level.NO_SUSPECTS, course.id)
    steps.turn_key(attempt.case.vehicle, "on")
    scans.perform(attempt.case, runa)
