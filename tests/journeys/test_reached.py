"""A right repair ends in PROVEN, by presses: a coil on a four and on a V8, an open purge valve, a boost actuator."""

from __future__ import annotations

from dataclasses import replace

from gumshoe.web.proposal import services as offering
from gumshoe.web.verdicts import services as verdicts
from gumshoe.web.work import services as working
from tests.journeys.browser import Journey
from tests.web import support

PLATFORMS = {"tern_16": "ostrel_tern_16", "skua_14": "havsel_skua_14", "gannet_52": "ostrel_gannet_52"}


class Reached(Journey):
    def walk(self, model: str, defect: str, suspect: str, repair: str, code: str, history: tuple[str, ...]) -> None:
        car = support.car()
        car.platform = PLATFORMS[model]
        car.save()
        support.start(replace(support.stand_in(defects=(defect,), history=history), model=model))
        case = support.case_of(self.person, car)
        self.sign_in()
        self.go(f"/cases/{case.pk}/scan/")
        self.press("Key on", exact=True)
        self.see("key on")
        self.press("Scan now")
        self.see("Scan stored", wait=30)
        self.see(code)
        verdicts.give_verdict(case, self.person, suspect)
        line = offering.propose_line(case, self.person, repair)
        offering.answer(case, self.person, line.pk, "approved", "owner", "by phone")
        working.do_work(case, self.person, line.pk, working.Fitting("N-1", "Make"), 20)
        self.go(f"/cases/{case.pk}/clear/")
        self.press("Clear the codes of every module", wait=30)
        self.see("Cleared, and scanned again at once", wait=40)
        self.go(f"/cases/{case.pk}/prove/")
        for drive in range(1, 4):
            self.press("Drive the stand-in")
            self._await(lambda _, n=drive: case.judgements.count() >= n, "no verdict was given", 200)
            if case.judgements.last().verdict != "not yet":
                break
            self.go(f"/cases/{case.pk}/prove/")
        judged = case.judgements.last()
        self.assertEqual(judged.verdict, "proven", judged.reasons)
        self.go(f"/cases/{case.pk}/prove/")
        self.see("PROVEN")
        self.check_quiet()

    def test_coil_on_a_four(self) -> None:
        self.walk("tern_16", "coil-3-weak", "coil_breakdown_3", "renew_coil_3", "P0303", ("mixed", "mixed"))

    def test_coil_on_a_v8(self) -> None:
        self.walk("gannet_52", "coil-5-weak", "coil_breakdown_5", "renew_coil_5", "P0305", ("cold", "cold"))

    def test_open_coil_of_the_purge_valve(self) -> None:
        self.walk(
            "tern_16", "purge_valve:load:open", "purge_circuit_open", "renew_purge_valve", "P0443", ("mixed",) * 2
        )

    def test_boost_actuator(self) -> None:
        self.walk("skua_14", "boost_valve:motor:open", "worn_boost_valve", "renew_boost_valve", "P0243", ("mixed",) * 2)
