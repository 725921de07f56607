"""The coordinator's day at a desk: places, rules, people, doubts."""

import csv
import re
from pathlib import Path

from playwright.sync_api import expect

from kessa.record.testing.services import begin_test
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK, PHONE
from tests.world import Taps, measured, read, send


class Coordinator(BrowserTest):
    def test_a_place_is_added_and_a_test_begins_there_without_a_blank(self):
        page = self.open(DESK, "Ines")
        page.get_by_role("link", name="Rules").click()
        page.get_by_label("No blank.").check()
        page.get_by_role("button", name="Save the house rules").click()
        expect(page.get_by_text("House rules saved")).to_be_visible()
        page.get_by_role("link", name="Places").click()
        page.get_by_role("link", name="Add a place").click()
        page.get_by_role("link", name="Stream").click()
        page.get_by_role("button", name="Save the place").click()
        expect(page.get_by_role("alert").filter(has_text="This field is required")).to_be_visible()
        page.get_by_label("Name").fill("Mill pond dam")
        page.get_by_label("Latitude").fill("54.30")
        page.get_by_label("Longitude").fill("-2.42")
        page.get_by_label("Aquatic life, Canada").check()
        page.get_by_role("button", name="Save the place").click()
        expect(page.get_by_role("heading", name="Mill pond dam")).to_be_visible()
        expect(page.get_by_text("No results here yet.")).to_be_visible()
        page.get_by_role("link", name="Compare with another place").click()
        page.get_by_label("This place is the").select_option("foot of the dam")
        page.get_by_label("the other end is").select_option("Below the depot")
        page.get_by_role("button", name="Compare them").click()
        expect(page.get_by_text("Mill pond dam is compared with Below the depot.")).to_be_visible()
        page.get_by_role("link", name="Test here, without a visit").click()
        page.get_by_label(re.compile(r"Drawn\s+\*")).fill("2099-01-01T10:00")
        page.get_by_role("button", name="On to the test").click()
        expect(page.get_by_role("alert").filter(has_text="This time is still to come")).to_be_visible()
        page.goto(page.url)
        page.get_by_role("button", name="On to the test").click()
        page.get_by_role("link", name="Chloride, drops").click()
        expect(page.get_by_text("No history here yet: start with the lowest range.")).to_be_visible()
        page.get_by_label("Lot number").fill("AG-7")
        page.get_by_role("button", name="Begin in the low range").click()
        self.run_through(page, 6)
        expect(page.get_by_role("heading", name="Run 1: 6 drops")).to_be_visible()
        page.get_by_role("button", name="Write it with one run only").click()
        expect(page.get_by_role("heading", name="The working")).to_be_visible()
        expect(page.get_by_text("One run only: run it again")).to_be_visible()
        expect(page.get_by_text("Lot AG-7.")).to_be_visible()

    def test_a_doubted_result_gets_a_further_run_and_both_stay(self):
        measured(self.below, self.olek, 4, 8)
        page = self.open(PHONE, "Ines")
        page.get_by_role("link", name="Log", exact=True).click()
        page.get_by_role("table").get_by_role("link").first.click()
        expect(page.get_by_text("runs do not agree", exact=True)).to_be_visible()
        page.get_by_label("Reason, kept with the result").fill("two were too far apart")
        page.get_by_role("button", name="Add a further run").click()
        self.steps(page, 1)
        self.run_through(page, 8, begin="Begin run 3")
        expect(page.get_by_role("heading", name="The runs agree")).to_be_visible()
        page.get_by_role("button", name="Write it in the log").click()
        expect(page.get_by_text("Closest pair, runs 2 and 3: mean 32 mg/L")).to_be_visible()
        expect(page.get_by_role("list", name="Marks").get_by_text("two were too far apart")).to_be_visible()
        page.get_by_role("link", name="Earlier result: 24 mg/L").click()
        expect(page.get_by_text("Superseded", exact=False).first).to_be_visible()
        page.get_by_role("link", name="To the result that stands").click()
        page.get_by_text("Every tap, as it was made").click()
        expect(page.get_by_role("cell", name="opened again")).to_be_visible()

    def test_an_invitation_and_a_member_taken_out(self):
        page = self.open(DESK, "Ines")
        page.get_by_role("link", name="Tarrow Vale · Ines").click()
        page.get_by_label("Role of the new member").select_option("technician")
        page.get_by_role("button", name="Make an invitation").click()
        invitation = page.get_by_label("Address of the invitation").input_value()
        guest = self.browser.new_page()
        self.addCleanup(guest.close)
        guest.goto(invitation)
        guest.get_by_role("link", name="Make one").click()
        guest.get_by_label("Username").fill("per")
        guest.get_by_label("Password", exact=False).first.fill("tea and drops")
        guest.get_by_label("Password (again)").fill("tea and drops")
        guest.get_by_role("button", name="Make the account").click()
        guest.get_by_role("button", name="Join the team").click()
        expect(guest.get_by_role("heading", name="Today")).to_be_visible()
        page.reload()
        page.on("dialog", lambda dialog: dialog.accept())
        page.get_by_role("row").filter(has_text="per").get_by_role("button", name="Take out").click()
        expect(page.get_by_text("per is no longer in the team")).to_be_visible()
        guest.goto(f"{self.address}/log/")
        expect(guest.get_by_role("heading", name="You are in no team yet")).to_be_visible()

    def test_a_slip_is_put_right_from_the_page_to_the_file(self):
        measured(self.below, self.olek, 8, 18)
        page = self.open(PHONE)
        page.get_by_role("link", name="Log", exact=True).click()
        page.get_by_role("table").get_by_role("link").first.click()
        page.get_by_role("link", name="Put right: run 2").click()
        page.get_by_label("Counted to the end").fill("8")
        page.get_by_role("button", name="Put it right").click()
        page.get_by_label("Why").fill("Wrote 18 for 8")
        page.get_by_role("button", name="Put it right").click()
        expect(page.get_by_text("It is put right.")).to_be_visible()
        marks = page.get_by_role("list", name="Marks")
        expect(marks).to_contain_text("run 2: 18 drops became 8 drops. Wrote 18 for 8")
        expect(page.get_by_text("Run 2: 8 × 4 = 32 mg/L as Cl")).to_be_visible()
        page.get_by_role("link", name="Log", exact=True).click()
        with page.expect_download() as download:
            page.get_by_role("link", name="Save all of these as CSV").click()
        with Path(download.value.path()).open(encoding="utf-8-sig", newline="") as file:
            (row,) = csv.DictReader(file)
        self.assertEqual((row["raw reading"], row["result"]), ("8, 8 drops", "32.0"))
        self.assertIn("18 drops became 8 drops. Wrote 18 for 8", row["put right"])

    def test_a_check_is_withdrawn_and_its_marks_lifted(self):
        doubted = read(self.below, self.olek, "nitrate-photometer", 3.0, 3.0)
        data = {"method": "nitrate-photometer", "purpose": "standard", "against": {"expected": 2.0}}
        send(self.ines, begin_test(self.ines, data), Taps().read(1.0, 1.0).close())
        page = self.open(DESK, "Ines", to=f"/log/{doubted.pk}/")
        page.get_by_role("list", name="Marks").get_by_role("link", name="the check").click()
        page.get_by_text("It was no check after all").click()
        page.get_by_label("Why: the reason stays with it").fill("Tap water in the standard's bottle")
        page.get_by_role("button", name="Withdraw it, and lift its marks").click()
        expect(page.get_by_text("Withdrawn", exact=False).first).to_be_visible()
        page.goto(f"{self.address}/log/{doubted.pk}/")
        expect(page.get_by_text("lifted by Ines: Tap water in the standard's bottle")).to_be_visible()
