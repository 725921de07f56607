"""A team with one row of everything, and the addresses that lead to them."""

import io
import re
from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone
from PIL import Image

from kessa.core.adapters.adapter import InstrumentReading
from kessa.core.methods import house_methods
from kessa.record.actions.services import note_done
from kessa.record.api_keys.models import Key
from kessa.record.api_keys.services import make_key
from kessa.record.exports.models import Export
from kessa.record.imports.services import bring
from kessa.record.imports.tasks import look_for_table
from kessa.record.instruments.models import Instrument, InstrumentCheck
from kessa.record.instruments.services import keep_instrument, take_readings
from kessa.record.methods.services import begin_draft, publish
from kessa.record.pads.services import bring_scale
from kessa.record.people.models import Contact, Invitation, Membership
from kessa.record.people.services import invite, keep_contact
from kessa.record.photographs.services import add_photograph
from kessa.record.places.models import Pair, Place
from kessa.record.places.services import keep_pair, keep_place
from kessa.record.practice.services import begin as begin_practice
from kessa.record.products.models import Product, ProductLot
from kessa.record.products.services import add_lot, keep_product
from kessa.record.public.services import open_page
from kessa.record.quality.services import calibrate
from kessa.record.reports.services import issue
from kessa.record.review.models import Step
from kessa.record.rounds.packing_list import packing_list
from kessa.record.rounds.services import keep_packing_list
from kessa.record.rules.services import begin_set, publish_set
from kessa.record.testing.services import begin_test
from kessa.record.visits.services import label_bottle
from kessa.record.webhooks.models import Webhook
from kessa.web.permissions import addresses
from tests.world import Taps, begin, note, planned, read, send, stocked_kit, visited

NAMES_NOTHING_OF_A_TEAM = (
    "/places/new/",
    "/demo/",
    "/team/join/",
    "/today/feed/",
    "/account/",
    "/api/v1/",
    "/open/to/",
    "/reports/make/",
    "/reports/issue/",
)


def one_of_each(by, place):
    """Make a row for each address that names one: by how the address begins and what it names."""
    team = by.team
    result, begun = read(place, by, "nitrate-photometer", 2.0, 2.0), begin(place, by)
    visit = visited(place, by)
    note(by, visit, ("air_temperature", 8.0))
    each, kit = planned(by, place), stocked_kit(by)
    begin(place, by, kit=kit.pk)
    asked = {"what": "asked", "at": timezone.now(), "words": "Was it frozen?", "to": by.user}
    Step.objects.create(team=team, visit=visit, by=by.user, **asked)
    blank = begin_test(by, {"method": "nitrate-photometer", "purpose": "blank", "kit": kit.pk})
    send(by, blank, Taps().read(0.0, 0.0).close())
    probe = keep_instrument(
        by, Instrument(team=team, name="Probe", measures="conductivity", unit="uS/cm", resolution=1)
    )
    shown = {"at": timezone.now(), "standard": "84 µS/cm", "reading": 84.0, "expected": 84.0, "allowed": 5.0}
    checked = InstrumentCheck.objects.for_team(team).create(team=team, instrument=probe, person=by.user, **shown)
    given = {"standard": 1413, "shown": 1410, "constant": 1.0, "temperature_c": 25, "compensated": True}
    calibrate(by, probe, "conductivity", given)
    take_readings(by, probe, [InstrumentReading(512.0, "uS/cm", 14.0)], "its key")
    other = keep_place(by, Place(team=team, name="Weir", latitude=54.5, longitude=-2.5))
    pair = keep_pair(by, Pair(team=team, kind="stream", first=place, second=other))
    definition = house_methods()["chloride-drops-25"].snapshot()
    own = begin_draft(by, definition)
    publish(by, own)
    draft = begin_draft(by, definition, own.key)
    limit = {"parameter": "chloride", "unit": "mg/L", "max": 200}
    kept = begin_set(by, {"title": "Ours", "applies_to": "plant", "limits": [limit]})
    rule_set = publish_set(by, kept, why="As the supplier says.")
    photograph, strip = add_photograph(by, place, "place", _picture()), begin(place, by, "ph-strip")
    packed = keep_packing_list(by, packing_list(team, by.user, each.stops.all(), kit))
    member_ = {"pk": Membership.objects.get(user=by.user).pk}
    product = keep_product(by, Product(team=team, name="Cleaner", does="cleans", label_per_m3=5.0))
    drum = add_lot(by, ProductLot(team=team, product=product, number="D-1"), 5.0)
    lot, stop = kit.lots.first(), each.stops.get()
    return {
        "/actions/volume/": {"place_pk": keep_place(by, Place(team=team, kind_key="boiler", name="Boiler")).pk},
        "/actions/list/": {"place_pk": place.pk},
        "/actions/at/": {"place_pk": place.pk},
        "/actions/": {"pk": note_done(by, place, timezone.now(), by_way="look", title="Looked").pk, "act": "decide"},
        "/api/keys/": {"pk": make_key(by, Key(name="x", ends_at=timezone.now() + timedelta(days=1)), f"k{by.pk}").pk},
        "/api/hooks/": {"pk": Webhook.objects.create(team=team, address="https://example.org/", secret="x").pk},
        "/bench/check/": {"key": own.key},
        "/bench/sample/": {"sample_pk": begun.sample_id},
        "/bench/visit/": {"pk": visit.pk},
        "/bench/spike/": {"pk": result.pk},
        "/bench/": {"pk": begun.pk},
        "/exchange/in/": {"pk": _notebook(by).pk, "act": "take-in"},
        "/exchange/out/": {"pk": Export.objects.create(team=team, asked_by=by.user, format="zip", state="done").pk},
        "/instruments/checks/": {"pk": checked.pk},
        "/instruments/": {"pk": probe.pk},
        "/kits/lots/": {"pk": lot.pk, "act": "use"},
        "/kits/": {"pk": kit.pk},
        "/log/of/<uuid:pk>/check": {"pk": blank.pk},
        "/log/of/": {"pk": result.determination_id},
        "/log/": {"pk": result.pk, "key": "ph", "run": 1, "flag": "digit-slip"},
        "/methods/draft/": {"pk": draft.pk},
        "/methods/": {"key": own.key},
        "/open/": {"pk": open_page(by, team, place, "Ours.").pk},
        "/pads/of/": {"pk": strip.pk, "photograph_pk": add_photograph(by, strip, "determination", _picture()).pk},
        "/pads/scales/": {"pk": bring_scale(by, strip.family, strip.method.main, _picture()).pk},
        "/photographs/<int:pk>": {"pk": photograph.pk},
        "/photographs/<slug:subject>/<int:pk>": {"subject": "place", "pk": place.pk},
        "/photographs/<slug:subject>/<uuid:pk>": {"subject": "visit", "pk": visit.pk},
        "/places/pairs/": {"pk": pair.pk},
        "/places/<int:pk>": {"pk": place.pk},
        "/practice/": {"pk": begin_practice(by, house_methods()["chloride-drops-25"]).pk},
        "/products/lots/": {"pk": drum.pk},
        "/products/": {"pk": drum.product_id},
        "/reports/<int:number>": {"number": issue(by, team, "sheet", {"visit": str(result.visit_id)}).number},
        "/review/questions/": {"pk": _asked(visit, by).pk},
        "/review/": {"pk": visit.pk, "act": "accept"},
        "/rules/sets/<int:pk>": {"pk": begin_set(by, {"title": "Draft", "limits": [limit]}).pk, "n": 0},
        "/rules/sets/": {"key": rule_set.key},
        "/taps/": {"of": "bench", "stream": begun.pk},
        "/team/contacts/": {"pk": keep_contact(by, Contact(team=team, role="keeper", name="Runa")).pk},
        "/team/invitations/": {"pk": invite(by, Invitation(role="volunteer"), f"sesame of {team.pk}").pk},
        "/team/members/": member_,
        "/team/switch/": {"pk": team.pk},
        "/today/pack/": {"pk": packed.pk},
        "/today/rounds/": {"pk": each.pk, "stop_pk": stop.pk},
        "/visits/along/check/": {"key": own.key},
        "/visits/along/": {"place_pk": place.pk, "family": "chloride-drops"},
        "/visits/begin/": {"place_pk": place.pk},
        "/visits/bottle/": {"code": label_bottle(by, place).code},
        "/visits/sample/at/": {"place_pk": place.pk},
        "/visits/sample/": {"pk": begun.sample_id},
        "/visits/<uuid:pk>": {"pk": visit.pk, "key": "air_temperature"},
    }


def _picture():
    """A photograph."""
    picture = io.BytesIO()
    Image.new("RGB", (40, 30)).save(picture, "JPEG")
    return SimpleUploadedFile("ford.jpg", picture.getvalue())


def _notebook(by):
    """Bring a file."""
    table = SimpleUploadedFile("old.csv", f"Site,Date,Chloride mg/L\nX,2024-01-0{by.pk % 9 + 1},5\n".encode())
    brought = bring(by, by.team, table)
    look_for_table(brought.pk, "", "")
    return brought


def _asked(visit, by):
    """Ask something about a visit."""
    return Step.objects.create(team=by.team, visit=visit, what="asked", by=by.user, to=by.user, at=timezone.now())


def named(rows):
    """Return each address that names a row of these, with its pattern and what it names."""
    for pattern, _ in addresses():
        if "<" in pattern and not pattern.startswith(NAMES_NOTHING_OF_A_TEAM):
            row = next(row for begins, row in rows.items() if pattern.startswith(begins))
            yield pattern, re.sub(r"<\w+:(\w+)>", lambda piece, row=row: str(row[piece[1]]), pattern)
