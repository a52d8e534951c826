"""The shop's past does not slow the present: no page asks more of the database because more was done before."""

from __future__ import annotations

from collections.abc import Callable
from io import StringIO
from unittest import mock

import numpy as np
from django.core.management import CommandError, call_command
from django.db import connection, models
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.demo.growing import grow, settle
from gumshoe.web.accounts.models import Role
from gumshoe.web.cases.finding import CASES
from gumshoe.web.cases.models import Case, Complaint, Note, State
from gumshoe.web.clearing.models import Clearing
from gumshoe.web.finding import services as finding
from gumshoe.web.history import learned, sums
from gumshoe.web.history.models import FittedPart, LifeSum, Outcome, OutcomeSum
from gumshoe.web.live import store
from gumshoe.web.proofs.models import Judgement
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles import register
from gumshoe.web.vehicles.models import Customer, Vehicle
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work.models import Work
from tests.web import support

MOST_QUERIES = 25
CASE_PAGES = (
    "cases:complaint", "papers:powertrain", "scans:scan", "scans:read", "scans:misfire", "live:live",
    "suspects:suspects", "bench:bench", "bench:hand", "verdicts:repair", "proposal:lines", "work:work",
    "clearing:clear", "proofs:prove", "reports:report", "reports:file", "papers:systems", "papers:notes",
    "crew:hand_over", "proposal:counter", "reports:label",
)  # fmt: skip


def pages(case: Case) -> dict[str, str]:
    """Every page of a case, and the shop's own."""
    found = {name: reverse(name, args=[case.pk]) for name in CASE_PAGES}
    return found | {
        "board": reverse("board:board"),
        "parts": reverse("history:parts"),
        "history": reverse("history:history", args=[case.vehicle_id]),
        "vehicle": reverse("finding:vehicle", args=[case.vehicle_id]),
        "new case": reverse("cases:new"),
        "cases": reverse("finding:cases"),
        "vehicles": reverse("finding:vehicles"),
        "customers": reverse("finding:customers"),
        "found": f"{reverse('finding:find')}?q=P0171",
        "found as typed": f"{reverse('finding:as_typed')}?q=t9",
        "intake as typed": f"{reverse('cases:new_typed')}?q=tern",
    }


class Scale(TestCase):
    def setUp(self) -> None:
        self.lead = support.person("lena", Role.LEAD)
        self.client.force_login(self.lead)
        self.case = support.case_of(self.lead, support.car("", "T 9"), "rough_idle")
        scans.type_in(self.case, self.lead, "P0171 confirmed P0303 pending")
        verdicts.give_verdict(self.case, self.lead, "crankcase_hose_split")
        offering.propose_line(self.case, self.lead, "renew_crankcase_hose")

    def queries(self) -> dict[str, int]:
        found = {}
        for name, address in pages(self.case).items():
            with CaptureQueriesContext(connection) as asked:
                self.assertEqual(self.client.get(address).status_code, 200, name)
            found[name] = len(asked)
        return found

    def test_no_page_asks_more_because_more_was_done(self) -> None:
        grow(self.lead, 12, "A")
        settle()
        few = self.queries()
        grow(self.lead, 60, "B")
        settle()
        many = self.queries()
        self.assertEqual({name: n for name, n in many.items() if n > few[name]}, {})
        self.assertEqual({name: n for name, n in many.items() if n > MOST_QUERIES}, {})
        # A case with work, clearing and verdict on record, and whatever else was recorded.
        self.case = Case.objects.exclude(pk=self.case.pk).filter(judgements__verdict="proven").last()
        Case.objects.filter(pk=self.case.pk).update(closed_at=None)
        self.case.refresh_from_db()
        turned = Recording({"rpm": Channel(np.array([0.0, 1.0]), np.array([800.0, 810.0]))})
        for number in range(6):
            store.keep(self.case, self.lead, turned, {"rpm": 0.25}, label=f"run {number}")
        for page in pages(self.case).values():
            self.client.get(page)  # a recording is judged once, and kept
        self.assertEqual({name: n for name, n in self.queries().items() if n > MOST_QUERIES}, {})

    def test_no_more_is_asked_right_after_an_entry(self) -> None:
        """Whoever enters something has it counted, and put into the search; the next page finds it done."""
        grow(self.lead, 12, "A")
        settle()
        first = {}
        for name, address in pages(self.case).items():
            entry = reverse("scans:typed", args=[self.case.pk]), {"codes": "P0171 confirmed P0303 pending"}
            self.assertEqual(self.client.post(*entry).status_code, 302)
            with CaptureQueriesContext(connection) as asked:
                self.client.get(address)
            first[name] = len(asked)
        self.assertEqual({name: n for name, n in first.items() if n > MOST_QUERIES}, {})

    def test_the_sums_are_those_of_going_through_every_case(self) -> None:
        grow(self.lead, 40, "A")
        counted = learned.outcomes_of_the_shop()
        slow: dict[tuple[str, str, bool], int] = {}
        for case in Case.objects.filter(judgements__isnull=False).distinct():
            verdict = case.judgements.last().verdict
            for row in case.verdicts.all():
                if verdict in ("proven", "came back"):
                    key = (row.suspect, case.vehicle.platform, verdict == "proven" and row == case.verdicts.last())
                    slow[key] = slow.get(key, 0) + 1
        self.assertEqual(dict(counted), slow)

    def test_what_was_found_is_found_anew_when_something_is_stored(self) -> None:
        grow(self.lead, 8, "A")
        before = learned.learned_for(self.case)
        grow(self.lead, 40, "B")
        self.assertNotEqual(before, learned.learned_for(self.case))


class Sums(TestCase):
    """What is kept of the shop's past is what counting all of it gives, whatever was entered, changed or merged."""

    def setUp(self) -> None:
        self.lead = support.person("lena", Role.LEAD)
        grow(self.lead, 30, "A")
        self.cars = list(Vehicle.objects.order_by("pk")[:4])

    def kept(self) -> list[object]:
        """Every sum, as it stands."""
        sums.up_to_date()
        return [
            sorted(Outcome.objects.values_list("case", "suspect", "platform", "proven", "number")),
            sorted(OutcomeSum.objects.values_list("suspect", "platform", "proven", "number")),
            sorted(FittedPart.objects.values_list("vehicle", "kind", "make", "km", "failed")),
            sorted((row.kind, row.make, row.fitted, row.failed, row.longest_km, row.median_km) for row in self.lives()),
            sorted(State.objects.values_list("case", "proof", "unproven")),
            list(Vehicle.objects.order_by("pk").values_list("pk", "visits", "seen")),
            list(Customer.objects.order_by("pk").values_list("pk", "cars", "seen")),
        ]

    def lives(self) -> list[LifeSum]:
        return list(LifeSum.objects.all())

    def right(self, what: str) -> list[object]:
        kept = self.kept()
        sums.rebuild()
        self.assertEqual(kept, self.kept(), what)
        self.assertEqual(kept[4:], self.by_hand(), what)
        return kept

    def by_hand(self) -> list[object]:
        """Proofs, visits and cars as somebody counts them who goes through the folders."""
        cases, cars = list(Case.objects.order_by("pk")), list(Vehicle.objects.order_by("pk"))
        here = {car.pk: [case.opened_at for case in cases if case.vehicle_id == car.pk] for car in cars}
        owned = [car.customer_id for car in cars if car.same_as_id is None]
        people = Customer.objects.order_by("pk")
        brought = {row.pk: [case.opened_at for case in cases if case.customer_id == row.pk] for row in people}
        ended = {case.pk: [row.verdict for row in case.judgements.order_by("at", "pk")][-1:] for case in cases}
        worked = set(Work.objects.values_list("case", flat=True))
        return [
            [(pk, "".join(last), last != ["proven"] and pk in worked) for pk, last in ended.items()],
            [(car.pk, len(here[car.pk]), max(here[car.pk], default=None)) for car in cars],
            [(pk, owned.count(pk), max(times, default=None)) for pk, times in brought.items()],
        ]

    def changes(self, what: str, change: Callable[[], object]) -> None:
        before = self.right(f"before {what}")
        change()
        self.assertNotEqual(self.right(what), before, what)

    def test_kept_is_what_counting_anew_gives(self) -> None:
        case = support.case_of(self.lead, self.cars[0], "rough_idle")
        self.assertEqual(self.right("a new case")[5][0][1], 3)
        scans.type_in(case, self.lead, "P0171 confirmed")
        Complaint.objects.create(
            case=case, by=self.lead, text="worse", odometer_km=150_000
        )  # a second one, the same visit
        self.changes("a verdict and its judgement", lambda: self.judged(case, "proven"))
        self.changes("another one", lambda: self.judged(case, "came back"))
        self.changes("no verdict any more", lambda: self.judged(case, "not yet"))
        self.changes("the same part again", lambda: self.worked(case))
        first, second, third, last = self.cars
        self.changes("another owner", lambda: register.change_owner(first, self.lead, last.customer))
        self.changes("another kind of car", lambda: self.as_platform(third, "ostrel_tern_16"))
        self.changes("two that are one", lambda: register.merge(third, second, self.lead))
        owners = list(Customer.objects.order_by("pk")[:2])
        self.changes("two people who are one", lambda: register.merge(owners[0], owners[1], self.lead))
        self.changes("more of everything", lambda: grow(self.lead, 12, "B"))

    def judged(self, case: Case, verdict: str) -> None:
        if not case.verdicts.exists():
            verdicts.give_verdict(case, self.lead, "crankcase_hose_split")
            offering.propose_line(case, self.lead, "renew_crankcase_hose")
        cleared = Clearing.objects.create(case=case, by=self.lead, before=case.scans.last(), modules=[])
        Judgement.objects.create(case=case, by=self.lead, clearing=cleared, verdict=verdict)

    def worked(self, case: Case) -> None:
        for km in (180_000, 190_000):
            Work.objects.create(case=case, by=self.lead, line=case.lines.last(), part_make="Gamma", odometer_km=km)

    def as_platform(self, vehicle: Vehicle, platform: str) -> None:
        vehicle.refresh_from_db()
        self.assertNotEqual(vehicle.platform, platform)
        vehicle.platform = platform
        vehicle.save()

    def test_nothing_is_looked_at_that_has_not_changed(self) -> None:
        sums.up_to_date()
        finding.catch_up()
        case = Case.objects.first()
        assert case is not None
        with CaptureQueriesContext(connection) as asked:
            sums.up_to_date()
            list(CASES.stale())
        ours = [query for query in asked.captured_queries if "cases_state" in query["sql"]]
        self.assertEqual(len(ours), 2)
        for query in ours if connection.vendor == "sqlite" else ():
            with connection.cursor() as cursor:
                cursor.execute(f"EXPLAIN QUERY PLAN {query['sql']}")
                plan = "; ".join(str(row[-1]) for row in cursor.fetchall())
            self.assertNotRegex(plan, r"SCAN (?!\w+ USING INDEX)", query["sql"])

    def test_an_entry_that_changes_no_sum_counts_nothing(self) -> None:
        case = support.case_of(self.lead, self.cars[0], "rough_idle")
        sums.up_to_date()
        Note.objects.create(case=case, by=self.lead, text="rattles")
        self.assertEqual(sums.count_some(), 0)
        Complaint.objects.create(case=case, by=self.lead, text="rattles", odometer_km=123_456)
        self.assertEqual(sums.count_some(), 1)

    def test_one_car_that_cannot_be_read_stops_nobody(self) -> None:
        """What a version of before or after has stored of it."""
        car, case = self.cars[0], Case.objects.filter(vehicle=self.cars[0]).first()
        assert case is not None
        models.QuerySet.update(Vehicle.objects.filter(pk=car.pk), powertrain={"fuel": "steam"}, counted=False)
        models.QuerySet.update(case.scans.all(), snapshot={"v": 99, "body": {}})
        Case.entered(case.pk)
        self.client.force_login(self.lead)
        for address in ("/", "/cases/", "/vehicles/", "/customers/", "/parts/", "/cases/new/", "/find/?q=A0"):
            self.assertEqual(self.client.get(address).status_code, 200, address)
        self.assertContains(self.client.get("/find/?q=A0"), case.number)
        self.assertEqual(sums.count_some(), 0)
        self.assertEqual(finding.catch_up(), 0)

    def test_a_shop_grows_by_command(self) -> None:
        said = StringIO()
        support.case_of(self.lead, self.cars[0])
        with mock.patch("gumshoe.serving.server.prepare"):  # a test's database is made
            with self.assertRaisesMessage(CommandError, "cases of its own"):
                call_command("grow", "7", stdout=said)
            call_command("grow", "7", "--anyway", stdout=said)
        self.assertIn("38 cases on file", said.getvalue())
        self.assertEqual(sums.count_some(), 0)
        self.assertEqual(finding.catch_up(), 0)
