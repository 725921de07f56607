"""Numbers, days and heads of columns as people write them."""

from contextlib import suppress
from datetime import UTC, date, datetime
from unittest import TestCase

from hypothesis import example, given
from hypothesis import strategies as st

from kessa.core.errors import CannotCompute
from kessa.core.importing.cells import MARKS, decimal_mark, read_cell, value_of
from kessa.core.importing.days import day_order, read_clock, read_moment
from kessa.core.importing.evidence import Evidence
from kessa.core.importing.heads import head_of
from kessa.core.importing.words import plain, words
from kessa.core.importing.written_units import unit_and_form, unit_of
from kessa.core.quantities.parameters import parameters

BERLIN = "Europe/Berlin"
NUMBERS = [
    ("5.2", ".", (5.2, 0.05, None)),
    ("5,2", ",", (5.2, 0.05, None)),
    ("<5", ".", (5.0, 0.5, "<")),
    ("< 0,05 mg/L", ",", (0.05, 0.005, "<")),
    (">200", ".", (200.0, 0.5, ">")),
    ("≥ 1 000", ".", (1000.0, 0.5, ">")),
    ("1,234.5", ".", (1234.5, 0.05, None)),
    ("1.234,5", ",", (1234.5, 0.05, None)),
    ("1.234.567", ",", (1234567.0, 0.5, None)),
    ("-3.5", ".", (-3.5, 0.05, None)),
    (".5", ".", (0.5, 0.05, None)),
    ("1.2e3", ".", (1200.0, 50.0, None)),
    ("12 mg/L as CaCO3", ".", (12.0, 0.5, None)),
]
# What could be read in two ways, or holds more than a number and a unit.
NO_NUMBERS = [
    "trace", "5-6", "5 to 6", "1.2.3", "ok", "5,2", "1e400", "1e5000", "12/3", "?", "<<5", "5.", "0,125", "1,23",
    "12,34,567", "1,234 567", "1 234'567", "1 2", "1234,567", "30*", "~30", "30 ± 2", "30 (est.)", "30 mmol", "0.52 mS",
    "5 M", "5 °f", "٣", "none", "5e", "1,234,", "9" * 300,
]  # fmt: skip
DAYS = [
    ("2024-03-05", None, date(2024, 3, 5)),
    ("5.3.2024 9:40", "dmy", datetime(2024, 3, 5, 8, 40, tzinfo=UTC)),
    ("3/5/2024", "mdy", date(2024, 3, 5)),
    ("13/5/2024", None, date(2024, 5, 13)),
    ("5/13/2024", None, date(2024, 5, 13)),
    ("5 March 2024", None, date(2024, 3, 5)),
    ("5th Mar 2024", None, date(2024, 3, 5)),
    ("Mar 5, 2024 14:05", None, datetime(2024, 3, 5, 13, 5, tzinfo=UTC)),
    ("05-Mar-2024", None, date(2024, 3, 5)),
    ("6. Mai 2023 9.30 Uhr", None, datetime(2023, 5, 6, 7, 30, tzinfo=UTC)),
    ("9 de mayo de 2023", None, date(2023, 5, 9)),
    ("3 juil. 2023", None, date(2023, 7, 3)),
    ("1 października 2023", None, date(2023, 10, 1)),
    ("2024-03-05T09:40:30Z", None, datetime(2024, 3, 5, 9, 40, 30, tzinfo=UTC)),
    ("2024-03-05 09:40:30.25 -0700", None, datetime(2024, 3, 5, 16, 40, 30, 250000, tzinfo=UTC)),
    ("2024-03-05, 9 pm", None, datetime(2024, 3, 5, 20, 0, tzinfo=UTC)),
    # Twice on the clock, but not with its offset.
    ("2023-10-29 02:30+02:00", None, datetime(2023, 10, 29, 0, 30, tzinfo=UTC)),
]
NO_DAYS = [
    "31.2.2024", "soon", "2024", "13.13.2024", "1 Foo 2024", "2024-01-01 25:00", "2024-01-01 9", "5.3.24", "5/6/2024",
    "5/5/2024", "5 Mar 24", "3 jui 2023", "2024-01-01T", "2024-01-01 09:40 CET", "2024-01-01 13 pm", "2024/01-01",
    "2024-01-01 09:40+15:00", "2024-01-01 09:40+01:75", "20240105", "9999-12-31 23:59-10:00", "",
    "2024-01-01 " + "x" * 80,
]  # fmt: skip
HEADS = [
    ("Site", ("place", "", "", "")),
    ("Date", ("date", "", "", "")),
    ("Sample drawn", ("date", "", "", "")),
    ("Nitrate (mg/L as N)", ("result", "nitrate", "mg/L", "N")),
    ("NO3-N mg/L", ("result", "nitrate", "mg/L", "N")),
    ("Chloride [ppm]", ("result", "chloride", "ppm", "")),
    ("Messstelle", ("place", "", "", "")),
    ("Uhrzeit", ("time", "", "", "")),
    ("Nitrat mg/l", ("result", "nitrate", "mg/L", "")),
    ("Nitrates (mg/L NO3)", ("result", "nitrate", "mg/L", "NO3")),
    ("Leitfähigkeit [µS/cm]", ("result", "conductivity", "uS/cm", "")),
    ("Gesamthärte °dH", ("result", "total hardness", "dH", "")),
    ("TH", ("result", "total hardness", "", "")),
    ("Oxygène dissous mg/L", ("result", "dissolved oxygen", "mg/L", "")),
    ("Twardość ogólna", ("result", "total hardness", "", "")),
    ("Ammonium-N", ("result", "ammonia", "", "N")),
    ("Total alkalinity mg/L CaCO3", ("result", "alkalinity", "mg/L", "CaCO3")),
    # A unit that is not known is not another one.
    ("Conductivity (mS)", ("result", "conductivity", "", "")),
    ("E. coli (CFU/100 mL)", ("result", "E. coli", "", "")),
    ("TH (°f)", ("result", "total hardness", "", "")),
    ("Temp °F", ("result", "temperature", "degF", "")),
    ("Remarque", ("remark", "", "", "")),
    ("Water temperature °C", ("result", "temperature", "degC", "")),
    ("pH", ("result", "pH", "pH", "")),
    ("EC µS/cm", ("result", "conductivity", "uS/cm", "")),
    ("Remarks", ("remark", "", "", "")),
    ("Sampling location", ("place", "", "", "")),
    ("Colour of my hat", ("", "", "", "")),
]


class Cells(TestCase):
    def test_numbers_as_people_write_them(self):
        for text, mark, expected in NUMBERS:
            with self.subTest(text):
                self.assertEqual(tuple(read_cell(text, mark))[1:4], expected)
        self.assertEqual(read_cell("1\u202f234 mg/L (as N)", ".")[4:], ("mg/L", "N"))

    def test_what_is_no_number_is_told_and_never_guessed(self):
        for text in NO_NUMBERS:
            with self.subTest(text), self.assertRaises(CannotCompute) as refused:
                read_cell(text, ".")
            self.assertEqual(refused.exception.field, "text")
        self.assertEqual(
            [read_cell(text, ".").says for text in (" – ", "k.A.", "N/A", "0")], ["empty"] * 3 + ["number"]
        )
        self.assertEqual(
            {read_cell(text, ",").says for text in ("n.d.", "N.N.", "Not detected", "<LOD")}, {"not detected"}
        )

    def test_the_mark_of_a_column(self):
        for texts, usual, expected in (
            (["5,2", "7"], None, ","),
            (["1.234,5"], None, ","),
            (["5.2"], ",", "."),
            (["3.125", "4.250", "0.125"], ",", "."),
            (["7", "n.d.", ""], None, "."),
            (["7"], ",", ","),
            (["1,234"], None, None),
            (["1,234"], ",", None),
            (["1,2", "1.2"], ".", None),
        ):
            with self.subTest(texts):
                self.assertEqual(decimal_mark(texts, usual), expected)

    @given(
        st.floats(-1e9, 1e9).map(lambda number: round(number, 4)), st.sampled_from(".,"), st.sampled_from("., '\u00a0")
    )
    def test_what_is_written_is_read(self, number, mark, parted):
        written = f"{number:.4f}".replace(".", mark)
        self.assertEqual(read_cell(written, mark).value, number)
        if parted != mark:
            grouped = f"{number:,.4f}".translate(str.maketrans({",": parted, ".": mark}))
            self.assertEqual(read_cell(grouped, mark).value, number)

    @example("0'", ".")
    @given(st.text(max_size=20), st.sampled_from(".,"))
    def test_anything_is_a_number_or_refused(self, text, mark):
        with suppress(CannotCompute):
            read = read_cell(text, mark)
            self.assertTrue(read.says != "number" or (abs(read.value) <= 1e12 and any(each.isdigit() for each in text)))


class Days(TestCase):
    def test_days_as_people_write_them(self):
        for text, order, expected in DAYS:
            with self.subTest(text):
                self.assertEqual(read_moment(text, BERLIN, order), expected)
        self.assertEqual(read_clock("12:05 am").at.hour, 0)

    def test_what_is_no_day_is_told(self):
        for text in NO_DAYS:
            with self.subTest(text), self.assertRaises(CannotCompute) as refused:
                read_moment(text, BERLIN)
            self.assertEqual(refused.exception.field, "text")

    def test_hours_that_were_not_or_were_twice(self):
        for text, why in (("2023-03-26 02:30", "skipped by"), ("2023-10-29 02:30", "twice on")):
            with self.assertRaisesRegex(CannotCompute, why):
                read_moment(text, BERLIN)
        with self.assertRaises(CannotCompute) as refused:
            read_moment("2023-03-05", "Mars/Tharsis")
        self.assertEqual(refused.exception.field, "zone")

    def test_a_table_shows_by_itself_how_it_is_written_or_says_what_is_unclear(self):
        for texts, unclear in (
            (["7", "1,234", "0.5"], ""), (["7", "1,234", "12"], "1,234"), (["twelve", "1,234"], "1,234"),
            (["", "n.d.", "12"], ""), (["0,5", "1,234"], "1,234"),
        ):  # fmt: skip
            with self.subTest(texts):
                evidence = Evidence(MARKS, ".", value_of)
                for text in texts:
                    evidence.note(text)
                self.assertEqual(evidence.unclear, unclear)

    def test_the_order_of_a_column(self):
        for texts, usual, expected in (
            (["25/3/2024", "4/5/2024"], "mdy", "dmy"),
            (["3/25/2024"], None, "mdy"),
            (["4/5/2024", "6/7/2024"], None, None),
            (["4/5/2024"], "mdy", None),
            (["2024-03-05"], "mdy", "mdy"),
            (["25/3/2024", "3/25/2024"], "dmy", None),
            (["2024-03-05", "5 March 2024", "soon"], None, "dmy"),
        ):
            with self.subTest(texts):
                self.assertEqual(day_order(texts, usual), expected)

    @given(st.text(max_size=25), st.sampled_from([None, "dmy", "mdy"]))
    def test_anything_is_a_day_or_refused(self, text, order):
        with suppress(CannotCompute):
            self.assertGreaterEqual(read_moment(text, BERLIN, order).year, 1)


class Heads(TestCase):
    def test_heads_as_people_write_them(self):
        for text, expected in HEADS:
            with self.subTest(text):
                self.assertEqual(tuple(head_of(text))[:4], expected)
        self.assertEqual(head_of("Dissolved iron mg/L").fraction, "dissolved")
        self.assertIsNone(unit_of("furlong"))
        self.assertEqual((unit_and_form("µg P/l"), unit_and_form("mg X/L")), (("ug/L", "P"), None))

    def test_the_words_are_plain_and_name_one_thing(self):
        text = words()
        self.assertLessEqual(set(text.tests), {each.key for each in parameters().values()})
        for several in (text.heads, text.tests):
            names = [name for each in several.values() for name in each]
            self.assertEqual([name for name in names if plain(name) != name or names.count(name) > 1], [])
        self.assertEqual([name for names in text.months for name in names if plain(name) != name], [])
