"""Evidence through the views: nothing stored is changed or deleted by any address, and of two people neither is
lost."""

from __future__ import annotations

import re
import threading
from typing import Any

from django.db import connection as database
from django.test import Client, TransactionTestCase, tag

from gumshoe.web.accounts.models import User
from gumshoe.web.bench import services as bench
from gumshoe.web.cases.evidence import Evidence
from gumshoe.web.cases.models import Case, Note
from gumshoe.web.ledger import ends
from gumshoe.web.proofs.models import FollowUp, Recurrence
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.models import Answer
from gumshoe.web.scans import services as scans
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import services as working
from gumshoe.web.work.models import Work
from tests.web import support
from tests.web.test_guards import patterns

TRIES: dict[str, Any] = {
    "suspect": "catalyst_worn",
    "kind": "refused",
    "who": "somebody else",
    "how": "never",
    "what": "changed",
    "component": "battery",
    "did": "off",
    "words": "changed",
    "text": "changed",
    "reason": "changed",
    "found": "whole",
    "repair": "renew_catalyst",
    "offer": "renew_catalyst:original:one",
    "cause": "changed",
    "times": "9",
    "over": "9",
    "unit": "km",
    "due": "2099-01-01",
    "to": "a@b.example",
    "subject": "catalyst_worn",
    "codes": "P0420 confirmed",
    "lamp": "out",
    "minutes": "1",
    "part_make": "changed",
    "overruled": "changed",
    "delete": "1",
    "_method": "DELETE",
    "at": "2000-01-01",
    "by": "1",
    "pk": "1",
    "id": "1",
}


LEAVES = ("sign_in", "sign_out", "casefile", "sign_me_out", "sign_out_everywhere", "deactivate", "one_time", "one")
"""After these nobody would be signed in any more, or a lead no longer."""


def stored() -> dict[tuple[str, int], dict[str, Any]]:
    """Every entry of every kind of evidence, value by value."""
    return {
        (kind.__name__, row["id"]): {key: bytes(v) if isinstance(v, memoryview) else v for key, v in row.items()}
        for kind in Evidence.__subclasses__()
        for row in kind.objects.values()
    }


class OnPaper(TransactionTestCase):
    """A case with an entry of most kinds, on a car that is not connected."""

    def setUp(self) -> None:
        self.addCleanup(support.stop_everything)
        self.tess, self.lena = support.person(), support.person("lena", "lead")
        self.case = support.case_of(self.tess, support.car(""), "rough_idle")
        scans.type_in(self.case, self.tess, "P0171 confirmed")
        bench.record(self.case, self.tess, bench.test_of(self.case, "look_hoses"), {"found": "whole"}, "")
        given = verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        verdicts.review(self.case, self.lena, given.pk, "countersigned", "")
        verdicts.name_cause(self.case, self.tess, "", "heat")
        self.line = offering.propose_line(self.case, self.tess, "renew_crankcase_hose")
        offering.answer(self.case, self.tess, self.line.pk, "approved", "owner", "by phone")
        working.do_work(self.case, self.tess, self.line.pk, working.Fitting("N", "M"), 20)
        self.end = ends.open_end(self.case, self.tess, "duct off", "intake_duct")
        FollowUp.objects.create(case=self.case, by=self.tess, due="2099-01-01", why="later")
        Recurrence.objects.create(case=self.case, by=self.tess, times=2, over=900.0, unit="km")
        Note.objects.create(case=self.case, by=self.tess, text="a note")


@tag("long")
class EveryView(OnPaper):
    def test_no_address_changes_or_deletes_what_is_stored(self) -> None:
        before = stored()
        self.assertGreaterEqual(len({name for name, _ in before}), 12)
        client = Client(raise_request_exception=False)
        client.force_login(User.objects.get(username="lena"))
        tried = 0
        for address, pattern in patterns():
            if pattern.name in LEAVES:
                continue
            path = "/" + address.replace("<int:pk>", str(self.case.pk))
            path = re.sub(r"<slug:\w+>", "look_hoses", re.sub(r"<int:\w+>", "1", path))
            for send in (client.post, client.put, client.patch, client.delete):
                for body in ({}, TRIES):
                    if send is client.post:
                        send(path, body)
                    else:
                        send(path, body, content_type="application/json")
                    tried += 1
        self.assertGreater(tried, 400)
        after = stored()
        for key, row in before.items():
            self.assertIn(key, after)
            self.assertEqual(after[key], row, key)
        self.assertGreater(len(after), len(before))  # the posts did arrive: they added


class TwoPeople(OnPaper):
    """Both write at once: what each entered is there, and where only one can be, the other is told."""

    def both(self, first: Any, second: Any) -> list[Any]:
        """Run two pieces of work at the same moment; what each returned or raised."""
        gate, results = threading.Barrier(2), [None, None]

        def run(place: int, work: Any) -> None:
            gate.wait()
            try:
                results[place] = work()
            except Exception as error:
                results[place] = error
            finally:
                database.close()

        threads = [threading.Thread(target=run, args=(i, work)) for i, work in enumerate((first, second))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return results

    def post(self, name: str, path: str, body: dict[str, str]) -> int:
        client = Client()
        client.force_login(User.objects.get(username=name))
        return client.post(f"/cases/{self.case.pk}/{path}", body).status_code

    def test_two_complaints(self) -> None:
        forms = [{"text": f"{name} says", "lamp": "steady"} for name in ("tess", "lena")]
        self.both(
            lambda: self.post("tess", "complaint/save/", forms[0]),
            lambda: self.post("lena", "complaint/save/", forms[1]),
        )
        texts = set(self.case.complaints.values_list("text", flat=True))
        self.assertTrue({"tess says", "lena says"} <= texts)
        page = self._page("complaint/")
        self.assertIn("tess says", page)
        self.assertIn("lena says", page)

    def test_two_answers_to_a_line(self) -> None:
        line = offering.propose_line(self.case, self.tess, "renew_plugs")
        answers = [{"kind": kind, "who": who, "how": "by phone"} for kind, who in (("approved", "A"), ("refused", "B"))]
        self.both(
            lambda: self.post("tess", f"repair/line/{line.pk}/answer/", answers[0]),
            lambda: self.post("lena", f"repair/line/{line.pk}/answer/", answers[1]),
        )
        self.assertEqual(set(Answer.objects.filter(line=line).values_list("who", flat=True)), {"A", "B"})

    def test_two_verdicts(self) -> None:
        self.both(
            lambda: verdicts.give_verdict(self.case, self.tess, "catalyst_worn"),
            lambda: verdicts.give_verdict(self.case, self.lena, "booster_hose_leak"),
        )
        self.assertEqual(self.case.verdicts.count(), 3)
        self.assertIn("Earlier verdicts (2)", self._page("repair/"))

    def test_two_tick_the_same_loose_end(self) -> None:
        results = self.both(
            lambda: self.post("tess", f"repair/ends/{self.end.pk}/", {"back": "work"}),
            lambda: self.post("lena", f"repair/ends/{self.end.pk}/", {"back": "work"}),
        )
        self.assertEqual(sorted(results), [302, 400])
        self.end.refresh_from_db()
        self.assertTrue(self.end.closed)

    def test_two_record_the_same_work(self) -> None:
        line = offering.propose_line(self.case, self.tess, "renew_plugs")
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        results = self.both(
            lambda: self.post("tess", f"repair/line/{line.pk}/work/", {"part_make": "A"}),
            lambda: self.post("lena", f"repair/line/{line.pk}/work/", {"part_make": "B"}),
        )
        self.assertEqual(sorted(results), [302, 400])
        self.assertEqual(Work.objects.filter(line=line).count(), 1)

    def test_two_cases_opened_at_once_have_their_own_numbers(self) -> None:
        body = {"vehicle": str(self.case.vehicle_id), "bay": ""}

        def open_one(name: str) -> int:
            client = Client()
            client.force_login(User.objects.get(username=name))
            return client.post("/cases/new/", body).status_code

        self.assertEqual(self.both(lambda: open_one("tess"), lambda: open_one("lena")), [302, 302])
        numbers = list(Case.objects.values_list("number", flat=True))
        self.assertEqual(len(numbers), len(set(numbers)), numbers)
        self.assertEqual(len(numbers), 3)

    def test_a_review_of_a_verdict_that_was_replaced_meanwhile_is_told(self) -> None:
        shown = self.case.verdicts.last().pk
        verdicts.give_verdict(self.case, self.tess, "catalyst_worn")
        self.assertEqual(self.post("lena", f"repair/verdict/{shown}/review/", {"kind": "countersigned"}), 400)

    def _page(self, path: str) -> str:
        client = Client()
        client.force_login(User.objects.get(username="tess"))
        return client.get(f"/cases/{self.case.pk}/{path}").content.decode()
