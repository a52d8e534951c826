"""None is not unknown, nothing is cleared unseen, evidence is neither lost nor falsified: by pages and services."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from unittest import mock

from django.test import TransactionTestCase

from gumshoe.core.casefile import CaseFileError, read_case, write_case
from gumshoe.core.casefile.untrusted import TooMuch, log_apart, table_apart
from gumshoe.core.codes import CodeState
from gumshoe.core.errors import BadInput
from gumshoe.core.obd.clearing import Cleared
from gumshoe.core.obd.snapshot import ModuleSnapshot, Part, SilentModule, Snapshot, StoredCode, Unread
from gumshoe.core.obd.stored import plain_snapshot, read_snapshot
from gumshoe.core.signals.strips import Told
from gumshoe.demo import steps as demo_steps
from gumshoe.web.accounts.models import Role, User
from gumshoe.web.bench.models import TestRecord
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.evidence import CaseIsClosed, TooLong
from gumshoe.web.cases.models import Case
from gumshoe.web.clearing import services as clearing
from gumshoe.web.clearing.models import Clearing, ClearingBegun
from gumshoe.web.live import services as live
from gumshoe.web.proofs import services as proofs
from gumshoe.web.proofs.models import ProofDrive
from gumshoe.web.proposal import services as offering
from gumshoe.web.reports import services as reports
from gumshoe.web.reports.casefile import export
from gumshoe.web.reports.importing import import_case
from gumshoe.web.scans import services as scans
from gumshoe.web.scans.models import Scan
from gumshoe.web.vehicles import register
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import services as working
from tests.web import support

CUT = mock.patch("gumshoe.web.clearing.services.clear_modules", side_effect=KeyboardInterrupt)


class Car(TransactionTestCase):
    """A healthy stand-in with its key on, a case, and somebody signed in."""

    def setUp(self) -> None:
        self.addCleanup(support.stop_everything)
        self.tess = support.person()
        self.car = support.car()
        self.runner = support.start(support.stand_in())
        self.case = support.case_of(self.tess, self.car, "rough_idle")
        self.client.force_login(User.objects.get(username="tess"))
        self.runner.key("on")
        self.runner.skip(1.0)

    def page(self, path: str) -> str:
        response = self.client.get(f"/cases/{self.case.pk}/{path}/")
        self.assertEqual(response.status_code, 200, path)
        return response.content.decode()


class AnotherCar(Car):
    VIN = "UY0TN16A9G2000001"

    def setUp(self) -> None:
        super().setUp()
        Vehicle.objects.filter(pk=self.car.pk).update(vin="UY0TN16A9G2000099")
        self.case = Case.objects.select_related("vehicle").get(pk=self.case.pk)

    def test_the_scan_stops_with_a_question_and_nothing_is_stored(self) -> None:
        page = self.client.post(f"/cases/{self.case.pk}/scan/now/")
        self.assertEqual(page.status_code, 409)
        self.assertContains(page, "Which car is this?", status_code=409)
        self.assertEqual(self.case.scans.count(), 0)
        scans.type_in(self.case, self.tess, "P0171 confirmed")
        with self.assertRaises(scans.AnotherCar):
            clearing.clear(self.case, self.tess, triage=True)
        self.assertEqual(ClearingBegun.objects.count(), 0)

    def test_mistyped_is_put_right_and_stays_on_record(self) -> None:
        self.client.post(f"/cases/{self.case.pk}/scan/vin/", {"vin": self.VIN, "answer": "mistyped"})
        self.car.refresh_from_db()
        self.assertEqual(self.car.vin, self.VIN)
        self.assertEqual(self.case.vinanswers.get().before, "UY0TN16A9G2000099")
        self.assertEqual(self.case.scans.count(), 1)

    def test_a_used_unit_is_scanned_and_not_asked_about_again(self) -> None:
        self.client.post(f"/cases/{self.case.pk}/scan/vin/", {"vin": self.VIN, "answer": "used unit"})
        scans.perform(self.case, self.tess)
        self.car.refresh_from_db()
        self.assertEqual(self.car.vin, "UY0TN16A9G2000099")
        self.assertEqual(self.case.scans.count(), 2)

    def test_another_car_of_the_shop_is_named_and_gets_its_own_case(self) -> None:
        other = support.car("", "T 2")
        Vehicle.objects.filter(pk=other.pk).update(vin=self.VIN)
        page = self.client.post(f"/cases/{self.case.pk}/scan/now/")
        self.assertContains(page, "It is T 2", status_code=409)
        with self.assertRaisesRegex(BadInput, "has this VIN already"):
            scans.answer_vin(self.case, self.tess, self.VIN, "mistyped")
        answer = self.client.post(f"/cases/{self.case.pk}/scan/vin/", {"vin": self.VIN, "answer": "other"})
        self.assertEqual(answer["Location"], f"/cases/{other.cases.get().pk}/scan/")


class NotRead(Car):
    def test_scan_read_clear_and_report_say_what_was_not_read(self) -> None:
        hidden = (Unread(Part.CONFIRMED, "no answer"), Unread(Part.PERMANENT, "no answer"))
        snapshot = Snapshot(
            datetime.now(UTC),
            "11 bit",
            (ModuleSnapshot(0x7E8, unread=hidden),),
            silent=(SilentModule("Brakes", 0x768, "no answer to UDS"),),
        )
        scans.store(self.case, self.tess, snapshot, [], Scan.Why.INTAKE, "test", 0.1)
        scan = self.page("scan")
        self.assertNotIn("no codes", scan)
        self.assertIn("Not read: confirmed codes of the engine, codes of Brakes", scan)
        self.assertIn("lamp not told", scan)
        read = self.page("read")
        self.assertIn("Not known: look it up before driving", read)
        self.assertIn("Not read: confirmed codes of the engine", read)
        clear = self.page("clear")
        self.assertNotIn("No permanent code is held", clear)
        self.assertIn("whether there are any is not known", clear)
        report = self.page("report")
        self.assertNotIn("No trouble codes were stored", report)
        self.assertIn("Not read: confirmed codes of the engine", report)
        self.assertNotIn("No codes.", self.page("report/file"))
        again = read_case(write_case(export(self.case))).scans[0]
        self.assertEqual(again.modules[0].unread, hidden)
        self.assertEqual(again.silent, snapshot.silent)

    def test_a_stored_scan_of_another_version_opens_everywhere(self) -> None:
        module = ModuleSnapshot(0x7E8, codes=(StoredCode("P0171", CodeState.CONFIRMED),))
        raw = plain_snapshot(Snapshot(datetime.now(UTC), "11 bit", (module,)))
        raw["modules"][0]["codes"][0]["state"] = "half confirmed"
        found = read_snapshot(raw)
        self.assertIs(found.modules[0].codes[0].state, CodeState.UNKNOWN)
        self.assertIn("P0171: “half confirmed” is not known to this version", found.problems)
        Scan.objects.create(case=self.case, by=self.tess, link="test", snapshot=raw)
        for page in ("scan", "read", "suspects", "clear", "report", "report/file"):
            self.assertIn("P0171", self.page(page) + "P0171" * (page in ("suspects", "clear")))

    def test_the_report_reads_the_scan_that_tells(self) -> None:
        empty = Snapshot(datetime.now(UTC), "11 bit", (ModuleSnapshot(0x7E8),))
        scans.store(self.case, self.tess, empty, [], Scan.Why.INTAKE, "test", 0.1)
        scans.type_in(self.case, self.tess, "P0171 confirmed")
        self.assertEqual([row.code for row in reports.codes_of(self.case)], ["P0171"])

    def test_what_nobody_knows_is_shown_and_counted(self) -> None:
        TestRecord.objects.create(case=self.case, by=self.tess, test="dowsing", outcome="bad", readings={})
        TestRecord.objects.create(case=self.case, by=self.tess, test="look_cap", outcome="melted", readings={})
        told = judging.judged(self.case).unknown
        self.assertEqual(len(told), 2)
        page = self.page("suspects")
        self.assertIn("2 entries on record not counted", page)
        self.assertIn("dowsing", page)
        self.assertIn("dowsing", self.page("report/file"))


def pressed_twice(begin: Callable[[], object]) -> list[str]:
    """What became of it when two people pressed at once."""
    gate, ended = threading.Barrier(2), []

    def press() -> None:
        gate.wait()
        try:
            begin()
            ended.append("begun")
        except BadInput:
            ended.append("refused")

    threads = [threading.Thread(target=press) for _ in range(2)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join(20.0)
    return sorted(ended)


class ClearingOnRecord(Car):
    def setUp(self) -> None:
        super().setUp()
        scans.perform(self.case, self.tess)

    def test_the_intent_is_stored_first_and_a_kill_is_told_and_closed(self) -> None:
        with CUT, self.assertRaises(KeyboardInterrupt):
            clearing.clear(self.case, self.tess, triage=True)
        self.assertEqual(self.case.clearings.count(), 0)
        page = self.page("clear")
        self.assertIn("A clearing was cut off", page)
        self.assertIn("Close the clearing that was cut off", page)  # the next action, on whatever page
        self.assertIn("perhaps asked to clear; what it did is not known", page)
        self.assertFalse(clearing.clear_check(self.case).allowed)
        self.assertIn("Cut off", self.page("report/file"))
        self.client.post(f"/cases/{self.case.pk}/clear/finish/")
        closed = self.case.clearings.get()
        self.assertTrue(closed.triage)
        self.assertIsNotNone(closed.after)
        self.assertTrue(all(row["known"] is False for row in closed.modules))
        self.assertEqual(clearing.unfinished(self.case), [])
        self.assertTrue(clearing.clear_check(self.case).allowed)

    def test_every_module_has_its_outcome_whatever_breaks(self) -> None:
        told = (
            Cleared("Engine", 0x7E8, True),
            Cleared("Gearbox", 0x7E9, False, "silent", known=False),
            Cleared("Brakes", 0x768, False, "refused"),
        )
        with mock.patch("gumshoe.web.clearing.services.clear_modules", return_value=told):
            done = clearing.clear(self.case, self.tess, triage=True)
        self.assertEqual([row["module"] for row in done.modules], ["Engine", "Gearbox", "Brakes"])
        self.assertIn("not known whether it cleared: silent", self.page("clear"))
        nobody = tuple(Cleared(name, 0, False, "refused") for name in ("Engine", "Gearbox"))
        silent = mock.patch("gumshoe.web.clearing.services.clear_modules", return_value=nobody)
        with silent, self.assertRaises(clearing.ClearRefused):
            clearing.clear(self.case, self.tess, triage=True)
        self.assertEqual(ClearingBegun.objects.last().outcome.modules[0]["reason"], "refused")
        self.assertEqual(self.case.clearings.count(), 1)

    def test_two_people_clear_once(self) -> None:
        first = clearing.clear(self.case, self.tess, triage=True, seen=0)
        with self.assertRaisesRegex(BadInput, "cleared meanwhile"):
            clearing.clear(self.case, self.tess, triage=True, seen=0)
        clearing.clear(self.case, self.tess, triage=True, seen=first.pk)
        self.assertEqual(self.case.clearings.count(), 2)

    def test_two_people_begin_one_drive(self) -> None:
        scans.perform(self.case, self.tess)
        before = scans.latest(self.case)
        Clearing.objects.create(case=self.case, by=self.tess, before=before, by_itself=True)
        self.assertEqual(pressed_twice(lambda: proofs.begin(self.case, self.tess)), ["begun", "refused"])
        self.assertEqual(ProofDrive.objects.count(), 1)

    def test_two_people_begin_one_recording(self) -> None:
        self.runner.key("start")
        self.runner.skip(3.0)
        live.running(self.case)
        self.assertEqual(pressed_twice(lambda: live.begin_free(self.case, self.tess, "yard")), ["begun", "refused"])
        self.assertEqual(self.case.recordings.count(), 1)


class Closed(Car):
    def test_a_closed_case_is_read_only_until_it_is_reopened_with_a_reason(self) -> None:
        scans.type_in(self.case, self.tess, "P0171 confirmed")
        self.client.post(f"/cases/{self.case.pk}/report/close/")
        self.case.refresh_from_db()
        self.assertIsNotNone(self.case.closed_at)
        with self.assertRaises(CaseIsClosed):
            verdicts.give_verdict(self.case, self.tess, "crankcase_hose_split")
        said = self.client.post(f"/cases/{self.case.pk}/scan/typed/", {"codes": "P0300"})
        self.assertContains(said, "is closed", status_code=400)
        self.assertIn("until it is reopened", self.page("scan"))
        self.client.post(f"/cases/{self.case.pk}/report/reopen/", {"reason": " "})
        self.case.refresh_from_db()
        self.assertIsNotNone(self.case.closed_at)
        self.client.post(f"/cases/{self.case.pk}/report/reopen/", {"reason": "it is back with the same noise"})
        self.case.refresh_from_db()
        self.assertIsNone(self.case.closed_at)
        self.assertEqual(self.case.reopeneds.get().reason, "it is back with the same noise")
        scans.type_in(self.case, self.tess, "P0300")
        self.assertIn("it is back with the same noise", self.page("report/file"))


class Intake(Car):
    def test_the_adviser_takes_cars_in_and_does_not_work_on_them(self) -> None:
        support.person("ada", Role.ADVISER)
        self.client.force_login(User.objects.get(username="ada"))
        self.assertContains(self.client.get("/"), "New case")
        made = self.client.post("/cases/new/", {"known": "t1"})
        case = Case.objects.order_by("-pk")[0]
        self.assertEqual(made["Location"], f"/cases/{case.pk}/complaint/")
        self.assertEqual(case.vehicle, self.car)
        self.client.post(f"/cases/{case.pk}/complaint/save/", {"text": "jerks", "lamp": "out"})
        self.assertEqual(case.complaints.get().text, "jerks")
        self.assertEqual(self.client.post(f"/cases/{case.pk}/scan/now/").status_code, 403)

    def test_one_plate_is_one_car_and_a_button_pressed_twice_one_case(self) -> None:
        new = {"plate": "ab 12 cde", "make": "Ostrel", "model": "Tern"}
        self.client.post("/cases/new/", new)
        refused = self.client.post("/cases/new/", new | {"plate": "AB12CDE"})
        self.assertContains(refused, "There is a vehicle with the plate", status_code=400)
        for _ in range(2):
            self.client.post("/cases/new/", {"known": "AB12CDE"})
        self.assertEqual(Case.objects.filter(vehicle__plate="ab 12 cde").count(), 1)


class Impossible(Car):
    """Every input that once gave a 500 gives a page that says what is wrong, and stores nothing."""

    def test_numbers_that_are_none(self) -> None:
        for path, data in (
            ("repair/maintenance/", {"words": "wipers", "parts": "NaN", "minutes": "5"}),
            ("repair/maintenance/", {"words": "wipers", "parts": "1", "minutes": "9" * 5000}),
            ("repair/maintenance/", {"words": "wipers", "parts": "1,234", "minutes": "5"}),
            ("notes/withdraw/", {"what": "note", "entry": "abc"}),
            ("notes/withdraw/", {"what": "note", "entry": "9" * 5000}),
        ):
            answer = self.client.post(f"/cases/{self.case.pk}/{path}", data)
            self.assertIn(answer.status_code, (400, 404), path)
        answer = self.client.get(f"/cases/{self.case.pk}/bench/circuits/purge_valve/", {"command": "nan"})
        self.assertLess(answer.status_code, 500)
        self.assertEqual(self.case.lines.count(), 0)

    def test_a_comma_is_a_decimal_sign(self) -> None:
        self.client.post(f"/cases/{self.case.pk}/repair/maintenance/", {"words": "wipers", "parts": "95,50"})
        self.assertEqual(str(self.case.lines.get().parts), "95.50")

    def test_texts_that_cannot_be_kept(self) -> None:
        with self.assertRaises(TooLong):
            cases.complain(self.case, self.tess, {"text": "x" * 100_000, "lamp": "steady"})
        stored = cases.complain(self.case, self.tess, {"text": "a\x00b", "lamp": "steady"})
        self.assertEqual(stored.text, "ab")

    def test_errors_have_our_own_pages(self) -> None:
        wrong = self.client.get(f"/cases/{self.case.pk}/clear/now/")
        self.assertContains(wrong, "only takes what a form sends", status_code=405)
        strict = self.client_class(enforce_csrf_checks=True)
        strict.force_login(User.objects.get(username="tess"))
        self.assertContains(strict.post("/cases/new/", {"plate": "X"}), "form is too old", status_code=403)
        self.assertEqual(self.client.get("/")["Cache-Control"], "private, no-store")
        self.assertIn("camera", self.client.get("/")["Permissions-Policy"])

    def test_what_nobody_sees_is_not_kept(self) -> None:
        """Signs that turn the order of a line (Unicode Annex 9) and NUL go; words from right to left stay."""
        turned = "jerks \u202egnihtemos\u202c \u2066x\u2069 \x00 \u05e9\u05dc\u05d5\u05dd"
        cases.complain(self.case, self.tess, {"text": turned, "symptoms": []})
        self.assertEqual(self.case.complaints.last().text, "jerks gnihtemos x  \u05e9\u05dc\u05d5\u05dd")
        car = register.new_vehicle(self.tess, {"plate": "N\u202e 7", "make": "a", "model": "b"})
        self.assertEqual(car.plate, "N 7")


class Files(Car):
    def test_a_file_that_was_imported_is_known_again(self) -> None:
        told = b'{"format": "gumshoe-case", "version": 1, "vehicle": {"plate": "F 1"}}'
        first = import_case(self.tess, told, "one.json")
        with self.assertRaisesRegex(BadInput, first.number):
            import_case(self.tess, told.replace(b'": ', b'":'), "two.json")
        self.assertEqual(Case.objects.filter(vehicle=first.vehicle).count(), 1)
        again = import_case(self.tess, told, "two.json", again=True)
        self.assertNotEqual(again.number, first.number)
        other = import_case(self.tess, told.replace(b"F 1", b"F 2"), "one.json")
        self.assertNotEqual(other.vehicle, first.vehicle)

    KNOWN = {"rpm": Told("rpm", "Engine speed", "1/min", 0.25, "service 01")}

    def refused(self, text: str, words: str) -> None:
        before = Case.objects.count()
        with self.assertRaisesRegex(CaseFileError, words):
            import_case(self.tess, text.encode("utf-8", errors="surrogatepass"))
        self.assertEqual(Case.objects.count(), before)

    def test_case_files_that_cannot_be(self) -> None:
        head = '{"format": "gumshoe-case", "version": 1, '
        self.refused(head + '"tests": [{"test": "look_cap", "outcome": "good", "at": "31.2.2024"}]}', "is not a date")
        self.refused(head + '"tests": [{"test": "look_cap", "outcome": "good", "at": "1024-01-01"}]}', "the year 1024")
        self.refused(head + '"vehicle": {"odometer_km": 1e20}}', "a number that cannot be")
        self.refused(head + '"vehicle": {"odometer_km": ' + "9" * 5000 + "}}", "not JSON")
        self.refused(head + '"vehicle": {"odometer_km": NaN}}', "not JSON")
        self.refused(head + '"vehicle": {"plate": "\\ud800"}}', "cannot be stored")
        self.refused(head + '"wiring": ' + "[" * 100_000 + "]" * 100_000 + "}", "nested too deeply")
        self.refused(head + '"wiring": ' + "[" * 60 + "]" * 60 + "}", "nested too deeply")
        rows = {"label": "x", "columns": {"rpm": [[0.0, 4e9], [1.0, 2.0]]}}
        self.refused(head + f'"recordings": [{json.dumps(rows)}]}}', "weeks apart")

    def test_a_wild_time_stamp_is_left_out_and_told(self) -> None:
        lines = ["time [s],Engine speed [1/min]", *(f"{n},800" for n in range(50)), "9e15,801"]
        found = table_apart("\n".join(lines).encode(), self.KNOWN)
        self.assertEqual(found.recording.channels["rpm"].times.size, 50)
        self.assertTrue(any("time that cannot be" in note for note in found.notes))

    def test_a_bad_table_and_a_bad_log_are_named_errors(self) -> None:
        with self.assertRaisesRegex(BadInput, "no column of time"):
            table_apart(b"a,b\n1,2\n", self.KNOWN)
        with self.assertRaisesRegex(BadInput, "could not be read|no frame"):
            log_apart(b"\x00" * 2000, ".blf")

    def test_what_takes_too_much_is_stopped_and_the_server_goes_on(self) -> None:
        big = "\n".join(["time [s],Engine speed [1/min]", *(f"{n / 10},{n % 900}" for n in range(1_500_000))]).encode()
        with mock.patch.dict("os.environ", {"GUMSHOE_READ_MB": "60"}), self.assertRaisesRegex(TooMuch, "memory"):
            table_apart(big, self.KNOWN)
        with mock.patch.dict("os.environ", {"GUMSHOE_READ_SECONDS": "1"}), self.assertRaises(TooMuch):
            log_apart(b"(0.0) can0 7E8#0341\n" * 800_000, ".log")

    def test_a_proof_comes_back_whole(self) -> None:
        demo_steps.turn_key(self.car, "on")
        scans.type_in(self.case, self.tess, "P0443 confirmed")
        verdicts.give_verdict(self.case, self.tess, "purge_circuit_open")
        line = offering.propose_line(self.case, self.tess, "renew_purge_valve")
        offering.answer(self.case, self.tess, line.pk, "approved", "owner", "by phone")
        working.do_work(self.case, self.tess, line.pk)
        cleared = clearing.clear(self.case, self.tess, triage=False)
        demo_steps.drive_skipped(self.case, self.tess, cleared)
        judged = proofs.finish(self.case, self.tess)
        text = write_case(export(self.case))
        case = import_case(self.tess, text.encode())
        made = proofs.clearing_of(case)
        assert made is not None
        came = proofs.check_list(made, proofs.tracker_of(made))
        self.assertEqual([row.words for row in came], [row["words"] for row in judged.conditions])
        self.assertEqual([row.done for row in came], [row["done"] for row in judged.conditions])
        self.assertEqual(made.judgements.get().verdict, judged.verdict)
        self.assertEqual(made.at, cleared.at)
        self.assertEqual([row["module"] for row in made.modules], [row["module"] for row in cleared.modules])
        self.assertEqual(export(case).proof, read_case(text).proof)
        self.client.force_login(User.objects.get(username="tess"))
        self.assertContains(self.client.get(f"/cases/{case.pk}/report/"), "own check of sensors and wiring")
