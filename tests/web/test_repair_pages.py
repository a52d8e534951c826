"""Verdict and review, proposal with alternatives, work with photographs, as people use the pages."""

from __future__ import annotations

import io
import json
import tempfile
from decimal import Decimal

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import override_settings
from PIL import Image

from gumshoe.core.casefile import write_case
from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import User
from gumshoe.web.clearing import aftercare
from gumshoe.web.kit import pictures
from gumshoe.web.ledger import ends
from gumshoe.web.proposal import services as offering
from gumshoe.web.proposal.models import Line
from gumshoe.web.reports.casefile import export
from gumshoe.web.reports.importing import import_case
from gumshoe.web.settings.models import Settings
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import photos
from gumshoe.web.work import services as working
from tests.web import support
from tests.web.test_append_only import OnPaper


class Pages(OnPaper):
    def setUp(self) -> None:
        super().setUp()
        self.as_("tess")

    def as_(self, name: str) -> None:
        self.client.force_login(User.objects.get(username=name))

    def post(self, path: str, body: dict[str, object] | None = None, status: int = 302) -> object:
        answer = self.client.post(f"/cases/{self.case.pk}/{path}", body or {})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer

    def get(self, path: str) -> str:
        answer = self.client.get(f"/cases/{self.case.pk}/{path}")
        self.assertEqual(answer.status_code, 200)
        return answer.content.decode()


class TheLeadsWord(Pages):
    def test_the_proof_and_what_was_dropped_stand_with_the_verdict(self) -> None:
        given = verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        self.assertTrue(given.guess)
        self.assertTrue(any("P0171" in row["words"] for row in given.proof))
        self.assertTrue(given.dropped)
        self.assertNotIn("crankcase_hose_split", [row["suspect"] for row in given.dropped])
        page = self.get("repair/")
        for words in ("The proof behind it", "Considered and dropped", "? a guess", "let the lead technician"):
            self.assertIn(words, page)

    def test_what_somebody_ruled_out_is_dropped_with_the_reason(self) -> None:
        self.post("suspects/rule/", {"kind": "out", "subject": "booster_hose_leak", "reason": "pedal held all night"})
        given = verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        row = next(row for row in given.dropped if row["suspect"] == "booster_hose_leak")
        self.assertEqual(row["why"], "ruled out: pedal held all night")

    def test_sent_back_no_repair_can_be_proposed_on_it(self) -> None:
        given = verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        self.as_("lena")
        self.post(f"repair/verdict/{given.pk}/review/", {"kind": "sent back"}, 400)  # a reason is asked for
        self.post(f"repair/verdict/{given.pk}/review/", {"kind": "sent back", "reason": "smoke it first"})
        self.as_("tess")
        self.post("repair/line/", {"repair": "renew_plugs"}, 400)
        self.assertIn("smoke it first", self.get("repair/lines/"))
        self.assertIn("smoke it first", self.get("repair/"))
        again = verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        self.post("repair/line/", {"repair": "renew_plugs"})
        self.assertIsNone(again.review)

    def test_nobody_countersigns_their_own_and_no_technician_does(self) -> None:
        own = verdicts.give_verdict(self.case, self.lena, "crankcase_hose_split")
        self.as_("lena")
        self.post(f"repair/verdict/{own.pk}/review/", {"kind": "countersigned"}, 400)
        self.as_("tess")
        self.post(f"repair/verdict/{own.pk}/review/", {"kind": "countersigned"}, 403)
        self.as_("lena")
        self.post(f"repair/verdict/{own.pk}/review/", {"kind": "praised"}, 400)


class Proposing(Pages):
    def test_alternatives_and_what_becomes_of_the_others(self) -> None:
        keys = ["renew_coil_3:original:one", "renew_coil_3:aftermarket:one", "renew_coil_3:original:set"]
        self.post("repair/offer/", {"repair": "renew_coil_3", "offer": keys})
        made = list(self.case.lines.filter(repair="renew_coil_3"))
        self.assertEqual(len(made), 3)
        self.assertEqual(len({line.choice for line in made}), 1)
        self.assertLess(made[1].parts, made[0].parts)
        self.assertEqual(made[2].parts, 4 * made[0].parts)
        rows = offering.proposed(self.case)
        asked = offering.totals(rows)["asked"].gross
        self.assertEqual(asked, max(line.total for line in made))  # the dearest of a choice counts
        self.post(f"repair/line/{made[1].pk}/answer/", {"kind": "approved", "who": "owner", "how": "by mail"})
        self.post(f"repair/line/{made[0].pk}/answer/", {"kind": "approved", "who": "owner", "how": "by mail"}, 400)
        passed = [row.line.pk for row in offering.proposed(self.case) if row.passed_over]
        self.assertEqual(passed, [made[0].pk, made[2].pk])
        self.assertIn("another alternative was approved", self.get("repair/lines/"))
        self.assertNotIn(made[2].words, self.get("repair/lines/print/"))
        self.post("repair/offer/", {"repair": "renew_coil_3"}, 400)
        self.post("repair/offer/", {"repair": "renew_coil_3", "offer": "renew_everything:x:y"}, 400)

    def test_found_on_the_way(self) -> None:
        self.post("repair/maintenance/", {"words": "Coolant hose swollen", "minutes": "30", "parts": "22,50"})
        line = self.case.lines.get(kind=Line.Kind.MAINTENANCE)
        self.assertEqual((line.parts, line.minutes, line.verdict), (Decimal("22.50"), 30, None))
        self.assertEqual(line.labour, offering.labour(30, Settings.load().labour_per_hour))
        self.post(f"repair/line/{line.pk}/answer/", {"kind": "refused", "who": "owner", "how": "by phone"})
        self.assertIn("no part in this fault", line.answers.get().risk)
        for bad in ({"words": ""}, {"words": "x", "minutes": "soon"}, {"words": "x", "parts": "-4"}):
            self.post("repair/maintenance/", bad, 400)

    def test_a_refusal_keeps_its_risk_and_a_change_of_mind_both_answers(self) -> None:
        line = offering.propose_line(self.case, self.tess, "renew_booster_hose")
        self.post(f"repair/line/{line.pk}/answer/", {"kind": "refused", "who": "owner", "how": "at the counter"})
        first = line.answers.get()
        self.assertIn("suspected", first.risk)
        self.assertIn("P0171", first.risk)
        self.post(f"repair/line/{line.pk}/answer/", {"kind": "approved", "who": "owner", "how": "by phone"})
        self.assertEqual([row.kind for row in line.answers.all()], ["refused", "approved"])
        working.do_work(self.case, self.tess, line.pk)

    def test_the_adviser_answers_and_mails_but_proposes_nothing(self) -> None:
        support.person("mila", "adviser")
        self.as_("mila")
        line = offering.propose_line(self.case, self.tess, "renew_plugs")
        self.post(f"repair/line/{line.pk}/answer/", {"kind": "approved", "who": "owner", "how": "by phone"})
        self.post("repair/line/", {"repair": "renew_plugs"}, 403)
        self.post("repair/maintenance/", {"words": "x"}, 403)


class OnceMore(Pages):
    def test_what_a_repair_rests_on_is_seen_again_before_it(self) -> None:
        """On the verdict and at the work, until it was made again; what came out otherwise counts."""
        split = {"found": "crankcase hose split"}
        self.post("bench/look_hoses/record/", split)
        verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        line = offering.propose_line(self.case, self.tess, "renew_crankcase_hose")
        self.post(f"repair/line/{line.pk}/answer/", {"kind": "approved", "who": "owner", "how": "by phone"})
        for path in ("repair/", "repair/work/"):
            page = self.get(path)
            self.assertIn("Rests on one finding", page, path)
            self.assertIn(f"/cases/{self.case.pk}/bench/look_hoses/", page, path)
        self.post("bench/look_hoses/record/", split)
        for path in ("repair/", "repair/work/"):
            self.assertNotIn("Rests on one finding", self.get(path), path)


class Working(Pages):
    def test_the_sheet_the_part_and_the_minutes(self) -> None:
        line = offering.propose_line(self.case, self.tess, "renew_plugs")
        self.post(f"repair/line/{line.pk}/answer/", {"kind": "approved", "who": "owner", "how": "by phone"})
        for path in ("repair/work/", "repair/work/print/"):
            page = self.get(path)
            for words in ("plug socket", "18.4", "lbf·ft", "hand"):
                self.assertIn(words, page, path)
        bad = {"minutes": "many"}
        self.post(f"repair/line/{line.pk}/work/", bad, 400)
        self.post(f"repair/line/{line.pk}/work/", {"price": "cheap"}, 400)
        told = {"part_number": "A-1", "part_make": "Sparks", "price": "39,90", "warranty_months": "12",
                "warranty_km": "20000", "minutes": "31", "remark": "well 3 oily"}  # fmt: skip
        self.post(f"repair/line/{line.pk}/work/", told)
        done = line.works.get()
        self.assertEqual((done.price, done.warranty_months, done.warranty_km), (Decimal("39.90"), 12, 20_000))
        self.assertEqual((done.minutes_taken, done.odometer_km), (31, 60_000))
        page = self.get("repair/work/")
        self.assertIn(f"31 / {line.minutes}", page)
        self.assertIn("well 3 oily", page)

    def test_the_ledger_by_part_by_press_and_by_word(self) -> None:
        self.post("repair/ends/", {"component": "purge_valve", "did": "removed", "back": "clear"})
        self.assertIn("removed", self.case.looseends.last().what)
        self.post("repair/ends/", {"what": "", "component": ""}, 400)
        self.post("repair/ends/", {"what": "x", "did": "painted"}, 400)
        end = self.case.looseends.last()
        answer = self.post(f"repair/ends/{end.pk}/", {"key_on": "no", "back": "clear"})
        self.assertIn("/clear/", answer["Location"])  # type: ignore[index]
        end.refresh_from_db()
        self.assertIs(end.closed.key_on, False)

    def test_closing_needs_every_end_put_back(self) -> None:
        self.post("report/close/", status=400)
        self.post(f"repair/ends/{self.end.pk}/")
        self.post("report/close/")
        self.post("report/close/", status=400)  # closed already


def picture(kind: str = "JPEG", size: tuple[int, int] = (64, 48), **extra: object) -> bytes:
    out = io.BytesIO()
    Image.new("RGB", size, (180, 90, 30)).save(out, kind, **extra)
    return out.getvalue()


class CaseFile(Pages):
    def test_what_the_work_added_goes_out_and_comes_back(self) -> None:
        keys = ["renew_coil_3:original:one", "renew_coil_3:aftermarket:one"]
        ways = offering.propose_offers(self.case, self.tess, "renew_coil_3", keys)
        offering.answer(self.case, self.tess, ways[1].pk, "approved", "owner", "by phone")
        given = working.Fitting("C-3", "Sparks", Decimal("20.00"), 6, 9000)
        working.do_work(self.case, self.tess, ways[1].pk, given, 18)
        hose = offering.propose_maintenance(self.case, self.tess, "Coolant hose", 30, Decimal("22.50"))
        offering.answer(self.case, self.tess, hose.pk, "deferred", "owner", "by phone")
        aftercare.by_hand(self.case, self.tess, "trim_reset", "cleared")
        ends.close_end(self.case, self.tess, self.end.pk, key_on=False)
        first = write_case(export(self.case))
        plain = json.loads(first)
        self.assertEqual(plain["verdict"]["review"], "countersigned")
        self.assertEqual([row["outcome"] for row in plain["procedures"]], ["by hand"])
        self.assertEqual(plain["recurrence"]["over"], 900.0)
        self.assertEqual(plain["events"][0]["key_on"], False)
        taken = import_case(self.tess, first.encode(), "case.json")
        again = json.loads(write_case(export(taken)))
        self.assertEqual(
            {k: v for k, v in again.items() if k != "number"}, {k: v for k, v in plain.items() if k != "number"}
        )
        work = taken.works.last()
        self.assertEqual((work.line.quality, work.price), ("aftermarket", Decimal("20.00")))
        self.assertEqual(taken.verdicts.last().review.kind, "countersigned")
        self.assertEqual(
            taken.lines.filter(kind=Line.Kind.MAINTENANCE).get().answers.get().risk, hose.answers.get().risk
        )


class Photographs(Pages):
    def setUp(self) -> None:
        super().setUp()
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        override = override_settings(DATA_DIR=folder.name)
        override.enable()
        self.addCleanup(override.disable)

    def exif(self) -> bytes:
        """A picture with a place, a device and a turned camera."""
        tags = Image.Exif()
        tags[0x0110] = "Secret Camera"
        tags[0x0112] = 6  # turned by a quarter
        tags.get_ifd(0x8825)[2] = (60.0, 23.0, 5.0)
        return picture(exif=tags)

    def test_place_and_device_are_gone_and_it_stands_upright(self) -> None:
        data = self.exif()
        self.assertIn(b"Secret Camera", data)
        upload = SimpleUploadedFile("IMG_0001.JPG", data, "image/jpeg")
        self.post("repair/photos/", {"photo": upload, "words": "well 3"})
        row = self.case.photos.get()
        self.assertEqual((row.width, row.height), (48, 64))
        stored = photos.path_of(row).read_bytes()
        self.assertNotIn(b"Secret Camera", stored)
        with Image.open(io.BytesIO(stored)) as kept:
            self.assertEqual(dict(kept.getexif()), {})
            self.assertNotIn("exif", kept.info)
        shown = self.client.get(f"/cases/{self.case.pk}/repair/photos/{row.pk}.jpg")
        self.assertEqual(shown["Content-Type"], "image/jpeg")
        self.assertEqual(b"".join(shown.streaming_content), stored)
        self.assertIn("well 3", self.get("repair/work/"))
        self.assertIn("data:image/jpeg;base64,", self.get("report/page.html"))

    def test_what_is_no_picture_or_too_large_is_refused(self) -> None:
        for data, told in (
            (b"<svg onload=alert(1)>", "no photograph"),
            (picture("GIF"), "no photograph"),
            (picture()[:200], "no photograph"),
            (b"x" * (pictures.MAX_BYTES + 1), "MB"),
        ):
            with self.assertRaisesRegex(BadInput, told):
                pictures.made_again(data, photos.LONGEST_PX)
        self.post("repair/photos/", {"words": "none"}, 400)
        self.assertEqual(self.case.photos.count(), 0)
        data, width, height = pictures.made_again(picture("PNG", (4000, 1000)), photos.LONGEST_PX)
        self.assertEqual((width, height), (2000, 500))
        self.assertEqual(data[:2], b"\xff\xd8")

    def test_nobody_else_sees_it(self) -> None:
        self.post("repair/photos/", {"photo": SimpleUploadedFile("a.jpg", picture(), "image/jpeg")})
        row = self.case.photos.get()
        other = support.case_of(self.tess, support.car("", "T 77"))
        self.assertEqual(self.client.get(f"/cases/{other.pk}/repair/photos/{row.pk}.jpg").status_code, 404)
        self.client.logout()
        self.assertEqual(self.client.get(f"/cases/{self.case.pk}/repair/photos/{row.pk}.jpg").status_code, 302)


class Reports(Pages):
    def test_in_the_readers_units(self) -> None:
        shop = Settings.load()
        shop.customary_units = True
        shop.save()
        self.assertIn("37,282 mi", self.get("report/"))
        shop.customary_units = False
        shop.save()
        self.assertIn("60,000 km", self.get("report/"))

    def test_the_file_has_every_entry_and_the_page_needs_nothing_else(self) -> None:
        file = self.get("report/file/")
        for words in ("P0171", "Look at the vacuum hoses", "heat", "owner", "duct off", "Countersigned by Lena",
                      "Seen 2 times over 900 km", "a note", "To be looked at again"):  # fmt: skip
            self.assertIn(words, file, words)
        page = self.get("report/page.html")
        self.assertNotRegex(page, r'(?:src|href)="(?!data:)')
        self.assertNotIn("<script", page)
        self.assertIn("Technical file", page)
