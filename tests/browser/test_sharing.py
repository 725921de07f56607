"""Checked, given out, taken in: a week reviewed by keyboard, a month on paper, a page for neighbours, a file."""

from django.core.cache import cache
from django.test import override_settings
from django.utils import timezone
from playwright.sync_api import expect

from kessa.record.imports import tasks
from kessa.record.imports.models import Import
from kessa.record.people.models import Membership, Role, User
from kessa.record.public.models import Page
from kessa.record.reports.models import Report
from kessa.record.reports.tasks import print_paper
from kessa.record.results.models import Result
from kessa.record.visits.models import Visit
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK, PHONE
from tests.world import measured

OLD = """Site;Date;Chloride (mg/L);Remarks
Below the depot;5.3.2019;28;clear
Below the depot;6.3.2019;<5;
Below the dam;7.3.2019;31;
"""


@override_settings(MEDIA_ROOT="/tmp/kessa-test-files")
class Sharing(BrowserTest):
    def setUp(self):
        super().setUp()
        cache.clear()
        user = User.objects.create_user("per", password="white tile", first_name="Per")
        self.per = Membership.objects.create(team=self.team, user=user, role=Role.TECHNICIAN)

    def states(self):
        return sorted(Visit.objects.for_team(self.team).values_list("review", flat=True))

    def as_per(self, viewport=DESK):
        page = self.open(viewport, "Ines")
        page.get_by_role("button", name="Sign out").click()
        page.get_by_label("Username").fill("per")
        page.get_by_label("Password").fill("white tile")
        page.get_by_role("button", name="Sign in", exact=True).click()
        expect(page.get_by_role("heading", name="Today")).to_be_visible()
        return page

    def test_a_week_reviewed_by_keyboard_with_a_question_asked_back_and_answered(self):
        for day in range(5):
            measured(self.below, self.olek, 7 + day % 2, 7, days_ago=day)
        page = self.as_per()
        expect(page.get_by_role("region", name="Waiting for your review")).to_be_visible()
        page.get_by_role("link", name="Review", exact=True).click()
        page.wait_for_load_state()
        self.assert_accessible(page)
        keys = page.keyboard
        for key in ("j", "x", "j", "x", "k"):
            keys.press(key)
        expect(page.get_by_role("checkbox", checked=True)).to_have_count(2)
        keys.press("A")
        expect(page.get_by_text("2 visits accepted.")).to_be_visible()
        page.wait_for_load_state()
        keys.press("j")
        keys.press("Enter")
        expect(page.get_by_role("heading", name="What do you say?")).to_be_visible()
        page.wait_for_load_state()
        self.assert_accessible(page)
        keys.press("q")
        keys.type("Was it the blue bottle?")
        keys.press("Tab")
        keys.press("Enter")
        expect(page.get_by_text("It is on the Today of Olek.")).to_be_visible()
        self.assertEqual(self.states(), ["asked", "new", "new", "reviewed", "reviewed"])

        phone = self.open(PHONE, "Olek")
        phone.get_by_role("link", name="Per asks about Below the depot").click()
        self.assert_accessible(phone)
        phone.get_by_label("Your answer").fill("The green one, of the same lot.")
        phone.get_by_role("button", name="Answer").click()
        expect(phone.get_by_text("Answered: Per sees it with the visit.")).to_be_visible()

        page.goto(f"{self.address}/review/")
        for left in (3, 2, 1):
            expect(page.get_by_role("link", name="Below the depot,")).to_have_count(left)
            page.wait_for_load_state()
            keys.press("j")
            keys.press("Enter")
            expect(page.get_by_role("button", name="Accept the visit")).to_be_visible()
            page.wait_for_load_state()
            keys.press("a")
            expect(page.get_by_text("is reviewed.")).to_be_visible()
            page.goto(f"{self.address}/review/")
        expect(page.get_by_text("Nothing waits to be reviewed.")).to_be_visible()
        self.assertEqual(set(self.states()), {"reviewed"})

    def test_a_page_for_neighbours_before_and_after_its_release(self):
        for day in (60, 40, 2):
            measured(self.below, self.olek, 7, 7, days_ago=day)
        ines = self.open(DESK, "Ines", to="/open/")
        ines.get_by_label("Place").select_option(label="Below the depot")
        ines.get_by_role("button", name="Open it to everybody").click()
        expect(ines.get_by_text("is open to everybody")).to_be_visible()
        self.assert_accessible(ines)
        address = f"{self.address}/open/to/{Page.objects.for_team(self.team).get().slug}/"
        context = self.browser.new_context(viewport=PHONE, java_script_enabled=False)
        self.addCleanup(context.close)
        neighbour = context.new_page()
        neighbour.goto(address)
        expect(neighbour.get_by_text("Nothing has been released here yet.")).to_be_visible()
        ines.goto(f"{self.address}/review/")
        for box in ines.get_by_role("checkbox").all():
            box.check()
        ines.get_by_role("button", name="Accept the chosen").click()
        expect(ines.get_by_text("3 visits accepted.")).to_be_visible()
        ines.get_by_role("button", name="Release", exact=True).click()
        expect(ines.get_by_text("3 visits released.")).to_be_visible()
        neighbour.reload()
        expect(neighbour.get_by_text("3 results since")).to_be_visible()
        expect(neighbour.get_by_role("img", name="chloride since")).to_have_count(1)
        self.assertNotIn("Olek", neighbour.content())
        ines.goto(address)
        self.assert_accessible(ines)
        ines.goto(f"{self.address}/open/")
        ines.get_by_role("link", name="Poster for the bank").click()
        expect(ines.get_by_role("heading", name="What is in this water?")).to_be_visible()

    def test_a_month_on_paper(self):
        measured(self.below, self.olek, 7, 7)
        page = self.as_per()
        page.goto(f"{self.address}/reports/")
        self.assert_accessible(page)
        form = page.get_by_role("region", name="Month for the regulator")
        form.get_by_label("Place").select_option(label="Below the depot")
        form.get_by_label("Month").fill(f"{timezone.localdate():%Y-%m}")
        form.get_by_role("button", name="Look at it").click()
        expect(page.get_by_text("It rests on 1 result: 1 not reviewed yet.")).to_be_visible()
        self.assert_accessible(page)
        page.get_by_role("button", name="Issue it with a number").click()
        expect(page.get_by_role("heading", name="Report 1")).to_be_visible()
        expect(page.get_by_text("it says the same")).to_be_visible()
        print_paper(Report.objects.for_team(self.team).get().pk)
        answer = page.request.get(
            f"{self.address}{page.get_by_role('link', name='The paper, PDF').get_attribute('href')}"
        )
        self.assertTrue(answer.body().startswith(b"%PDF"))

    def test_an_old_notebook_taken_in_mended_and_undone(self):
        page = self.as_per()
        page.goto(f"{self.address}/exchange/in/")
        self.assert_accessible(page)
        file = {"name": "old.csv", "mimeType": "text/csv", "buffer": OLD.encode()}
        page.get_by_label("A table").set_input_files(file)
        page.get_by_role("button", name="Look at it").click()
        expect(page.get_by_text("Waits for the worker.")).to_be_visible()
        tasks.look_for_table(Import.objects.for_team(self.team).get().pk, "", "")
        expect(page.get_by_role("heading", name="What is in the columns?")).to_be_visible()
        self.assert_accessible(page)
        page.get_by_label("Decimal mark").select_option(",")
        page.get_by_label("Days").select_option("dmy")
        page.get_by_role("button", name="Read every row").click()
        expect(page.get_by_text("Waits for the worker.")).to_be_visible()
        imported = Import.objects.for_team(self.team).get()
        tasks.check_import(imported.pk)
        expect(page.get_by_text("“Below the dam” is no place of your team.")).to_be_visible()
        self.assert_accessible(page)
        page.get_by_label("Row 4, column 1").fill("Below the depot")
        page.get_by_role("button", name="Read it again: row 4").click()
        expect(page.get_by_text("Row 4")).to_have_count(0)
        page.get_by_role("button", name="Take it in").click()
        expect(page.get_by_text("Waits for the worker.")).to_be_visible()
        tasks.write_import(imported.pk)
        expect(page.get_by_text("Results written")).to_be_visible()
        self.assertEqual(Result.objects.for_team(self.team).count(), 3)
        page.on("dialog", lambda dialog: dialog.accept())
        page.get_by_role("button", name="Undo the whole").click()
        expect(page.get_by_text("Waits for the worker.")).to_be_visible()
        tasks.undo_import(imported.pk)
        expect(page.get_by_text("Taken out again")).to_be_visible()
        self.assertEqual(Result.objects.for_team(self.team).count(), 0)

    def test_the_other_pages_are_accessible(self):
        measured(self.below, self.olek, 7, 7)
        page = self.open(DESK, "Ines")
        for address in ("/exchange/out/", "/api/", "/review/rules/", "/more/"):
            for viewport in (DESK, PHONE):
                page.set_viewport_size(viewport)
                page.goto(f"{self.address}{address}")
                self.assert_accessible(page)
                wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
                self.assertLessEqual(wide, 0, (address, viewport))
