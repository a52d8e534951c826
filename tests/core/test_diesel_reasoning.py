"""A diesel's suspects from its codes alone: what belongs to one cylinder, and what makes a filter seem full.

Which code belongs to which cause: common practice, no source.
"""

import unittest

from gumshoe.core.clues import OnRecord, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import platforms
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.suspects import Assessment, assess

PLATFORM = platforms()["ostrel_fulmar_20"]
KNOWN = expand(PLATFORM.powertrain, PLATFORM.local)


def from_codes(*codes: str) -> Assessment:
    module = ModuleSnapshot(0x7E8, codes=tuple(StoredCode(code, CodeState.CONFIRMED) for code in codes))
    return assess(KNOWN, extract(OnRecord(module=module, specification=PLATFORM.specification), KNOWN))


class FromCodes(unittest.TestCase):
    def test_a_cylinder_out_of_balance_is_its_injector_or_its_compression(self) -> None:
        top = [row.id for row in from_codes("P0266").suspects[:2]]
        self.assertEqual(top, ["diesel_injector_weak_2", "compression_low_2"])

    def test_an_injector_circuit_has_a_suspect(self) -> None:
        self.assertEqual(from_codes("P0203").suspects[0].id, "injector_circuit_open_3")

    def test_too_much_soot_may_be_the_sensor(self) -> None:
        found = [row.id for row in from_codes("P2463").suspects[:2]]
        self.assertEqual(found, ["filter_full", "filter_pressure_skewed"])

    def test_the_tests_that_tell_them_apart(self) -> None:
        balance = KNOWN.tests["balance_watch"]
        of_two = balance.given["diesel_injector_weak_2"]
        self.assertGreater(of_two["one_2"], 0.7)  # told of its own cylinder
        self.assertGreater(sum(share for name, share in of_two.items() if name.startswith("one")), 0.8)
        for name in ("upstream_response", "record_idle", "record_2500"):  # no lambda, no trims to record
            self.assertNotIn(name, KNOWN.tests)
        boost = KNOWN.tests["boost_watch"]
        self.assertGreater(boost.given["charge_hose_leak"]["short"], boost.given["gate_sticks"]["short"])

    def test_a_petrol_engine_has_none_of_it(self) -> None:
        petrol = expand(platforms()["ostrel_tern_16"].powertrain)
        self.assertNotIn("diesel_injector_weak_1", petrol.faults)
        self.assertNotIn("balance_watch", petrol.tests)
        self.assertIn("worn_oxygen_sensor_b1s1", petrol.tests["upstream_response"].given)


if __name__ == "__main__":
    unittest.main()
