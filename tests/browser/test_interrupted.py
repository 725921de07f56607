"""Whatever interrupts a run, every tap is there afterwards."""

import os
import signal
import socket
import subprocess
import time
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.db import OperationalError, connection
from playwright.sync_api import expect

from kessa.record.determinations.models import Determination
from kessa.record.determinations.state import bench_of
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import counted
from tests.browser.base import BrowserTest
from tests.browser.chromium import DESK
from tests.world import team_of

# Puts a clock on this browser's shelf, as a test does that waits.
CLOCK = """async () => {
  const { putOnShelf } = await import("/static/base/shelf.js");
  const clock = { what: "Colour", key: "1", at: "x", opens: Date.now() + 600000 };
  await putOnShelf("s", "Below the depot", "/bench/", [clock]);
}"""
# What this browser keeps of taps: whether each was sent.
KEPT = """() => new Promise((kept, failed) => {
  const opened = indexedDB.open("kessa-kept", 1);
  opened.onerror = failed;
  opened.onsuccess = () => {
    const asked = opened.result.transaction("taps").objectStore("taps").getAll();
    asked.onsuccess = () => kept(asked.result.map((tap) => Boolean(tap.sent)));
  };
})"""


class Interrupted(BrowserTest):
    works_offline = True

    def taps_on_the_server(self):
        return Tap.objects.for_team(self.team).filter(kind="drop_added").count()

    def cut(self, page):
        """Cut the network; what slips through, as from a page that is just reloading, finds no database."""
        self.lost = patch("kessa.record.taps.services.record", side_effect=OperationalError)
        self.lost.start()
        self.addCleanup(patch.stopall)
        page.context.set_offline(True)

    def mend(self, page):
        """Bring the network back."""
        self.lost.stop()
        page.context.set_offline(False)

    def test_the_network_goes_and_comes_back(self):
        page = self.open()
        self.begin(page)
        self.run_through(page, 1)
        page.get_by_role("button", name="Begin the first run").click()
        self.steps(page)
        self.drops(page, 3)
        self.assert_saved(page)
        kept = "caches.open('kessa-pages').then((c) => c.match(location.href)).then(Boolean)"
        self.until(page, lambda: page.evaluate(kept))
        self.cut(page)
        self.drops(page, 4)
        expect(page.get_by_text("4 taps waiting")).to_be_visible()
        page.reload()
        expect(page.get_by_text("4 taps waiting")).to_be_visible()
        self.assert_count(page, 7)
        self.drops(page, 1)
        page.get_by_role("button", name="It stays: end").click()
        self.steps(page, 1)
        self.run_through(page, 8, begin="Begin run 2")
        expect(page.get_by_role("heading", name="The runs agree")).to_be_visible()
        page.get_by_role("button", name="Write it in the log").click()
        expect(page.get_by_role("heading", name="Being written in the log")).to_be_visible()
        self.assertEqual(self.taps_on_the_server(), 4)
        self.mend(page)
        expect(page.get_by_text("Run 1: 8 × 4 = 32 mg/L as Cl")).to_be_visible(timeout=40_000)
        self.assertEqual(self.taps_on_the_server(), 1 + 8 + 8)

    def test_a_browser_without_room_says_so_and_sends_all_the_same(self):
        page = self.open()
        page.add_init_script("""
            IDBObjectStore.prototype.put = () => { throw new DOMException("no room", "QuotaExceededError"); };
        """)
        self.begin(page)
        self.steps(page)
        self.drops(page, 3)
        expect(page.get_by_text("This browser keeps nothing of its own")).to_be_visible()
        self.assert_saved(page)
        self.assertEqual(self.taps_on_the_server(), 3)

    def test_a_page_closed_with_taps_waiting(self):
        page = self.open()
        self.begin(page)
        self.steps(page)
        self.assert_saved(page)
        self.cut(page)
        self.drops(page, 3)
        expect(page.get_by_text("3 taps waiting")).to_be_visible()
        # A slow disk writes a tap some milliseconds after the page shows it: nobody's hand is as quick as this test's.
        self.until(page, lambda: page.evaluate(KEPT).count(False) == 3)
        page.close()
        self.mend(page)
        another = page.context.new_page()
        with another.expect_response("**/taps/**") as answered:
            another.goto(f"{self.address}/log/")
        self.assertEqual(len(answered.value.json()["kept"]), 3)
        self.assertEqual(self.taps_on_the_server(), 3)
        another.get_by_role("link", name="Bench", exact=True).click()
        another.get_by_role("link", name="Go on: Below the depot").click()
        self.assert_saved(another)
        self.assert_count(another, 3)

    def test_what_one_test_refuses_holds_up_no_other(self):
        page = self.open()
        context, waiting = page.context, {}
        for place in ("Above the depot", "Below the depot"):
            self.begin(page, place)
            self.steps(page)
            self.assert_saved(page)
            context.route("**/taps/**", lambda route: route.abort())
            self.drops(page, 2)
            waiting[place] = Determination.objects.for_team(self.team).latest("started_at")
            expect(page.get_by_text("2 taps waiting")).to_be_visible()
            page.close()
            context.unroute("**/taps/**")
            if place == "Above the depot":
                refused = f"**/taps/bench/{waiting[place].pk}/"
                context.route(refused, lambda route: route.fulfill(status=404, json={"error": "no such"}))
            page = context.new_page()
            page.goto(self.address)
        page.goto(f"{self.address}/log/")
        self.until(page, lambda: self.taps_on_the_server() == 2)
        kept = Tap.objects.for_team(self.team).filter(kind="drop_added").values_list("stream", flat=True)
        self.assertEqual(set(kept), {waiting["Below the depot"].pk})

    def test_two_tabs_on_one_run(self):
        first = self.open(DESK)
        self.begin(first)
        second = first.context.new_page()
        second.goto(first.url)
        self.steps(first)
        self.drops(first, 1)
        self.assert_count(second, 1)
        self.drops(second, 2)
        self.assert_count(first, 3)
        first.get_by_role("button", name="Take one back").click()
        self.assert_count(second, 2)
        self.assert_saved(first)
        self.assert_saved(second)
        self.assertEqual(self.taps_on_the_server(), 3)

    def test_two_phones_on_one_run(self):
        first, second = self.open(), self.open(name="Ines")
        self.begin(first)
        self.steps(first)
        self.drops(first, 2)
        self.assert_saved(first)
        second.goto(first.url)
        self.assert_count(second, 2)
        self.drops(second, 1)
        self.assert_saved(second)
        # A page that believes itself alone learns of the other by its own next tap; from then on both look around.
        self.drops(first, 1)
        self.assert_count(first, 4)
        self.assert_count(second, 4)
        self.drops(second, 1)
        self.assert_count(first, 5)

    def test_two_phones_on_one_run_that_do_not_see_each_other(self):
        first, second = self.open(), self.open(name="Ines")
        self.begin(first)
        second.goto(first.url)
        self.assert_saved(second)
        self.lost = patch("kessa.record.taps.services.record", side_effect=OperationalError)
        self.lost.start()
        self.addCleanup(patch.stopall)
        for page, count in ((first, 2), (second, 3)):
            page.context.set_offline(True)
            self.steps(page)
            self.drops(page, count)
            page.get_by_role("button", name="It stays: end").click()
            self.assert_count(page, count)
        self.lost.stop()
        for page in (first, second):
            page.context.set_offline(False)
        for page in (first, second):
            self.assert_saved(page)
        # Each goes on with its own; then both show the two side by side.
        self.steps(second, 1)
        self.steps(first, 1)
        for page in (first, second):
            self.assert_saved(page)
            page.reload()
            expect(page.get_by_role("row", name="drops").filter(has_text="Blank")).to_have_count(2)
        begun = Determination.objects.for_team(self.team).get()
        blanks = bench_of(begun, counted(self.team.pk, begun.pk)).blanks
        self.assertEqual({number: state.count for number, state in blanks.items()}, {1: 2, 2: 3})

    def test_a_phone_that_changes_hands(self):
        """Ulf of another team finds nothing of Olek's; what Olek had not sent is sent later, as his, by Ines."""
        ulf, _ = team_of("Ulf")
        page = self.open()
        self.begin(page)
        self.steps(page)
        self.drops(page, 2)
        self.assert_saved(page)
        address = page.url
        page.evaluate(CLOCK)
        page.context.route("**/taps/**", lambda route: route.abort())
        self.drops(page, 3)
        expect(page.get_by_text("3 taps waiting")).to_be_visible()
        page.get_by_role("button", name="Sign out").click()
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
        page.go_back()
        expect(page.get_by_role("heading", name="Sign in")).to_be_visible()
        page.context.unroute("**/taps/**")
        page.get_by_label("Username").fill("ulf")
        page.get_by_label("Password").fill("white tile")
        page.get_by_role("button", name="Sign in", exact=True).click()
        # The way back led to Olek's test: it is none of Ulf's.
        expect(page.get_by_role("heading", name="Not here")).to_be_visible()
        page.get_by_role("link", name="To today").click()
        expect(page.get_by_role("link", name="Ulf")).to_be_visible()
        expect(page.get_by_role("complementary", name="Clocks that run")).to_be_hidden()
        self.assertEqual(page.evaluate(KEPT), [False] * 3)
        page.goto(address)
        expect(page.get_by_role("heading", name="Not here")).to_be_visible()
        self.assertEqual(
            page.evaluate("caches.open('kessa-pages').then((c) => c.match(location.href)).then(Boolean)"), False
        )
        self.assertEqual(self.taps_on_the_server(), 2)
        page.goto(f"{self.address}/today/")
        page.get_by_role("button", name="Sign out").click()
        page.get_by_role("button", name="Ines").click()
        self.until(page, lambda: self.taps_on_the_server() == 5)
        whose = Tap.objects.for_team(self.team).filter(kind="drop_added").values_list("person", "sent_by")
        self.assertEqual(
            sorted(whose, key=str),
            sorted([(self.olek.user_id, None)] * 2 + [(self.olek.user_id, self.ines.user_id)] * 3, key=str),
        )
        self.assertNotEqual(ulf.user_id, self.ines.user_id)

    def test_signed_out_in_the_middle(self):
        page = self.open()
        self.begin(page)
        self.steps(page)
        self.assert_saved(page)
        cookies = page.context.cookies()
        page.context.clear_cookies(name="sessionid")
        self.drops(page, 2)
        expect(page.get_by_role("alert")).to_contain_text("Sign in again")
        expect(page.get_by_text("2 taps waiting")).to_be_visible()
        page.context.add_cookies(cookies)
        self.assert_saved(page)
        self.assertEqual(self.taps_on_the_server(), 2)


class Killed(BrowserTest):
    works_offline = True

    def setUp(self):
        super().setUp()
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.address = f"http://127.0.0.1:{self.port}"
        self.start()

    def start(self):
        """Start a server of our own on the tests' database, and wait until it answers."""
        at = connection.settings_dict
        url = f"postgresql://{at['USER']}:{at['PASSWORD']}@{at['HOST']}:{at['PORT']}/{at['NAME']}"
        gunicorn = Path(settings.ROOT) / ".venv" / "bin" / "gunicorn"
        self.server = subprocess.Popen(
            [
                gunicorn,
                "kessa.web.wsgi",
                "--bind",
                f"127.0.0.1:{self.port}",
                "--threads",
                "4",
                "--log-level",
                "critical",
            ],
            env={**os.environ, "DATABASE_URL": url},
            cwd=settings.ROOT,
            start_new_session=True,
        )
        self.addCleanup(self.kill, self.server)
        for _ in range(100):
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", self.port)) == 0:
                    return
            time.sleep(0.1)
        self.fail("the server did not start")

    def kill(self, server):
        """Kill the server and its workers outright."""
        if server.poll() is None:
            os.killpg(server.pid, signal.SIGKILL)
            server.wait()

    def test_the_server_is_killed_and_restarted(self):
        page = self.open()
        self.begin(page)
        self.run_through(page, 1)
        page.get_by_role("button", name="Begin the first run").click()
        self.steps(page)
        self.drops(page, 5)
        self.kill(self.server)
        self.drops(page, 3)
        self.assert_count(page, 8)
        expect(page.get_by_text("waiting")).to_be_visible()
        page.reload()
        self.assert_count(page, 8)
        self.start()
        self.assert_saved(page)
        page.reload()
        self.assert_count(page, 8)
        self.assertEqual(Tap.objects.for_team(self.team).filter(kind="drop_added", run="sample-1").count(), 8)
