"""Trouble code numbers against ISO 15031-6's layout and Scapy's OBD layer (a general packet library)."""

import unittest

from hypothesis import given
from hypothesis import strategies as st
from scapy.contrib.automotive.obd.services import OBD_DTC

from gumshoe.core.codes import TroubleCode, find_codes, structure
from gumshoe.core.errors import BadInput


class Numbers(unittest.TestCase):
    def test_every_pair_of_bytes_agrees_with_scapy(self) -> None:
        letters = {0: "P", 1: "C", 2: "B", 3: "U"}
        for high in range(256):
            for low in range(0, 256, 7):
                packet = OBD_DTC(bytes((high, low)))
                expected = f"{letters[packet.location]}{packet.code1}{packet.code2:X}{packet.code3:X}{packet.code4:X}"
                self.assertEqual(TroubleCode.from_bytes(high, low), expected)

    @given(st.integers(0, 255), st.integers(0, 255))
    def test_bytes_survive_the_round_trip(self, high: int, low: int) -> None:
        self.assertEqual(TroubleCode.from_bytes(high, low).to_bytes(), bytes((high, low)))

    @given(st.text(max_size=40))
    def test_any_text_is_a_code_or_a_clear_error(self, text: str) -> None:
        try:
            self.assertRegex(TroubleCode.parse(text), r"^[PCBU][0-3][0-9A-F]{3}$")
        except BadInput as error:
            self.assertIn("not a trouble code", str(error))

    def test_typed_codes_are_found_in_free_text(self) -> None:
        found = find_codes("p0171 P0304 pending, (u0100) XP0420 P04201 p0171")
        self.assertEqual(list(found), ["P0171", "P0304", "U0100"])

    def test_structure_tells_owner_and_area(self) -> None:
        # SAE J2012: P0, P2, P34–P39 and U0, U3 are standardised, P1 and P30–P33 the maker's [S, M for P3].
        for text, standardised in (
            ("P0171", True),
            ("P1234", False),
            ("P2002", True),
            ("P3000", False),
            ("P3400", True),
            ("U0100", True),
            ("U1000", False),
            ("C0035", True),
            ("B1000", False),
        ):
            self.assertEqual(structure(TroubleCode(text)).standardised, standardised, text)
        self.assertIn("misfire", structure(TroubleCode("P0301")).words)
        self.assertEqual(structure(TroubleCode("U0100")).system, "network")
