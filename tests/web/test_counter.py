"""Approval at the counter, signed; labels that open the case."""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any

from django.test import TestCase

from gumshoe.web.accounts.models import Role
from gumshoe.web.cases.evidence import EvidenceIsKept
from gumshoe.web.proposal import services as offering
from gumshoe.web.reports import labels, standalone
from gumshoe.web.settings.models import Settings
from tests.web import support

DRAWN = [[(100 + 40 * n, 150 - 30 * (n % 3)) for n in range(12)], [(600, 200), (700, 180)]]


class Counter(TestCase):
    def setUp(self) -> None:
        shop = Settings.load()
        shop.terms, shop.tax_percent = "Parts stay ours.", Decimal(20)
        shop.save()
        self.tess = support.person()
        self.case = support.case_of(self.tess, support.car(""), "hiss")
        self.client.force_login(support.person("mila", Role.ADVISER))
        self.lines = [
            offering.propose_maintenance(self.case, self.tess, words, 30, Decimal(parts))
            for words, parts in (("Wiper blades", 20), ("Cabin filter", 35))
        ]

    @property
    def url(self) -> str:
        return f"/cases/{self.case.pk}/repair/lines/counter/"

    def sign(self, **more: Any) -> Any:
        page = self.client.get(self.url)
        sent = {"name": "Ansa Brekke", "strokes": json.dumps(DRAWN), "seen": page.context["stamp"]}
        sent |= {f"line-{self.lines[0].pk}": "approved", f"line-{self.lines[1].pk}": "refused"}
        return self.client.post(self.url, {**sent, **more})

    def test_every_line_is_answered_and_the_signature_stands_under_it(self) -> None:
        self.assertContains(self.client.get(self.url), "Parts stay ours.")
        self.assertRedirects(self.sign(), self.url)
        self.assertEqual(
            [(row.answer.kind, row.answer.who, row.answer.how) for row in offering.proposed(self.case) if row.answer],
            [("approved", "Ansa Brekke", "signed at the counter"), ("refused", "Ansa Brekke", "signed at the counter")],
        )
        signed = self.case.signatures.get()
        self.assertEqual(signed.strokes, DRAWN)
        gross = (self.lines[0].total * Decimal("1.2")).quantize(Decimal("0.01"))
        for words in ("Wiper blades", "approved", "Cabin filter", "refused", str(gross), "Parts stay ours."):
            self.assertIn(words, signed.text)
        for page in (f"/cases/{self.case.pk}/report/", f"/cases/{self.case.pk}/report/file/", self.url):
            self.assertContains(self.client.get(page), 'd="M100 150 L140 120')
        self.assertIn("Signature of Ansa Brekke", standalone.page(self.case))
        signed.name = "Somebody else"
        with self.assertRaises(EvidenceIsKept):
            signed.save()

    def test_what_is_missing_is_said_and_nothing_is_stored(self) -> None:
        wrongs: tuple[tuple[dict[str, Any], str], ...] = (
            ({"name": " "}, "Who signs"),
            ({"strokes": ""}, "no signature"),
            ({"strokes": "[[[1,1]]]"}, "no signature"),
            ({"strokes": "[[1,2"}, "cannot be read"),
            ({"strokes": json.dumps([[(5000, 1)] * 20])}, "cannot be read"),
            ({"strokes": json.dumps([["x", "y"] * 20])}, "cannot be read"),
            ({"strokes": json.dumps([[(1, 1)] * 9000])}, "no signature"),
            ({f"line-{self.lines[1].pk}": "perhaps"}, "What is the answer to"),
        )
        for wrong, words in wrongs:
            with self.subTest(words, wrong=str(wrong)[:40]):
                self.assertContains(self.sign(**wrong), words, status_code=400)
        self.assertEqual((self.case.signatures.count(), self.case.answers.count()), (0, 0))

    def test_nobody_signs_what_was_not_on_the_page(self) -> None:
        seen = self.client.get(self.url).context["stamp"]
        offering.propose_maintenance(self.case, self.tess, "One more thing", 5, Decimal(500))
        self.assertContains(self.sign(seen=seen), "changed after this page was opened", status_code=400)
        self.assertEqual(self.case.answers.count(), 0)

    def test_one_of_several_ways(self) -> None:
        """Two approved of one choice are refused as a whole; the one approved passes the other over."""
        self.assertContains(self.client.get(f"/cases/{self.case.pk}/repair/lines/"), "Sign at the counter")
        offers = [item.key for item in offering.offers_for(self.case, "renew_plugs")][:2]
        ways = offering.propose_offers(self.case, self.tess, "renew_plugs", offers)
        both = {f"line-{way.pk}": "approved" for way in ways}
        self.assertContains(self.sign(**both), "alternatives is approved", status_code=400)
        one = {f"line-{ways[0].pk}": "approved", f"line-{ways[1].pk}": "refused"}
        self.assertRedirects(self.sign(**one), self.url)
        self.assertEqual(self.client.get(self.url).context["rows"], [])


class Labels(TestCase):
    def test_the_code_is_the_address_of_the_case(self) -> None:
        tess = support.person()
        case = support.case_of(tess, support.car(""), "hiss")
        self.client.force_login(tess)
        page = self.client.get(f"/cases/{case.pk}/label/")
        address = f"http://testserver/cases/{case.pk}/"
        self.assertContains(page, address)
        self.assertContains(page, case.number)
        self.assertIn("<svg", labels.qr_svg(address))
        self.assertNotContains(page, "only this machine knows")
        at_home = self.client.get(f"/cases/{case.pk}/label/", HTTP_HOST="localhost:8010")
        self.assertContains(at_home, "only this machine knows")
        for host, own in (
            ("127.0.0.1:8010", True),
            ("[::1]:80", True),
            ("shop.example", False),
            ("192.168.0.9:80", False),
        ):
            self.assertEqual(labels.here_only(host), own, host)
