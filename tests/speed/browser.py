"""What a browser loads at a first visit, and how soon it shows a tap: see bin/speed."""

import json
import re
import socket
import statistics
import subprocess
import sys
import time
import urllib.request
from contextlib import contextmanager
from urllib.parse import urlsplit

from django.conf import settings
from django.test import Client
from playwright.sync_api import sync_playwright

from tests.browser.chromium import CHROMIUM, PHONE, QUIET
from tests.world import Taps, begin, send

_TAPS_BEHIND, _TAPS_SHOWN = 500, 120
# The click is answered within the page: what counts is that all is drawn by the end of it.
_TAP = """name => {
    const button = [...document.querySelectorAll(`[data-act=${name}]`)].find((each) => each.checkVisibility());
    const began = performance.now();
    button.click();
    document.body.getBoundingClientRect();
    return performance.now() - began;
}"""


@contextmanager
def served(workers=1):
    """Serve Kessa by workers of its own."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    gunicorn = [sys.executable, "-m", "gunicorn", "--bind", f"127.0.0.1:{port}", "--threads", "4"]
    gunicorn += ["--workers", str(workers), "kessa.web.wsgi"]
    server = subprocess.Popen(gunicorn, cwd=settings.ROOT, stderr=subprocess.DEVNULL)
    try:
        for _ in range(100):
            with socket.socket() as tried:
                if tried.connect_ex(("127.0.0.1", port)) == 0:
                    break
            time.sleep(0.2)
        yield f"http://127.0.0.1:{port}"
    finally:
        server.terminate()
        server.wait()


@contextmanager
def opened(by):
    """Open a browser in which a member is signed in; yields it, and what makes a page that was never visited."""
    client = Client()
    client.force_login(by.user)
    session = {"name": "sessionid", "value": client.cookies["sessionid"].value}
    with served() as address, sync_playwright() as played:
        browser = played.chromium.launch(executable_path=CHROMIUM, args=QUIET)

        def new_page():
            context = browser.new_context(viewport=PHONE, base_url=address, service_workers="block")
            context.add_cookies([{**session, "url": address}])
            return context.new_page()

        new_page().goto("/today/")
        yield new_page
        browser.close()


def first_load(page, path):
    """Return how many kB a page's first visit loads, with all that its worker keeps for when there is no signal."""
    loaded, named = {}, {}
    network = page.context.new_cdp_session(page)
    network.send("Network.enable")
    network.on("Network.responseReceived", lambda event: named.update({event["requestId"]: event["response"]["url"]}))
    network.on("Network.loadingFinished", lambda event: loaded.update({event["requestId"]: event["encodedDataLength"]}))
    page.goto(path)
    page.wait_for_load_state("networkidle")
    origin = f"{urlsplit(page.url).scheme}://{urlsplit(page.url).netloc}"
    page.context.close()
    # What is served as it is comes smaller over TLS than over this line.
    files = {url for url in named.values() if "/static/" in url} | {origin + each for each in _kept_by_worker(origin)}
    own = sum(size for number, size in loaded.items() if "/static/" not in named.get(number, ""))
    return (own + sum(map(_sent, files))) / 1000


def _kept_by_worker(origin):
    """Return the addresses that the page-keeping worker fetches when it is installed."""
    with urllib.request.urlopen(f"{origin}/worker.js") as answer:
        shell = re.search(r"const SHELL = \[(.*?)\];", answer.read().decode())[1]
    return {"/worker.js", *json.loads(f"[{shell}]".replace("\\u002D", "-"))}


def _sent(address):
    """Return how many bytes an answer takes, with its head."""
    asked = urllib.request.Request(address, headers={"Accept-Encoding": "br, gzip"})
    with urllib.request.urlopen(asked) as answer:
        return len(answer.read()) + len(str(answer.headers))


def tapped_before(place, by):
    """Begin a test that has many taps behind it."""
    test, taps = begin(place, by), Taps()
    for key in test.method.asks:
        taps.answer(key, {"ph": 7.2, "temperature": 18}[key])
    taps.run("blank-1", 1)
    for number, step in enumerate(test.method.steps):
        if step.kind == "count":
            break
        taps.add("sample-1", "step_done", step=number)
    for _ in range(_TAPS_BEHIND // 2):
        taken = taps.add("sample-1", "drop_added")
        taps.add("sample-1", "taken_back", of=taken["id"])
    assert not send(by, test, taps).refused
    return test


def tap_shown(page, test, slowed):
    """Return within how many ms 19 of 20 taps of a test are shown, on a processor slowed so many times."""
    page.goto(f"/bench/{test.pk}/")
    page.locator("[data-bench]:not([inert])").wait_for()
    page.context.new_cdp_session(page).send("Emulation.setCPUThrottlingRate", {"rate": slowed})
    took = []
    for _ in range(_TAPS_SHOWN // 2):
        took += [page.evaluate(_TAP, "drop"), page.evaluate(_TAP, "back")]
        page.wait_for_timeout(100)
    page.context.close()
    return statistics.quantiles(took, n=20)[-1]


def ready_on_slow_line(page, test):
    """Return after how many ms a test can be tapped at a first visit and again, by slow 3G and a slow phone.

    The line takes 400 ms there and back, and 400 kbit a second; the phone four times as long as this machine.
    """
    phone = page.context.new_cdp_session(page)
    phone.send("Network.enable")
    rate = 400_000 / 8
    line = {"offline": False, "latency": 400, "downloadThroughput": rate, "uploadThroughput": rate}
    phone.send("Network.emulateNetworkConditions", line)
    phone.send("Emulation.setCPUThrottlingRate", {"rate": 4})
    took = []
    for _ in range(2):
        began = time.perf_counter()
        page.goto(f"/bench/{test.pk}/", wait_until="commit")
        page.locator("[data-bench]:not([inert])").wait_for()
        took.append((time.perf_counter() - began) * 1000)
        page.goto("about:blank")
    page.context.close()
    return took
