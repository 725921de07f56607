"""A photographed five-pad strip: one picture refused, one read, its marks moved by hand, kept as the eye saw it."""

import tempfile

import numpy as np
from django.test import override_settings
from django.utils import timezone
from playwright.sync_api import expect

from kessa.record.pads.models import Proposed, Scale
from kessa.record.results.models import Result
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK
from tests.core.rendered import CHARTS, STRIP, as_file, photograph
from tests.world import Taps, begin, send


@override_settings(MEDIA_ROOT=tempfile.mkdtemp())
class PadsRead(BrowserTest):
    def test_a_photographed_strip_is_read_in_poor_light_and_one_is_refused(self):
        for part, chart in zip(STRIP.parts, CHARTS, strict=True):
            Scale.objects.create(
                team=self.team, family=STRIP.family, part_key=part.key, steps=[step.value for step in chart],
                colours=[list(step.lab) for step in chart], width=1, height=1, by=self.ines.user,
                learnt_at=timezone.now(),
            )  # fmt: skip
        test = begin(self.below, self.olek, STRIP.key)
        wait = next(n for n, step in enumerate(STRIP.steps) if step.wait)
        taps = Taps()
        taps.now -= timezone.timedelta(seconds=STRIP.parts[3].read_s[0] + 2)
        for n in range(wait):
            taps.add("sample-1", "step_done", step=n)
        taps.add("sample-1", "timer_started", step=wait, seconds=STRIP.steps[wait].wait.seconds)
        taps.add("sample-1", "step_done", step=wait)
        send(self.olek, test, taps)
        page = self.open(DESK, to=f"/bench/{test.pk}/")
        page.get_by_role("link", name="Read it from a photograph").click()
        page.wait_for_load_state()
        self.assert_accessible(page)
        labs = [chart[place].lab for chart, place in zip(CHARTS, (3, 2, 2, 3, 4), strict=True)]
        for spoil, given in (("shade", "A shade lies over the card"), ("", "sure: likely")):
            picture, _ = photograph(labs, np.random.default_rng(4), spoil)
            file = {"name": "strip.jpg", "mimeType": "image/jpeg", "buffer": as_file(picture)}
            page.get_by_label("Photograph", exact=True).set_input_files(file)
            page.get_by_role("button", name="Read it", exact=True).click()
            expect(page.get_by_text(given).first).to_be_visible()
            page.wait_for_load_state()
            self.assert_accessible(page)
            if spoil:
                page.get_by_role("link", name="Another photograph").click()
        corner = page.get_by_role("button", name="Upper left mark")
        corner.focus()
        with page.expect_response(lambda answer: answer.request.method == "POST"):
            page.keyboard.press("ArrowRight")
        expect(page.get_by_text("sure: likely").first).to_be_visible()
        nitrite = page.get_by_role("radiogroup", name="Nitrite: what you see")
        nitrite.get_by_role("radio").nth(2).check(force=True)
        page.get_by_role("button", name="Keep what I see").click()
        expect(page.get_by_text("Kept, as your eye saw it")).to_be_visible()
        self.assertEqual(Proposed.objects.for_team(self.team).get().part_key, "nitrite")
        self.assertFalse(Result.objects.for_team(self.team).exists())
