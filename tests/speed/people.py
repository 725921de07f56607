"""How many people who tap once a second two workers carry: see bin/speed."""

import http.client
import json
import statistics
import threading
import time

from django.test import Client

from tests.speed.browser import served
from tests.world import Taps

_SECONDS = 15
_TOKEN = "a" * 32


def waited(by, tests):
    """Return how many ms 19 of 20 taps wait for their answer where each test is tapped on once a second."""
    client = Client()
    client.force_login(by.user)
    headers = {"Cookie": f"sessionid={client.cookies['sessionid'].value}; csrftoken={_TOKEN}", "X-CSRFToken": _TOKEN}
    took = []

    def tap(address, path, first):
        time.sleep(first)
        line, began = http.client.HTTPConnection(address.removeprefix("http://"), timeout=20), time.monotonic()
        for second in range(_SECONDS):
            body = json.dumps({"taps": [Taps(seq=second).add("sample-1", "drop_added")], "known": second})
            asked = time.monotonic()
            line.request("POST", path, body, {**headers, "Content-Type": "application/json"})
            answer = line.getresponse()
            answer.read()
            took.append(time.monotonic() - asked if answer.status == 200 else 20.0)
            time.sleep(max(0, began + second + 1 - time.monotonic()))

    with served(workers=2) as address:
        tap(address, f"/taps/bench/{tests[0].pk}/", 0)
        took.clear()
        people = [
            threading.Thread(target=tap, args=(address, f"/taps/bench/{test.pk}/", nth / len(tests)))
            for nth, test in enumerate(tests)
        ]
        for each in people:
            each.start()
        for each in people:
            each.join()
    assert len(took) == _SECONDS * len(tests)
    return statistics.quantiles(took, n=20)[-1] * 1000
