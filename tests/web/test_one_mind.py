"""One mind: whatever page one looks at, header, board, first proposal, drive advice and the roles of the codes agree.

Walked over every case of the demo (in ``test_run``, where it is loaded) and, where it lies beside the project, over
every case of the casebook, which was written without sight of our tables.
"""

from __future__ import annotations

import json
import re
from html import unescape
from pathlib import Path
from typing import Any

from django.core import mail
from django.test import TestCase, override_settings, tag
from django.urls import reverse

from gumshoe.web.accounts.models import Role
from gumshoe.web.cases.judging import judged
from gumshoe.web.cases.models import Case
from gumshoe.web.proposal import services as offering
from gumshoe.web.reports import importing, mailing
from tests.web import support

CASEBOOK = Path(__file__).resolve().parents[3] / "shared" / "casebook"


class Walk:
    """Reads what the pages of a case say."""

    def __init__(self, test: Any, case: Case) -> None:
        self.test, self.case = test, case

    def page(self, name: str) -> str:
        answer = self.test.client.get(reverse(name, args=(self.case.pk,)))
        self.test.assertEqual(answer.status_code, 200, name)
        return unescape(answer.content.decode())

    def one(self, pattern: str, text: str) -> str:
        found = re.search(pattern, text, re.DOTALL)
        return " ".join(re.sub(r"<[^>]*>|\u2060", " ", found.group(1)).split()) if found else ""

    def agree(self) -> None:
        """Everything that two pages say, they say alike."""
        case, found = self.case, judged(self.case)
        suspects, read = self.page("suspects:suspects"), self.page("scans:read")
        scan, clear, complaint = self.page("scans:scan"), self.page("clearing:clear"), self.page("cases:complaint")
        action = self.one(r'class="(?:btn btn-go )?next-action[^>]*>(.*?)</(?:a|span)>', suspects)
        action = re.sub(r"^(Next|Now): ", "", action)
        board = unescape(self.test.client.get("/").content.decode())
        card = self.one(rf'href="{reverse("standing:resume", args=(case.pk,))}">(.*?)</a>', board)
        if case.closed_at is None:
            self.test.assertIn(action, card)
        if found.next.words in action:
            first = self.one(r'test-card first"><h3>(.*?)(?:<span|</h3>)', suspects)
            if found.next.test is not None:
                self.test.assertTrue(first)
                self.test.assertTrue(action.endswith(f"{first}, {found.next.test.minutes:.0f} min"), (action, first))
            else:
                self.test.assertIn(found.next.words, suspects)
        advice = [self.one(r"data-advice>(.*?)</(?:div|p)>", text) for text in (complaint, read)]
        if case.closed_at is None:
            report = self.page("reports:report")
            advice += [self.one(r"data-advice>(.*?)</(?:div|p)>", report)]
        told = {text for text in advice if text}
        self.test.assertLessEqual(len(told), 1)
        roles = dict(re.findall(r'data-code="(\w+)" data-role="(\w+)"', read))
        self.test.assertEqual(roles, {item.code: item.role.name for item in found.read.codes})
        own = {code for code, role in roles.items() if role == "SELF"}
        for text in (scan, clear):
            self.test.assertEqual(set(re.findall(r'data-expected="(\w+)"', text)) & set(roles), own)


@tag("long")
@override_settings(EMAIL_BACKEND="django.core.mail.backends.locmem.EmailBackend")
class OfTheCasebook(TestCase):
    def setUp(self) -> None:
        self.lead = support.person("teo", Role.LEAD)
        self.client.force_login(self.lead)

    def walk(self, name: str) -> None:
        if not (CASEBOOK / f"{name}.json").exists():
            self.skipTest("the casebook lies beside the project, and is not here")
        for entry in json.loads((CASEBOOK / f"{name}.json").read_text())["cases"]:
            with self.subTest(case=entry["id"]):
                document = {"format": "gumshoe-case", "version": 1, **entry["case"]}
                case = importing.import_case(self.lead, json.dumps(document).encode())
                Walk(self, case).agree()
                case.closed_at = case.opened_at  # off the board again
                case.save(update_fields=["closed_at"])

    def test_mixture(self) -> None:
        self.walk("MIX")

    def test_ignition_and_mechanics(self) -> None:
        self.walk("IGN")

    def test_electrics(self) -> None:
        self.walk("ELC")

    def test_diesel_hybrid_gearbox(self) -> None:
        self.walk("DSL")

    def test_adversarial(self) -> None:
        self.walk("ADV")

    def test_the_mail_says_what_the_page_says(self) -> None:
        case = support.case_of(self.lead, support.car(""), "runs_hot")
        offering.propose_line(case, self.lead, "renew_coil_3")
        mailing.send_proposal(case, self.lead, "owner@example.org")
        advice = judged(case).advice
        self.assertTrue(advice.stop)
        self.assertIn(advice.title, str(mail.outbox[0].body))
        self.assertIn(
            advice.title, unescape(self.client.get(reverse("reports:report", args=(case.pk,))).content.decode())
        )
