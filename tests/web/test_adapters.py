"""The shop's adapters: put on the list, tested in plain words, used by cars. Against the stand-in adapter."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from unittest import mock

import can
from django.urls import reverse

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.can_link import open_link
from gumshoe.core.obd.connect import Line, Mark, tested
from gumshoe.core.obd.scanner import scan
from gumshoe.core.obd.snapshot import Speaks
from gumshoe.simulator.garage import Runner
from gumshoe.simulator.text_adapter import MAKES, CanWire, TextAdapter
from gumshoe.web.accounts.models import Role
from gumshoe.web.scans import services as scans
from gumshoe.web.settings import adapters
from gumshoe.web.settings.models import Adapter
from gumshoe.web.vehicles import garage
from gumshoe.web.vehicles.links import connection
from gumshoe.web.vehicles.models import Vehicle
from tests.until import until
from tests.web import support
from tests.web.test_work import WithCar


def lines_of(lines: tuple[Line, ...] | list[Line]) -> dict[str, str]:
    """What was found, by what."""
    return {line.what: line.found for line in lines}


class Adapters(WithCar):
    @contextmanager
    def text_adapter(self, make: str = "good") -> Iterator[Adapter]:
        """A text adapter plugged into the stand-in, on the shop's list."""
        with can.Bus(interface="virtual", channel=garage.channel_of(self.car.stand_in)) as bus:
            there = TextAdapter(CanWire(bus), MAKES[make])
            there.start()
            try:
                yield Adapter.objects.create(name="Blue one", kind="text", address=there.address)
            finally:
                there.stop()

    def test_a_car_is_scanned_through_a_text_adapter_as_through_a_bus(self) -> None:
        self.key("on")
        with self.text_adapter() as blue:
            real = Vehicle.objects.create(plate="R 7", make="Ostrel", model="Tern 1.6", adapter=blue)
            stored = scans.perform(support.case_of(self.tess, real), self.tess)
        with open_link("virtual", garage.channel_of(self.car.stand_in)) as link:
            usual = scan(link)
        self.assertIn("Blue one", stored.link)
        self.assertIn("CAN, 11 bit, 500 kbit/s", stored.link)
        found = scans.snapshot_of(stored)
        assert found and found.engine and usual.engine
        self.assertEqual(found.stored_codes, usual.stored_codes)
        self.assertEqual(set(found.engine.values), set(usual.engine.values))
        self.assertIn("7DF#0201", stored.frames)
        real.refresh_from_db()
        self.assertEqual(real.spoke, "6")

    def test_one_chooses_how_the_stand_in_is_plugged_in(self) -> None:
        self.key("on")
        own = scans.perform(self.case, self.tess)
        for make in ("good", "slow", "copy"):
            with self.subTest(make):
                address = reverse("scans:through", args=(self.case.pk,))
                chosen = self.client.post(address, {"adapter": make}, follow=True)
                self.assertContains(chosen, MAKES[make].words)
                self.case.vehicle.refresh_from_db()
                stored = scans.perform(self.case, self.tess)
                self.assertIn(f"a text adapter: {MAKES[make].words}", stored.link)
                told, usual = scans.snapshot_of(stored), scans.snapshot_of(own)
                assert told and usual
                if make == "copy":  # it cannot be told whom to listen to: what is beyond is not known
                    self.assertEqual(len(told.silent), len(usual.modules) - len(told.modules))
                    self.assertTrue(all("cannot be reached" in item.why for item in told.silent))
                    self.assertTrue(told.codes_unread)
                    continue
                self.assertEqual(told.stored_codes, usual.stored_codes)
                self.assertEqual(told.problems, usual.problems)
        back = self.client.post(reverse("scans:through", args=(self.case.pk,)), {"adapter": ""}, follow=True)
        self.assertContains(back, "is reached through a bus adapter")

    def other_car(self, model: str, platform: str) -> Runner:
        """The case's car is another one, whose purge valve is open; its key is on."""
        garage.stop_all()
        runner = support.start(replace(support.stand_in(defects=("purge_valve:load:open",)), model=model))
        self.car.platform = platform
        self.car.save()
        runner.key("on")
        runner.skip(12.0)
        return runner

    def test_a_new_car_by_bus_and_by_network_cable(self) -> None:
        """SAE J1979-2 on CAN and over IP say the same of the same car."""
        self.other_car("wigeon_12", "havsel_wigeon_12")
        told = {}
        for way in ("", "cable", "good"):
            chosen = self.client.post(reverse("scans:through", args=(self.case.pk,)), {"adapter": way}, follow=True)
            self.assertContains(chosen, garage.ways_to("test-car")[way])
            self.case.vehicle.refresh_from_db()
            stored = scans.perform(self.case, self.tess)
            told[way] = scans.snapshot_of(stored)
            self.assertIn(garage.ways_to("test-car")[way], stored.link)
        for found in told.values():
            assert found and found.engine
            self.assertEqual((found.problems, found.silent, found.unread), ((), (), ()))
            self.assertIs(found.engine.speaks, Speaks.ON_UDS)
            self.assertIn("P0443", [code.code for code in found.stored_codes])
        bus, cable = told[""], told["cable"]
        assert bus and cable and bus.engine and cable.engine
        self.assertEqual(bus.stored_codes, cable.stored_codes)
        self.assertEqual(set(bus.engine.values), set(cable.engine.values))
        self.assertEqual(bus.engine.frames, cable.engine.frames)

    def test_an_old_car_is_behind_a_text_adapter_and_nothing_else(self) -> None:
        runner = self.other_car("avocet_22", "ostrel_avocet_22")
        page = self.client.get(reverse("scans:scan", args=(self.case.pk,)))
        self.assertNotContains(page, "a bus adapter")
        stored = scans.perform(self.case, self.tess)
        found = scans.snapshot_of(stored)
        assert found and found.engine
        self.assertIn("ISO 14230-4", found.addressing)
        self.assertEqual((found.problems, found.silent), ((), ()))
        self.assertEqual(found.vin, runner.vehicle.identity.vin)
        self.assertIn("P0443", found.engine.with_state(CodeState.CONFIRMED))
        self.assertIn("rpm", found.engine.values)

    def test_an_adapter_over_ip_is_set_up_and_tested(self) -> None:
        garage.stop_all()
        support.start(replace(support.stand_in(), model="wigeon_12")).key("on")
        lead = support.person("lena", Role.LEAD)
        self.client.force_login(lead)
        address = garage.gateway("test-car")
        row = {"name": "Cable", "bay": "3", "kind": "ip", "interface": "", "address": "10.0.0.1:x", "speed": ""}
        refused = self.client.post(reverse("settings:new_adapter"), row)
        self.assertContains(refused, "is no port", status_code=400)
        self.client.post(reverse("settings:new_adapter"), row | {"address": address, "speed": "500000"})
        cable = Adapter.objects.get(name="Cable")
        self.assertEqual((cable.speed, cable.interface), (0, ""))
        told = lines_of(tested(cable.spec))
        self.assertIn("diagnostics over IP", told["Protocol"])
        self.assertIn("J1979-2", told["Diagnosis"])
        self.assertEqual(told["Who answers"], "10, 18")
        real = Vehicle.objects.create(plate="R 8", make="Havsel", model="Wigeon 1.2", adapter=cable)
        stored = scans.perform(support.case_of(self.tess, real), self.tess)
        self.assertIn("over IP", stored.link)
        real.refresh_from_db()
        self.assertEqual(real.spoke, real.vin)

    def test_a_test_says_in_plain_words_what_it_found(self) -> None:
        self.key("on")
        for make, without in (("good", False), ("copy", True)):
            with self.text_adapter(make) as blue:
                found = tested(blue.spec)
            told = lines_of(found)
            self.assertIn("STAND-IN TEXT ADAPTER", told["Adapter"])
            self.assertEqual(told["Supply"], "12.4 V")
            self.assertIn("CAN, 11 bit, 500 kbit/s", told["Protocol"])
            self.assertIn("7E8", told["Who answers"])
            self.assertRegex(told["How fast"], r"ms an answer, up to \d+ values a second")
            self.assertEqual("Does without" in told, without)

    def test_what_is_wrong_comes_with_what_to_do(self) -> None:
        with self.text_adapter() as blue:
            self.key("off")
            asleep = tested(blue.spec)
        self.assertEqual(asleep[0], Line("Adapter", "answers", Mark.GOOD))
        self.assertIn("switch the ignition on", lines_of(asleep)["What to do"])
        nowhere = tested(Adapter(kind="text", address="/dev/no-such-port").spec)
        self.assertEqual(nowhere[0], Line("Adapter", "does not work", Mark.BAD))
        self.assertIn("there is no such port on this machine", nowhere[1].found)

    def test_an_adapter_is_in_one_car_at_a_time(self) -> None:
        """Pulled out of one car and put into another; and where somebody is at work through it, the second is told."""
        self.key("on")
        with self.text_adapter() as blue:
            first, second = (
                support.case_of(self.tess, Vehicle.objects.create(plate=plate, make="Ostrel", model="T", adapter=blue))
                for plate in ("R 8", "R 9")
            )
            scans.perform(first, self.tess)
            told = self.client.post(reverse("scans:scan_now", args=(second.pk,)))
            self.assertContains(told, "The adapter is at work for R 8", status_code=409)
            adapters.start_test(blue)
            until(lambda: (found := adapters.test_of(blue)) is not None and found.done)
            blue.refresh_from_db()
            self.assertIn("is at work for R 8", lines_of(blue.lines)["Adapter"])
            with mock.patch("gumshoe.web.vehicles.links.AT_WORK_S", 0.0):
                with self.assertRaises(scans.AnotherCar):  # reached, and it has the VIN of the first
                    scans.perform(second, self.tess)
                self.assertFalse(connection(first.vehicle).is_open)

    def test_a_test_by_pressing_with_its_progress(self) -> None:
        self.key("on")
        with self.text_adapter() as blue:
            page = self.client.post(reverse("settings:test_adapter", args=(blue.pk,)), follow=True)
            self.assertEqual(page.status_code, 200)
            state = reverse("settings:test_state", args=(blue.pk,))
            until(lambda: self.client.get(state).json()["done"])
            self.assertTrue(self.client.get(state).json()["said"])
        blue.refresh_from_db()
        self.assertIn("Protocol", lines_of(blue.lines))
        page = self.client.get(reverse("settings:adapter", args=(blue.pk,)))
        self.assertContains(page, "values a second")
        self.assertContains(self.client.get(reverse("settings:adapters")), "Blue one")
        self.assertTrue(adapters.test_of(blue))

    def test_who_manages_adds_changes_and_drops(self) -> None:
        new, listed = reverse("settings:new_adapter"), reverse("settings:adapters")
        self.assertContains(self.client.get(listed), "No adapter is set up")
        self.assertEqual(self.client.get(new).status_code, 403)
        self.client.force_login(support.person("lena", Role.LEAD))
        form = {"name": "Red one", "kind": "bus", "address": "can0", "interface": "", "bay": "1", "speed": ""}
        self.assertContains(self.client.post(new, form), "Say which interface", status_code=400)
        self.assertContains(self.client.post(new, form | {"interface": "frob"}), "has no interface", status_code=400)
        self.assertContains(self.client.post(new, form | {"interface": "socketcan"}, follow=True), "Red one stored")
        red = Adapter.objects.get()
        self.assertEqual((red.speed, red.spec.words), (0, "socketcan can0"))
        own = reverse("settings:adapter", args=(red.pk,))
        sent = form | {"kind": "text", "address": "/dev/ttyX", "interface": "socketcan", "speed": "38,400"}
        self.assertContains(self.client.post(own, sent, follow=True), "Stored")
        red.refresh_from_db()
        self.assertEqual((red.kind, red.interface, red.speed), ("text", "", 38_400))
        self.client.force_login(self.tess)
        self.client.post(own, form | {"name": "Mine"})
        red.refresh_from_db()
        self.assertEqual(red.name, "Red one")  # who works at cars tests it and changes nothing
        self.assertEqual(self.client.post(reverse("settings:drop_adapter", args=(red.pk,))).status_code, 403)
        self.client.force_login(support.person("lars", Role.LEAD))
        dropped = self.client.post(reverse("settings:drop_adapter", args=(red.pk,)), follow=True)
        self.assertContains(dropped, "off the list")
