"""The circuit bench on its page: leads and plugs by link, readings checked and kept, the conclusion as a clue."""

from urllib.parse import parse_qs, urlparse

from django.test import TestCase
from django.urls import reverse

from gumshoe.core.casefile import write_case
from gumshoe.core.circuits import GROUND, Instrument
from gumshoe.core.errors import BadInput
from gumshoe.web.accounts.models import Role
from gumshoe.web.bench import circuits
from gumshoe.web.bench import services as bench
from gumshoe.web.bench.models import CircuitConclusion, CircuitReading
from gumshoe.web.bench.stand import Stand, stand_for
from gumshoe.web.proposal import services as offering
from gumshoe.web.reports.casefile import export
from gumshoe.web.reports.importing import import_case
from gumshoe.web.scans import services as scans
from gumshoe.web.suspects import services as suspects
from gumshoe.web.vehicles.cars import car_of
from gumshoe.web.verdicts import services as verdicts
from tests.web.support import car, case_of, person, stand_in, start, stop_everything

PART = frozenset({"part"})
OHM = Stand(Instrument.OHM, "part_plus", "part_minus", 0.0, PART)
LOOK = Stand(Instrument.LOOK, "part")


class CircuitPage(TestCase):
    def setUp(self) -> None:
        self.user = person()
        self.case = case_of(self.user, car())
        self.client.force_login(self.user)
        self.url = reverse("bench:circuit", args=(self.case.pk, "purge_valve"))

    def post(self, action: str, **data: str):  # type: ignore[no-untyped-def]
        return self.client.post(reverse(f"bench:circuit_{action}", args=(self.case.pk, "purge_valve")), data)

    def read(self, stand: Stand, value: str):  # type: ignore[no-untyped-def]
        return self.post("record", stand=stand.query, value=value)

    def test_it_opens_where_the_next_probe_is(self) -> None:
        page = self.client.get(self.url)
        self.assertContains(page, "Next probe")
        self.assertContains(page, "Put the red (+) lead on feed terminal of the plug")
        self.assertContains(page, "Take off: plug of purge valve")

    def test_a_press_on_a_place_or_plug_changes_the_address(self) -> None:
        stand = Stand(plus="control")
        for link, key, value in (
            (stand.with_lead("feed"), "plus", "feed"),
            (stand.toggled("part"), "off", "part"),
            (Stand(plus="control", moves="minus").with_lead("feed"), "minus", "feed"),
        ):
            self.assertEqual(parse_qs(link.query)[key], [value])
            self.assertContains(self.client.get(f"{self.url}?{stand.query}"), "Sound circuit")
        page = self.client.get(f"{self.url}?{stand.query}")
        self.assertIn("Put the red (+) lead on feed terminal of the plug", page.content.decode())
        self.assertContains(page, "12.60 V")  # what the sound circuit shows at the feed

    def test_a_reading_is_stored_and_strikes_out(self) -> None:
        answer = self.read(Stand(plus="control"), "12,4 V")
        self.assertEqual(parse_qs(urlparse(answer.url).query)["plus"], ["control"])
        page = self.client.get(answer.url)
        self.assertContains(page, "driver in the control unit does not switch off")
        self.assertContains(page, "you read <strong>12.40 V</strong>")
        row = CircuitReading.objects.get()
        self.assertEqual((row.value, row.by), (12.4, self.user))

    def test_what_cannot_be_is_refused_and_kept_in_the_field(self) -> None:
        for stand, value, words in (
            (Stand(plus="control"), "1260", "cannot be read here"),
            (Stand(plus="control"), "low", "is not a number"),
            (Stand(plus="control"), "12 psi", "cannot be turned into V"),
            (Stand(plus="part_plus"), "12", "only with the plug"),
            (Stand(Instrument.LAMP, "unit_ground"), "dark", "does not go on"),
            (Stand(plus="moon"), "12", "no place"),
        ):
            page = self.read(stand, value)
            self.assertContains(page, words, status_code=400)
        self.assertFalse(CircuitReading.objects.exists())
        self.assertContains(self.read(Stand(plus="control"), "1260"), 'value="1260"', status_code=400)

    def test_a_lamp_on_a_data_line_is_refused_with_the_reason(self) -> None:
        stand = Stand(Instrument.LAMP, "high")
        page = self.client.get(reverse("bench:circuit", args=(self.case.pk, "bus_bus")) + "?" + stand.query)
        self.assertContains(page, "it would load a sensor, a data line")

    def test_contradictory_readings_and_one_set_aside(self) -> None:
        self.read(Stand(plus="feed"), "12.5")
        self.read(Stand(plus="control"), "12.5")
        page = self.client.get(self.read(Stand(plus="fuse_out"), "3.3").url)
        self.assertContains(page, "No single fault explains these readings")
        with self.assertRaises(BadInput):
            circuits.conclude(self.case, self.user, "purge_valve")
        odd = CircuitReading.objects.get(plus="fuse_out")
        page = self.client.get(self.post("aside", reading=str(odd.pk), stand=Stand(plus="feed").query).url)
        self.assertNotContains(page, "No single fault")
        self.assertContains(page, "set aside")
        self.post("aside", reading=str(odd.pk), back="1", stand="")
        self.assertEqual(len(circuits.counting(self.case, "purge_valve")), 3)
        self.assertEqual(CircuitReading.objects.count(), 3)

    def test_the_conclusion_becomes_a_clue(self) -> None:
        scans.type_in(self.case, self.user, "P0443 confirmed")
        before = self.share("purge_circuit_open")
        early = self.post("conclude", stand="")
        self.assertContains(early, "do not decide yet", status_code=400)
        self.read(Stand(plus="feed", command=1.0), "12.5")
        self.read(Stand(plus="control"), "0.05")
        self.read(LOOK, "clean and tight")
        page = self.client.get(self.read(OHM, "OL").url)
        self.assertContains(page, "It stands")
        self.assertRedirects(self.post("conclude", stand=""), reverse("suspects:suspects", args=(self.case.pk,)))
        found = CircuitConclusion.objects.get()
        self.assertEqual((found.of, found.outcome, found.readings.count()), ("part", "part", 4))
        self.assertEqual((found.record.test, found.record.outcome), ("check_purge_valve", "open"))
        self.assertGreater(self.share("purge_circuit_open"), before)
        self.assertContains(self.client.get(self.url), "concluded")

    def test_a_part_found_open_inside_is_renewed(self) -> None:
        """What the bench found is what is proposed: the valve, not its plug and wires."""
        scans.type_in(self.case, self.user, "P0443 confirmed")
        self.assertEqual(offering.wanted_for(self.case, "purge_circuit_open"), "mend_purge_wiring")
        self.read(Stand(plus="feed", command=1.0), "12.5")
        self.read(Stand(plus="control"), "0.05")
        self.read(LOOK, "clean and tight")
        self.read(OHM, "OL")
        self.post("conclude", stand="")
        self.assertEqual(offering.wanted_for(self.case, "purge_circuit_open"), "renew_purge_valve")
        first, *others = offering.offers_for(self.case, "renew_purge_valve")
        self.assertFalse(any("cures" in note for note in first.notes))
        wiring = next(item for item in others if item.repair.id == "mend_purge_wiring")
        self.assertTrue(any("cures" in note for note in wiring.notes))
        given = verdicts.give_verdict(self.case, self.user, "purge_circuit_open")
        self.assertIn(": purge valve itself open inside", given.words)
        page = self.client.get(reverse("proposal:lines", args=(self.case.pk,)))
        self.assertContains(page, "Renew the purge valve, original part")

    def test_the_verdict_names_wire_or_terminal(self) -> None:
        """Which of them is to be mended, not only that it is the wiring; withdrawn, it is not said."""
        scans.type_in(self.case, self.user, "P0443 confirmed")
        self.read(Stand(plus="feed", command=1.0), "12.5")
        self.read(Stand(plus="control", command=1.0), "12.4")
        self.read(Stand(plus="unit_control", command=1.0), "0.05")
        self.read(Stand(Instrument.OHM, "control", "unit_control", 0.0, PART | {"unit"}), "OL")
        self.post("conclude", stand="")
        found = CircuitConclusion.objects.get()
        self.assertEqual(found.outcome, "open")
        given = verdicts.give_verdict(self.case, self.user, "purge_circuit_open")
        self.assertIn(found.words, given.words)
        self.assertRegex(given.words, "control (wire|terminal)")
        assert found.record
        bench.withdraw(self.case, self.user, found.record.pk, "the lead was off")
        self.assertEqual(circuits.found_at(self.case, "purge_circuit_open"), "")

    def share(self, fault: str) -> float:
        assessment, _ = suspects.assess_case(self.case)
        return next(row.probability for row in assessment.suspects if row.id == fault)

    def test_a_shared_ground_becomes_the_points_clue(self) -> None:
        url = reverse("bench:circuit_record", args=(self.case.pk, "ground_coils"))
        for key in ("ignition_coil_1", "ignition_coil_2", "ignition_coil_3", "ignition_coil_4"):
            stand = Stand(Instrument.HEARD, f"coil_{key}", GROUND, 1.0)
            self.client.post(url, {"stand": stand.query, "value": "nothing"})
        for node in ("ground_ignition_coil_1", "ring", "eye"):
            value = "11.9" if node != "eye" else "0.01"
            self.client.post(url, {"stand": Stand(plus=node, command=1.0).query, "value": value})
        found = circuits.conclude(self.case, self.user, "ground_coils")
        self.assertEqual((found.record.test, found.record.outcome), ("check_ground_coils", "bad"))
        self.assertIn("ring", found.words)

    def test_one_load_of_a_shared_point_is_commanded_alone(self) -> None:
        url = reverse("bench:circuit", args=(self.case.pk, "feed_heaters"))
        stand = Stand(plus="spliced", command=1.0, alone="oxygen_heater_b1s1")
        page = self.client.get(f"{url}?{stand.query}")
        self.assertContains(page, "heater of the oxygen sensor, bank 1 sensor 1 alone commanded on")
        where = reverse("bench:circuit_record", args=(self.case.pk, "feed_heaters"))
        self.client.post(where, {"stand": stand.query, "value": "12.2"})
        self.client.post(where, {"stand": Stand(plus="spliced", command=1.0).query, "value": "11.9"})
        kept = circuits.counting(self.case, "feed_heaters")
        self.assertEqual([item.probe.setting.alone for item in kept], ["oxygen_heater_b1s1", ""])
        back = import_case(self.user, write_case(export(self.case)).encode())
        self.assertEqual(circuits.counting(back, "feed_heaters"), kept)
        refused = self.client.post(where, {"stand": Stand(plus="spliced", command=1.0, alone="x").query, "value": "1"})
        self.assertContains(refused, "to command alone", status_code=400)

    def test_what_lies_beyond_the_circuit_is_told_and_clears_it(self) -> None:
        for plus, value in (("feed", "12.4"), ("control", "1.4"), ("unit_ground", "1.2")):
            self.read(Stand(plus=plus, command=1.0), value)
        found = circuits.conclude(self.case, self.user, "purge_valve")
        self.assertEqual((found.record.test, found.record.outcome), ("unit_ground_drop", "bad"))
        rows = self.case.testrecords.values_list("test", "outcome")
        self.assertIn(("check_purge_valve", "good"), rows)

    def test_the_ledger_takes_a_plug_that_stays_off(self) -> None:
        self.post("record", stand=OHM.query, value="22", still_off="1")
        (end,) = self.case.looseends.all()
        self.assertIn("plug of purge valve off", end.what)

    def test_an_adviser_looks_and_changes_nothing(self) -> None:
        mila = person("mila", Role.ADVISER)
        self.client.force_login(mila)
        self.assertEqual(self.client.get(self.url).status_code, 200)
        self.assertEqual(self.read(Stand(plus="control"), "12").status_code, 403)
        self.assertFalse(CircuitReading.objects.exists())

    def test_no_such_circuit(self) -> None:
        page = self.client.get(reverse("bench:circuit", args=(self.case.pk, "catalyst")))
        self.assertContains(page, "No circuit is known for", status_code=400)
        self.assertContains(self.client.get(reverse("bench:circuits", args=(self.case.pk,))), "Every circuit")


class AtTheStandIn(TestCase):
    def tearDown(self) -> None:
        stop_everything()

    def test_the_proposed_probes_end_with_what_is_wrong_at_the_car(self) -> None:
        """The stand-in's wires are solved with its own defect in them; the bench does not know it."""
        for defect, outcome in (("purge-open", "part"), ("purge-wire-open", "open")):
            runner = start(stand_in(defects=(defect,)))
            runner.key("on")
            user = person(f"t{outcome}")
            case = case_of(user, car(plate=defect))
            for _ in range(14):
                made = circuits.model_of(case, "purge_valve")
                readings = circuits.counting(case, "purge_valve")
                if readings and circuits.conclusion(made, readings).stands:
                    break
                probe = circuits.first_probe(case, "purge_valve")
                assert probe
                found = car_of(case.vehicle).measure(made.circuit, probe)
                assert found
                typed = found.words if found.value is None else f"{found.value}"
                circuits.record(case, user, "purge_valve", stand_for(probe), typed)
            self.assertEqual(circuits.conclude(case, user, "purge_valve").outcome, outcome, defect)
            stop_everything()

    def test_with_the_key_off_nothing_is_fed(self) -> None:
        runner = start(stand_in())
        runner.key("off")
        case = case_of(person(), car())
        found = car_of(case.vehicle).measure(circuits.model_of(case, "purge_valve").circuit, Stand(plus="feed").probe)
        self.assertIn("key is off", found.words if found else "")


class CaseFiles(TestCase):
    def test_readings_go_out_and_come_back(self) -> None:
        user = person()
        case = case_of(user, car())
        aside = circuits.record(case, user, "purge_valve", Stand(plus="fuse_out"), "3.3")
        circuits.set_aside(case, user, aside.pk, back=False)
        circuits.record(case, user, "purge_valve", Stand(plus="control"), "0.05")
        circuits.record(case, user, "purge_valve", OHM, "OL")
        circuits.record(case, user, "purge_valve", LOOK, "clean and tight")
        circuits.conclude(case, user, "purge_valve")
        self.client.force_login(user)
        report = self.client.get(reverse("reports:file", args=(case.pk,)))
        self.assertContains(report, "over range")
        self.assertContains(report, "Concluded:")
        (facts,) = export(case).circuits
        self.assertEqual((facts.component, len(facts.readings)), ("purge_valve", 3))
        back = import_case(user, write_case(export(case)).encode())
        self.assertEqual(len(circuits.counting(back, "purge_valve")), 3)
        self.assertEqual(export(back).circuits, export(case).circuits)
