"""An exercise by pressing, from its file to its debrief, on the screens of the trade, on a desk and on a phone."""

from __future__ import annotations

import tempfile
import threading
from pathlib import Path

from gumshoe.practice.exercise import write_exercise
from gumshoe.practice.prepared import ADAPTER
from gumshoe.web.kit import beside
from gumshoe.web.kit.beside import Outcome, Task
from gumshoe.web.practice import services, steps
from gumshoe.web.practice.models import Attempt
from tests.journeys.browser import Journey
from tests.journeys.test_at_the_car import DESK, LEAST_PX, PHONE, TARGETS
from tests.practice.test_lines import EXERCISE, ready


class AnExercise(Journey):
    allowed_errors = ("400 (Bad Request)",)  # a bad file is refused in words

    def setUp(self) -> None:
        super().setUp()
        kept = services._kept(EXERCISE)  # it was driven for other tests
        kept.parent.mkdir(parents=True, exist_ok=True)
        kept.write_bytes(ADAPTER.dump_json(ready()))

    def test_from_its_file_to_its_debrief(self) -> None:
        self.sign_in()
        self._take_in()
        self._work()
        self._look_back()
        self.check_quiet()

    def looked_at(self, name: str) -> None:
        """Accessible, nothing too small for a thumb, nothing beside the page, on a desk and on a phone."""
        for size in (DESK, PHONE):
            self.resize(*size)
            self.axe(f"{name} at {size[0]}")
            wide = self.browser.execute_script("return document.documentElement.scrollWidth")
            self.assertLessEqual(wide, size[0], name)
            small = self.browser.execute_script(TARGETS.replace("arguments[0]", str(LEAST_PX)))
            self.assertEqual(small, [], f"{name} at {size[0]}")
        self.resize(*DESK)

    def read(self, text: str) -> None:
        with tempfile.NamedTemporaryFile("w", suffix=".json", delete=False) as file:
            file.write(text)
        self.addCleanup(Path(file.name).unlink)
        self.find("#exercise-file").send_keys(file.name)
        self.press("Read it")

    def _take_in(self) -> None:
        self.press("Practice")
        self.see("Draw a car")
        self.looked_at("practice")
        self.read(write_exercise(EXERCISE).replace("crankcase-hose-split", "gremlins"))
        self.see("faults[0]: a “tern_16” cannot have a fault “gremlins”")
        self.see("Nothing was taken in")
        self.read(write_exercise(EXERCISE))
        self.see("is among the shop's own exercises now")
        self._watched()
        self.press("Practice")
        button = self.find("form[action*='/practice/own/'] button")
        self.browser.execute_script("arguments[0].scrollIntoView({block: 'center'}); arguments[0].click()", button)
        self.see("It is eight in the morning", wait=60)
        self.attempt = Attempt.objects.get(level="suspects hidden")
        self.looked_at("complaint")

    def _watched(self) -> None:
        """What takes a while has a page that goes on by itself."""
        may_end = threading.Event()
        self.addCleanup(may_end.set)

        def waits() -> Outcome:
            may_end.wait(60.0)
            return Outcome("The car stands in the bay.", "/practice/progress/")

        task = beside.begin(Task(self.person.pk, "Making it ready: its car is driven", "/practice/", waits), 0.0)
        self.go(f"/beside/{task.key}/")
        self.see("its car is driven")
        self.looked_at("making it ready")
        may_end.set()
        self.see("The car stands in the bay")

    def _work(self) -> None:
        pk = self.attempt.case_id
        self.go(f"/cases/{pk}/scan/")
        self.press("Key on")
        self.see("key on")
        self.press("Scan now")
        self.see("Scan stored")
        self.see("08:05")
        self.go(f"/cases/{pk}/suspects/")
        self.see("Not shown in this exercise")
        self.looked_at("a page that is hidden")
        self.press("Hint")
        self.see("Hint: Record the trims at warm idle")
        self.see("08:15")
        self.go(f"/cases/{pk}/bench/look_hoses/")
        self.see("A split in the crankcase ventilation hose")
        self.press("crankcase hose split")
        self.press("Store and judge")
        self.see("Look at the vacuum hoses")
        self.go(f"/cases/{pk}/repair/")
        self.find("#suspect option[value='crankcase_hose_split']").click()
        self.press("Store the verdict")
        self.see("Another verdict (supersedes)")
        self.assertNotIn("shown by a test", self.find("main").text)
        self.press("End it")
        self.see("No drive has proven anything here")
        self.looked_at("the end")
        self.press("Work on")
        self.see("Practice")
        self.assertEqual(steps.time_of_day(steps.clock_of(self.attempt.case)[0]), "08:21")

    def _look_back(self) -> None:
        self.press("End it")
        self.press("End it and look back")
        self.see("Debrief", wait=60)
        self.see("It was this: the crankcase ventilation hose is split")
        self.see("It left the shop as it came")
        self.see("Nothing was repaired")
        self.looked_at("debrief")
        self.press("Night bay")
        self.looked_at("debrief at night")
        self.press("Night bay")
        self.go("/practice/progress/")
        self.see("Right first")
        self.looked_at("progress")
