"""Working together: who has a case, what it waits for, who else is in it, what is said before it is closed."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.core.cache import cache
from django.test import Client, TestCase
from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import Role, User
from gumshoe.web.board import services as board
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.crew import holder_of, waiting_of
from gumshoe.web.cases.models import Case
from gumshoe.web.crew import services as crew
from gumshoe.web.finding import services as finding
from gumshoe.web.ledger import ends
from gumshoe.web.proposal import services as offering
from gumshoe.web.reports import closing
from gumshoe.web.verdicts import services as verdicts
from tests.web import support


class Two(TestCase):
    def setUp(self) -> None:
        cache.clear()
        self.tess, self.lena = support.person(), support.person("lena", Role.LEAD)
        self.case = support.case_of(self.tess, support.car(""), "hiss")
        self.hers, self.theirs = Client(), Client()
        self.hers.force_login(self.tess)
        self.theirs.force_login(self.lena)

    def url(self, path: str) -> str:
        return f"/cases/{self.case.pk}/{path}"

    def now(self) -> Case:
        return Case.objects.get(pk=self.case.pk)


class HandingOver(Two):
    def test_with_what_is_done_what_is_next_and_what_is_off_the_car(self) -> None:
        ends.open_end(self.case, self.tess, "air duct off", "")
        page = self.hers.get(self.url("hand-over/"))
        self.assertContains(page, 'value="air duct off"')
        sent = {"to": self.lena.pk, "done": "hoses looked at", "next": "smoke test", "off": "air duct off"}
        self.assertRedirects(self.hers.post(self.url("hand-over/give/"), sent), "/")
        self.assertEqual(holder_of(self.now()).user, self.lena)
        page = self.theirs.get(self.url("hand-over/")).content.decode()
        for words in ("Tess → Lena", "hoses looked at", "Next: smoke test", "Off the car: air duct off"):
            self.assertIn(words, page)
        self.assertContains(self.theirs.get("/"), "Lena <span")
        self.assertContains(self.theirs.get(self.url("report/file/")), "Handed over to Lena: next smoke test")
        self.assertEqual([row.case.pk for row in finding.search("hoses looked", 5).cases], [self.case.pk])

    def test_somebody_takes_it(self) -> None:
        self.theirs.post(self.url("hand-over/take/"))
        self.assertEqual(holder_of(self.now()).user, self.lena)
        self.assertContains(self.theirs.post(self.url("hand-over/take/")), "has the case already", status_code=400)

    def test_what_is_missing_is_said(self) -> None:
        gone = support.person("gone")
        gone.is_active = False
        gone.save()
        for sent in (
            {},
            {"to": gone.pk, "next": "x"},
            {"to": self.lena.pk},
            {"to": self.tess.pk, "next": "x"},
            {"to": "x"},
        ):
            self.assertEqual(self.hers.post(self.url("hand-over/give/"), sent).status_code, 400, sent)
        self.assertEqual(self.case.handovers.count(), 0)

    def test_a_closed_case_is_handed_to_nobody(self) -> None:
        closing.close(self.case, self.tess)
        self.assertEqual(self.theirs.post(self.url("hand-over/take/")).status_code, 400)
        self.assertNotContains(self.theirs.get(self.url("hand-over/")), "I take it")


class WaitingFor(Two):
    def test_a_part_until_a_day_and_on_again(self) -> None:
        day = timezone.localdate() + timedelta(days=2)
        self.hers.post(self.url("hand-over/wait/"), {"what": "part", "until": str(day), "note": "purge valve"})
        held = waiting_of(self.now())
        assert held is not None
        self.assertEqual((held.what, held.until, held.late), ("part", day, False))
        self.assertContains(self.theirs.get("/"), "waits for a part")
        self.assertContains(self.theirs.get(self.url("complaint/")), "waits for")
        self.theirs.post(self.url("hand-over/go-on/"))
        self.assertIsNone(waiting_of(self.now()))
        self.assertContains(self.theirs.post(self.url("hand-over/go-on/")), "waits for nothing", status_code=400)

    def test_what_cannot_be(self) -> None:
        yesterday = timezone.localdate() - timedelta(days=1)
        for sent in (
            {"what": ""},
            {"what": "rain"},
            {"what": "lift", "until": str(yesterday)},
            {"what": "lift", "until": "x"},
        ):
            self.assertEqual(self.hers.post(self.url("hand-over/wait/"), sent).status_code, 400, sent)
        self.assertEqual(self.case.waitings.count(), 0)


class OnTheBoard(Two):
    def test_by_stage_bay_and_person(self) -> None:
        other = cases.open_case(self.lena, support.car("", "T 2"), "2")
        crew.hand_over(other, self.lena, self.tess, "", "scan it", "")
        third = cases.open_case(self.lena, support.car("", "T 3"), "2")

        def columns(by: str) -> dict[str, set[int]]:
            return {name: {card.case.pk for card in cards} for name, cards in board.board(board.By(by))}

        self.assertEqual(columns("bay"), {"2": {other.pk, third.pk}, "no bay": {self.case.pk}})
        self.assertEqual(columns("person"), {"Tess": {self.case.pk, other.pk}, "Lena": {third.pk}})
        for by in ("stage", "bay", "person", "moon"):
            self.assertEqual(self.hers.get("/", {"by": by}).status_code, 200)


class InOneCase(Two):
    def look(self, client: Client, **more: Any) -> dict[str, Any]:
        found: dict[str, Any] = client.get(self.url("here/"), more).json()
        return found

    def test_they_see_each_other_and_what_was_entered(self) -> None:
        opened = timezone.now().isoformat()
        self.assertEqual(self.look(self.hers, stage="bench", opened=opened), {"others": [], "entered": ""})
        seen = self.look(self.theirs, stage="read", opened=opened)
        self.assertEqual(seen["others"], [{"name": "Tess", "stage": "bench"}])
        self.assertEqual(
            self.look(self.hers, stage="bench", opened=opened)["others"], [{"name": "Lena", "stage": "read"}]
        )
        cases.complain(self.case, self.lena, {"text": "hisses more"})
        self.assertIn("Lena", self.look(self.hers, stage="bench", opened=opened)["entered"])
        self.assertEqual(self.look(self.theirs, stage="read", opened=opened)["entered"], "")  # one's own
        self.assertEqual(self.look(self.hers, opened=timezone.now().isoformat())["entered"], "")
        for wrong in ("", "yesterday", "2026-99-99T00:00", "0"):
            self.assertEqual(self.look(self.hers, opened=wrong)["entered"], "")

    def test_a_complaint_is_not_overtaken_unseen(self) -> None:
        first = self.case.complaints.get()
        told = {"text": "mine", "lamp": "", "seen": first.pk}
        self.theirs.post(self.url("complaint/save/"), {**told, "text": "theirs"})
        page = self.hers.post(self.url("complaint/save/"), told)
        self.assertContains(page, "Lena stored another complaint", status_code=409)
        self.assertContains(page, "theirs", status_code=409)
        self.assertContains(page, ">\\nmine".replace("\\n", "\n"), status_code=409)
        self.assertEqual(self.case.complaints.count(), 2)
        latest = self.case.complaints.last()
        self.assertContains(page, f'name="seen" value="{latest.pk}"', status_code=409)
        self.assertEqual(self.hers.post(self.url("complaint/save/"), {**told, "seen": latest.pk}).status_code, 302)

    def test_a_verdict_is_not_overtaken_unseen(self) -> None:
        verdicts.give_verdict(self.case, self.lena, "purge_circuit_open", 0)
        with self.assertRaisesRegex(BadInput, "Lena stored another verdict"):
            verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split", 0)
        held = self.case.verdicts.get()
        verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split", held.pk)
        self.assertEqual(self.case.verdicts.count(), 2)


class BeforeClosing(Two):
    def test_what_is_left_is_said_and_needs_a_reason(self) -> None:
        line = offering.propose_maintenance(self.case, self.tess, "Wiper blades", 12, Decimal(9))
        crew.wait_for(self.case, self.tess, "answer", None, "about the wipers")
        page = self.hers.get(self.url("report/"))
        self.assertContains(page, "not answered by the customer: Wiper blades")
        self.assertContains(page, "waits for the owner&#x27;s answer about the wipers")
        self.assertContains(self.hers.post(self.url("report/close/")), "Something is left", status_code=400)
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        self.assertIn("approved and not done: Wiper blades", [item.words for item in closing.left_in(self.now())])
        self.hers.post(self.url("report/close/"), {"reason": "fetched the car, will ring"})
        entry = self.now().closings.get()
        self.assertEqual(entry.reason, "fetched the car, will ring")
        self.assertEqual(len(entry.left), 2)
        self.assertContains(self.hers.get(self.url("report/file/")), "fetched the car, will ring")

    def test_nobody_closes_over_what_is_off_the_car(self) -> None:
        ends.open_end(self.case, self.tess, "air duct off", "")
        page = self.hers.post(self.url("report/close/"), {"reason": "in a hurry"})
        self.assertContains(page, "air duct off", status_code=400)
        self.assertIsNone(self.now().closed_at)

    def test_with_nothing_left_one_press_does(self) -> None:
        self.assertNotContains(self.hers.get(self.url("report/")), "Before the case is closed")
        self.hers.post(self.url("report/close/"))
        self.assertIsNotNone(self.now().closed_at)
        self.assertEqual(User.objects.count(), 2)
