"""A small world for tests: two teams, a place each, and taps."""

import base64
import os
import uuid
from datetime import timedelta

from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from django.utils import timezone

from kessa.record.kits.models import Kit, Lot
from kessa.record.kits.services import add_lot, keep_kit
from kessa.record.people.models import Membership, Role, User
from kessa.record.people.pins import sealing_key
from kessa.record.people.services import start_team
from kessa.record.places.models import Place
from kessa.record.results.models import Result
from kessa.record.rounds.models import Round
from kessa.record.rounds.services import keep_round, plan_stop
from kessa.record.taps.services import record, tapped
from kessa.record.testing.services import begin_test
from kessa.record.visits.models import Observation, Sample, Visit
from kessa.record.visits.services import visit_around

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

    def __init__(self, device="test", seq=1, days_ago=0):
        self.made, self.device, self.seq = [], device, seq
        self.now = timezone.now() - timedelta(days=days_ago)

    def add(self, run, kind, seq=None, **data):
        """Add one tap and return it."""
        self.seq = seq or self.seq + 1
        at = (self.now + timedelta(milliseconds=self.seq)).isoformat()
        tap = {"id": str(uuid.uuid4()), "run": run, "kind": kind, "seq": self.seq, "at": at, "data": data}
        self.made.append({**tap, "device": self.device})
        return self.made[-1]

    def run(self, name, count, endpoint=True):
        """Add a whole run."""
        for _ in range(count):
            self.add(name, "drop_added")
        self.add(name, "end_called", endpoint=endpoint)
        return self

    def read(self, *readings, part="main"):
        """Read a part in one run after another."""
        for number, reading in enumerate(readings, 1):
            raw = reading if isinstance(reading, dict) else {"display": reading}
            self.add(f"sample-{number}", "reading_taken", part=part, reading=raw)
        return self

    def answer(self, key, value):
        """Answer what is asked on the way."""
        self.add("", "answered", key=key, value=value)
        return self

    def close(self):
        """Add the closing tap."""
        self.add("", "closed")
        return self


def send(by, determination, taps):
    """Send taps of a test; return what became of them."""
    stored = record(by, "bench", determination.pk, taps.made if isinstance(taps, Taps) else taps)
    determination.refresh_from_db()
    return stored


def drawn(place, by, days_ago=0, minutes=5, **given):
    """Draw a sample, on the visit of those hours where there is one."""
    at = timezone.now() - timedelta(days=days_ago, minutes=minutes)
    number = uuid.uuid4()
    around = visit_around(place, at)
    data = {"place": place.pk, "sample": str(number), "at": at.isoformat(), **given}
    stream = around.pk if around else uuid.uuid4()
    stored = record(by, "visit", stream, [tapped("sample_drawn", data, at=at, seq=500)])
    assert not stored.refused, stored.refused
    return Sample.objects.for_team(place.team).get(pk=number)


def begin(place, by, method="chloride-drops-25", days_ago=0, at=None, **data):
    """Draw a sample and begin a test on it, at the time of the sample."""
    sample = drawn(place, by, days_ago=days_ago)
    at = at or sample.drawn_at + timedelta(minutes=1)
    return begin_test(by, {"sample": str(sample.pk), "method": method, **data}, at=at)


def standing(determination):
    """The only result of a test that stands."""
    return Result.objects.for_team(determination.team_id).current().get(determination=determination)


def measured(place, by, *counts, days_ago=0, blank=1):
    """Run a test through to its result."""
    determination = begin(place, by, days_ago=days_ago)
    taps = Taps(days_ago=days_ago).answer("ph", 7.2).run("blank-1", blank)
    for number, count in enumerate(counts, 1):
        taps.run(f"sample-{number}", min(count, 25), endpoint=count <= 25)
    send(by, determination, taps.close())
    return standing(determination)


def read(place, by, method, *readings, days_ago=0, **data):
    """Read a test's main part in one run after another, through to its result."""
    determination = begin(place, by, method, days_ago=days_ago, **data)
    stored = send(by, determination, Taps(days_ago=days_ago).read(*readings).close())
    assert not stored.refused, stored.refused
    return standing(determination)


def visited(place, by, days_ago=0, minutes=30, **safety_said):
    """Begin a visit, with its safety confirmed, so long ago."""
    number = uuid.uuid4()
    at = timezone.now() - timedelta(days=days_ago, minutes=minutes)
    record(by, "visit", number, [tapped("visit_begun", {"place": place.pk, "safety": safety(**safety_said)}, at=at)])
    return Visit.objects.for_team(place.team).get(pk=number)


def led(by, visit, kind, seq=900, **data):
    """Tap something that leads a visit on; return what became of it."""
    stored = record(by, "visit", visit.pk, [tapped(kind, data, seq=seq)])
    visit.refresh_from_db()
    return stored


def note(by, visit, *observations):
    """Note observations on a visit; return what became of them."""
    return record(by, "visit", visit.pk, seen(*observations))


def noted(visit):
    """What counts of a visit's observations, by scale."""
    return {each.key: each.value for each in Observation.objects.for_team(visit.team_id).filter(visit=visit)}


def planned(membership, place, rule="FREQ=DAILY", days_ago=0, people=(), **fields):
    """Plan a round with one place, chloride by drops and conductivity in place."""
    begins = timezone.localdate() - timedelta(days=days_ago)
    each = Round(team=membership.team, name=fields.pop("name", "Brook"), rule=rule, starts_on=begins, **fields)
    keep_round(membership, each, list(people))
    tests = {"chloride-drops": {"runs": 2, "blanks": 1, "standards": 0}}
    plan_stop(membership, each, place, tests, ["conductivity"])
    return each


def stocked_kit(membership, families=("chloride-drops",), **units):
    """Keep a kit with a lot in use of what chloride by drops takes, and of `units`: by supply, with underscores."""
    kit = keep_kit(membership, Kit(team=membership.team, name="Box", home="the shed", families=list(families)))
    stock = {"deionised_water": 5000, "chromate_packet": 50, "silver_nitrate": 20, "ph_strip": 10} | units
    for key, amount in stock.items():
        lot = Lot(team=membership.team, kit=kit, supply_key=key.replace("_", "-"), number=f"L-{key[:2]}")
        add_lot(membership, lot, amount)
    return kit


def safety(**changes):
    """What is confirmed before a visit to open water."""
    told = {"company": "Sanna", "told": "Ines", "back_by": "17:30", "ice_or_flood": "none", "ready": "on"}
    return {key: value for key, value in (told | changes).items() if value is not None}


def seen(*observations, seq=2):
    """Observations as a browser sends them: (scale, value) or (scale, value, instrument) or with a unit at the end."""
    taps = []
    for number, (key, value, *more) in enumerate(observations, seq):
        data = {"value": value} | dict(zip(("instrument", "unit"), more, strict=False))
        at = (timezone.now() + timedelta(milliseconds=number)).isoformat()
        tap = {"id": str(uuid.uuid4()), "run": key, "kind": "observed", "seq": number, "at": at, "data": data}
        taps.append({**tap, "device": "test"})
    return taps


def sealed(pin, for_what):
    """Seal a PIN for the server as a page does it."""
    mine = ec.generate_private_key(ec.SECP256R1())
    theirs = ec.EllipticCurvePublicKey.from_encoded_point(ec.SECP256R1(), base64.b64decode(sealing_key()))
    key = HKDF(SHA256(), 32, salt=None, info=b"kessa pin").derive(mine.exchange(ec.ECDH(), theirs))
    nonce = os.urandom(12)
    point = mine.public_key().public_bytes(Encoding.X962, PublicFormat.UncompressedPoint)
    each = {"key": point, "nonce": nonce, "text": AESGCM(key).encrypt(nonce, pin.encode(), for_what.encode())}
    return {name: base64.b64encode(value).decode() for name, value in each.items()}
