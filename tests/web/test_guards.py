"""Who may see and do what; what every answer carries; evidence that cannot be changed."""

from __future__ import annotations

import gzip
import io
import re
from typing import Any

from django.core.management import call_command
from django.test import Client, TestCase
from django.urls import URLPattern, URLResolver, get_resolver

from gumshoe.web.accounts.models import Role, User
from gumshoe.web.accounts.rights import RIGHTS, Right
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.evidence import Evidence, EvidenceIsKept
from gumshoe.web.ledger import ends
from gumshoe.web.live.models import Chunk, Recording
from gumshoe.web.proofs.models import ProofChunk
from gumshoe.web.suspects.models import Ruling
from tests.web import support

OPEN = ("sign_in", "sign_out", "first_start", "health")
"""Open to all; the first start closes by itself."""


def patterns(resolver: URLResolver | None = None, prefix: str = "") -> list[tuple[str, URLPattern]]:
    """Every address of the application with its pattern."""
    found = []
    for item in (resolver or get_resolver()).url_patterns:
        if isinstance(item, URLResolver):
            found += patterns(item, prefix + str(item.pattern))
        else:
            found.append((prefix + str(item.pattern), item))
    return found


class Rights(TestCase):
    def test_every_view_names_the_right_it_needs(self) -> None:
        for address, pattern in patterns():
            view: Any = pattern.callback
            right = getattr(view, "required_right", None) or getattr(
                getattr(view, "view_class", None), "required_right", None
            )
            self.assertIsInstance(right, Right, address)
            if right is Right.ANYONE:
                self.assertIn(pattern.name, OPEN)

    def test_nobody_gets_in_without_signing_in(self) -> None:
        case = support.case_of(support.person(), support.car())
        for address, pattern in patterns():
            if pattern.name in OPEN:
                continue
            path = "/" + address.replace("<int:pk>", str(case.pk))
            path = re.sub(r"<int:\w+>", "1", path)
            path = path.replace("<slug:name>", "look_hoses")
            for method in (self.client.get, self.client.post):
                response = method(path)
                # GET of a POST-only view is refused by its method before anything else.
                self.assertIn(response.status_code, (302, 405), path)
                if response.status_code == 302:
                    self.assertIn("/sign-in/", response["Location"], path)

    def test_every_role_at_every_address(self) -> None:
        """What a role does not hold is refused, whatever is sent; what it holds is never refused for its role."""
        tess = support.person()
        case = support.case_of(tess, support.car(""))
        others = {Role.ADVISER: support.person("ada", Role.ADVISER), Role.LEAD: support.person("lena", Role.LEAD)}
        refused = dict.fromkeys(Role.values, 0)
        for role, person in {**others, Role.TECHNICIAN: tess}.items():
            client = self.client_class(raise_request_exception=False)
            client.force_login(person)
            for address, pattern in patterns():
                view: Any = pattern.callback
                right = getattr(view, "required_right", None) or view.view_class.required_right
                path = re.sub(r"<slug:\w+>", "look_hoses", re.sub(r"<int:\w+>", "1", f"/{address}"))
                path = path.replace("/1/", f"/{case.pk}/", 1)
                holds = right is Right.ANYONE or right in RIGHTS[role]
                if holds and (role != Role.ADVISER or pattern.name in OPEN):
                    continue  # a technician's and a lead's pages are walked by the other tests
                for method in (client.get,) if holds else (client.get, client.post):
                    status = method(path).status_code
                    if holds:
                        self.assertNotEqual(status, 403, (role, path))
                    else:
                        self.assertIn(status, (403, 405), (role, path))
                        refused[role] += 1
        self.assertEqual(refused[Role.LEAD], 0)
        self.assertGreater(refused[Role.TECHNICIAN], 25)
        self.assertGreater(refused[Role.ADVISER], 100)

    def test_adviser_sees_and_answers_but_does_not_work(self) -> None:
        case = support.case_of(support.person(), support.car())
        support.person("ada", Role.ADVISER)
        self.client.force_login(User.objects.get(username="ada"))
        self.assertEqual(self.client.get(f"/cases/{case.pk}/repair/").status_code, 200)
        for path in ("scan/now/", "clear/now/", "repair/verdict/", "bench/look_hoses/record/", "suspects/rule/"):
            self.assertEqual(self.client.post(f"/cases/{case.pk}/{path}").status_code, 403, path)
        self.assertEqual(self.client.get("/settings/").status_code, 403)

    def test_overruling_a_loose_end_needs_the_lead(self) -> None:
        tess = support.person()
        case = support.case_of(tess, support.car())
        end = ends.open_end(case, tess, "duct off", "")
        self.client.force_login(User.objects.get(username="tess"))
        path = f"/cases/{case.pk}/repair/ends/{end.pk}/"
        self.assertEqual(self.client.post(path, {"overruled": "in a hurry"}).status_code, 403)
        self.assertNotIn(Right.OVERRULE, RIGHTS[Role.TECHNICIAN])
        support.person("lena", Role.LEAD)
        self.client.force_login(User.objects.get(username="lena"))
        self.client.post(path, {"overruled": "customer fetched the car"})
        self.assertEqual(case.looseends.get().closed.overruled, "customer fetched the car")


class Intake(TestCase):
    def test_a_flashing_lamp_brings_drive_advice_at_once(self) -> None:
        tess = support.person()
        case = cases.open_case(tess, support.car())
        self.client.force_login(tess)
        page = self.client.post(
            f"/cases/{case.pk}/complaint/save/", {"text": "it flashes", "lamp": "flashing"}, follow=True
        )
        self.assertContains(page, "Stop driving")
        self.assertContains(self.client.get(f"/cases/{case.pk}/complaint/"), "stop as soon as it is safe")


class Security(TestCase):
    def test_every_page_carries_a_strict_policy(self) -> None:
        support.person()
        self.client.force_login(User.objects.get(username="tess"))
        response = self.client.get("/")
        policy = response["Content-Security-Policy"]
        self.assertIn("default-src 'none'", policy)
        self.assertIn("script-src 'self'", policy)
        self.assertNotIn("unsafe", policy)
        self.assertEqual(response["X-Content-Type-Options"], "nosniff")
        self.assertEqual(response["X-Frame-Options"], "DENY")

    def test_pages_travel_compressed(self) -> None:
        support.person()
        client = Client()  # as bytes, not as read
        client.force_login(User.objects.get(username="tess"))
        page = client.get("/", headers={"accept-encoding": "gzip"})
        self.assertEqual(page["Content-Encoding"], "gzip")
        self.assertIn(b"Cases on the board", gzip.decompress(page.content))

    def test_sign_in_is_throttled(self) -> None:
        support.person()
        for _ in range(5):
            self.client.post("/sign-in/", {"username": "tess", "password": "wrong"})
        response = self.client.post("/sign-in/", {"username": "tess", "password": support.PASSWORD})
        self.assertContains(response, "Too many wrong passwords", status_code=429)

    def test_posts_without_the_token_are_refused(self) -> None:
        client = self.client_class(enforce_csrf_checks=True)
        support.person()
        client.force_login(User.objects.get(username="tess"))
        self.assertEqual(client.post("/cases/new/", {"plate": "X 1"}).status_code, 403)

    def test_free_text_is_escaped(self) -> None:
        tess = support.person()
        case = cases.open_case(tess, support.car())
        self.client.force_login(User.objects.get(username="tess"))
        self.client.post(
            f"/cases/{case.pk}/complaint/save/", {"text": "<img src=x onerror=alert(1)>", "lamp": "steady"}
        )
        for page in ("complaint", "report"):
            content = self.client.get(f"/cases/{case.pk}/{page}/").content.decode()
            self.assertNotIn("<img src=x", content)
            self.assertIn("&lt;img src=x", content)

    def test_deployment_check_finds_only_what_tls_decides(self) -> None:
        said = io.StringIO()
        call_command("check", stderr=said, stdout=said)
        self.assertIn("no issues", said.getvalue())


class AppendOnly(TestCase):
    def test_stored_evidence_can_neither_be_changed_nor_deleted(self) -> None:
        tess = support.person()
        case = support.case_of(tess, support.car(), "hiss")
        complaint = case.complaints.get()
        complaint.text = "something else"
        for attempt in (
            complaint.save,
            complaint.delete,
            case.complaints.all().delete,
            lambda: case.complaints.update(text="x"),
            lambda: case.complaints.all().bulk_update([complaint], ["text"]),
        ):
            with self.assertRaises(EvidenceIsKept):
                attempt()
        self.assertEqual(case.complaints.get().text, "idles unevenly")

    def test_every_kind_of_evidence_is_guarded(self) -> None:
        kinds = Evidence.__subclasses__()
        self.assertGreaterEqual(len(kinds), 14)
        for kind in (*kinds, Chunk, ProofChunk):
            with self.assertRaises(EvidenceIsKept):
                kind.objects.all().delete()
            with self.assertRaises(EvidenceIsKept):
                kind.objects.all().update(pk=1)

    def test_a_second_complaint_supersedes_visibly(self) -> None:
        tess = support.person()
        case = support.case_of(tess, support.car())
        cases.complain(case, tess, {"text": "hisses too", "symptoms": ["hiss"]})
        self.client.force_login(User.objects.get(username="tess"))
        page = self.client.get(f"/cases/{case.pk}/complaint/").content.decode()
        self.assertIn("<s>idles unevenly</s>", page)
        self.assertEqual(case.complaints.count(), 2)

    def test_rulings_add_up_and_the_latest_holds(self) -> None:
        tess = support.person()
        case = support.case_of(tess, support.car())
        for kind in (Ruling.Kind.OUT, Ruling.Kind.BACK):
            Ruling.objects.create(case=case, by=tess, kind=kind, subject="catalyst_worn", reason="r")
        self.assertEqual(case.rulings.count(), 2)
        self.assertEqual(Recording.objects.count(), 0)
