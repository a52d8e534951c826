"""Offers, work sheets, after-work procedures, the condemning clue measured again, inspection, part life, comebacks."""

import unittest
from datetime import date

from gumshoe.core.clues import Clue, ClueKind, OnRecord, TestOutcome, extract
from gumshoe.core.codes import CodeState
from gumshoe.core.errors import DataError
from gumshoe.core.history.comebacks import Done, Warranty, comebacks, months_between
from gumshoe.core.history.parts import Fitted, part_lives, survival
from gumshoe.core.knowledge.catalogue import expand
from gumshoe.core.knowledge.platform import FOLDER, platforms
from gumshoe.core.knowledge.procedures import FILE, procedures
from gumshoe.core.obd.snapshot import ModuleSnapshot, StoredCode
from gumshoe.core.obd.status import Monitor, MonitorStatus
from gumshoe.core.proof.clear_guard import back_at_once, check_clear, permanent_words
from gumshoe.core.proof.inspection import inspection
from gumshoe.core.proof.provoked import Did, Happening, provoked, sort_codes
from gumshoe.core.proof.signal_proof import condemning, measured_again
from gumshoe.core.signals.units import for_reader, text_for_reader
from gumshoe.core.suspects import assess
from gumshoe.core.validation import check_file
from gumshoe.core.words import marked, measured
from gumshoe.core.work import needed_after, readiness
from gumshoe.core.work.offers import Quality, Scope, cures, members, offers, put_in_new
from gumshoe.core.work.worksheet import lay_out, sheet_for, sheets
from tests.core.test_provoked import scan

TERN = platforms()["ostrel_tern_16"]
KNOWN = expand(TERN.powertrain, TERN.local)


def assessed(*tests: TestOutcome):  # type: ignore[no-untyped-def]
    return assess(KNOWN, extract(OnRecord(tests=tests), KNOWN))


class Offering(unittest.TestCase):
    def test_original_aftermarket_the_set_and_mending(self) -> None:
        found = offers(KNOWN, assessed(), "renew_coil_3", {})
        kinds = {(item.repair.id, item.quality, item.scope) for item in found}
        self.assertIn(("renew_coil_3", Quality.ORIGINAL, Scope.ONE), kinds)
        self.assertIn(("renew_coil_3", Quality.AFTERMARKET, Scope.ONE), kinds)
        self.assertIn(("renew_coil_3", Quality.ORIGINAL, Scope.SET), kinds)
        self.assertTrue(any(item.repair.wiring for item in found))
        self.assertEqual([item.default for item in found].count(True), 1)
        one, cheap = found[0], found[1]
        self.assertLess(cheap.parts, one.parts)
        whole = next(item for item in found if item.scope is Scope.SET)
        self.assertEqual(whole.parts, 4 * one.parts)
        self.assertLess(whole.minutes, 4 * one.minutes)  # the access is paid once
        self.assertEqual(len({item.key for item in found}), len(found))

    def test_the_share_a_repair_cures_is_the_posteriors(self) -> None:
        result = assessed()
        for name in ("renew_coil_3", "mend_coil_wiring_3"):
            share = cures(KNOWN, result, KNOWN.repairs[name])
            part = [item for item in result.suspects if item.row.component == "ignition_coil_3"]
            own = sum(item.probability for item in part if item.row.repair == name)
            self.assertAlmostEqual(share, own / sum(item.probability for item in part))

    def test_a_repair_nobody_knows_offers_nothing(self) -> None:
        self.assertEqual(offers(KNOWN, assessed(), "renew_everything", {}), ())
        self.assertEqual(
            members(KNOWN, KNOWN.repairs["renew_air_flow_meter"]), (KNOWN.repairs["renew_air_flow_meter"],)
        )

    def test_the_shops_own_part_life_is_told(self) -> None:
        lives = {"air_flow_meter": part_lives([Fitted("air_flow_meter", "Cheapo", 9000.0, True)])}
        cheap = next(
            o for o in offers(KNOWN, assessed(), "renew_air_flow_meter", lives) if o.quality is Quality.AFTERMARKET
        )
        self.assertTrue(any("Cheapo: 1 of 1 failed" in note for note in cheap.notes))


class WorkSheets(unittest.TestCase):
    def test_torque_in_every_wrenchs_units(self) -> None:
        """1 lbf·ft = 1.355818 N·m = 12 lbf·in (definition of the pound-force)."""
        sheet = sheet_for(KNOWN, KNOWN.repairs["renew_plugs"], {"spark_plug": 25.0})
        plug = dict(next(joint for joint in sheet.joints if joint.name == "spark plug").torques)
        self.assertAlmostEqual(plug["lbf·ft"], 25.0 / 1.355818, places=3)
        self.assertAlmostEqual(plug["lbf·in"], 12.0 * plug["lbf·ft"], places=3)
        self.assertEqual(next(joint for joint in sheet.joints if joint.name == "coil screw").torques, ())
        self.assertTrue(sheet.by_hand)

    def test_everything_is_laid_out_once(self) -> None:
        rows = [KNOWN.repairs["renew_oxygen_sensor_b1s1"], KNOWN.repairs["renew_oxygen_sensor_b1s2"]]
        whole = lay_out(KNOWN, rows, TERN.torque)
        self.assertEqual(len(whole.tools), len(set(whole.tools)))
        self.assertEqual(whole.minutes, sum(row.minutes for row in rows))
        self.assertEqual(len(whole.parts), 2)
        self.assertEqual(
            lay_out(KNOWN, [KNOWN.repairs["renew_crankcase_hose"]], {}).parts, ("crankcase ventilation hose",)
        )
        mending = next(row for row in KNOWN.repairs.values() if row.mends and row.parts)
        self.assertEqual(lay_out(KNOWN, [mending], {}).parts, ())  # material, not a part of the car's
        self.assertEqual(
            lay_out(KNOWN, [KNOWN.repairs["refit_duct"]], {}).parts, ("for: " + KNOWN.repairs["refit_duct"].words,)
        )

    def test_every_platforms_torques_belong_to_a_joint(self) -> None:
        joints = {joint for row in sheets() for joint in row.joints}
        for platform in platforms().values():
            self.assertTrue(set(platform.torque) <= joints, set(platform.torque) - joints)

    def test_a_bad_platform_is_refused_by_name(self) -> None:
        path = FOLDER / "ostrel_tern_16.toml"
        text = path.read_text(encoding="utf-8")
        for wrong, right, told in (
            ('procedure = "crank_relearn"', 'procedure = "crank_forget"', "crank_forget"),
            ("spark_plug = 25", "spark_plug = -3", "spark_plug"),
        ):
            with self.assertRaisesRegex(DataError, told):
                check_file(path, text.replace(wrong, right, 1))


class Aftercare(unittest.TestCase):
    def test_chosen_by_the_repair_and_by_what_happened(self) -> None:
        def asked(*repairs: str, happened: tuple[Happening, ...] = ()) -> list[str]:
            return [item.row.id for item in needed_after(KNOWN, repairs, happened)]

        self.assertEqual(asked("clean_throttle"), ["throttle_relearn"])
        self.assertEqual(asked("renew_crank_sensor"), ["crank_relearn"])
        self.assertEqual(asked("mend_crank_sensor"), [])  # only the wires were mended
        self.assertEqual(asked("renew_injector_3"), ["trim_reset"])
        flat = Happening("battery", Did.FLAT, "battery flat", 0.0, 1.0, None)
        self.assertEqual(asked(happened=(flat,)), ["throttle_relearn"])
        self.assertEqual(asked("renew_booster_hose", "no_such_repair"), [])

    def test_a_diesel_has_its_own(self) -> None:
        diesel = platforms()["ostrel_fulmar_20"]
        known = expand(diesel.powertrain, diesel.local)
        found = [item.row.id for item in needed_after(known, ["renew_air_filter", "renew_filter"], ())]
        self.assertEqual(found, ["air_flow_drift", "filter_ash_reset"])
        self.assertEqual([i.row.id for i in needed_after(KNOWN, ["renew_air_filter"], ())], [])
        for work in ("renew_filter_pressure_sensor", "mend_filter_pressure_sensor"):
            self.assertEqual([i.row.id for i in needed_after(known, [work], ())], ["filter_soot_reset"])

    def test_conditions_against_the_car(self) -> None:
        row = procedures()["throttle_relearn"]
        good = {"rpm": 0.0, "coolant_c": 40.0, "module_v": 12.4, "speed_kmh": 0.0}
        self.assertTrue(all(item.holds for item in readiness(row, good)))
        for key, value in (("rpm", 780.0), ("coolant_c", 104.0), ("module_v", 11.2), ("speed_kmh", 3.0)):
            self.assertEqual(sum(not item.holds for item in readiness(row, good | {key: value})), 1, key)
        self.assertFalse(any(item.holds for item in readiness(row, {})))

    def test_a_bad_row_is_named(self) -> None:
        text = FILE.read_text(encoding="utf-8")
        for wrong, right in (
            ('"clean_throttle"', '"polish_throttle"'),
            ("throttle_motor:renewed", "throttle_motor:painted"),
            ('key = "coolant_c"', 'key = "colour"'),
            ('"throttle_fingers"', '"no_such_caution"'),
        ):
            with self.assertRaisesRegex(DataError, r"procedures.toml, line \d+"):
                check_file(FILE, text.replace(wrong, right, 1))


class SignalProof(unittest.TestCase):
    """What condemned the part is measured again."""

    def test_a_measured_test_is_asked_for_again_and_judged(self) -> None:
        test = next(
            row for row in KNOWN.tests.values()
            if any(r.kind == "number" for r in row.readings) and any(o.proves for o in row.outcomes)
        )  # fmt: skip
        outcome = next(o for o in test.outcomes if o.proves)
        fault = sorted(KNOWN.proven_by(outcome.proves))[0]
        suspect = assessed(TestOutcome(test.id, outcome.id, "t-1", "2026-01-01")).suspect(fault)
        assert suspect
        wanted = condemning(KNOWN, suspect)
        self.assertIn(test.id, [item.variable for item in wanted])
        missing = measured_again(KNOWN, fault, wanted, ())
        self.assertFalse(any(row.done for row in missing))

        def again(name: str) -> Clue:
            return Clue(ClueKind.TEST, test.id, name, name, "f", at="2026-01-02")

        still = measured_again(KNOWN, fault, wanted, [again(outcome.id)])
        row = next(r for r in still if test.words in r.words)
        self.assertFalse(row.done)
        self.assertIn("still", row.detail)
        good = next(o.id for o in test.outcomes if test.given[fault].get(o.id, 0.0) < test.otherwise.get(o.id, 0.0)) \
            if fault in test.given else None  # fmt: skip
        if good:
            cured = measured_again(KNOWN, fault, wanted, [again(outcome.id), again(good)])
            self.assertTrue(next(r for r in cured if test.words in r.words).done)

    def test_what_was_only_seen_is_not(self) -> None:
        suspect = assessed(TestOutcome("look_hoses", "crankcase", "t-1", "")).suspect("crankcase_hose_split")
        assert suspect
        self.assertNotIn("look_hoses", [item.variable for item in condemning(KNOWN, suspect)])


class Guard(unittest.TestCase):
    def test_a_new_code_is_a_warning_not_a_block(self) -> None:
        stored = scan(engine=(("P0335", CodeState.PENDING),))
        found = sort_codes(None, stored, ())
        check = check_clear(stored, (), 0.0, found)
        self.assertTrue(check.allowed)
        self.assertIn("P0335", check.warnings[0])
        expected = sort_codes(None, scan(engine=(("P0102", CodeState.CONFIRMED),)),
                              provoked(KNOWN, [Happening("air_flow_meter", Did.OFF, "off", 0, 1, True)]))  # fmt: skip
        self.assertEqual(check_clear(stored, (), 0.0, expected).warnings, ())

    def test_hard_faults_stand_again_at_once(self) -> None:
        after = scan(
            engine=(("P0443", CodeState.PENDING), ("P0171", CodeState.PERMANENT)), body=(("B1000", CodeState.HISTORY),)
        )
        self.assertEqual([item.code for item in back_at_once(after)], ["P0443"])
        self.assertIn("hard fault", back_at_once(after)[0].words)

    def test_permanent_codes_are_explained(self) -> None:
        self.assertEqual(permanent_words({}), "")
        words = permanent_words({"P0171": "fuel system"})
        for part in ("by itself", "fuel system", "no battery", "not in doubt", "takes it away"):
            self.assertIn(part, words)


class Inspecting(unittest.TestCase):
    def module(self, *codes: tuple[str, CodeState], open_: tuple[str, ...] = ()) -> ModuleSnapshot:
        names = ("misfire", "fuel system", "catalyst", "evaporative system")
        status = MonitorStatus(False, 0, False, tuple(Monitor(name, True, name not in open_) for name in names))
        return ModuleSnapshot(0x7E8, status=status, codes=tuple(StoredCode(code, state) for code, state in codes))

    def test_clear_or_what_stands_in_the_way(self) -> None:
        good = inspection(self.module(), False, frozenset())
        assert good
        self.assertTrue(good.clear)
        bad = inspection(self.module(("P0171", CodeState.PERMANENT), open_=("catalyst",)), True, frozenset())
        assert bad
        self.assertFalse(bad.clear)
        for part in (
            "lamp is on",
            "permanent codes are left: P0171",
            "not yet run: catalyst",
            "minutes",
            "local rules",
        ):
            self.assertIn(part, bad.words)
        self.assertIsNone(inspection(None, None, frozenset()))

    def test_one_open_monitor_alone_is_left_to_the_local_rules(self) -> None:
        """At most one open monitor is what the US EPA's guidance accepts for cars of 2001 and later (from memory)."""
        one = inspection(self.module(open_=("evaporative system",)), False, frozenset())
        two = inspection(self.module(open_=("evaporative system", "catalyst")), False, frozenset())
        lamp = inspection(self.module(open_=("evaporative system",)), True, frozenset())
        assert one and two and lamp
        self.assertFalse(one.clear)
        self.assertIn("some inspections accept that", one.words)
        self.assertIn("local rules", one.words)
        for other in (two, lamp):
            self.assertIn("would turn the car away", other.words)


class PutInNew(unittest.TestCase):
    def test_by_the_repair_by_a_named_part_or_on_the_way(self) -> None:
        """A wire mended has no new part in it, whatever somebody typed (common practice)."""
        repairs = KNOWN.repairs
        renewing, mending = repairs["renew_crankcase_hose"], next(row for row in repairs.values() if row.mends)
        self.assertTrue(put_in_new(renewing, part_named=False, on_the_way=False))
        self.assertFalse(put_in_new(mending, part_named=True, on_the_way=False))
        self.assertFalse(put_in_new(None, part_named=False, on_the_way=False))
        self.assertTrue(put_in_new(None, part_named=True, on_the_way=False))
        self.assertTrue(put_in_new(None, part_named=False, on_the_way=True))
        cleaned = repairs["clean_throttle"]
        self.assertFalse(cleaned.renews or cleaned.buys)
        self.assertTrue(put_in_new(cleaned, part_named=True, on_the_way=False))


class PartLife(unittest.TestCase):
    def test_product_limit_by_hand(self) -> None:
        """Kaplan and Meier 1958's estimate, worked by hand: at risk 5, 4, then 2 after a withdrawal."""
        rows = [(3.0, True), (5.0, True), (6.0, False), (8.0, True), (9.0, False)]
        curve = survival([Fitted("x", "y", km, failed) for km, failed in rows])
        self.assertEqual([km for km, _ in curve], [3.0, 5.0, 8.0])
        for (_, found), expected in zip(curve, (4 / 5, 3 / 5, 3 / 10), strict=True):
            self.assertAlmostEqual(found, expected)

    def test_against_scipy(self) -> None:
        from scipy.stats import CensoredData, ecdf

        failed, alive = [1200.0, 5000.0, 5000.0, 9100.0, 20_000.0], [3000.0, 5000.0, 15_000.0]
        curve = survival([*(Fitted("x", "", km, True) for km in failed), *(Fitted("x", "", km, False) for km in alive)])
        reference = ecdf(CensoredData(uncensored=failed, right=alive)).sf
        expected = {float(q): float(p) for q, p in zip(reference.quantiles, reference.probabilities, strict=True)}
        for km, share in curve:
            self.assertAlmostEqual(share, expected[km], places=9)

    def test_by_make_the_short_lived_first(self) -> None:
        rows = (("Good", 40_000.0, False), ("Cheap", 9000.0, True), ("Cheap", 7000.0, True))
        lives = part_lives(Fitted("coil", make, km, failed) for make, km, failed in rows)
        self.assertEqual([(life.make, life.failed, life.fitted) for life in lives], [("Cheap", 2, 2), ("Good", 0, 1)])
        self.assertEqual(lives[0].median_km, 7000.0)
        self.assertIn("half of them by 7,000 km", lives[0].words)
        self.assertIn("has come 40,000 km", lives[1].words)


class Comebacks(unittest.TestCase):
    done = Done(
        "25-0007",
        frozenset({"P0135"}),
        "Renew: oxygen sensor",
        "oxygen_sensor_b1s1",
        "Cheapo",
        date(2026, 1, 20),
        80_000,
    )

    def test_same_code_within_the_warranty(self) -> None:
        found = comebacks([self.done], ["P0135"], [], date(2026, 11, 26), 91_000)
        self.assertEqual((found[0].months, found[0].km, found[0].covered), (10, 11_000, True))
        for part in ("P0135", "Cheapo", "25-0007", "10 months", "within its warranty"):
            self.assertIn(part, found[0].words)

    def test_beyond_months_or_kilometres_it_has_run_out(self) -> None:
        self.assertFalse(comebacks([self.done], ["P0135"], [], date(2028, 1, 20), 90_000)[0].covered)
        self.assertFalse(comebacks([self.done], ["P0135"], [], date(2026, 2, 20), 121_000)[0].covered)
        short = Done("1", frozenset({"P0135"}), "w", "c", "", date(2026, 1, 20), None, Warranty(6, 10_000))
        self.assertFalse(comebacks([short], ["P0135"], [], date(2026, 8, 1), None)[0].covered)

    def test_another_code_of_another_part_is_none(self) -> None:
        self.assertEqual(comebacks([self.done], ["P0420"], ["catalyst"], date(2026, 3, 1), None), ())
        self.assertEqual(len(comebacks([self.done], [], ["oxygen_sensor_b1s1"], date(2026, 3, 1), None)), 1)

    def test_whole_months(self) -> None:
        self.assertEqual(months_between(date(2026, 1, 31), date(2026, 2, 28)), 0)
        self.assertEqual(months_between(date(2026, 1, 28), date(2026, 2, 28)), 1)


class Readers(unittest.TestCase):
    def test_us_customary_units(self) -> None:
        """Definitions: 1 mile = 1.609344 km; °F = 9/5 °C + 32; 1 psi = 6.894757 kPa."""
        self.assertEqual(for_reader(160.9344, "km", customary=True), (100.0, "mi"))
        self.assertEqual(for_reader(100.0, "°C", customary=True), (212.0, "°F"))
        self.assertEqual(for_reader(344.7, "kPa", customary=True), (50.0, "psi"))
        self.assertEqual(for_reader(88.0, "°C", customary=False), (88.0, "°C"))
        self.assertEqual(for_reader(3.0, "bits", customary=True), (3.0, "bits"))
        written = "Past {=600 °C}; hold {=60 to 90 km/h} for {=1,609.344 km} or 5 minutes; from {=−5 °C}; "
        written += "{~5 °C} apart."
        swapped = "Past 1,112 °F; hold 37 to 56 mph for 1,000 mi or 5 minutes; from 23 °F; 9 °F apart."
        self.assertEqual(text_for_reader(marked(written), customary=True), swapped)
        told = "Past 600 °C; hold 60 to 90 km/h for 1,609.344 km or 5 minutes; from −5 °C; 5 °C apart."
        self.assertEqual(text_for_reader(marked(written), customary=False), told)
        self.assertEqual(text_for_reader(f"after {measured(160.9344, 'km')}", customary=True), "after 100 mi")
        # A sentence that says no value is not touched, whatever it looks like.
        self.assertEqual(text_for_reader("screw M8 x 60 mm", customary=True), "screw M8 x 60 mm")
