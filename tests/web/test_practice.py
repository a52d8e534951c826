"""Practice on the pages: a real case on a stand-in, never mixed with the shop's, clock and bill from the evidence."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from dataclasses import replace
from tempfile import TemporaryDirectory
from unittest import mock

from django.core import mail
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, override_settings
from django.urls import reverse
from django.utils import timezone

from gumshoe.core.errors import BadInput
from gumshoe.demo import steps as acts
from gumshoe.practice.exercise import Exercise, write_exercise
from gumshoe.practice.prepared import NobodyWouldBringIt
from gumshoe.practice.worked import Did
from gumshoe.web.accounts.models import Role, User
from gumshoe.web.bench import services as bench
from gumshoe.web.board import services as board
from gumshoe.web.cases import services as cases
from gumshoe.web.cases.evidence import NotInAnExercise, SomebodyElsesExercise
from gumshoe.web.cases.models import Case, Note, State
from gumshoe.web.crew import services as crew
from gumshoe.web.finding import services as finding
from gumshoe.web.history import sums
from gumshoe.web.history.models import FittedPart, Outcome
from gumshoe.web.kit import beside
from gumshoe.web.practice import services, steps
from gumshoe.web.practice.models import Attempt, Level, Own
from gumshoe.web.reports import closing, mailing
from gumshoe.web.scans import services as scans
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.verdicts import services as verdicts
from tests.practice.test_lines import EXERCISE, RIGHT, WRONG, ready
from tests.web import support


class Practised(TestCase):
    def setUp(self) -> None:
        self.runa = support.person("runa")
        self.client.force_login(self.runa)
        folder = self.enterContext(TemporaryDirectory())  # two tests at a time have a P-0001 each
        self.enterContext(override_settings(DATA_DIR=folder))
        self.addCleanup(support.stop_everything)

    def begun(self, level: str = Level.GUIDED, person: User | None = None) -> Attempt:
        return services.begin(person or self.runa, EXERCISE, ready(), level, "mixture")

    def page(self, name: str, *args: object) -> str:
        return self.client.get(reverse(name, args=args)).content.decode()


class NeverMixed(Practised):
    def test_it_is_nowhere_among_the_shops_own(self) -> None:
        own = support.case_of(self.runa, support.car("", "T 9"), "rough_idle")
        attempt = self.begun()
        case = attempt.case
        self.assertEqual((case.number, own.number[:3]), ("P-0001", f"{timezone.localdate():%y}-"))
        self.assertEqual([row.pk for row in Case.objects.all()], [own.pk])
        self.assertEqual(list(Vehicle.objects.values_list("plate", flat=True)), ["T 9"])
        shown = [card.case.pk for _, cards in board.board() for card in cards]
        self.assertEqual(shown, [own.pk])
        self.assertFalse(finding.search("P-0001", 10))
        self.assertNotIn(
            "P-0001", self.page("finding:cases") + self.page("finding:vehicles") + self.page("board:board")
        )
        self.assertEqual(int(cases.open_case(self.runa, own.vehicle).number[3:]), int(own.number[3:]) + 1)

    def test_no_sum_of_the_shop_knows_it(self) -> None:
        attempt = self.begun()
        scans.type_in(attempt.case, self.runa, "P0171 confirmed")
        verdicts.give_verdict(attempt.case, self.runa, "crankcase_hose_split")
        acts.repair(attempt.case, self.runa, RIGHT, "customer", "by phone")
        sums.up_to_date()
        self.assertFalse(State.objects.filter(counted=False).exists())
        self.assertEqual(sums.count_some(), 0)
        self.assertEqual((Outcome.objects.count(), FittedPart.objects.count()), (0, 0))
        sums.rebuild()
        self.assertEqual((Outcome.objects.count(), FittedPart.objects.count()), (0, 0))

    def test_every_page_of_it_says_so_and_no_other_does(self) -> None:
        attempt, own = self.begun(), support.case_of(self.runa, support.car("", "T 9"))
        for name in ("cases:complaint", "scans:scan", "bench:bench", "live:live", "verdicts:repair", "reports:report"):
            self.assertIn("practice-strip", self.page(name, attempt.case_id), name)
            self.assertNotIn("practice-strip", self.page(name, own.pk), name)

    def test_somebody_else_enters_nothing(self) -> None:
        attempt, udo = self.begun(), support.person("udo")
        with self.assertRaises(SomebodyElsesExercise):
            Note.objects.create(case=attempt.case, by=udo, text="it is the hose")
        other = self.begun(person=udo)
        self.assertEqual((other.case.number, other.digest), ("P-0002", attempt.digest))
        self.assertNotEqual(garage.runner(other.key), garage.runner(attempt.key))

    def test_no_page_of_it_leads_nowhere(self) -> None:
        attempt = self.begun()
        scans.type_in(attempt.case, self.runa, "P0171 confirmed")
        for lead in (self.runa, support.person("lena", Role.LEAD)):
            self.client.force_login(lead)
            found = self.links_from(reverse("cases:complaint", args=[attempt.case_id]))
            self.assertGreater(len(found), 20)
            self.assertEqual({address: code for address, code in found.items() if code >= 400}, {})

    def links_from(self, first: str) -> dict[str, int]:
        """Every address that the pages of a case lead to, and how it is answered."""
        found, left = dict[str, int](), [first]
        inside = first.rpartition("/complaint")[0]
        while left:
            address = left.pop()
            if address in found:
                continue
            answer = self.client.get(address)
            found[address] = answer.status_code
            if address.startswith(inside) and answer.get("Content-Type", "").startswith("text/html"):
                left += re.findall(r'href="(/[^"#?]*)', answer.content.decode())
        return found

    def test_it_is_not_handed_over_closed_reopened_or_mailed(self) -> None:
        attempt, lena = self.begun(), support.person("lena", Role.LEAD)
        case = attempt.case
        refused: tuple[Callable[[], object], ...] = (
            lambda: crew.hand_over(case, self.runa, lena, "", "go on", ""),
            lambda: crew.wait_for(case, self.runa, "part", None, ""),
            lambda: closing.close(case, self.runa, "enough"),
            lambda: mailing.send_report(case, self.runa, "somebody@example.org"),
        )
        for act in refused:
            with self.assertRaises(NotInAnExercise):
                act()
        self.assertEqual(mail.outbox, [])
        self.assertNotIn("Close the", self.page("reports:report", case.pk))
        services.end(attempt)
        with self.assertRaises(NotInAnExercise):
            cases.reopen(case, self.runa, "once more")
        self.assertIsNotNone(Case.every.get(pk=case.pk).closed_at)

    def test_only_so_many_at_a_time(self) -> None:
        for _ in range(services.MOST_OPEN):
            self.begun()
        with self.assertRaisesRegex(BadInput, "3 exercises on hand"):
            self.begun()


class Levels(Practised):
    def test_what_each_level_hides(self) -> None:
        for level, hidden, shown in (
            (Level.GUIDED, (), ("suspects", "read")),
            (Level.NO_SUSPECTS, ("suspects",), ("read",)),
            (Level.NO_READ, ("suspects", "read"), ()),
            (Level.BARE, ("suspects", "read"), ()),
        ):
            attempt = self.begun(level)
            scans.type_in(attempt.case, self.runa, "P0171 confirmed")
            pk = attempt.case_id
            for name in hidden:
                text = self.page({"suspects": "suspects:suspects", "read": "scans:read"}[name], pk)
                self.assertIn("Not shown in this exercise", text, level)
                self.assertNotIn(f'data-key="{ {"suspects": 5, "read": 3}[name] }"', self.page("scans:scan", pk))
            for name in shown:
                text = self.page({"suspects": "suspects:suspects", "read": "scans:read"}[name], pk)
                self.assertNotIn("Not shown in this exercise", text, level)
            bench_page, repair = self.page("bench:bench", pk), self.page("verdicts:repair", pk)
            guided = level == Level.GUIDED
            self.assertEqual("Can show the leader" in bench_page or "Tells suspects apart" in bench_page, guided)
            self.assertEqual(" %" in repair, guided, level)
            self.assertEqual("it is your turn" in bench_page, not guided)
            circuit = self.page("bench:circuit", pk, "purge_valve")
            told = ("Next probe", "Struck out", "strip-map")
            self.assertEqual([words in circuit for words in told], [level != Level.BARE] * 3)
            self.assertEqual("Not shown" in self.page("papers:systems", pk), level == Level.BARE)
            self.assertEqual("Not shown" in self.page("scans:misfire", pk), "read" in hidden)
            services.end(attempt)
            self.assertNotIn("Not shown in this exercise", self.page("suspects:suspects", pk))  # now all is shown

    def test_whoever_is_not_guided_reads_the_complaint_themselves(self) -> None:
        with mock.patch.object(services, "told", return_value=mock.Mock(
            text="It shakes.", symptoms=("rough_idle",), lamp="steady", since="a week", recent_work=""
        )):  # fmt: skip
            self.assertEqual(self.begun().case.complaints.get().symptoms, ["rough_idle"])
            self.assertEqual(self.begun(Level.BARE).case.complaints.get().symptoms, [])


class Worked(Practised):
    def worked(self, attempt: Attempt, *repairs: str) -> None:
        """Scan, a look, a verdict and repairs."""
        case = attempt.case
        acts.turn_key(case.vehicle, "on")
        scans.perform(case, attempt.person)
        bench.record(case, attempt.person, bench.test_of(case, "look_hoses"), {"found": "crankcase hose split"}, "")
        verdicts.give_verdict(case, attempt.person, "crankcase_hose_split")
        for name in repairs:
            acts.repair(case, attempt.person, name, "customer", "by phone")

    def test_clock_and_bill_follow_from_the_evidence(self) -> None:
        attempt = self.begun()
        self.worked(attempt, RIGHT)
        rows = steps.steps_of(attempt.case)
        self.assertEqual([row.did for row in rows], [Did.SCAN, Did.TEST, Did.VERDICT, Did.REPAIR])
        repair = cases.knowledge_of(attempt.case).repairs[RIGHT]
        look = cases.knowledge_of(attempt.case).tests["look_hoses"]
        minutes, money = steps.clock_of(attempt.case)
        self.assertEqual(minutes, 5.0 + look.minutes + repair.minutes)
        self.assertAlmostEqual(money, float(repair.parts) + minutes * 84.0 / 60.0)
        self.assertEqual(steps.time_of_day(minutes), f"08:{int(minutes):02d}")
        self.assertEqual(steps.time_of_day(500.0), "day 2, 08:20")
        services.hint(attempt)
        self.assertEqual(steps.clock_of(attempt.case)[0], minutes + 10.0)

    def test_the_stand_in_goes_on_where_it_was_left_when_the_server_stops(self) -> None:
        attempt = self.begun()
        self.worked(attempt, RIGHT)
        before = steps.clock_of(attempt.case)
        running = garage.runner(attempt.key)
        assert running
        running.skip(60.0)
        clock = running.vehicle.clock_s
        garage.stop_all()
        again = garage.runner(attempt.key)
        assert again and again is not running
        self.assertGreaterEqual(again.vehicle.clock_s, clock)
        self.assertEqual(again.vehicle.parts.leaks_mm2, running.vehicle.parts.leaks_mm2)  # it stays mended
        self.assertEqual(steps.clock_of(attempt.case), before)
        garage.stop_all()
        garage.practice_state(attempt.key).unlink()  # a backup was put back, and has none
        afresh = garage.runner(attempt.key)
        assert afresh
        self.assertEqual(afresh.vehicle.parts.leaks_mm2, running.vehicle.parts.leaks_mm2)
        with override_settings(PAGES_ONLY=True):  # another process has the cars
            garage.stop_all()
            self.assertIsNone(garage.runner(attempt.key))
            shown = self.client.get(reverse("standing:resume", args=[attempt.case_id]), follow=True)
            self.assertEqual(shown.status_code, 421)  # the door asks the process that has them

    def test_ended_and_looked_back_at(self) -> None:
        attempt = self.begun()
        self.worked(attempt, WRONG, RIGHT)
        self.assertIn("No drive has proven anything here", self.page("practice:end", attempt.pk))
        with mock.patch.object(beside, "begin", support.at_once):
            answer = self.client.post(reverse("practice:end", args=[attempt.pk]))
        self.assertEqual(answer["Location"], reverse("practice:debrief", args=[attempt.pk]))
        attempt.refresh_from_db()
        attempt.case.refresh_from_db()
        self.assertTrue(attempt.sound and attempt.ended and attempt.case.closed_at)
        self.assertIsNone(garage.runner(attempt.key))
        self.assertFalse(garage.practice_state(attempt.key).exists())
        told = attempt.told
        self.assertEqual((told.good_parts, told.first, told.cured), (("brake booster hose",), False, True))
        text = self.page("practice:debrief", attempt.pk)
        for words in (
            "the crankcase ventilation hose is split",
            "Good parts renewed",
            "Most frequent fix first",
            "<svg",
        ):
            self.assertIn(words, text)
        self.assertEqual(self.client.post(reverse("practice:end", args=[attempt.pk])).status_code, 400)
        with self.assertRaises(BadInput):
            services.hint(attempt)
        progress = self.page("practice:progress")
        self.assertIn("The queue", progress)
        self.assertIn("<td>Air and throttle</td>", progress)
        rows = b"".join(self.client.get(reverse("practice:progress_csv")).streaming_content).decode().splitlines()
        self.assertEqual(len(rows), 2)
        self.assertIn("P-0001,The queue,guided,Air and throttle,no,yes,no,yes", rows[1])

    def test_two_people_compare_and_only_the_lead_sees_both(self) -> None:
        mine, udo, lena = self.begun(), support.person("udo"), support.person("lena", Role.LEAD)
        other = self.begun(person=udo)
        for attempt, repairs in ((mine, (RIGHT,)), (other, (WRONG,))):
            self.worked(attempt, *repairs)
            services.end(attempt)
            services.look_back(attempt)
        self.assertFalse(Attempt.objects.get(pk=other.pk).told.cured)
        self.assertNotIn("Udo", self.page("practice:debrief", mine.pk))
        self.assertEqual(self.client.get(reverse("practice:debrief", args=[other.pk])).status_code, 404)
        self.client.force_login(lena)
        self.assertIn("Udo", self.page("practice:debrief", mine.pk))
        self.assertIn("It left the shop as it came", self.page("practice:debrief", other.pk))
        shop = self.page("practice:progress")
        self.assertIn("Runa", shop)
        self.assertIn("Udo", shop)


class Exercises(Practised):
    def send(self, content: bytes) -> object:
        return self.client.post(reverse("practice:take_in"), {"file": SimpleUploadedFile("one.json", content)})

    def test_the_page_offers_every_course(self) -> None:
        for name in ("mixture", "ignition", "evaporative", "electrics", "diesel", "intermittent"):
            text = self.page("practice:course", name)
            self.assertGreaterEqual(text.count(">Begin</button>"), 10)
            for words in ("thermostat stays open", "hose is split"):
                self.assertNotIn(words, text)  # what is wrong is nowhere told before

    def test_begun_by_pressing(self) -> None:
        with (
            mock.patch.object(beside, "begin", support.at_once),
            mock.patch.object(services, "ready", return_value=ready()),
        ):
            address = reverse("practice:begin", args=["mixture", 1])
            answer = self.client.post(address, {"level": Level.NO_SUSPECTS})
            attempt = Attempt.objects.get()
            self.assertEqual(answer["Location"], reverse("cases:complaint", args=[attempt.case_id]))
            self.assertEqual((attempt.level, attempt.course), (Level.NO_SUSPECTS, "mixture"))
            wrong = self.client.post(address, {"level": "clairvoyant"}, follow=True)
            self.assertContains(wrong, "There is no such level")
            drawn = {"system": "air", "car": "tern_16", "hard": "", "seed": "7", "level": Level.GUIDED}
            self.client.post(reverse("practice:draw"), drawn)
            self.assertEqual(Attempt.objects.count(), 2)
        none = self.client.post(reverse("practice:draw"), {"system": "recirculation", "car": "tern_16", "seed": "7"})
        self.assertContains(none, "no such kind of car", status_code=400)

    def test_a_file_is_taken_in_given_out_and_refused_with_its_place(self) -> None:
        text = write_exercise(EXERCISE)
        self.send(text.encode())
        own = Own.objects.get()
        self.send(text.encode())
        self.assertEqual(Own.objects.count(), 1)
        given = self.client.get(reverse("practice:own_file", args=[own.pk])).content
        self.assertEqual(json.loads(given), json.loads(text))
        bad = self.send(json.dumps(json.loads(text) | {"faults": ["gremlins"]}).encode())
        self.assertContains(bad, "faults[0]: a “tern_16” cannot have a fault “gremlins”", status_code=400)
        self.assertContains(self.client.post(reverse("practice:take_in")), "No file was chosen", status_code=400)
        self.assertEqual(Own.objects.count(), 1)
        self.client.post(reverse("practice:hide", args=[own.pk]))
        self.assertNotIn(reverse("practice:begin_own", args=[own.pk]), self.page("practice:practice"))

    def test_a_file_tells_what_is_wrong_so_first_it_is_worked(self) -> None:
        brought = services.take_in(support.person("udo"), EXERCISE)
        course, own = (
            reverse("practice:course_file", args=["ignition", 1]),
            reverse("practice:own_file", args=[brought.pk]),
        )

        def given() -> list[int]:
            shown = self.page("practice:course", "ignition")
            codes = [self.client.get(address).status_code for address in (course, own)]
            self.assertEqual([address in shown for address in (course, own)], [code == 200 for code in codes])
            return codes

        self.assertEqual(given(), [404, 404])
        attempt = self.begun()
        self.assertEqual(given(), [404, 404])
        services.end(attempt)
        self.assertEqual(given(), [404, 200])
        self.client.force_login(support.person("lena", Role.LEAD))
        self.assertEqual(given(), [200, 200])

    def test_of_drawn_cars_the_one_that_is_as_hard_as_wished(self) -> None:
        rows = [replace(EXERCISE, title=f"car {number}") for number in range(20)]
        tried: list[str] = []

        def made(levels: list[int | None]) -> Callable[[Exercise], object]:
            tried.clear()

            def ready_(exercise: Exercise) -> object:
                level = levels[len(tried)]
                tried.append(exercise.title)
                if level is None:
                    raise NobodyWouldBringIt("Its driver feels nothing.")
                return mock.Mock(difficulty=mock.Mock(level=level))

            return ready_

        for levels, wished, chosen, of in (
            ([None, 4, 2, 5], 2, "car 2", 3),  # just so: no further one is driven
            ([None, 4], None, "car 1", 2),  # as it comes: the first that can be begun
            (
                [1, 4, 2, 5, 3],
                3,
                "car 1",
                services.MOST_DRAWN,
            ),  # none of the few is: the first of the nearest
        ):
            with mock.patch.object(services, "ready", made(levels)):
                self.assertEqual(services.one_of(rows, wished)[0].title, chosen)
            self.assertEqual(len(tried), of)
        with (
            mock.patch.object(services, "ready", made([None] * 20)),
            self.assertRaisesRegex(NobodyWouldBringIt, "feels nothing"),
        ):
            services.one_of(rows, 3)

    def test_what_makes_no_exercise_is_said_by_the_process_that_drives_it(self) -> None:
        silent = Exercise(title="Warm", car="tern_16", faults=("thermostat-open",), drives=("short",))
        with self.assertRaisesRegex(NobodyWouldBringIt, "its driver feels nothing") as caught:
            services.apart(silent)
        self.assertIn("Nothing was begun", caught.exception.kept)

    def test_the_fault_that_fooled_us(self) -> None:
        case = support.case_of(self.runa, support.car("", "AB 12"), "rough_idle")
        scans.type_in(case, self.runa, "P0171 confirmed")
        verdicts.give_verdict(case, self.runa, "crankcase_hose_split")
        address = reverse("practice:of_case", args=[case.pk])
        self.assertContains(self.client.post(address, follow=True), "Only a closed case")
        acts.repair(case, self.runa, RIGHT, "Ansa Brekke", "by phone")
        case.closed_at = timezone.now()
        case.save(update_fields=["closed_at"])
        self.assertContains(self.client.post(address, follow=True), "nobody is named in it")
        exercise = Own.objects.get().exercise
        self.assertEqual((exercise.car, exercise.faults), ("tern_16", ("crankcase-hose-split",)))
        for words in ("AB 12", "Ansa", "idles unevenly"):
            self.assertNotIn(words, write_exercise(exercise))
