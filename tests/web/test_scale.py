"""The shop's past does not slow the present: no page asks more of the database because more was done before."""

from __future__ import annotations

import numpy as np
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.web.accounts.models import Role
from gumshoe.web.cases.models import Case
from gumshoe.web.finding import services as finding
from gumshoe.web.history import learned
from gumshoe.web.live import store
from gumshoe.web.proposal import services as offering
from gumshoe.web.scans import services as scans
from gumshoe.web.verdicts import services as verdicts
from tests.web import support
from tests.web.grown import grow

MOST_QUERIES = 60
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
            with CaptureQueriesContext(
                connection,
            ) as asked:
                self.assertEqual(self.client.get(address).status_code, 200, name)
            found[name] = len(asked)
        return found

    def test_no_page_asks_more_because_more_was_done(self) -> None:
        grow(self.lead, 12, "A")
        finding.catch_up()
        few = self.queries()
        grow(self.lead, 60, "B")
        finding.catch_up()
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
