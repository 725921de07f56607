"""A photometer speaks and is taken over on the bench; a meter fails its calibration; a chart breaks its rule."""

from django.utils import timezone
from playwright.sync_api import expect

from kessa.core.adapters import ADAPTERS
from kessa.core.adapters.adapter import InstrumentReading as Said
from kessa.record.instruments.models import Instrument, ReceivedReading
from kessa.record.instruments.services import keep_instrument, take_readings
from kessa.record.taps.models import Tap
from kessa.record.testing.services import begin_test
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK
from tests.world import Taps, begin, read, send


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
        page = self.open(to=f"/bench/{test.pk}/")
        expect(page.get_by_label("On the display")).to_be_visible()
        offered = page.get_by_role("button", name="Take over 2.17 mg/L: Photometer")
        expect(offered).to_have_count(0)
        take_readings(self.ines, photometer, [Said(2.17, "mg/L")], "its key")
        expect(offered).to_be_visible(timeout=2500)
        page.wait_for_load_state()
        self.assert_accessible(page)
        offered.click()
        expect(page.get_by_label("On the display")).to_have_value("2.17")
        page.get_by_role("button", name="Keep this reading").click()
        self.assert_saved(page)
        tap = Tap.objects.for_team(self.team).get(kind="reading_taken")
        shown = ReceivedReading.objects.for_team(self.team).get()
        self.assertEqual((tap.data["shown"], tap.data["reading"]), (shown.pk, {"display": 2.17}))

    def test_a_meter_fails_its_slope_and_a_chart_breaks_its_rule(self):
        meter = keep_instrument(
            self.ines, Instrument(team=self.team, name="pH meter", measures="ph", unit="pH", resolution=0.01)
        )
        result = read(self.below, self.olek, "ph-meter", {"display": 7.3, "temperature_c": 12}, instrument=meter.pk)
        page = self.open(DESK, "Ines", to=f"/instruments/{meter.pk}/")
        page.get_by_role("link", name="Calibrate it").click()
        buffers = page.get_by_label("Buffers: pH and mV, a line each")
        buffers.fill("4.01 150\n7.00 -2\n10.01")
        take_readings(self.ines, meter, ADAPTERS["ph"].read_all(["pH=9.62 mV=-150 T=22.0"]), "its key")
        page.get_by_role("button", name="Take over 9.62 pH, -150 mV").click()
        expect(buffers).to_have_value("4.01 150\n7.00 -2\n10.01 -150")
        expect(page.get_by_label("Temperature of the buffers")).to_have_value("22")
        page.get_by_label("Lots of the standards").fill("B-4, B-7, B-10")
        page.get_by_role("button", name="Write the calibration").click()
        expect(page.get_by_text("It failed: what was read since")).to_be_visible()
        expect(page.get_by_text("lots B-4, B-7, B-10")).to_be_visible()
        page.wait_for_load_state()
        self.assert_accessible(page)
        page.goto(f"{self.address}/log/{result.pk}/")
        expect(page.get_by_text("instrument failed a check").first).to_be_visible()
        for day, found in enumerate((2.0, 2.02, 1.98, 2.0, 2.04, 1.96, 2.0, 2.02, 1.98, 2.2)):
            data = {"method": "nitrate-photometer", "purpose": "standard", "against": {"expected": 2.0}}
            at = timezone.now() - timezone.timedelta(days=30 - day)
            test = begin_test(self.ines, data, at=at)
            send(self.ines, test, Taps(days_ago=30 - day).read(found, found).close())
        nitrate = read(self.below, self.olek, "nitrate-photometer", 2.0, 2.0)
        page.goto(f"{self.address}/log/")
        page.get_by_role("link", name="Control charts").click()
        page.get_by_label("Which test").select_option("Nitrate, photometer")
        page.get_by_role("button", name="Show it").click()
        expect(page.get_by_role("img", name="Control chart of 10 values")).to_be_visible()
        expect(page.get_by_text("outside the limits")).to_be_visible()
        page.wait_for_load_state()
        self.assert_accessible(page)
        page.goto(f"{self.address}/log/{nitrate.pk}/")
        expect(page.get_by_text("out of control by its chart").first).to_be_visible()
