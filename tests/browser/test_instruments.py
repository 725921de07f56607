"""A photometer speaks while its reading is due: the bench offers it within the second, and a tap takes it over."""

from django.utils import timezone
from playwright.sync_api import expect

from kessa.core.adapters.adapter import Shown as Said
from kessa.instruments.models import Instrument, Shown
from kessa.instruments.services import keep_instrument, take_shown
from kessa.taps.models import Tap
from tests.browser.base import BrowserTest
from tests.world import Taps, begin, send


class Speaking(BrowserTest):
    def test_a_photometers_reading_is_offered_and_taken_over(self):
        photometer = keep_instrument(
            self.ines,
            Instrument(team=self.team, name="Photometer", measures="photometer", unit="mg/L", resolution=0.01),
        )
        test = begin(self.below, self.olek, "nitrate-photometer", instrument=photometer.pk)
        reads = test.method.step_reading("main")
        taps = Taps()
        for n in range(reads):
            step = test.method.steps[n]
            if step.wait:
                taps.now -= timezone.timedelta(seconds=step.wait.seconds + 2)
                taps.add("sample-1", "timer_started", step=n, seconds=step.wait.seconds)
                taps.now = timezone.now()
            if step.ask:
                taps.answer(step.ask.key, step.ask.least + 1 if step.ask.unit else step.ask.answers[0].key)
            taps.add("sample-1", "step_done", step=n)
        send(self.olek, test, taps)
        page = self.open()
        page.goto(f"{self.address}/bench/{test.pk}/")
        expect(page.get_by_label("On the display")).to_be_visible()
        offered = page.get_by_role("button", name="Take over 2.17 mg/L: Photometer")
        expect(offered).to_have_count(0)
        take_shown(self.ines, photometer, [Said(2.17, "mg/L")], "its key")
        expect(offered).to_be_visible(timeout=2500)
        page.wait_for_load_state()
        self.assert_accessible(page)
        offered.click()
        expect(page.get_by_label("On the display")).to_have_value("2.17")
        page.get_by_role("button", name="Keep this reading").click()
        expect(page.get_by_role("status").first).to_have_text("all readings saved")
        tap = Tap.objects.for_team(self.team).get(kind="reading_taken")
        shown = Shown.objects.for_team(self.team).get()
        self.assertEqual((tap.data["shown"], tap.data["reading"]), (shown.pk, {"display": 2.17}))
