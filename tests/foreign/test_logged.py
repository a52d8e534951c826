"""Cars in files: scans of odd units, recorded once (tests/foreign/record.py), answer again and are read the same."""

from __future__ import annotations

import itertools
import json
import unittest

from gumshoe.core.obd.capture import parse_candump
from gumshoe.core.obd.connect import AdapterKind, AdapterSpec, connect
from gumshoe.core.obd.errors import Refused
from gumshoe.core.obd.poller import Poller
from gumshoe.core.obd.scanner import scan
from gumshoe.simulator.logged import logged_car
from tests.foreign.record import BRAKES, LOGS, said
from tests.foreign.test_link import QUICK

_numbers = itertools.count(1)
SILENT_IN_A_LOG = {"silent_codes"}
"""A log cannot hold what was not answered; played again, the module says that it does not offer it."""


class Logged(unittest.TestCase):
    def test_two_dozen_cars_are_read_as_they_were(self) -> None:
        expected = json.loads((LOGS / "expected.json").read_text(encoding="utf-8"))
        self.assertEqual(len(expected), 24)
        for name, was in expected.items():
            with self.subTest(name):
                lines = (LOGS / f"{name}.log").read_text(encoding="utf-8").splitlines()
                channel = f"logged-{next(_numbers)}"
                car = logged_car(parse_candump(lines), channel)
                car.start()
                try:
                    link, _spoke = connect(AdapterSpec(AdapterKind.BUS, channel, "virtual"), timing=QUICK)
                    with link:
                        now = said(scan(link, beyond=[BRAKES] if name == "with_brakes" else []))
                finally:
                    car.stop()
                if name in SILENT_IN_A_LOG:
                    self.assertTrue(now["codes_unread"])
                    continue
                for was_module, module in zip(was["modules"], now["modules"], strict=True):  # type: ignore[call-overload]
                    for key in was_module:
                        if key != "unread":
                            self.assertEqual(module[key], was_module[key], key)
                self.assertEqual((now["codes_unread"], now["silent"]), (was["codes_unread"], was["silent"]))

    def test_what_the_log_does_not_hold_is_refused_by_the_standard(self) -> None:
        lines = (LOGS / "usual.log").read_text(encoding="utf-8").splitlines()
        car = logged_car(parse_candump(lines), "logged-refuses")
        car.start()
        try:
            link, _spoke = connect(AdapterSpec(AdapterKind.BUS, "logged-refuses", "virtual"), timing=QUICK)
            with link:
                for request, reason in ((b"\x31\x01\x02\x03", 0x11), (b"\x09\x2b", 0x31), (b"\x04", 0x11)):
                    with self.assertRaises(Refused) as caught:
                        link.ask(0x7E8, request)
                    self.assertEqual(caught.exception.reason, reason)
                poller = Poller(link, 0x7E8, ("rpm", "load_pct"))
                self.assertEqual({row.key for row in poller.poll()}, {"rpm", "load_pct"})
        finally:
            car.stop()
