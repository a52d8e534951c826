"""The Suspects page beyond the ranking, and why it failed: own suspects, the missing proof, root causes, two banks."""

from __future__ import annotations

from django.test import TestCase
from django.urls import reverse

from gumshoe.core.errors import BadInput
from gumshoe.core.obd.poller import Sample
from gumshoe.core.signals.recording import Recording as Samples
from gumshoe.web.cases import judging
from gumshoe.web.cases import services as cases
from gumshoe.web.live import looking, recordings, store
from gumshoe.web.live import services as live
from gumshoe.web.scans import services as scans
from gumshoe.web.suspects import services as suspects
from gumshoe.web.vehicles.models import Vehicle
from gumshoe.web.verdicts import services as verdicts
from tests.web.support import case_of, person


class TypedIn(TestCase):
    """A V6 that is not connected: its codes are typed in."""

    def setUp(self) -> None:
        self.tess = person()
        self.client.force_login(self.tess)
        car = Vehicle.objects.create(plate="T 6", make="Ostrel", model="Dunlin 3.0", platform="ostrel_dunlin_30")
        self.case = case_of(self.tess, car, "rough_idle")

    def codes(self, *numbers: str) -> None:
        scans.type_in(self.case, self.tess, "\n".join(numbers))

    def page(self, name: str = "suspects:suspects", query: str = "") -> str:
        response = self.client.get(reverse(name, args=[self.case.pk]) + query)
        self.assertEqual(response.status_code, 200)
        return response.content.decode()

    def post(self, name: str, **data: str) -> None:
        response = self.client.post(reverse(name, args=[self.case.pk]), data)
        self.assertEqual(response.status_code, 302, response.content[:300])


class OnTheSuspectsPage(TypedIn):
    def test_own_suspect_is_lifted_marked_and_can_be_taken_back(self) -> None:
        self.codes("P0300")
        before = suspects.assess_case(self.case)[0].suspect("fuel_bad")
        self.post("suspects:rule", kind="own", subject="fuel_bad")
        after = suspects.assess_case(self.case)[0].suspect("fuel_bad")
        assert before and after
        self.assertGreater(after.probability, before.probability)
        self.assertIn("own suspect", self.page())
        self.assertIn("No longer my own suspect", self.page(query="?suspect=fuel_bad"))
        self.post("suspects:rule", kind="back", subject="fuel_bad")
        again = suspects.assess_case(self.case)[0].suspect("fuel_bad")
        assert again
        self.assertAlmostEqual(again.probability, before.probability)

    def test_two_independent_faults_are_one_explanation(self) -> None:
        self.codes("P0420", "P0118")
        text = self.page()
        self.assertIn("Best explanation as a whole", text)
        self.assertIn("together with", text)
        self.assertIn("How sure is the count?", text)
        self.assertIn("What was not compared could change", self.page(query="?count=1"))

    def test_what_is_missing_is_the_proof(self) -> None:
        self.codes("P0031", "P0037", "P0051", "P0057")
        found = judging.judged(self.case)
        assert found.next.test
        self.assertEqual((found.next.act, found.next.test.id), ("show", "check_feed_heaters"))
        self.assertEqual(found.proposals[0].test.id, "check_feed_heaters")
        self.assertIn("no test shows it: a guess", self.page())

    def test_many_clues_are_shown_by_what_they_say(self) -> None:
        self.codes("P0300", "P0171", "P0174", "P0101", "P0507", "P0420", "P0430", "P0030", "P0118", "P0128", "P0443")
        response = self.client.get(reverse("suspects:suspects", args=[self.case.pk]))
        context = response.context
        self.assertLessEqual(len(context["matrix"]), 14)
        rows = len(context["matrix"]) + len(context["weaker"]) + len(context["silent"])
        self.assertEqual(rows, len(context["assessment"].clues))


class WhyItFailed(TypedIn):
    def test_asked_after_the_verdict_and_answered_by_a_suspect(self) -> None:
        self.codes("P0303")
        self.assertIsNone(verdicts.why_failed(self.case, suspects.assess_case(self.case)[0]))
        with self.assertRaises(BadInput):
            verdicts.name_cause(self.case, self.tess, "", "heat")
        self.post("verdicts:verdict", suspect="coil_breakdown_3")
        asked = verdicts.why_failed(self.case, suspects.assess_case(self.case)[0])
        assert asked
        self.assertEqual({root.id for root in asked.roots}, {"plugs_worn_all", "plug_bad_3"})
        self.assertEqual(asked.words, "")
        self.assertIn("Why did it fail?", self.page("verdicts:repair"))
        self.post("verdicts:cause", cause="suspect:plugs_worn_all", words="")
        answered = verdicts.why_failed(self.case, suspects.assess_case(self.case)[0])
        assert answered and answered.repair
        self.assertEqual(answered.repair.id, "renew_plugs")
        self.assertIn("Propose as well", self.page("verdicts:repair"))

    def test_a_later_answer_supersedes_and_both_stay(self) -> None:
        self.codes("P0303")
        verdicts.give_verdict(self.case, self.tess, "coil_breakdown_3")
        self.post("verdicts:cause", cause="heat and age", words="")
        self.post("verdicts:cause", cause="", words="oil in the well")
        verdict = self.case.verdicts.last()
        self.assertEqual(verdict.cause, "oil in the well")
        self.assertEqual([row.words for row in verdict.causes.all()], ["heat and age", "oil in the well"])
        response = self.client.post(reverse("verdicts:cause", args=[self.case.pk]), {"cause": "", "words": " "})
        self.assertEqual(response.status_code, 400)
        self.assertIn("Why did it fail?", response.content.decode())
        self.assertEqual(verdict.causes.count(), 2)


class TwoBanksLive(TypedIn):
    def test_charts_and_trims_of_both_banks(self) -> None:
        keys = live.recorded_keys(cases.powertrain_of(self.case))
        self.assertIn("total_trim_b2_pct", keys)
        self.assertIn("Total trim, bank 2", [row.name for row in looking.channels(self.case).values()])
        values = {"rpm": 690.0, "coolant_c": 90.0, "speed_kmh": 0.0, "maf_gps": 4.0, "load_pct": 20.0}
        values |= {"stft_b1_pct": 0.0, "ltft_b1_pct": 1.0, "stft_b2_pct": 3.0, "ltft_b2_pct": 25.0}
        values |= {"throttle_pct": 14.0, "run_time_s": 400.0}
        samples = [Sample(1.7e9 + i * 0.2, key, value) for i in range(80) for key, value in values.items()]
        steps = looking.steps(self.case, values)
        store.keep(self.case, self.tess, Samples.from_samples(samples), steps, label="Warm idle", purpose="idle")
        reading = recordings.trim_reading(recordings.recorded(self.case), cases.powertrain_of(self.case))
        assert reading
        self.assertEqual((len(reading.banks), reading.bank), (2, 2))
        text = self.page("live:live")
        self.assertIn("warm idle, bank 2", text)
        words = " ".join(clue.words for clue in suspects.assess_case(self.case)[0].clues)
        self.assertIn("bank 2 off alone", words)
