"""Clearing: nothing unseen, an outcome for every module, whatever breaks on the way."""

import unittest
from collections.abc import Iterable
from datetime import UTC, datetime

import can

from gumshoe.core.codes import CodeState
from gumshoe.core.obd.can_link import CanLink
from gumshoe.core.obd.clearing import Cleared, clear_modules, modules_to_clear
from gumshoe.core.obd.link import Timing
from gumshoe.core.obd.snapshot import ModuleSnapshot, Part, SilentModule, Snapshot, StoredCode, Unread
from gumshoe.core.obd.uds import ModuleAddress
from tests.core.bus import ScriptedBus, single

QUICK = Timing(p2=0.004, p2_star=0.05, consecutive=0.03, margin=0.001, patience=0.2, busy_pause=0.002, busy_limit=0.02)
BRAKES = ModuleAddress("Brakes", 0x760, 0x768)
CODE = (StoredCode("P0301", CodeState.CONFIRMED),)


def seen(*modules: ModuleSnapshot, silent: tuple[SilentModule, ...] = ()) -> Snapshot:
    return Snapshot(datetime.now(UTC), "11 bit", modules, silent=silent)


class Clearing(unittest.TestCase):
    def test_a_module_whose_codes_were_not_read_is_not_asked(self) -> None:
        hidden = ModuleSnapshot(0x7E9, unread=(Unread(Part.CONFIRMED, "no answer"),))
        wanted = modules_to_clear(
            seen(ModuleSnapshot(0x7E8, codes=CODE), hidden, silent=(SilentModule("Brakes", 0x768, "no answer"),)),
            [BRAKES],
        )
        asked: list[int] = []

        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            asked.append(message.arbitration_id)
            yield message.arbitration_id + 8, single(b"\x44")

        found = clear_modules(CanLink(ScriptedBus(script), timing=QUICK), wanted)  # type: ignore[arg-type]
        self.assertEqual(asked, [0x7E0])
        self.assertEqual([row.cleared for row in found], [True, False, False])
        self.assertTrue(all("not read" in row.reason for row in found[1:]))

    def test_every_module_has_an_outcome_and_is_told_at_once(self) -> None:
        modules = [ModuleSnapshot(0x7E8 + n, codes=CODE, pids=(1,)) for n in range(4)]
        wanted = modules_to_clear(seen(*modules, ModuleSnapshot(0x768, name="Brakes", codes=CODE)), [BRAKES])

        def script(message: can.Message) -> Iterable[tuple[int, bytes]]:
            number = message.arbitration_id
            if number == 0x7E0:
                yield 0x7E8, single(b"\x44")
            elif number == 0x7E1:
                yield 0x7E9, single(b"\x7f\x04\x22")
            elif number == 0x7E3:
                yield 0x7EB, single(b"\x7f\x04\x78")  # more time, and then nothing
            elif number == 0x760:
                yield 0x768, single(b"\x54")

        told: list[Cleared] = []
        found = clear_modules(CanLink(ScriptedBus(script), timing=QUICK), wanted, told.append)  # type: ignore[arg-type]
        self.assertEqual(tuple(told), found)
        self.assertEqual([row.cleared for row in found], [True, False, False, False, True])
        self.assertEqual([row.known for row in found], [True, True, False, False, True])
        self.assertIn("conditions not correct", found[1].words)
        self.assertIn("not known whether it cleared", found[3].words)

    def test_an_adapter_that_fails_is_an_outcome_of_every_module_after_it(self) -> None:
        class Failing(ScriptedBus):
            def send(self, message: can.Message, timeout: float | None = None) -> None:
                if message.arbitration_id == 0x7E1:
                    raise can.CanOperationError("unplugged")
                super().send(message, timeout)

        wanted = modules_to_clear(seen(*(ModuleSnapshot(0x7E8 + n, codes=CODE) for n in range(2))), [])
        bus = Failing(lambda message: [(message.arbitration_id + 8, single(b"\x44"))])
        found = clear_modules(CanLink(bus, timing=QUICK), wanted)  # type: ignore[arg-type]
        self.assertEqual([row.cleared for row in found], [True, False])
        self.assertIn("unplugged", found[1].reason)

    def test_only_those_chosen(self) -> None:
        wanted = modules_to_clear(seen(ModuleSnapshot(0x7E8), ModuleSnapshot(0x7E9)), [], frozenset({0x7E9}))
        self.assertEqual([row.responder for row in wanted], [0x7E9])
