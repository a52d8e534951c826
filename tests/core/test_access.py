"""How parts are reached, and what that adds (minutes: common practice, no source)."""

import unittest

from gumshoe.core.knowledge.access import MINUTES, Access, access_of, hardest
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.parts import Local
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.knowledge.presets import describe

ACROSS = describe({"layout": "V", "cylinders": 6, "mounting": "across"})


class Reached(unittest.TestCase):
    def test_the_rear_bank_of_an_engine_across_lies_under_the_intake(self) -> None:
        front, rear = (2, 1) if ACROSS.bank_1.value == "rear" else (1, 2)
        self.assertIs(access_of(f"oxygen_sensor_b{rear}s1", ACROSS, {}), Access.COVERED)
        self.assertIs(access_of(f"oxygen_sensor_b{front}s1", ACROSS, {}), Access.OPEN)
        self.assertIs(access_of("battery", ACROSS, {}), Access.OPEN)
        self.assertIs(access_of("ignition_coil_1", describe({"cylinders": 4}), {}), Access.OPEN)

    def test_the_platform_speaks_first_and_a_component_before_its_class(self) -> None:
        given = {"injector": Access.COVERED, "injector_2": Access.OPEN}
        self.assertIs(access_of("injector_1", ACROSS, given), Access.COVERED)
        self.assertIs(access_of("injector_2", ACROSS, given), Access.OPEN)
        self.assertIs(hardest(["injector_1", "injector_2"], ACROSS, given), Access.COVERED)
        self.assertIs(hardest([], ACROSS, given), Access.OPEN)

    def test_tests_checks_and_repairs_take_longer_where_it_is_hard(self) -> None:
        plain = expand(ACROSS)
        hard = expand(ACROSS, Local("x", access=(("purge_valve", Access.BURIED),)))
        added = MINUTES[Access.BURIED]
        for name in ("purge_suction", "check_purge_valve"):
            self.assertEqual(hard.tests[name].minutes - plain.tests[name].minutes, added, name)
            self.assertEqual((hard.tests[name].access, plain.tests[name].access), ("buried", ""))
        repair = plain.faults["purge_valve_passing"].repair
        self.assertEqual(hard.repairs[repair].minutes - plain.repairs[repair].minutes, added)
        self.assertEqual(hard.tests["look_hoses"].minutes, plain.tests["look_hoses"].minutes)

    def test_a_platform_file_says_how(self) -> None:
        dunlin = platforms()["ostrel_dunlin_30"]
        known = expand(dunlin.powertrain, dunlin.local)
        generic = expand(dunlin.powertrain)
        self.assertEqual(known.tests["injector_swap"].access, "covered")
        self.assertGreater(known.tests["injector_swap"].minutes, generic.tests["injector_swap"].minutes)
