"""What people are told to do: known cases, every finding in every water, the words, the page written from it all."""

import json
from itertools import product
from pathlib import Path
from unittest import TestCase

from kessa.core.advising.advice import Reading, Where, advise, do_of
from kessa.core.advising.page import advice_page
from kessa.core.advising.readings import readings_by_sets
from kessa.core.advising.rules import codes, rules
from kessa.core.advising.wording import Named, plain_answer, sentences
from kessa.core.calc.lines import answer, answer_line
from kessa.core.job.place_kinds import place_kinds
from kessa.core.judging.germs import FAECAL, GERMS
from kessa.core.judging.limits import rule_sets
from kessa.core.judging.protected import HEALTH
from kessa.core.quantities.parameters import parameter, parameters
from kessa.core.quantities.quantity import Quantity
from kessa.core.treating.lists import list_of, seen_list
from tests.known.advice.check import faults

KNOWN = Path(__file__).parents[1] / "known"
ROOT = Path(__file__).parents[2]
FEEDS = ((), ("people", "chlorinated"))
KINDS = ("stream", "well", "tap", "supply", "boiler", "cooling-tower")


def found(name, seen):
    """What a culture showed: "present", "absent" or "unsure"."""
    value = float(seen != "absent")
    return Reading(name, Quantity(value, float(seen == "present"), value, None, "presence"))


def near(limit, times):
    """A reading of a limit's parameter, so many times its bound, give or take a tenth."""
    bound = limit.max if limit.max is not None else limit.min
    value = times * (1.0 if bound is None else bound)
    low, high = sorted((0.9 * value, 1.1 * value))
    return Reading(limit.parameter, Quantity(value, low, high, None, limit.unit, limit.form))


def mg(name, value, off=0.0, form=None, flags=(), unit="mg/L"):
    return Reading(name, Quantity(value, value - off, value + off, None, unit, form), flags=flags)


def told(kind, feeds, sets, *readings, height=None):
    """The advice on readings of one place, and the place."""
    where = Where(kind, frozenset(feeds), height)
    return advise(where, readings_by_sets(where, readings, [rule_sets()[key] for key in sets])), where


class KnownCases(TestCase):
    def test_each_is_right(self):
        lines = (KNOWN / "advice" / "cases.jsonl").read_text().splitlines()
        for case in map(json.loads, lines):
            with self.subTest(case["family"], results=case["request"]["results"]):
                self.assertEqual(faults(case["expect"], answer(case["request"])), [])
        self.assertGreater(len(lines), 60)

    def test_what_cannot_be_is_an_error_on_its_field(self):
        good = {"op": "advise", "kind": "well", "feeds": ["people"], "sets": ["eu-2020"], "results": []}
        self.assertEqual(
            answer(good), {"stands": "not judged", "worst": None, "decided_by": None, "within_h": None, "do": []}
        )
        nitrate = {"parameter": "nitrate", "value": 60, "unit": "mg/L", "as": "NO3", "low": 55, "high": 65}
        for change, field in (
            ({"kind": "pond"}, "kind"), ({"sets": ["mars"]}, "sets"), ({"feeds": ["poeple"]}, "feeds"),
            ({"results": {}}, "results"), ({"height": 3}, "height"),
            ({"results": [{"parameter": "kryptonite", "value": 1, "unit": "mg/L"}]}, "results"),
            ({"results": [{"parameter": "pH", "value": 15, "unit": "pH"}]}, "results"),
            *(({"results": [nitrate | wrong]}, "results") for wrong in (
                {"low": 70}, {"unit": "furlong"}, {"value": True}, {"found": "present"}, {"value": -1, "low": -2},
            )),
        ):  # fmt: skip
            reply = json.loads(answer_line(json.dumps(good | change)))
            self.assertEqual((reply["ok"], reply.get("field")), (False, field), change)


class EveryFinding(TestCase):
    """Every parameter at every kind of place, at every level, alone and beside E. coli and nitrate."""

    def readings(self):
        sets = rule_sets().values()
        limits = {limit.parameter: limit for each in sets for limit in each.limits if limit.formula is None}
        for name in dict.fromkeys(each.key for each in parameters().values()):
            if name in GERMS:
                yield from (found(name, seen) for seen in ("present", "absent", "unsure"))
            elif name in limits:
                yield from (near(limits[name], times) for times in (0.2, 0.95, 1.05, 50.0))
            else:
                yield mg(name, 5.0, 1.0)

    def test_none_is_answered_by_nothing_or_by_what_contradicts(self):
        tried = 0
        beside = ((), (found("E. coli", "present"), mg("nitrate", 48, 1, "NO3")))
        keys = ((), ("eu-2020", "who-gdwq"), ("us-primary", "us-secondary"), ("programme-tower", "ca-aquatic"))
        for kind, feeds, sets, others in product(KINDS, FEEDS, keys, beside):
            for reading in self.readings():
                readings = [reading, *(each for each in others if each.parameter != reading.parameter)]
                advice, where = told(kind, feeds, sets, *readings)
                with self.subTest(kind=kind, feeds=feeds, sets=sets, of=[each.parameter for each in readings]):
                    self.check_codes(advice, where)
                    self.check_words(advice, where)
                tried += 1
        self.assertGreater(tried, 5000)

    def check_codes(self, advice, where):
        do, water = set(advice.codes), where.water
        self.assertTrue(do, "never nothing")
        self.assertEqual([code for code in codes() if code in do], advice.codes, "in order")
        self.assertFalse({"boil", "no-boiling"} <= do)
        self.assertEqual("boil" in do, advice.boil_minutes is not None)
        self.assertNotIn("confirm-first", do)
        pressing = {each.key for each in advice.assessments if each.verdict in ("outside", "not settled")}
        harming = {each.key for each in advice.assessments if each.key in pressing and each.protects in HEALTH}
        if water == "drinking" and pressing & set(FAECAL):
            self.assertLessEqual({"stop-drinking", "infants-other-water", "laboratory", "authority"}, do)
            self.assertTrue(do & {"boil", "other-water"})
            self.assertLessEqual(advice.within_h, 24)
        if water == "drinking" and harming & {"nitrate", "nitrite"}:
            self.assertLessEqual({"infants-other-water", "laboratory"}, do)
            self.assertNotIn("boil", do)
        if water != "drinking":
            self.assertFalse(do & {"stop-drinking", "boil", "no-boiling", "infants-other-water", "other-water"})
        if where.kind == "well":
            self.assertFalse(do & {"responsible", "check-dosing", "far-end"})
        if water == "open":
            self.assertNotIn("treatment-programme", do)
        if advice.worst_verdict == "outside" and water == "drinking":
            self.assertLessEqual({"test-again", "find-cause"}, do)
        self.assertFalse("as-planned" in do and pressing)

    def check_words(self, advice, where):
        words = sentences(advice.do, where)
        plain = plain_answer(advice, where)
        self.assertTrue(1 <= len(plain) <= 3)
        for line in (*words, *plain):
            self.assertTrue(line[:1].isupper() or line.startswith("pH"), line)
            self.assertNotRegex(line, r"[{}]|\bsafe\b|None|  | \.|\.\.")
            self.assertTrue(line.endswith("."), line)
        # Nothing that is beyond its limit goes unsaid.
        for key in {each.key for each in advice.assessments if each.verdict == "outside"}:
            called = {"turbidity": "cloudiness", "nitrate and nitrite sum": "sum of"}.get(key, key)
            self.assertIn(called.lower(), " ".join(plain).lower())

    def test_every_rule_asks_in_some_case_and_every_code_is_asked_for(self):
        asked = {code for each in rules() for code, _ in each.asked}
        elsewhere = {
            "boil",
            "set-says",
            "unusual",
            "lacks",
            "enough",
            "choose-limits",
            "as-planned",
            "confirm-first",
            "goes-on",
        }
        by_limits = {code for each in rule_sets().values() for limit in each.limits for code in limit.codes}
        ends = {"report-laboratory", "cleared", "ask-chloramines"}
        of_seen = {step.key for step in seen_list(Where("stream"), lambda rank: Named()).steps}
        self.assertEqual(set(codes()) - asked - elsewhere - by_limits - ends - of_seen, set())
        self.assertLessEqual(asked | by_limits, set(codes()))


class Joined(TestCase):
    """What two findings say together, and how it is worded."""

    def test_boiling_by_height_and_beside_what_it_leaves_in(self):
        well = ("well", ["people"], ["who-gdwq"])
        present = found("E. coli", "present")
        for height, minutes, words in ((None, 1, "one minute"), (2000, 1, "one minute"), (2001, 3, "three minutes")):
            advice, where = told(*well, present, height=height)
            self.assertEqual(advice.boil_minutes, minutes)
            self.assertTrue(any(words in line for line in sentences(advice.do, where)))
        for other, boils in (
            (mg("nitrate", 4, 1, "NO3"), True), (mg("nitrate", 46, 1, "NO3"), False),
            (mg("nitrite", 3.5, 0.1, "NO2"), False), (mg("copper", 1.9, 0.3, "Cu"), True),
            (mg("copper", 5, 0.3, "Cu"), False),
            (mg("free chlorine", 6, 0.1, "Cl2"), True), (mg("fluoride", 3, 0.1, "F"), False),
        ):  # fmt: skip
            advice, _ = told(*well, present, other)
            self.assertEqual(("boil" in advice.codes, "no-boiling" in advice.codes), (boils, not boils), other)
        # Nitrate that nothing judges here is no reason to make it stronger.
        for value, boils in ((4, True), (120, False)):
            advice, _ = told("well", ["people"], ["us-secondary"], present, mg("nitrate", value, 1, "NO3"))
            self.assertEqual(("boil" in advice.codes, "no-boiling" in advice.codes), (boils, not boils))

    def test_what_is_told_to_whom_within_which_hours(self):
        def hours(kind, sets, *readings):
            advice, _ = told(kind, ["people", "chlorinated"], sets, *readings)
            return {each.code: each.within_h for each in advice.do}

        self.assertEqual(hours("supply", ["us-primary"], mg("chlorine dioxide", 2, 0.1, "ClO2"))["authority"], 24)
        self.assertEqual(hours("well", ["us-primary"], mg("fluoride", 5, 0.1, "F"))["authority"], 168)
        self.assertNotIn("authority", hours("tap", ["us-primary"], found("coliform bacteria", "present")))
        self.assertEqual(
            hours("tap", ["us-primary", "eu-2020"], found("coliform bacteria", "present"))["authority"], 24
        )
        cloudy, weak = mg("turbidity", 3, 0.1, unit="NTU"), mg("free chlorine", 0.05, 0.01, "Cl2")
        both = hours("tap", ["who-gdwq", "chlorinated-supply"], cloudy, weak)
        self.assertEqual((both["authority"], both["laboratory"]), (24, 24))
        self.assertNotIn("authority", hours("tap", ["who-gdwq", "chlorinated-supply"], weak))
        self.assertEqual(told("well", (), ["us-primary"], cloudy)[0].worst_verdict, "not judged")
        much = mg("total chlorine", 2.4, 0.1, "Cl2")
        self.assertIn("check-dosing", hours("supply", ["chlorinated-supply"], weak))
        asked = hours("supply", ["chlorinated-supply", "who-gdwq"], weak, much)
        self.assertIn("ask-chloramines", asked)
        self.assertNotIn("check-dosing", asked)

    def test_health_decides_before_taste_whatever_the_unit(self):
        for value, decided in ((0.6, "who-gdwq"), (0.065, "eu-2020")):
            advice, _ = told("well", ["people"], ["eu-2020", "who-gdwq"], mg("manganese", value, 0.005, "Mn"))
            self.assertEqual((advice.worst, advice.decided_by), ("manganese", decided))

    def test_a_doubt_adds_a_test_after_what_protects_and_takes_nothing_away(self):
        plainly, where = told("well", ["people"], ["eu-2020"], mg("nitrate", 66, 1, "NO3"))
        doubted, _ = told("well", ["people"], ["eu-2020"], mg("nitrate", 66, 1, "NO3", flags=["one-run", "smells-odd"]))
        self.assertEqual(doubted.codes, plainly.codes)
        words = sentences(doubted.do, where, about="nitrate", flags=["one-run"])
        self.assertIn("infant", " ".join(words[:3]))
        self.assertLess(words.index("Act now, and test again."), words.index("One run only: run it again."))
        inside, where = told("well", ["people"], ["eu-2020"], mg("nitrate", 6, 1, "NO3", flags=["smells-odd"]))
        self.assertEqual(inside.codes, ["test-again"])
        # What is within its limit beside it is said to be, and not that all goes on as planned.
        beside, where = told("well", ["people"], ["eu-2020"], mg("nitrate", 6, 1, "NO3", flags=["smells-odd"]),
                             mg("iron", 0.01, 0.001, "Fe"))  # fmt: skip
        self.assertIn("Within the limit it was held against.", sentences(beside.do, where, about="iron")[0])

    def test_what_is_said_of_a_reading_is_said_of_it_alone_and_the_place_goes_on_as_planned(self):
        gasping = mg("dissolved oxygen", 4.0, 0.2, "O2")
        deep = Reading("conductivity", Quantity(300, 290, 310, None, "uS/cm"), flags=["smells-odd"])
        advice, where = told("stream", (), ["us-aquatic"], gasping, deep)
        self.assertIn("at dawn", " ".join(sentences(advice.do, where, about="dissolved oxygen")))
        self.assertNotIn("at dawn", " ".join(sentences(advice.do, where, about="conductivity")))
        plain, where = told("stream", (), ["ca-aquatic"], mg("chloride", 40, 4, "Cl"), deep._replace(flags=()))
        self.assertIn("as planned", sentences(plain.do, where)[0])
        self.assertIn("not assessed", sentences(plain.do, where, about="conductivity")[0])

    def test_a_team_names_whom_it_tells_and_sets_speak_in_their_own_words(self):
        advice, where = told("supply", ["people"], ["eu-2020"], found("E. coli", "present"))
        named = Named({"authority": "Vale health office, 555 0100"})
        self.assertIn("Tell Vale health office, 555 0100.", sentences(advice.do, where, named))
        self.assertEqual([each.code for each in do_of(advice.kept())], advice.codes)
        # Who is alone in a team is not told to tell themselves.
        odd, where = told("well", ["people"], ["eu-2020"], found("E. coli", "present")._replace(flags=["unusual"]))
        for team, heard in ((Named(), True), (Named(alone=True), False)):
            ticked = [step.key for step in list_of(odd, where, lambda rank, team=team: team).steps]
            self.assertEqual("coordinator" in ticked, heard)
            self.assertEqual("Tell your coordinator about E. coli." in sentences(odd.do, where, team), heard)
        salty, boiler = told("boiler", (), ["programme-boiler-low"], mg("conductivity", 7200, 150, unit="uS/cm"))
        self.assertIn("Carry-over risk", " ".join(sentences(salty.do, boiler)[:2]))

    def test_what_a_treatment_lacks_is_too_little_and_what_it_lets_through_too_much(self):
        for reading, words in (
            (mg("free chlorine", 0.05, 0.01, "Cl2"), "Free chlorine is too low, so germs"),
            (mg("turbidity", 3, 0.1, unit="NTU"), "Cloudiness is beyond its limit, so germs"),
        ):
            advice, where = told("supply", ["people"], ["chlorinated-supply", "us-primary"], reading)
            self.assertIn(words, plain_answer(advice, where)[0])

    def test_each_water_is_spoken_of_as_what_it_is(self):
        well = ("well", ["people"], ["who-gdwq"])
        metal, where = told(*well, mg("copper", 5, 0.3, "Cu"), mg("free chlorine", 6, 0.1, "Cl2"))
        self.assertIn("boiling leaves copper in", " ".join(sentences(metal.do, where)))
        self.assertIn("tell-drinkers", metal.codes)
        # A set of a team's own may hold anything that boiling leaves in.
        salty = mg("sulfate", 900, 10, "SO4")._replace(
            judgements=[{"set": "own", "verdict": "outside", "max": 500, "protects": "health", "margin": -400}]
        )
        own = advise(where, [salty, found("E. coli", "present")])
        self.assertEqual(("boil" in own.codes, "no-boiling" in own.codes), (False, True))
        germs, tower = told(
            "cooling-tower", (), ["programme-tower"], mg("pH", 8, 0.1, unit="pH"), found("E. coli", "present")
        )
        self.assertIn("E. coli are or may be in it", plain_answer(germs, tower)[0])
        self.assertEqual((germs.worst_verdict, germs.verdict, germs.pressing.key), ("inside", "not judged", "E. coli"))
        acid, tower = told(
            "cooling-tower", (), ["programme-tower"], mg("pH", 5, 0.1, unit="pH"), found("E. coli", "unsure")
        )
        self.assertEqual(plain_answer(acid, tower)[1], "Beyond the limit: pH.")
        none, tower = told(
            "cooling-tower", (), ["programme-tower"], mg("pH", 8, 0.1, unit="pH"), found("E. coli", "absent")
        )
        self.assertIn("Within the limit: pH", plain_answer(none, tower)[0])
        feed, boiler = told("supply", (), ["programme-feed-water"], mg("dissolved oxygen", 0.2, 0.01, "O2"))
        self.assertNotIn("at dawn", " ".join(sentences(feed.do, boiler)))
        fish, stream = told(
            "stream", (), ["us-aquatic"], mg("dissolved oxygen", 2.0, 0.1, "O2"), found("E. coli", "present")
        )
        self.assertIn("too low for what lives in it", plain_answer(fish, stream)[0])

    def test_what_bars_drinking_is_what_is_outside_and_the_newest_of_it(self):
        well = ("well", ["people"], ["who-gdwq"])
        present, absent = found("E. coli", "present")._replace(key=1), found("E. coli", "absent")._replace(key=2)
        nitrate = mg("nitrate", 50, 5, "NO3")._replace(key=3)
        before, where = told(*well, present, nitrate)
        self.assertEqual(before.bars_drinking, [1])
        held, where = told(*well, present._replace(held=True), absent, nitrate)
        self.assertEqual((held.bars_drinking, held.worst_verdict, held.codes[0]), ([1], "outside", "goes-on"))
        self.assertIn("It stays so until", plain_answer(held, where)[1])
        self.assertEqual([step.key for step in list_of(held, where, lambda rank: Named()).steps].count("cleared"), 1)
        again, _ = told(*well, present._replace(held=True), present._replace(key=4), nitrate)
        self.assertEqual(again.bars_drinking, [4])
        self.assertEqual(told("stream", (), ["us-aquatic"], present)[0].bars_drinking, [])

    def test_what_was_not_assessed_says_why(self):
        lacking = Reading(
            "ammonia", Quantity(1, 0.9, 1.1, None, "mg/L", "N"), lacking=["it needs pH of the same sample"]
        )
        advice = advise(Where("stream"), [lacking])
        self.assertIn("needs pH", " ".join(sentences(advice.do, Where("stream"))))
        little, where = told("supply", ["people"], ["us-primary"], mg("free chlorine", 0.3, 0.01, "Cl2"))
        self.assertEqual(little.worst_verdict, "not judged")
        self.assertIn("whether it is enough was not assessed", " ".join(sentences(little.do, where)))
        self.assertIn("whether it is enough was not assessed", plain_answer(little, where)[0])
        absent, where = told("well", (), ["who-gdwq"], found("E. coli", "absent"))
        self.assertIn("says nothing of chemicals", " ".join(sentences(absent.do, where)))

    def test_a_list_is_made_of_the_same_answer(self):
        advice, where = told("well", ["people"], ["eu-2020"], found("coliform bacteria", "present"),
                             mg("nitrate", 66, 1, "NO3"), mg("iron", 0.6, 0.01, "Fe"))  # fmt: skip
        ticked = list_of(advice, where, lambda rank: Named({"laboratory": f"the laboratory, {rank}"}))
        self.assertEqual([step.key for step in ticked.steps], [*advice.codes, "report-laboratory", "cleared"])
        self.assertEqual(ticked.rank, 0)
        self.assertIn("the laboratory, 0", " ".join(step.text for step in ticked.steps))
        self.assertIn("Article 14", " ".join(ticked.working))
        inside, where = told("well", ["people"], ["eu-2020"], mg("iron", 0.01, 0.001, "Fe"))
        self.assertIsNone(list_of(inside, where, lambda rank: Named()))
        hard, where = told("boiler", (), ["programme-boiler-low"], mg("conductivity", 7200, 150, unit="uS/cm"))
        self.assertIsNone(list_of(hard, where, lambda rank: Named()), "a plant's own proposals say it")
        slimy, where = told("cooling-tower", (), ["programme-tower"], mg("bacteria", 1e6, 9e5, unit="CFU/mL"))
        keys = [step.key for step in list_of(slimy, where, lambda rank: Named()).steps]
        self.assertLess(keys.index("legionella"), keys.index("biocide"))
        taste, where = told("well", ["people"], ["eu-2020"], mg("iron", 0.6, 0.01, "Fe"))
        self.assertEqual(list_of(taste, where, lambda rank: Named()).rank, 4)
        unsettled, where = told("well", ["people"], ["eu-2020"], mg("nitrate", 50, 9, "NO3"))
        self.assertEqual(list_of(unsettled, where, lambda rank: Named()).rank, 1)


class Written(TestCase):
    def test_the_page_is_written_from_the_rules(self):
        self.assertEqual((ROOT / "docs" / "advice.md").read_text(), advice_page(), "run manage.py write_advice")

    def test_names_are_known(self):
        for each in rules():
            for name in each.parameters:
                self.assertIn(parameter(name).key, parameters())
            self.assertLessEqual(set(each.kinds), set(place_kinds()))
