"""Two phones and a server, walked at random: every tap made is on the server or waits, in the name of its own hand.

The phones run the app's own scripts under node (tests/scripts/phone.mjs), against a server of this test's own.
"""

import json
import os
import subprocess
from collections import Counter
from pathlib import Path
from typing import ClassVar

from django.conf import settings
from django.contrib.auth.hashers import make_password
from django.core.cache import cache
from django.test import Client, LiveServerTestCase
from hypothesis import HealthCheck
from hypothesis import settings as walked
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, rule, run_state_machine_as_test

from kessa.record.people.models import User
from kessa.record.people.pins import WRONG_TRIES, sealing_key
from kessa.record.taps.hands import whose
from kessa.record.taps.models import Tap
from kessa.record.visits.models import Visit
from tests.world import member, safety, team_of

WALKS = int(os.environ.get("KESSA_WALKS", "50"))
NODE = next(Path(settings.ROOT).glob(".venv/lib/python3*/site-packages/playwright/driver/node"))
TOKEN = "a" * 32
PINS = {"Ines": "404127", "Olek": "518236", "Sanna": "629345"}
NAMES = st.sampled_from(sorted(PINS))
PHONES = st.sampled_from([0, 1])


class Phone:
    """A phone's process, and who holds it."""

    def __init__(self, server):
        script = Path(settings.ROOT) / "tests" / "scripts" / "phone.mjs"
        self.process = subprocess.Popen(
            [NODE, script, server], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, bufsize=1
        )
        self.stands, self.user, self.hand = {}, None, None

    def __call__(self, command, **data):
        self.process.stdin.write(json.dumps({"command": command, **data}) + "\n")
        self.stands = json.loads(self.process.stdout.readline())
        assert not self.stands["fault"], self.stands["fault"]
        # Where the visit was not taken over, or is no more, the page's own person goes on.
        if self.stands["page"] and not self.stands["took"]:
            self.hand = self.stands["page"]

    def tap(self, kind, run="", **data):
        """Tap on the page that is open, if one is."""
        if self.stands["page"]:
            self("tap", run=run, kind=kind, data=data, hand=self.hand)

    def close(self):
        """End the process."""
        self.process.kill()
        self.process.wait()
        self.process.stdin.close()
        self.process.stdout.close()


class Walk(RuleBasedStateMachine):
    phones: ClassVar[list[Phone]] = []

    def __init__(self):
        super().__init__()
        cache.clear()
        for each in User.objects.filter(username__in=[name.lower() for name in PINS]):
            User.objects.filter(pk=each.pk).update(username=f"before{each.pk}")
        ines, self.place = team_of("Ines")
        self.people = {"Ines": ines, **{name: member(self.place.team, name) for name in ("Olek", "Sanna")}}
        for name, by in self.people.items():
            by.user.pin = make_password(PINS[name])
            by.user.save()

    def page(self, name):
        by = self.people[name]
        given = {"me": by.user_id, "whose": whose(by), "place": self.place.pk, "sealing_key": sealing_key()}
        return given | {"safety": safety()}

    def sign_in_as(self, phone, name):
        client = Client()
        client.force_login(self.people[name].user)
        cookie = f"csrftoken={TOKEN}; sessionid={client.cookies['sessionid'].value}"
        phone("session", cookie=cookie, person=self.people[name].user_id, leaves=True)
        phone.user = name

    @initialize(signal=st.booleans())
    def set_out(self, signal):
        for phone, name in zip(self.phones, ("Olek", "Ines"), strict=True):
            phone("new")
            self.sign_in_as(phone, name)
            phone("signal", on=signal)
            phone("open", **self.page(name))

    @rule(which=PHONES, value=st.sampled_from([1, 2, 620_000]), run=st.sampled_from(["flow", "conductivity"]))
    def see(self, which, value, run):
        """What is noted may be off the scale."""
        self.phones[which].tap("observed", run=run, value=value, unit="")

    @rule(which=PHONES, tap=st.sampled_from(["draw", "drop_added", "drop_added", "end_called", "closed"]))
    def run_a_test(self, which, tap):
        """A sample is drawn, or the test of the last one goes on; its taps are a stream of their own."""
        phone, data = self.phones[which], {"endpoint": True} if tap == "end_called" else {}
        if tap == "draw" and phone.stands["page"]:
            phone("draw", hand=phone.hand)
        elif phone.stands["page"]:
            phone("test", run="" if tap == "closed" else "sample-1", kind=tap, data=data, hand=phone.hand)

    @rule(which=PHONES, on=st.booleans())
    def signal(self, which, on):
        self.phones[which]("signal", on=on)

    @rule(which=PHONES, to=NAMES, typed=st.sampled_from(["rightly", "rightly", "wrongly", "by another", "never"]))
    def hand_over(self, which, to, typed):
        """The taker enters a PIN, mistypes it, or another guesses it; or they go on on a phone of their own."""
        phone, taker = self.phones[which], self.people[to].user_id
        if phone.stands["page"] and phone.stands["taker"] != taker:
            phone.tap("handed_over", taker=taker, remark="")
        # A hand-over that was refused hands nothing over.
        handed = phone.stands["page"] and phone.stands["taker"] == taker != phone.stands["page"]
        if not handed or typed == "never":
            return
        phone.hand = hand = phone.hand if typed == "by another" else taker
        phone("pin", pin=PINS[to] if typed == "rightly" else "000111", hand=hand, right=typed == "rightly")
        phone.tap("observed", run="flow", value=1, unit="")

    @rule(which=PHONES)
    def close_visit(self, which):
        self.phones[which].tap("visit_closed", remark="")

    @rule(which=PHONES, name=st.sampled_from(["", *sorted(PINS)]))
    def session(self, which, name):
        """A session ends, or somebody signs in and takes the place's page."""
        phone = self.phones[which]
        if not name:
            return phone("session", cookie=f"csrftoken={TOKEN}", person=None, leaves=False)
        self.sign_in_as(phone, name)
        phone("elsewhere")
        return phone("open", **self.page(name))

    @rule(which=PHONES, whose=st.booleans())
    def reload(self, which, whose):
        """The page opens again; or the visit that goes on on the other phone is opened on this one."""
        phone, stream = self.phones[which], self.phones[1 - which].stands["stream"]
        if whose or not Visit.objects.for_team(self.place.team).filter(pk=stream).exists():
            phone("open", **self.page(phone.user))
        else:
            phone("join", stream=stream, **self.page(phone.user))
        # Where somebody took the visit over here, its page says so, whatever was opened in between.
        if phone.stands["took"]:
            phone.hand = phone.stands["taker"]

    @rule(which=PHONES, how=st.sampled_from(["elsewhere", "mine", "mend", "drop"]))
    def look_after(self, which, how):
        data = {"value": 3, "unit": "", "instrument": None} if how == "mend" else None
        self.phones[which]("mend" if how == "drop" else how, data=data)

    def teardown(self):
        self.check()

    def check(self):
        known = set()
        for phone in self.phones:
            phone("signal", on=True)
            phone("elsewhere")
        on_the_server = {str(tap.pk): tap for tap in Tap.objects.for_team(self.place.team)}
        # The server opens again what closed nothing.
        kept = {pk: tap for pk, tap in on_the_server.items() if tap.device != "page"}
        # After five wrong ones a right one is refused for a while.
        made = [tap for phone in self.phones for tap in phone.stands["made"]]
        wrong = Counter(tap.get("taker") for tap in made if tap.get("right") is False)
        for phone in self.phones:
            waits = {*phone.stands["waiting"], *phone.stands["refused"]}
            for tap in phone.stands["made"]:
                many = wrong[tap.get("taker")] >= WRONG_TRIES
                known.add(tap["id"])
                where = (tap["id"] in kept) + (tap["id"] in waits) + bool(tap.get("ended"))
                # A tap that is on the server may still wait to hear of it.
                assert where >= 1, f"lost: {tap}"
                # Sent with what went before it or after, whoever took a visit over rightly has it.
                in_vain = tap.get("right") and tap["id"] in phone.stands["refused"] and tap["after"] in kept
                assert many or not in_vain, f"refused though right: {tap}"
                if tap["id"] in kept:
                    assert not tap.get("ended"), f"ended and kept: {tap}"
                    assert kept[tap["id"]].person_id == tap["hand"], f"in another's name: {tap}"
            assert set(phone.stands["sent"]) <= on_the_server.keys(), "said to be sent, and is not"
        assert kept.keys() <= known, "nobody tapped this"
        for visit in Visit.objects.for_team(self.place.team):
            closing = [tap for tap in kept.values() if tap.stream == visit.pk and tap.kind == "visit_closed"]
            assert bool(visit.closed_at) == bool(closing), f"closed {visit.closed_at}, tapped {closing}"


class Walks(LiveServerTestCase):
    def test_every_tap_is_on_the_server_or_waits_in_its_own_hands_name(self):
        Walk.phones = [Phone(self.live_server_url) for _ in range(2)]
        for phone in Walk.phones:
            self.addCleanup(phone.close)
        how = walked(
            max_examples=WALKS,
            stateful_step_count=15,
            deadline=None,
            derandomize=WALKS == 50,
            database=None,
            suppress_health_check=list(HealthCheck),
        )
        run_state_machine_as_test(Walk, settings=how)
        self.assertGreater(Tap.across_teams.count(), WALKS)
