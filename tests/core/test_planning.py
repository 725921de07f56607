"""Rhythms, stock, packing and schools, through their public functions."""

from datetime import date, datetime, time, timedelta
from itertools import combinations
from unittest import TestCase

from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from kessa.core.errors import CannotCompute
from kessa.core.job.place_kinds import place_kinds
from kessa.core.job.schools import complete, depth_cm, questions
from kessa.core.job.waste import waste_streams
from kessa.core.methods import families, house_methods
from kessa.core.methods.leading import led_at
from kessa.core.planning.packing import Planned, needs, used_by
from kessa.core.planning.rhythm import Rhythm, around, between, check, coming, in_words
from kessa.core.planning.stock import Lot, allot, runs_left, weeks_left
from kessa.core.readings.lot_table import read_lot_table
from kessa.core.runs.conclusion import Blank, conclude
from kessa.core.treating.mixing import never_meets

LOW = house_methods()["chloride-drops-25"]
DAY = date(2026, 11, 23)


class Rhythms(TestCase):
    def test_the_rhythms_people_keep(self):
        for rule, words, first in (
            ("FREQ=DAILY", "every day", date(2026, 11, 24)),
            ("FREQ=WEEKLY;BYDAY=MO,TH", "every Monday and Thursday", date(2026, 11, 26)),
            ("FREQ=WEEKLY;INTERVAL=2;BYDAY=TU", "every second Tuesday", date(2026, 12, 1)),
            ("FREQ=MONTHLY;BYDAY=-1SU", "last Sunday of the month", date(2026, 11, 29)),
            ("FREQ=MONTHLY;BYMONTHDAY=15", "day 15 of the month", date(2026, 12, 15)),
            ("FREQ=MONTHLY;INTERVAL=3;BYDAY=1MO", "first Monday of every third month", date(2027, 2, 1)),
            ("FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=29", date(2028, 2, 29)),
        ):
            with self.subTest(rule):
                rhythm = Rhythm(rule, date(2026, 11, 2))
                check(rhythm)
                self.assertEqual((in_words(rhythm), coming(rhythm, DAY)[0]), (words, first))
        self.assertEqual(around(Rhythm("FREQ=WEEKLY;BYDAY=MO", DAY), DAY), (DAY, DAY + timedelta(days=7)))
        ended = Rhythm("FREQ=DAILY;UNTIL=20261120", date(2026, 11, 1))
        self.assertEqual(around(ended, DAY), (date(2026, 11, 20), None))

    def test_a_season_leaves_the_other_months_out(self):
        winter = Rhythm("FREQ=MONTHLY;BYDAY=-1SU", date(2026, 1, 1), (1, 2, 12))
        days = between(winter, date(2026, 1, 1), date(2026, 12, 31))
        self.assertEqual(days, (date(2026, 1, 25), date(2026, 2, 22), date(2026, 12, 27)))
        self.assertEqual(winter.seasonal_rule, "FREQ=MONTHLY;BYDAY=-1SU;BYMONTH=1,2,12")

    def test_what_never_falls_due_or_cannot_be_read_is_refused(self):
        for rule, months, words in (
            ("FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30", (), "never falls due"),
            ("FREQ=MONTHLY;BYMONTHDAY=0", (), "never falls due"),
            ("FREQ=DAILY;UNTIL=20200101", (), "never falls due"),
            ("FREQ=MONTHLY;BYMONTH=6;BYDAY=1MO", (12, 1), "within its season"),
            ("FREQ=YEARLY", (1,), "leave the season empty"),
            ("FREQ=HOURLY", (), "goes by days"),
            ("FREQ=DAILY;COUNT=3", (), "goes by days"),
            ("FREQ=DAILY;INTERVAL=0", (), "INTERVAL"),
            ("FREQ=WEEKLY;BYDAY=XX", (), "cannot be read"),
            ("FREQ=DAILY;BYMONTH=0", (), "1 to 12"),
            ("FREQ=DAILY;UNTIL=soon", (), "RFC 5545"),
            ("every second Tuesday", (), "RFC 5545"),
            ("FREQ=DAILY\nDTSTART:20200101", (), "RFC 5545"),
        ):
            with self.subTest(rule), self.assertRaisesRegex(CannotCompute, words):
                check(Rhythm(rule, DAY, months))

    @given(
        st.sampled_from(["DAILY", "WEEKLY", "MONTHLY"]),
        st.integers(1, 5),
        st.sets(st.integers(1, 12)),
        st.dates(date(2024, 1, 1), date(2027, 1, 1)),
    )
    def test_the_latest_and_the_next_are_neighbours_in_any_calendar(self, frequency, interval, months, start):
        rhythm = Rhythm(f"FREQ={frequency};INTERVAL={interval}", start, tuple(sorted(months)))
        latest, following = around(rhythm, DAY)
        days = [
            each.date()
            for each in rrulestr(rhythm.seasonal_rule + ";UNTIL=20360101", dtstart=datetime.combine(start, time.min))
        ]
        self.assertEqual(latest, max((day for day in days if day <= DAY), default=None))
        if following:
            self.assertEqual(following, min(day for day in days if day > DAY))


class Stock(TestCase):
    def test_a_lot_is_good_until_the_first_of_its_ends(self):
        opened = Lot(5, date(2027, 1, 1), DAY - timedelta(days=30), 30)
        self.assertEqual((opened.good_until, opened.faults(DAY)), (DAY, ()))
        self.assertEqual(opened.faults(DAY + timedelta(days=1)), ("lot-opened-too-long",))
        self.assertEqual(Lot(5, DAY - timedelta(days=1), damp=True).faults(DAY), ("lot-expired", "lot-damp"))
        self.assertEqual(Lot(0).faults(DAY), ("lot-used-up",))
        self.assertIsNone(Lot(1).good_until)

    def test_past_its_life_opened_only_a_standard_of_after_proves_it(self):
        opened = Lot(5, opened_on=DAY - timedelta(days=30), keeps_opened_days=20)
        ended = DAY - timedelta(days=10)
        for day, standard, proven in (
            (ended, ended - timedelta(days=5), True),
            (DAY, ended - timedelta(days=5), False),
            (DAY, ended, True),
            (ended, opened.opened_on - timedelta(days=1), False),
        ):
            with self.subTest(day=day, standard=standard):
                self.assertIs(opened.verified(day, [standard]), proven)

    def test_opened_lots_go_first_and_unfit_ones_not_at_all(self):
        lots = [
            Lot(10, DAY + timedelta(days=300)),
            Lot(50, DAY - timedelta(days=1)),
            Lot(3, DAY + timedelta(days=400), DAY),
            Lot(4, DAY + timedelta(days=30)),
        ]
        self.assertEqual(allot(9, lots, DAY), (((2, 3), (3, 4), (0, 2)), 0.0))
        self.assertEqual(allot(19, lots, DAY).short, 2)
        self.assertEqual((runs_left(0.3, 0.1), weeks_left(10, 2), weeks_left(10, 0)), (3, 5, None))

    def test_a_lot_table_is_read_or_refused_by_its_line(self):
        self.assertEqual(read_lot_table("mark, mg/L\n1, 30\n1.5, 40\n"), ((1, 30), (1.5, 40)))
        self.assertEqual(read_lot_table("1,0;30,5\n1,5;40"), ((1, 30.5), (1.5, 40)))
        self.assertEqual(read_lot_table("0,5 25\n1,25  30,5\n1.5,40"), ((0.5, 25), (1.25, 30.5), (1.5, 40)))
        for text, words in (
            # A decimal comma, and nothing beside it; a first line that is no heading.
            ("0,5\n1,4", "Line 1"),
            ("1,5,30\n2 40\n3 50", "Line 1"),
            ("1 30 4\n2 40", "Line 1"),
            ("1, 30\n1, 40", "marks are out of order"),
            ("1, 40\n2, 30", "values are out of order"),
            ("1, 10\n1.2, 20\n1.4, 30\n2.4, 40", "gap between the marks 1.4 and 2.4"),
            ("1, 10\n2, twenty", "Line 2"),
            ("1, 10", "two lines"),
            ("1, 10\n2, 1e9", "Line 2"),
            ("1, 10\n2, 2000000000", "out of range"),
            ("1, 10\n-2, 20", "out of range"),
            ("", "two lines"),
        ):
            with self.subTest(text), self.assertRaisesRegex(ValueError, words):
                read_lot_table(text)

    @given(st.text(max_size=60))
    def test_any_text_is_a_table_or_a_sentence(self, text):
        try:
            rows = read_lot_table(text)
        except ValueError as fault:
            self.assertTrue(str(fault).strip())
        else:
            self.assertEqual(sorted(rows), list(rows))


class Packing(TestCase):
    def test_repeats_blanks_standards_and_a_margin(self):
        self.assertEqual(Planned(LOW).most_runs, 4)
        self.assertEqual(Planned(LOW, runs=3, blanks=0, standards=1).most_runs, 4)
        brook = led_at(LOW, place_kinds()["stream"])
        packed = needs([Planned(brook), Planned(brook)])
        self.assertEqual((packed["chromate-packet"], packed["ph-strip"], packed["goggles"]), (9, 3, 1))
        self.assertEqual(list(packed)[:2], ["goggles", "gloves"])
        self.assertEqual(used_by(LOW, 2, 15)["silver-nitrate"], 0.75)
        self.assertEqual(needs([]), {})


def run(count):
    return {"count": count}


# What the reagents bring into the waste, by the supply.
BRINGS = {
    "silver-nitrate": "silver",
    "silver-tablet": "silver",
    "chloride-strip": "silver",
    "chromate-packet": "chromate",
    "azide-solution": "azide",
    "nitrate-photometer-powder": "cadmium",
    "ceric-drops": "oxidiser",
    "nitrite-tablet": "oxidiser",
    "vanadate-reagent": "metals",
    "phosphate-powder": "metals",
    "phosphate-acid": "acid",
    "copper-powder": "metals",
    "manganese-reagent-1": "lye",
    "manganese-reagent-2": "formaldehyde",
    "ammonia-packet-2": "nitroprusside",
    "inhibitor-drops": "inhibitor",
    "nitrate-low-powder": "cadmium",
    "phosphate-low-powder": "metals",
    "phosphonate-powder": "metals",
    "persulfate-powder": "oxidiser",
    "silica-molybdate": "metals",
    "sulfate-powder": "metals",
    "fluoride-reagent": "acid",
    "sulfide-reagent-1": "acid",
}


class Waste(TestCase):
    def test_what_must_never_meet_has_jars_apart_in_every_packing_list(self):
        methods = list(house_methods().values())
        jars = {stream.jar for stream in waste_streams().values() if stream.jar}
        for method in methods:
            with self.subTest(method.key):
                stream = waste_streams()[method.waste_to]
                brought = {BRINGS[use.supply] for use in method.uses if use.supply in BRINGS}
                self.assertLessEqual(brought, set(stream.holds), stream.key)
                self.assertEqual({key for key in method.gear if key in jars}, {stream.jar} - {""})
                if stream.holds:
                    self.assertTrue(stream.label)
                    self.assertIn(stream.name, " ".join(step.text for step in method.steps))
        for one, other in combinations([stream for stream in waste_streams().values() if stream.holds], 2):
            self.assertNotEqual(one.jar, other.jar)
        for one, other in combinations(methods, 2):
            first, second = waste_streams()[one.waste_to], waste_streams()[other.waste_to]
            if first != second and never_meets(first.holds, second.holds):
                packed = needs([Planned(one), Planned(other)])
                self.assertLessEqual({first.jar, second.jar}, set(packed))

    def test_azide_meets_neither_silver_nor_a_drain(self):
        silver, oxygen = waste_streams()["silver"], waste_streams()["oxygen"]
        self.assertIn("silver azide explodes at a touch", never_meets(silver.holds, oxygen.holds))
        self.assertTrue(never_meets(oxygen.holds, ("drain",)))
        self.assertFalse(never_meets(("glycol",), ("inhibitor",)))
        kit = [house_methods()[key] for key in ("chloride-drops-25", "oxygen-titration", "nitrate-photometer")]
        packed = needs([Planned(method) for method in [*kit, house_methods()["nitrite-drops-25"]]])
        self.assertEqual(
            [key for key in packed if key.endswith("-jar")], ["silver-jar", "oxygen-jar", "cadmium-jar", "metals-jar"]
        )


class Schools(TestCase):
    def concluded(self, *counts, **schools):
        method = LOW.under(schools)
        runs = {number: run(count) for number, count in enumerate(counts, 1)}
        return conclude(method, method.main, runs, Blank(1, "good"))

    def test_each_question_offers_its_default(self):
        self.assertEqual(complete({}), {key: question.default for key, question in questions().items()})
        self.assertEqual(complete({"endpoint": "nonsense", "depth": "hand"})["endpoint"], "first")
        self.assertEqual((depth_cm({"depth": "hand"}, 22), depth_cm({}, 22)), (10, 22))

    def test_which_drop_is_the_end(self):
        values = {key: self.concluded(8, 8, endpoint=key).quantity for key in ("first", "before", "middle")}
        self.assertEqual([quantity.value for quantity in values.values()], [32, 28, 30])
        self.assertTrue(all(quantity.low <= 24 and quantity.high >= 32 for quantity in values.values()))
        one = self.concluded(1, 1, endpoint="before").quantity
        self.assertEqual((one.value, one.censor), (4, "<"))

    def test_which_runs_count_and_when_they_agree(self):
        self.assertEqual(self.concluded(8, 12, 9).quantity.value, 34)
        self.assertAlmostEqual(self.concluded(8, 12, 9, duplicates="mean").quantity.value, 116 / 3)
        self.assertEqual(self.concluded(8, 12, 9, duplicates="first").quantity.value, 32)
        self.assertEqual(self.concluded(8, 10).state, "agreed")
        self.assertEqual(self.concluded(8, 10, agreement="absolute").state, "run again")
        self.assertEqual(self.concluded(8, 11, agreement="units").state, "run again")
        self.assertEqual(self.concluded(20, 23, agreement="relative").state, "agreed")
        self.assertEqual(self.concluded(3, 4, agreement="relative").state, "run again")
        self.assertEqual(self.concluded(8, 9, agreement="absolute").state, "agreed")

    def test_every_family_has_a_name_and_says_what_it_uses(self):
        for methods in families().values():
            for method in methods:
                self.assertTrue((method.uses or method.instrument or method.gear) and method.principle, method.key)
