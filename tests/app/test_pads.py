"""Strips read from photographs: a scale learnt, a picture read and kept with what the eye took, one refused."""

import json
import re
import tempfile
from datetime import timedelta

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, override_settings

from kessa.core.colours.lab import Lab, lab_of_hex
from kessa.core.pictures.placing import at, plane
from kessa.record.pads.models import Proposed, Scale
from kessa.record.people.models import Role
from kessa.record.results.models import Result
from tests.core.rendered import CHARTS, PLACES, STRIP, as_file, photograph
from tests.world import Taps, begin, member, send, team_of


@override_settings(MEDIA_ROOT=tempfile.mkdtemp())
class Pads(TestCase):
    def setUp(self):
        self.ines, self.place = team_of("Ines")
        self.team = self.ines.team
        self.per = member(self.team, "Per", Role.TECHNICIAN)
        self.client.force_login(self.per.user)

    def said(self, marks, ends, **more):
        points = {
            name: " ".join(f"{x},{y}" for x, y in places) for name, places in (("corners", marks), ("ends", ends))
        }
        return points | {"side": "6"} | more

    def pixels(self, marks, places):
        """Where places of the card lie in a picture, by its marks."""
        return [tuple(each) for each in at(plane(marks), np.array(places))]

    def learn(self, part, chart, seed=11):
        places = [(24.0 + 100.0 * n / (len(chart) - 1), 52.0) for n in range(len(chart))]
        picture, marks = photograph([step.lab for step in chart], np.random.default_rng(seed), places=places)
        sent = SimpleUploadedFile("card.jpg", as_file(picture), "image/jpeg")
        data = {"part": f"strip-five-pads {part.key}", "image": sent}
        page = self.client.post("/pads/scales/bring/", data, follow=True)
        self.assertContains(page, "not learnt yet")
        scale = Scale.objects.for_team(self.team).latest("pk")
        ends = self.pixels(marks, [places[0], places[-1]])
        page = self.client.post(f"/pads/scales/{scale.pk}/", self.said(marks, ends), follow=True)
        self.assertContains(page, "Learnt.")

    def taken(self, places, seed=3, spoil=""):
        labs = [chart[place].lab for chart, place in zip(CHARTS, places, strict=True)]
        return photograph(labs, np.random.default_rng(seed), spoil)

    def sent(self, test, picture):
        image = SimpleUploadedFile("strip.jpg", as_file(picture), "image/jpeg")
        answer = self.client.post(f"/pads/of/{test.pk}/", {"image": image})
        self.assertEqual(answer.status_code, 302, answer.content[-3000:])
        return answer.url

    def begun(self):
        test = begin(self.place, self.per, "strip-five-pads")
        steps = STRIP.steps
        wait = next(n for n, step in enumerate(steps) if step.wait)
        taps = Taps()
        taps.add("sample-1", "timer_started", step=wait, seconds=steps[wait].wait.seconds)
        send(self.per, test, taps)
        return test

    def test_a_strip_is_proposed_from_its_photograph_and_the_eye_decides(self):
        for part, chart in zip(STRIP.parts, CHARTS, strict=True):
            self.learn(part, chart)
        test = self.begun()
        picture, marks = self.taken((3, 2, 2, 3, 4))
        address = self.sent(test, picture)
        self.assertContains(self.client.get(address), "What do you see?")
        data = self.said(marks, self.pixels(marks, [PLACES[0], PLACES[-1]]))
        self.assertContains(self.client.post(address, data, follow=True), "nothing is taken from a picture alone")
        proposed = self.client.post(address, data, headers={"HX-Request": "true"})
        self.assertNotContains(proposed, "<html")
        # All but the pads whose moment has not come are proposed; the eye takes another step of one.
        seen = {
            f"seen-{part.key}": json.dumps({"at": part.numbers.steps[place]})
            for part, place in zip(STRIP.parts, (3, 2, 2, 2, 4), strict=True)
        }
        # What was chosen stays chosen while the marks are moved.
        self.assertContains(
            self.client.post(address, data | seen, headers={"HX-Request": "true"}), " checked>", count=5
        )
        self.assertRedirects(self.client.post(address, data | seen), f"/bench/{test.pk}/")
        rows = {row.part_key: row for row in Proposed.objects.for_team(self.team)}
        self.assertEqual(rows["ph"].taken, {"at": STRIP.parts[0].numbers.steps[3]})
        self.assertEqual({row.proposal["refused"] for row in rows.values()}, {"early"})
        self.assertIsNone(rows["ph"].apart)
        send(self.per, test, Taps(seq=100).close())
        result = Result.objects.for_team(self.team).filter(part="ph").get()
        self.assertContains(self.client.get(f"/log/{result.pk}/"), "Eye and picture")
        self.assertIn("read-early", Result.objects.for_team(self.team).first().flags)

    def test_eye_and_machine_are_kept_and_their_disagreement_is_told(self):
        method = "nitrate-tablet"
        test = begin(self.place, self.per, method)
        part = test.method.main
        chart = [lab_of_hex(chip.value) for chip in part.chips]
        Scale.objects.create(
            team=self.team, family=test.family, part_key=part.key, steps=list(part.numbers.steps),
            colours=[list(lab) for lab in chart], width=1, height=1, by=self.per.user, learnt_at=test.started_at,
        )  # fmt: skip
        wait = max(n for n, step in enumerate(test.method.steps) if step.wait)
        seconds = test.method.steps[wait].wait.seconds
        taps = Taps()
        taps.now = taps.now - timedelta(seconds=seconds + 5)
        taps.add("sample-1", "timer_started", step=wait, seconds=seconds)
        send(self.per, test, taps)
        picture, marks = photograph([chart[3]], np.random.default_rng(5), places=[(70.0, 52.0)])
        address = self.sent(test, picture)
        data = self.said(marks, self.pixels(marks, [(70.0, 52.0)] * 2))
        self.assertContains(self.client.post(address, data, headers={"HX-Request": "true"}), "sure: likely")
        self.client.post(address, data | {"seen-main": json.dumps({"at": part.numbers.steps[4]})})
        row = Proposed.objects.for_team(self.team).get()
        self.assertAlmostEqual(row.apart, 1, delta=0.3)
        self.assertContains(self.client.get("/pads/scales/"), "steps")
        refused = self.client.post(address, data | {"seen-main": json.dumps({"at": 999})})
        self.assertEqual(refused.status_code, 200)
        self.assertEqual(Proposed.objects.for_team(self.team).count(), 1)

    def test_the_kits_own_card_in_the_picture_is_the_standard_where_it_lies_there(self):
        test = begin(self.place, self.per, "nitrate-tablet")
        part = test.method.main
        # A kit whose colours are its own: darker than the screen's, and in no photograph before.
        card = [Lab(lab.l * 0.9, lab.a * 1.1, lab.b) for lab in (lab_of_hex(chip.value) for chip in part.chips)]
        along = [(24.0 + 100.0 * n / (len(card) - 1), 64.0) for n in range(len(card))]
        picture, marks = photograph([*card, card[3]], np.random.default_rng(8), places=[*along, (70.0, 50.0)])
        address = self.sent(test, picture)
        data = self.said(marks, self.pixels(marks, [(70.0, 50.0)] * 2))
        data["card"] = " ".join(f"{x},{y}" for x, y in self.pixels(marks, [along[0], along[-1]]))
        htmx = {"HX-Request": "true"}
        self.assertContains(self.client.post(address, data, headers=htmx), "not learnt: by eye alone")
        read = self.client.post(address, data | {"with_card": "yes"}, headers=htmx)
        low, high = re.search(r"between ([\d.]+) and ([\d.]+)", read.content.decode()).groups()
        self.assertIn(part.numbers.steps[3], (float(low), float(high)))

    def test_what_cannot_be_read_says_why_and_what_is_no_picture_is_refused(self):
        test = self.begun()
        for part, chart in zip(STRIP.parts[:1], CHARTS, strict=False):
            self.learn(part, chart)
        picture, marks = self.taken((3, 2, 2, 3, 4), spoil="shade", seed=4)
        address = self.sent(test, picture)
        htmx = {"HX-Request": "true"}
        ends = self.pixels(marks, [PLACES[0]] * 2)
        self.assertContains(
            self.client.post(address, self.said(marks, ends), headers=htmx), "A shade lies over the card"
        )
        for given in (
            {},
            {"corners": "1,1", "ends": "x"},
            self.said([(1, 1)] * 4, ends),
            self.said(marks, ends, side="inf"),
        ):
            self.assertEqual(self.client.post(address, given, headers=htmx).status_code, 200, given)
        bad = SimpleUploadedFile("strip.jpg", b"no picture", "image/jpeg")
        self.assertEqual(self.client.post(f"/pads/of/{test.pk}/", {"image": bad}).status_code, 422)
        self.assertEqual(self.client.post("/pads/scales/bring/", {"part": "no such"}).status_code, 404)
        scale = Scale.objects.for_team(self.team).get()
        self.assertEqual(self.client.post(f"/pads/scales/{scale.pk}/", {"corners": ""}).status_code, 422)
        drops = begin(self.place, self.per)
        self.assertEqual(self.client.get(f"/pads/of/{drops.pk}/").status_code, 404)

    def test_only_technicians_learn_and_the_card_prints(self):
        self.assertEqual(self.client.get("/pads/card/").content[:5], b"%PDF-")
        self.client.force_login(member(self.team, "Olek").user)
        self.assertEqual(self.client.post("/pads/scales/bring/", {"part": "ph-strip main"}).status_code, 403)
        self.assertNotContains(self.client.get("/pads/scales/"), "Learn a card")
