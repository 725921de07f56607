"""Numbers, days and heads of columns as people write them."""

from contextlib import suppress
from datetime import date, time
from unittest import TestCase

from hypothesis import example, given
from hypothesis import strategies as st

from kessa.core.errors import CannotCompute
from kessa.core.notebooks.cells import decimal_mark, is_nothing, read_number
from kessa.core.notebooks.days import is_unambiguous, orders_of, read_day, read_time
from kessa.core.notebooks.heads import head_of, unit_of

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
NO_NUMBERS = ["trace", "5-6", "5 to 6", "1.2.3", "ok", "5,2", "1e400", "12/3", "?", "n.d."]
DAYS = [
    ("2024-03-05", "DMY", date(2024, 3, 5), None),
    ("5.3.24 9:40", "DMY", date(2024, 3, 5), time(9, 40)),
    ("3/5/2024", "MDY", date(2024, 3, 5), None),
    ("5 March 2024", "MDY", date(2024, 3, 5), None),
    ("Mar 5, 2024 14:05", "DMY", date(2024, 3, 5), time(14, 5)),
    ("05-Mar-24", "YMD", date(2024, 3, 5), None),
    ("2024-03-05T09:40:30Z", "YMD", date(2024, 3, 5), time(9, 40, 30)),
]
HEADS = [
    ("Site", ("place", "", "", "")),
    ("Date", ("date", "", "", "")),
    ("Sample drawn", ("date", "", "", "")),
    ("Nitrate (mg/L as N)", ("result", "nitrate", "mg/L", "N")),
    ("NO3-N mg/L", ("result", "nitrate", "mg/L", "N")),
    ("Chloride [ppm]", ("result", "chloride", "mg/L", "")),
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
                self.assertEqual(tuple(read_number(text, mark))[:3], expected)

    def test_what_is_no_number_is_told_and_never_guessed(self):
        for text in NO_NUMBERS:
            with self.subTest(text), self.assertRaises(CannotCompute):
                read_number(text, ".")
        self.assertEqual(tuple(read_number("n.d.", ".", 0.2))[:3], (0.2, 0.0, "<"))
        self.assertTrue(is_nothing(" – ") and not is_nothing("0"))

    def test_the_mark_of_a_column(self):
        for texts, expected in (
            (["5,2", "7"], ","),
            (["1.234,5"], ","),
            (["5.2"], "."),
            (["7"], "."),
            (["1,234"], None),
        ):
            with self.subTest(texts):
                self.assertEqual(decimal_mark(texts), expected)

    @given(st.floats(-1e9, 1e9).map(lambda number: round(number, 4)), st.sampled_from(".,"))
    def test_what_is_written_is_read(self, number, mark):
        written = f"{number:.4f}".replace(".", mark)
        self.assertEqual(read_number(written, mark).value, number)
        grouped = f"{number:,.4f}"
        grouped = grouped if mark == "." else grouped.translate(str.maketrans(",.", ".,"))
        self.assertEqual(read_number(grouped, mark).value, number)

    @example("0'", ".")
    @given(st.text(max_size=20), st.sampled_from(".,"))
    def test_anything_is_a_number_or_refused(self, text, mark):
        try:
            read = read_number(text, mark)
        except CannotCompute:
            return
        self.assertTrue(abs(read.value) <= 1e12 and any(letter.isdigit() for letter in text))


class Days(TestCase):
    def test_days_as_people_write_them(self):
        for text, order, day, at in DAYS:
            with self.subTest(text):
                self.assertEqual(read_day(text, order), (day, at))
        self.assertEqual(read_time("2:05 pm"), time(14, 5))

    def test_what_is_no_day_is_told(self):
        for text in ("31.2.2024", "soon", "2024", "1.1.1700", "13.13.2024", "1 Foo 2024", "2024-01-01 25:00"):
            with self.subTest(text), self.assertRaises(CannotCompute):
                read_day(text, "DMY")

    def test_the_order_of_a_column(self):
        self.assertEqual(orders_of(["25/3/2024", "4/5/2024"]), ["DMY"])
        self.assertEqual(orders_of(["3/25/2024"]), ["MDY"])
        self.assertFalse(is_unambiguous(["4/5/2024", "6/7/2024"]))
        self.assertTrue(is_unambiguous(["2024-03-05", "5 March 2024"]))
        self.assertEqual(orders_of(["soon"]), [])

    @given(st.text(max_size=25), st.sampled_from(["YMD", "DMY", "MDY"]))
    def test_anything_is_a_day_or_refused(self, text, order):
        with suppress(CannotCompute):
            self.assertGreaterEqual(read_day(text, order)[0].year, 1900)


class Heads(TestCase):
    def test_heads_as_people_write_them(self):
        for text, expected in HEADS:
            with self.subTest(text):
                self.assertEqual(tuple(head_of(text))[:4], expected)
        self.assertEqual(head_of("Dissolved iron mg/L").fraction, "dissolved")
        self.assertIsNone(unit_of("furlong"))
