"""A team's own methods: written, checked, published, changed, retired, taken out and in."""

from django.urls import reverse

from kessa.core.methods import house_methods
from kessa.record.methods.models import OwnMethod
from kessa.record.methods.selectors import families_of, methods_of
from kessa.record.methods.services import keep_draft
from kessa.record.testing.repeats import go_on
from tests.app.pages import PageTest
from tests.world import Taps, begin, member, send, team_of

ZINC = {
    "name": "Zinc by dye",
    "test_name": "Zinc, drops",
    "principle": "A dye lets go of zinc.",
    "wear": "Goggles.",
    "waste": "Collect.",
    "parameter": "zinc",
    "unit": "mg/L",
    "unit_of_count": "drop",
    "report": "midpoint",
    "per": 0.5,
    "background": 1,
    "stop_at": 20,
}


def rows(*steps, initial=3):
    """The steps as the page posts them."""
    form = {"steps-TOTAL_FORMS": len(steps), "steps-INITIAL_FORMS": initial}
    for number, step in enumerate(steps):
        form |= {f"steps-{number}-{name}": value for name, value in step.items()}
    return form


STEPS = rows(
    {"text": "Fill to 10 mL", "where": 1},
    {"text": "One drop, swirl, look", "where": 3},
    {"text": "Empty", "where": 4},
    {"text": "Dye in", "seconds": 60, "rule": "exact", "within_s": 30, "where": 2},
)


class OwnMethods(PageTest):
    def setUp(self):
        self.membership, self.place = team_of("Ines")
        self.client.force_login(self.membership.user)
        self.team = self.membership.team

    def draft(self, kind="count"):
        self.client.post(reverse("methods:begin"), {"kind": kind})
        return OwnMethod.objects.for_team(self.team).latest("pk")

    def post(self, name, draft, form=None):
        return self.client.post(reverse(f"methods:{name}", args=[draft.pk]), form or {}, follow=True)

    def exported(self, key):
        return self.client.get(reverse("methods:export", args=[key])).content.decode()

    def published(self, **changes):
        draft = self.draft()
        self.post("numbers", draft, ZINC | changes)
        self.post("steps", draft, STEPS)
        self.post("publish", draft)
        return methods_of(self.team.pk)[draft.key]

    def test_from_the_kind_to_a_result(self):
        draft = self.draft()
        self.assertContains(self.post("numbers", draft, ZINC | {"per": "x"}), "Write a number", status_code=422)
        self.assertContains(self.post("numbers", draft, ZINC | {"per": -1}), "Steps and clocks")
        check = reverse("methods:check", args=[draft.pk])
        self.assertContains(self.client.get(check), "per must be above 0")
        self.post("publish", draft)
        self.assertNotIn(draft.key, methods_of(self.team.pk))
        self.post("numbers", draft, ZINC)
        self.assertContains(self.post("steps", draft, STEPS), "An example reading")
        worked = self.client.get(check, {"example": 1, "count": 9})
        self.assertContains(worked, "(9 − ½ (the middle of the last step) − 1 background) × 0.5 = 3.75 mg/L")
        self.assertContains(self.client.get(check, {"example": 1, "count": 21}), "The range ends at 20")
        self.assertContains(self.post("publish", draft), "your team can use it")
        method = methods_of(self.team.pk)[draft.key]
        self.assertEqual([step.text for step in method.steps][1], "Dye in")
        self.assertEqual((method.steps[1].wait.seconds, method.steps[1].wait.within_s), (60, 30))
        determination = begin(self.place, self.membership, draft.key)
        send(self.membership, determination, Taps().run("sample-1", 9).close())
        self.assertEqual(determination.results.get().value, 3.75)
        for address in ("/methods/", "/log/", f"/bench/sample/{determination.sample_id}/"):
            self.assertRegex(self.client.get(address).content.decode(), "[Zz]inc")

    def test_a_new_version_leaves_old_results_as_they_were(self):
        first = self.published()
        before = begin(self.place, self.membership, first.key)
        self.client.post(reverse("methods:change", args=[first.key]))
        draft = OwnMethod.objects.for_team(self.team).get(published_at=None)
        self.assertEqual((draft.key, draft.version), (first.key, 2))
        self.post("numbers", draft, ZINC | {"per": 2})
        self.post("publish", draft)
        self.assertEqual(self.post("numbers", draft, ZINC).status_code, 404)
        send(self.membership, before, Taps().run("sample-1", 9).close())
        after = begin(self.place, self.membership, first.key)
        send(self.membership, after, Taps().run("sample-1", 9).close())
        self.assertEqual([before.results.get().value, after.results.get().value], [3.75, 15])
        self.assertContains(self.client.get(reverse("methods:method", args=[first.key])), "version 1")

    def test_a_house_method_becomes_ones_own_with_its_steps_and_clocks(self):
        self.client.post(reverse("methods:change", args=["nitrate-ampoule"]))
        draft = OwnMethod.objects.for_team(self.team).get()
        form = self.client.get(reverse("methods:numbers", args=[draft.pk])).context["form"]
        data = {
            name: form[name].field.prepare_value(field) for name, field in form.initial.items() if name in form.fields
        }
        data = {name: value for name, value in data.items() if value not in (None, "")}
        self.post("numbers", draft, data)
        self.post("publish", draft)
        own, house = methods_of(self.team.pk)[draft.key], house_methods()["nitrate-ampoule"]
        self.assertEqual((own.steps, own.main.chips, own.main.also), (house.steps, house.main.chips, house.main.also))
        # With other steps the card's colours hold no more.
        self.client.post(reverse("methods:change", args=[draft.key]))
        draft = OwnMethod.objects.for_team(self.team).get(published_at=None)
        self.post("numbers", draft, data | {"steps": "0.1, 0.3, 0.2"})
        self.assertContains(self.client.get(reverse("methods:check", args=[draft.pk])), "steps must rise")
        self.post("numbers", draft, data | {"steps": "0,1; 0,2; 0,3"})
        self.post("publish", draft)
        main = methods_of(self.team.pk)[draft.key].main
        self.assertEqual((main.chips, main.numbers.steps), ((), (0.1, 0.2, 0.3)))

    def test_ranges_by_volume_are_methods_of_one_family(self):
        draft = self.draft()
        wrong = self.post("numbers", draft, ZINC | {"ranges": "25, 4\n5"})
        self.assertContains(wrong, "Line 2: mL of sample, a space, what one unit is worth.", status_code=422)
        self.post("numbers", draft, ZINC | {"ranges": "25, 4\n5; 20"})
        self.post("steps", draft, rows({"text": "Fill to 25 mL"}, {"text": "One drop"}, {"text": "Empty"}))
        self.assertContains(self.post("publish", draft), "write {vessel} there")
        steps = rows({"text": "Fill to {vessel}"}, {"text": "One drop"}, {"text": "Empty"})
        self.post("steps", draft, steps)
        self.post("publish", draft)
        low, high = families_of(self.team.pk)[draft.key]
        self.assertEqual((low.key, low.main.per, low.steps[0].text), (draft.key, 4, "Fill to 25 mL"))
        self.assertEqual((high.main.per, high.main.titrant, low.main.next_range), (20, None, high.key))
        over = begin(self.place, self.membership, low.key)
        send(self.membership, over, Taps().run("sample-1", 20, endpoint=False).close())
        following = go_on(self.membership, over, None)
        self.assertEqual(following.method_key, high.key)
        page = self.client.get(reverse("methods:method", args=[high.key]))
        self.assertContains(page, "Retire it")
        written = self.client.get(reverse("methods:export", args=[high.key])).content.decode()
        self.assertIn("ranges = [", written)
        self.client.post(reverse("methods:take_in"), {"text": written.replace("version = 1", "version = 7")})
        again = OwnMethod.objects.for_team(self.team).get(published_at=None)
        self.assertEqual((again.key, again.version), (draft.key, 7))
        self.post("publish", again)
        self.assertEqual([each.version for each in families_of(self.team.pk)[draft.key]], [7, 7])
        self.client.post(reverse("methods:retire", args=[high.key]))
        self.assertEqual(self.client.get(reverse("methods:method", args=[high.key])).status_code, 200)

    def test_the_chemistry_of_a_house_method_follows_the_ranges_it_is_given(self):
        self.client.post(reverse("methods:change", args=["chloride-drops-25"]))
        draft = OwnMethod.objects.for_team(self.team).get()
        form = self.client.get(reverse("methods:numbers", args=[draft.pk])).context["form"]
        data = {name: value for name, value in form.initial.items() if name in form.fields and value not in (None, "")}
        self.post("numbers", draft, data | {"ranges": "25, 4\n10, 10"})
        draft.refresh_from_db()
        steps = [step | {"text": step["text"].replace("25 mL", "{vessel}")} for step in draft.definition["steps"]]
        keep_draft(self.membership, draft, draft.definition | {"steps": steps})
        self.post("publish", draft)
        volumes = [each.main.titrant.sample_ml for each in families_of(self.team.pk)[draft.key]]
        self.assertEqual(volumes, [25, 10])

    def test_a_kits_own_waits_factors_and_card_hold_from_the_next_test_on(self):
        address = reverse("methods:kit_numbers", args=["nitrate-ampoule"])
        self.assertContains(self.client.get(reverse("methods:method", args=["nitrate-ampoule"])), address)
        house = house_methods()["nitrate-ampoule"]
        form = self.client.get(address).context["form"]
        shake = next(name for name, (about, _) in form.about.items() if about[0] == "waits")
        card = next(name for name, (about, _) in form.about.items() if about[0] == "cards")
        before = begin(self.place, self.membership, "nitrate-ampoule")
        self.assertContains(self.client.post(address, {card: "3, 2, 1"}), "steps must rise", status_code=422)
        self.assertContains(self.client.post(address, {shake: "0"}), "must be above 0", status_code=422)
        self.client.post(address, {shake: "180", card: "0.5, 1, 2, 4"})
        ours = methods_of(self.team.pk)["nitrate-ampoule"]
        after = begin(self.place, self.membership, "nitrate-ampoule")
        changed = [step.wait.seconds for step in ours.steps if step.wait and step.wait.what == form.about[shake][0][1]]
        self.assertEqual((changed, ours.main.numbers.steps), ([180], (0.5, 1, 2, 4)))
        self.assertEqual(before.method.main.numbers.steps, house.main.numbers.steps)
        self.assertEqual(after.method.main.numbers.steps, (0.5, 1, 2, 4))
        self.assertEqual((ours.version, ours.family, ours.main.chips), (house.version, house.family, ()))
        page = self.client.get(reverse("methods:method", args=["nitrate-ampoule"]))
        self.assertContains(page, "By your kit's own numbers")
        # Another team goes by the house's; so does this one once nothing differs.
        self.assertEqual(methods_of(team_of("Maud")[0].team_id)["nitrate-ampoule"], house)
        self.client.post(address, {shake: ""})
        self.assertEqual(methods_of(self.team.pk)["nitrate-ampoule"], house)

    def test_a_kits_volume_brings_its_words_and_its_worth_along(self):
        address = reverse("methods:kit_numbers", args=["chloride-drops-25"])
        self.client.post(address, {"sample_ml": "20"})
        ours = methods_of(self.team.pk)["chloride-drops-25"]
        self.assertEqual((ours.vessel, ours.main.per, ours.main.titrant.sample_ml), ("20 mL", 5, 20))
        self.assertIn("Fill with sample to the 20 mL line", [step.text for step in ours.steps])
        self.assertAlmostEqual(ours.main.numbers.precision_abs, 10)
        self.client.post(reverse("methods:kit_numbers", args=["total-alkalinity-drops-5"]), {"sample_ml": "6"})
        small = methods_of(self.team.pk)["total-alkalinity-drops-5"]
        self.assertIn("Fill with sample to the 6 mL line", [step.text for step in small.steps])
        # Where a volume is made up to another, its words are the house's.
        made_up = self.client.get(reverse("methods:kit_numbers", args=["nitrite-tablets-5"]))
        self.assertNotIn("sample_ml", made_up.context["form"].fields)
        self.client.force_login(member(self.team, "Olek").user)
        self.assertEqual(self.client.get(address).status_code, 403)

    def test_out_as_a_file_and_in_again_everywhere(self):
        for key in (
            "chlorine-dioxide-stages",
            "chloride-drops-25",
            "strip-five-pads",
            "chloride-strip",
            "iron-photometer",
        ):
            written = self.client.get(reverse("methods:export", args=[key]))
            self.assertIn(f"{key}.toml", written.headers["Content-Disposition"])
            self.client.post(reverse("methods:take_in"), {"text": written.content.decode()})
            draft = OwnMethod.objects.for_team(self.team).latest("pk")
            self.post("publish", draft)
            own, house = methods_of(self.team.pk)[draft.key].snapshot(), house_methods()[key].snapshot()
            for name in ("key", "family", "version"):
                own.pop(name)
                house.pop(name)
            self.assertEqual(own, house)

    def test_a_faulty_file_is_told_by_line_and_field(self):
        good = self.exported("ph-tablet")
        line = next(n for n, text in enumerate(good.splitlines(), 1) if text.startswith("unit ="))
        for broken, words in (
            (
                good.replace("unit =", "unti ="),
                f"Line {line}: Unti: unti is not known here: it may be misspelt. Did",
            ),
            (good.replace('kind = "read"', 'kind = "guess"'), "kind must be one of: &#x27;do&#x27;"),
            ("a = [1", "This is not TOML"),
            ("a = " + "[" * 20_000, "This is not TOML"),
            (good.replace("keeps_hours = 0.25", "keeps_hours = inf"), "keeps_hours is not a number that can be used"),
            (good.replace('unit = "pH"', 'unit = "\\u0000"'), "unit holds letters or signs that it may not"),
            (good.replace('parameter = "pH"', f'parameter = "{"p" * 61}"'), "longer than 60 letters"),
            (good.replace("within = 0.3", "within = -1"), "within cannot be below 0"),
            (self.exported("calcium-hardness-drops-25").replace('"CaCO3"', '"caco3"'), "did you mean CaCO3?"),
            (self.exported("chloride-drops-25").replace('text = "Goggles', 'txt = "Goggles'), "Step 1"),
            ("", "Choose a file, or paste its text."),
        ):
            page = self.client.post(reverse("methods:take_in"), {"text": broken})
            self.assertContains(page, words, status_code=422)
        self.assertFalse(OwnMethod.objects.for_team(self.team).exists())

    def test_its_page_says_who_did_what_with_it(self):
        method = self.published()
        page = self.client.get(reverse("methods:method", args=[method.key]))
        self.assertContains(page, "What was done to it")
        self.assertContains(page, "Method published")

    def test_retired_it_is_gone_from_choices_and_rounds_and_its_results_stay(self):
        method = self.published()
        determination = begin(self.place, self.membership, method.key)
        send(self.membership, determination, Taps().run("sample-1", 9).close())
        self.client.post(reverse("methods:retire", args=[method.key]))
        self.assertNotIn(method.key, methods_of(self.team.pk))
        self.assertContains(self.client.get(f"/log/{determination.results.get().pk}/"), "The working")
        self.assertContains(self.client.get(reverse("methods:method", args=[method.key])), "out of use")
        self.assertEqual(self.client.post(reverse("methods:retire", args=["chloride-drops-25"])).status_code, 404)

    def test_who_may_and_whose_it_is(self):
        method = self.published()
        self.client.force_login(member(self.team, "Olek").user)
        self.assertEqual(self.client.get(reverse("methods:begin")).status_code, 403)
        self.assertNotContains(self.client.get(reverse("methods:method", args=[method.key])), "Retire it")
        self.client.force_login(team_of("Maud")[0].user)
        self.assertEqual(self.client.get(reverse("methods:method", args=[method.key])).status_code, 404)
        draft = OwnMethod.objects.for_team(self.team).get()
        self.assertEqual(self.client.get(reverse("methods:check", args=[draft.pk])).status_code, 404)
        self.assertEqual(self.client.post(reverse("methods:retire", args=[method.key])).status_code, 404)

    def test_every_kind_begins_with_pages_that_open(self):
        for kind in ("count", "volume", "direct", "difference", "scale", "chart", "photometer", "meter", "depth"):
            draft = self.draft(kind)
            for name in ("numbers", "steps", "check"):
                self.assertEqual(self.client.get(reverse(f"methods:{name}", args=[draft.pk])).status_code, 200, kind)
            self.assertContains(self.client.get(reverse("methods:check", args=[draft.pk])), "Not a method yet")
            self.post("throw_away", draft)
        self.assertFalse(OwnMethod.objects.for_team(self.team).exists())
