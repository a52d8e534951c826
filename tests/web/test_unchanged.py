"""What follows from a case is kept only while nothing that bears on it changes, whoever changes it and whatever way."""

from __future__ import annotations

from collections.abc import Callable
from unittest import mock

import numpy as np
from django.apps import apps
from django.db import connection, transaction
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from gumshoe.core.signals.recording import Channel, Recording
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case, Note, State
from gumshoe.web.cases.unchanged import state_of, while_unchanged
from gumshoe.web.library import services as library
from gumshoe.web.library.models import ShopCode
from gumshoe.web.live import store
from gumshoe.web.scans import services as scans
from gumshoe.web.settings.models import Settings
from gumshoe.web.standing.services import standing
from tests.web import support


class Unchanged(TestCase):
    def setUp(self) -> None:
        self.tess = support.person()
        self.case = support.case_of(self.tess, support.car("", "T 7"), "rough_idle")
        self.asked = 0

        def count(case: Case) -> int:
            self.asked += 1
            return self.asked

        self.count = while_unchanged(8)(count)

    def withdraw(self, number: str) -> None:
        row = ShopCode.objects.get(number=number)
        row.withdrawn = not row.withdrawn
        row.save(update_fields=["withdrawn"])

    def test_every_change_that_bears_on_it_is_noticed(self) -> None:
        def vehicle() -> None:
            self.case.vehicle.year = 2011
            self.case.vehicle.save()

        def settings() -> None:
            row = Settings.load()
            row.lacks = ["oscilloscope"]
            row.save()

        samples = Recording({"rpm": Channel(np.array([0.0, 1.0]), np.array([800.0, 810.0]))})
        changes: dict[str, Callable[[], object]] = {
            "entry": lambda: scans.type_in(self.case, self.tess, "P0171"),
            "recording": lambda: store.keep(self.case, self.tess, samples, {"rpm": 0.25}, label="idle"),
            "vehicle": vehicle,
            "settings": settings,
            "code": lambda: library.add_code(self.tess, "P1999", "crankshaft position sensor A", "circuit", "soon"),
            "withdrawn": lambda: self.withdraw("P1999"),
            "another": lambda: library.add_code(self.tess, "P1998", "crankshaft position sensor B", "circuit", "soon"),
            "back": lambda: (self.withdraw("P1998"), self.withdraw("P1999")),
            "closed": lambda: Case.objects.filter(pk=self.case.pk).update(closed_at=self.case.opened_at),
        }
        for name, change in changes.items():
            held = self.count(self.case)
            self.assertEqual(self.count(self.case), held, name)
            change()
            self.case.refresh_from_db()
            self.assertNotEqual(self.count(self.case), held, name)  # anew, or what held when all was like this before

    def test_another_case_is_left_alone(self) -> None:
        other = cases.open_case(self.tess, support.car("", "T 8"))
        held = self.count(self.case)
        scans.type_in(other, self.tess, "P0303")
        self.assertEqual(self.count(self.case), held)

    def test_what_was_taken_back_leaves_nothing_behind(self) -> None:
        before = judged(self.case).assessment.suspects[0].probability
        with transaction.atomic():
            scans.type_in(self.case, self.tess, "P0171")
            self.assertNotEqual(judged(self.case).assessment.suspects[0].probability, before)
            transaction.set_rollback(True)
        self.assertEqual(judged(self.case).assessment.suspects[0].probability, before)
        scans.type_in(self.case, self.tess, "P0303")  # the next entry is not taken for the one that was taken back
        self.assertTrue(judged(self.case).assessment.suspects[0].id.endswith("_3"))

    def test_what_came_in_while_it_was_worked_out_is_not_missed(self) -> None:
        def slow(case: Case) -> int:
            self.asked += 1
            if self.asked == 1:
                Note.objects.create(case=case, by=self.tess, text="meanwhile")
            return self.asked

        kept = while_unchanged(8)(slow)
        self.assertEqual([kept(self.case) for _ in range(3)], [1, 2, 2])

    def test_a_case_without_a_state_gets_one(self) -> None:
        State.objects.all().delete()
        first = state_of(self.case)
        self.assertEqual(state_of(self.case), first)

    def test_a_page_looked_at_again_asks_little(self) -> None:
        scans.type_in(self.case, self.tess, "P0171")
        standing(self.case)
        with mock.patch("gumshoe.web.cases.judging.grounds_of", side_effect=AssertionError), self.assertNumQueries(2):
            standing(self.case)  # the state of the case, and that of the shop

    def test_a_board_looked_at_again_asks_the_same_of_many_as_of_one(self) -> None:
        counts = []
        for more in range(3):
            support.case_of(self.tess, support.car("", f"T {more}"), "rough_idle")
            self.client.force_login(self.tess)
            for _ in range(2):
                with CaptureQueriesContext(connection) as asked:
                    self.assertEqual(self.client.get(reverse("board:board")).status_code, 200)
            counts.append(len(asked))
        self.assertEqual(counts, [counts[0]] * 3)

    def test_every_kind_of_evidence_tells_that_it_came(self) -> None:
        """None overrides how it is stored without telling."""
        kinds = [model for model in apps.get_models() if issubclass(model, Evidence)]
        self.assertGreater(len(kinds), 30)
        self.assertEqual([kind.__name__ for kind in kinds if kind.save is not Evidence.save], [])
