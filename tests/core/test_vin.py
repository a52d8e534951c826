"""VIN check digits: 49 CFR 565.15."""

import unittest

from hypothesis import given
from hypothesis import strategies as st

from gumshoe.core.errors import BadInput
from gumshoe.core.powertrain.vin import check_digit, check_vin

ALPHABET = "ABCDEFGHJKLMNPRSTUVWXYZ0123456789"


class CheckDigit(unittest.TestCase):
    def test_worked_example_of_the_regulation(self) -> None:
        # 49 CFR 565.15, the worked calculation of the check digit: remainder 4 [S, digits from memory].
        self.assertEqual(check_digit("1G4AH59H45G118341"), "4")

    def test_seventeen_ones(self) -> None:
        # The sum of the weights is 89 = 8·11 + 1: a row of ones checks itself (follows from 565.15's weights).
        self.assertEqual(check_digit("1" * 17), "1")

    def test_ten_is_written_x(self) -> None:
        # 49 CFR 565.15(d)(2): a remainder of ten is the letter X. One 2 in place 2 (weight 7): 89 + 7 = 96 = 8·11 + 8;
        # two more steps of the last place (weight 2) give 98 = 8·11 + 10 for "3" there minus one step.
        self.assertEqual(check_digit("12111111111111112"), "X")

    @given(st.text(ALPHABET, min_size=17, max_size=17))
    def test_the_right_digit_always_checks(self, vin: str) -> None:
        whole = vin[:8] + check_digit(vin) + vin[9:]
        self.assertTrue(check_vin(whole).check_digit_right)

    @given(st.text(ALPHABET, min_size=17, max_size=17), st.integers(0, 16), st.sampled_from("0123456789"))
    def test_one_wrong_digit_is_noticed(self, vin: str, place: int, digit: str) -> None:
        whole = vin[:8] + check_digit(vin) + vin[9:]
        if place == 8 or not whole[place].isdigit() or whole[place] == digit:
            return
        self.assertFalse(check_vin(whole[:place] + digit + whole[place + 1 :]).check_digit_right)

    def test_form_errors_name_what_is_wrong(self) -> None:
        with self.assertRaisesRegex(BadInput, "17 characters; this one has 16"):
            check_vin("1" * 16)
        with self.assertRaisesRegex(BadInput, "holds no I, O"):
            check_vin("1I1O1111111111111")

    def test_a_mismatch_is_only_a_note_outside_north_america(self) -> None:
        self.assertIn("need not", check_vin("W" + "1" * 16).note)
        self.assertIn("compare the VIN", check_vin("1" * 8 + "2" + "1" * 8).note)
