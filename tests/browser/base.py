"""A browser on the running application, used as a person would: by role and label."""

import atexit
import os
import time
from functools import cache
from pathlib import Path

from django.conf import settings
from django.contrib.staticfiles.handlers import StaticFilesHandler
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.db import DatabaseError, connection, transaction
from django.test import Client
from django.urls import reverse
from playwright.sync_api import Error, expect, sync_playwright

from kessa.record.people.models import Membership, Role, Team, User
from kessa.record.places.models import Pair, Place
from tests.browser.chromium import CHROMIUM, PHONE, QUIET
from tests.world import SETS, begin

AXE = (Path(__file__).parent / "vendor" / "axe-core" / "axe.min.js").read_text()


# A busy machine is slow, not wrong.
expect.set_options(timeout=40_000)


@cache
def started_browser():
    """Start the one browser of this process; each test has a context of its own in it."""
    playwright = sync_playwright().start()
    atexit.register(playwright.stop)
    return playwright.chromium.launch(executable_path=CHROMIUM, args=QUIET)


class Kept(StaticFilesHandler):
    """Scripts and styles that a browser keeps, as it does those of a server by their names."""

    def serve(self, request):
        answer = super().serve(request)
        answer["Cache-Control"] = "max-age=3600"
        return answer


class BrowserTest(StaticLiveServerTestCase):
    """Tarrow Vale with its coordinator, a volunteer and two places on the brook, seen through Chromium."""

    static_handler = Kept
    # Whether the app's own worker keeps pages and what they are made of: that takes a third of what opening one does.
    works_offline = False

    @classmethod
    def setUpClass(cls):
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"  # Playwright runs a loop of its own in this thread
        super().setUpClass()
        cls.browser = started_browser()
        # It keeps scripts and styles from one test to the next, and nothing else.
        cls.kept = cls.browser.new_context(service_workers="block")

    @classmethod
    def tearDownClass(cls):
        cls.kept.close()
        super().tearDownClass()

    def setUp(self):
        self.address, self.on_kept = self.live_server_url, False
        self.team = Team.objects.create(name=settings.DEMO_TEAM, time_zone="Europe/London")
        for name, role in (("Ines", Role.COORDINATOR), ("Olek", Role.VOLUNTEER)):
            user = User.objects.create_user(name.lower(), password="white tile", first_name=name)
            setattr(self, name.lower(), Membership.objects.create(team=self.team, user=user, role=role))
        self.above = Place.objects.create(team=self.team, name="Above the depot", limit_sets=SETS)
        self.below = Place.objects.create(team=self.team, name="Below the depot", limit_sets=SETS)
        Pair.objects.create(team=self.team, kind="stream", first=self.above, second=self.below)

    def _fixture_teardown(self):
        """Empty the tables row by row, which takes a tenth of truncating hundreds of files.

        A request that was under way when its browser closed may hold them for a moment.
        """
        for left in (2, 1, 0):
            try:
                with transaction.atomic(), connection.cursor() as cursor:
                    for table in connection.introspection.django_table_names(only_existing=True, include_views=False):
                        cursor.execute(f'DELETE FROM "{table}"')
                return
            except DatabaseError:
                if not left:
                    raise
                time.sleep(1)

    def open(self, viewport=PHONE, name="Olek", to="/"):
        """Open a browser of one's own, signed in, on a page (if any); errors in it fail the test."""
        context = self.context()
        page = context.new_page()
        page.set_viewport_size(viewport)
        page.set_default_timeout(40_000)
        # What is only heard is not seen.
        by_text = page.get_by_text
        page.get_by_text = lambda words, **how: by_text(words, **how).and_(page.locator(":not([data-heard])"))
        faults = []
        page.on("pageerror", lambda error: faults.append(str(error)))
        page.on("console", lambda given: "Content Security Policy" in given.text and faults.append(given.text))
        page.on("response", lambda answer: answer.status == 500 and faults.append(f"500 {answer.url}"))
        page.on("request", lambda asked: asked.url.startswith((self.address, "data:")) or faults.append(asked.url))
        self.addCleanup(lambda: self.assertEqual(faults, []))
        visitor = Client()
        visitor.post(reverse("enter_demo", args=[name.lower()]))
        session = visitor.cookies[settings.SESSION_COOKIE_NAME].value
        context.add_cookies([{"name": settings.SESSION_COOKIE_NAME, "value": session, "url": self.address}])
        if to:
            page.goto(f"{self.address}{to}")
        return page

    def context(self):
        """A browser as good as new, with scripts and styles kept from before for the first one of a test."""
        if self.works_offline or self.on_kept:
            context = self.browser.new_context(service_workers="allow" if self.works_offline else "block")
            self.addCleanup(context.close)
            return context
        self.on_kept = True
        self.addCleanup(self.empty)
        return self.kept

    def empty(self):
        """Leave nothing of a test in the context that is kept."""
        self.kept.set_offline(False)
        self.kept.unroute_all()
        self.kept.clear_permissions()
        self.kept.clear_cookies()
        last = self.kept.new_page()
        for page in self.kept.pages:
            if page is not last:
                page.close()
        everything = {"origin": self.address, "storageTypes": "indexeddb,local_storage,cache_storage"}
        self.kept.new_cdp_session(last).send("Storage.clearDataForOrigin", everything)
        last.close()

    def begin(self, page, place="Below the depot", method="Begin in the low range", test="Chloride, drops"):
        """Go by way of the bench's first page to the count of the blank or first run."""
        page.get_by_role("link", name="Bench", exact=True).click()
        page.get_by_role("link", name=place).first.click()
        page.get_by_label("Water temperature").fill("4.5")
        page.get_by_role("button", name="On to the test").click()
        page.get_by_role("link", name=test).first.click()
        page.get_by_role("button", name=method).click()
        self.assert_saved(page)

    def steps(self, page, count=4):
        """Do the steps before, or after, the count, once the page has read where the test stands."""
        page.locator("[data-bench]:not([inert]):visible").wait_for()
        for _ in range(count):
            self.answer(page)
            page.get_by_role("button", name="Done, next").click()
        self.answer(page)

    def answer(self, page):
        """Answer what is asked of the sample now."""
        for unit, value in (("pH", "7.2"), ("°C", "18")):
            field = page.get_by_role("textbox", name=unit, exact=True)
            if field.is_visible():
                field.fill(value)
                page.get_by_role("button", name="Write it down").click()

    def drops(self, page, count):
        """Tap that many drops."""
        for _ in range(count):
            page.get_by_role("button", name="One drop").click()

    def run_through(self, page, count, begin=None):
        """Do one run from its first step to its last."""
        if begin:
            page.get_by_role("button", name=begin).click()
        self.steps(page)
        self.drops(page, count)
        page.get_by_role("button", name="It stays: end").click()
        self.steps(page, 1)

    def write(self, page, name="Write it in the log"):
        """Write what the runs came to, and see its working; again where the server's words moved the button away."""
        button, working = page.get_by_role("button", name=name), page.get_by_role("heading", name="The working")
        for _ in range(3):
            button.click()
            try:
                return expect(working).to_be_visible(timeout=12_000)
            except AssertionError:
                if not button.is_visible():
                    break
        return expect(working).to_be_visible()

    def assert_count(self, page, count):
        """Wait until the page shows this count."""
        expect(page.locator("[data-count]")).to_have_text(str(count))

    def assert_saved(self, page):
        """Wait until nothing waits any more."""
        expect(page.get_by_text("all readings saved")).to_be_visible()

    def until(self, page, question):
        """Ask again until it is so.

        Playwright's `wait_for_function` asks by `eval` in the page, which the security policy lets through at the
        first look only.
        """
        ends = time.monotonic() + 30
        while True:
            try:
                if question():
                    return
            except Error as error:  # the page is on its way to another
                if "context was destroyed" not in str(error):
                    raise
            self.assertLess(time.monotonic(), ends, page.url)
            page.wait_for_timeout(50)

    def assert_fits(self, page):
        """Nothing stands beside the screen."""
        wide, screen = page.evaluate("[document.documentElement.scrollWidth, innerWidth]")
        self.assertLessEqual(wide, screen, page.url)

    def assert_accessible(self, page):
        """Let axe-core look at the page, which fits the screen."""
        self.assert_fits(page)
        if page.evaluate("typeof axe") == "undefined":
            page.evaluate(AXE)
        found = page.evaluate("axe.run(document, {resultTypes: ['violations']})")["violations"]
        told = [(each["id"], [node["html"][:120] for node in each["nodes"][:3]]) for each in found]
        self.assertEqual(told, [], page.url)


class BenchTest(BrowserTest):
    """A test that was begun, on its bench, with the page's clock in our hands."""

    def bench(self, method, viewport=PHONE, place=None, **data):
        """Begin a test and open its bench."""
        begun = begin(place or self.below, self.olek, method, **data)
        page = self.open(viewport, to="")
        page.clock.install()
        page.goto(f"{self.address}/bench/{begun.pk}/")
        self.assert_saved(page)
        return page

    def prepare(self, page):
        """Do the steps up to the reading, each clock run out (and with it, mostly, the time in which to read)."""
        done = page.get_by_role("button", name="Done, next")
        start = page.get_by_role("button", name="Start the clock")
        for _ in range(30):
            self.answer(page)
            if start.is_visible():
                start.click()
                page.clock.fast_forward(900_000)
                page.get_by_role("button", name="Done, next").click()
            elif done.is_visible():
                done.click()
            else:
                break
        self.assert_fits(page)

    def keep(self, page):
        """Keep what was read."""
        page.get_by_role("button", name="Keep this reading").click()

    def done(self, page):
        """Do one step."""
        page.get_by_role("button", name="Done, next").click()
