"""A small world for tests: two teams, a place each, and taps."""

import uuid
from datetime import timedelta

from django.utils import timezone

from kessa.bench.services import begin_determination, record_events
from kessa.kits.models import Kit, Lot
from kessa.kits.services import add_lot, keep_kit
from kessa.people.models import Membership, Role, User
from kessa.people.services import start_team
from kessa.places.models import Place
from kessa.rounds.models import Round
from kessa.rounds.services import keep_round, plan_stop
from kessa.visits.services import draw_sample

SETS = ["us-aquatic", "ca-aquatic"]


def team_of(name):
    """Start a team with a coordinator of this name and a place."""
    user = User.objects.create_user(name.lower(), password="white tile", first_name=name)
    membership = start_team(user, f"{name}'s team", "Europe/London")
    place = Place(team=membership.team, name=f"{name}'s brook", latitude=54.5, longitude=-2.5, limit_sets=SETS)
    place.save()
    return membership, place


def member(team, name, role=Role.VOLUNTEER):
    """Add someone to a team."""
    user = User.objects.create_user(name.lower(), password="white tile", first_name=name)
    return Membership.objects.create(team=team, user=user, role=role)


class Taps:
    """Taps as a browser makes them."""

    def __init__(self, device="test", seq=0):
        self.made, self.device, self.seq = [], device, seq

    def add(self, run, kind, seq=None, **data):
        """Add one tap and return it."""
        self.seq = seq or self.seq + 1
        at = (timezone.now() + timedelta(milliseconds=self.seq)).isoformat()
        tap = {"id": str(uuid.uuid4()), "run": run, "kind": kind, "seq": self.seq, "at": at, "data": data}
        self.made.append({**tap, "device": self.device})
        return self.made[-1]

    def run(self, name, count, endpoint=True):
        """Add a whole run."""
        for _ in range(count):
            self.add(name, "drop_added")
        self.add(name, "end_called", endpoint=endpoint)
        return self

    def close(self):
        """Add the closing tap."""
        self.add("", "closed")
        return self


def begin(place, person, method="chloride-drops-25", days_ago=0, **kwargs):
    """Draw a sample and begin a determination on it."""
    sample = draw_sample(place, person, timezone.now() - timedelta(days=days_ago, minutes=5))
    return begin_determination(sample, person, method, **kwargs)


def measured(place, person, *counts, days_ago=0, blank=1):
    """Run a determination through to its result."""
    determination = begin(place, person, days_ago=days_ago)
    taps = Taps().run("blank-1", blank)
    for number, count in enumerate(counts, 1):
        taps.run(f"sample-{number}", min(count, 25), endpoint=count <= 25)
    record_events(determination, person, taps.close().made)
    return determination.results.get(superseded_at=None)


def measured_meter(place, person, *displays):
    """Read a conductivity meter on one day after another."""
    for days_ago, display in enumerate(displays, 1):
        determination = begin(place, person, "conductivity-meter", days_ago=days_ago)
        taps = Taps()
        taps.add("sample-1", "reading_taken", part="main", reading={"display": display})
        record_events(determination, person, taps.close().made)


def planned(membership, place, rule="FREQ=DAILY", days_ago=0, people=(), **fields):
    """Plan a round with one place, chloride by drops and conductivity in place."""
    begins = timezone.localdate() - timedelta(days=days_ago)
    each = Round(team=membership.team, name=fields.pop("name", "Brook"), rule=rule, starts_on=begins, **fields)
    keep_round(each, list(people))
    plan_stop(each, place, {"chloride-drops": {"runs": 2, "blanks": 1, "standards": 0}}, ["conductivity"])
    return each


def stocked_kit(membership, families=("chloride-drops",), **units):
    """Keep a kit with a lot in use of what chloride by drops takes, and of `units`: by supply, with underscores."""
    kit = keep_kit(Kit(team=membership.team, name="Box", home="the shed", families=list(families)))
    stock = {"deionised_water": 5000, "chromate_packet": 50, "silver_nitrate": 20, "ph_strip": 10} | units
    for key, amount in stock.items():
        lot = Lot(team=membership.team, kit=kit, supply_key=key.replace("_", "-"), number=f"L-{key[:2]}")
        add_lot(lot, amount, membership.user)
    return kit


def safety(**changes):
    """What is confirmed before a visit to open water."""
    told = {"company": "Sanna", "told": "Ines", "back_by": "17:30", "ice_or_flood": "none", "ready": "on"}
    return {key: value for key, value in (told | changes).items() if value is not None}


def seen(*observations):
    """Observations as a browser sends them: (scale, value) or (scale, value, instrument)."""
    taps = []
    for number, (key, value, *instrument) in enumerate(observations, 1):
        data = {"value": value, "instrument": instrument[0] if instrument else None}
        at = (timezone.now() + timedelta(milliseconds=number)).isoformat()
        tap = {"id": str(uuid.uuid4()), "run": key, "kind": "observed", "seq": number, "at": at, "data": data}
        taps.append({**tap, "device": "test"})
    return taps
