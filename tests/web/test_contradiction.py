"""Tests that contradict each other, as the pages say it: what does not fit, and that it is made again."""

from __future__ import annotations

import json

from django.test import TestCase
from django.urls import reverse

from gumshoe.web.accounts.models import Role
from gumshoe.web.reports import importing
from tests.web import support

MADE = [("coil_swap", "moved"), ("compression", "low_2"), ("leak_down", "bad_2")]


class Contradicting(TestCase):
    def setUp(self) -> None:
        self.lead = support.person("teo", Role.LEAD)
        self.client.force_login(self.lead)

    def page(self, *made: tuple[str, str]) -> str:
        document = {
            "format": "gumshoe-case",
            "version": 1,
            "complaint": {"text": "Shakes at idle", "symptoms": ["rough_idle"], "lamp": "steady"},
            "codes": ["P0302"],
            "tests": [{"test": test, "outcome": outcome} for test, outcome in made],
        }
        case = importing.import_case(self.lead, json.dumps(document).encode())
        return self.client.get(reverse("suspects:suspects", args=(case.pk,))).content.decode()

    def test_the_odd_one_is_told_and_made_again_first(self) -> None:
        page = self.page(*MADE)
        self.assertTrue("data-conflict" in page)
        self.assertTrue("Make it again: Swap the coil" in page)
        first = page.index("test-card first")
        self.assertLess(page.index("Swap the coil with a good neighbour", first) - first, 60)
        self.assertTrue("does not fit the other tests" in " ".join(page.split()))

    def test_what_agrees_says_nothing_of_it(self) -> None:
        self.assertFalse("data-conflict" in self.page(*MADE[1:]))

    def test_a_swap_shows_the_coil_that_misfires_and_no_other(self) -> None:
        page = " ".join(self.page(MADE[0]).split())
        self.assertEqual(page.count("✓ seen in a test"), 1)
