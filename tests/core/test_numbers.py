"""Numbers as people type them: the same on the page and on the server, and no field that drops a comma in silence."""

import json
from pathlib import Path

from django import forms
from django.test import SimpleTestCase

from kessa.core.quantities.typed import typed_number
from kessa.pages.base.number_field import DecimalNumberField, NumberField
from kessa.web.page_rules import page_rules

CASES = json.loads((Path(__file__).parent.parent / "number_cases.json").read_text())


class Typed(SimpleTestCase):
    def test_a_comma_or_a_point_and_nothing_that_could_be_two_numbers(self):
        for typed, number in CASES:
            with self.subTest(typed):
                found = typed_number(typed)
                self.assertEqual(None if found is None else float(found), number)

    def test_the_page_writes_numbers_by_the_same_figures(self):
        page = Path(__file__).parents[2] / "kessa/pages/base/number-rules.js"
        self.assertEqual(page.read_text(), page_rules()["base/number-rules.js"], "run manage.py write_page_rules")

    def test_a_field_takes_what_the_page_takes_and_says_its_bounds(self):
        field = NumberField(min_value=0, max_value=14)
        self.assertEqual(field.clean("7,25"), 7.25)
        self.assertEqual(str(DecimalNumberField(max_digits=4, decimal_places=1).clean("4,5")), "4.5")
        for wrong, words in (("4,5,6", "6.2 or 6,2"), ("74", "14"), ("-1", "0"), ("", "required"), ("nan", "6.2")):
            with self.subTest(wrong), self.assertRaisesMessage(forms.ValidationError, words):
                field.clean(wrong)
        shown = str(NumberField(min_value=0).get_bound_field(forms.Form(), "x"))
        self.assertIn('inputmode="decimal"', shown)
        self.assertNotIn('number"', shown.replace('data-number=""', ""))
