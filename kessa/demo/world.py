"""Tarrow Vale: its people, places, kits and rounds, and two years of what happened there."""

import math
import tomllib
from datetime import date, datetime, timedelta
from pathlib import Path
from random import Random
from typing import Any

from django.contrib.auth.hashers import make_password
from django.db import connection, transaction
from django.utils import timezone

from kessa.core.judging.limits import proposed_sets
from kessa.demo.history import Stay, Todo, live_through, run_through, season
from kessa.record.actions.services import note_done
from kessa.record.instruments.models import Instrument, InstrumentCheck
from kessa.record.instruments.services import keep_instrument
from kessa.record.kits import services as kits
from kessa.record.kits.models import Kit, Lot
from kessa.record.people.models import Contact, Membership, Team, User
from kessa.record.people.services import keep_contact, start_team
from kessa.record.places.models import Pair, Place
from kessa.record.places.services import keep_pair, keep_place
from kessa.record.products.models import Product, ProductLot
from kessa.record.products.services import add_lot, keep_product
from kessa.record.quality.services import check_instrument
from kessa.record.review.models import Step, What
from kessa.record.review.selectors import to_look_over
from kessa.record.review.services import ask, release_all
from kessa.record.rounds import services as rounds
from kessa.record.rounds.models import Round, StopOutcome
from kessa.record.rounds.selectors import due_now
from kessa.record.rules.selectors import house_rules, rules_kept
from kessa.record.rules.services import choose_house_rules
from kessa.record.testing.services import begin_test
from kessa.record.together import together
from kessa.record.visits.models import Review, Visit

DATA = tomllib.loads((Path(__file__).parent / "tarrow_vale.toml").read_text(encoding="utf-8"))
# What is said of a place for the world's sake; all else is the place's own fields.
_NOT_FIELDS = ("kind", "summer", "winter", "every_days", "span_days", "people", "kit", "tests")
_DAY = timedelta(days=1)
# Kits are on the books for so long.
_BOOKED = timedelta(days=85)
_PLENTY = 100_000
# After so many visits the tables have outgrown what the planner knows of them.
_GROWN = (2, 8, 40)


@transaction.atomic
@rules_kept()
def build(days: float = math.inf) -> bool:
    """Build the demo world, its visits for so many days back at most; return whether there was anything to do."""
    if Team.objects.filter(name=DATA["team"]).exists():
        return False
    people = _people()
    ines = people["ines"]
    team = ines.team
    chance = Random(DATA["seed"])
    choose_house_rules(ines, house_rules(team), {}, **DATA["rules"])
    places = _places(ines)
    boxes = _kits(ines)
    _products(ines, places)
    instruments = _instruments(team, people, boxes, chance)
    latest: dict[int, Visit] = {}
    for nth, stay in enumerate(_stays(places, people, boxes, chance, days)):
        if nth in _GROWN:
            _analyze()
        with together():
            latest[stay.place.pk] = live_through(stay, instruments.get(stay.kit, []), chance)
    _checks(team, people, boxes, chance)
    _done(people, places)
    _review(people)
    _plan(team, people, places, latest)
    _level(team)
    # So that the first page is planned as well as the thousandth.
    _analyze()
    return True


def _analyze() -> None:
    with connection.cursor() as cursor:
        # It takes as long as a busy machine needs.
        cursor.execute("SET LOCAL statement_timeout = 0")
        cursor.execute("ANALYZE")


def _people() -> dict[str, Membership]:
    people: dict[str, Membership] = {}
    password, pin = make_password(DATA["password"]), make_password(DATA["pin"])
    for each in DATA["people"]:
        user = User(username=each["username"], first_name=each["name"], password=password, pin=pin)
        user.email = f"{user.username}@tarrow-vale.example"
        user.save()
        if not people:
            people[user.username] = start_team(user, DATA["team"], DATA["time_zone"])
            team = people[user.username].team
            for contact in DATA["contacts"]:
                keep_contact(people[user.username], Contact(team=team, **contact))
        else:
            people[user.username] = Membership.objects.create(team=team, user=user, role=each["role"])
    return people


def _places(by: Membership) -> dict[str, Place]:
    places: dict[str, Place] = {}
    for each in DATA["places"]:
        given = (each["kind"], each.get("facts", {}), each.get("feeds", []))
        places[each["name"]] = keep_place(
            by,
            Place(
                team=by.team,
                kind_key=each["kind"],
                limit_sets=proposed_sets(*given, DATA["laws"]),
                **{name: value for name, value in each.items() if name not in _NOT_FIELDS},
            ),
        )
    for each in DATA["pairs"]:
        keep_pair(by, Pair(team=by.team, kind=each["kind"], first=places[each["first"]], second=places[each["second"]]))
    return places


def _kits(by: Membership) -> dict[str, Kit]:
    boxes = {each["name"]: kits.keep_kit(by, Kit(team=by.team, **each)) for each in DATA["kits"]}
    for each in DATA["lots"]:
        lot = Lot(team=by.team, kit=boxes[each["kit"]], supply_key=each["supply"], number=each["number"])
        lot.expires_on = _day_from_now(each.get("expires_in_days"))
        kits.add_lot(by, lot, each["units"] + _PLENTY)
        if each.get("in_use"):
            opened = _day_from_now(-each["opened_days_ago"])
            assert opened
            kits.use_lot(by, lot, opened)
        if each.get("damp"):
            kits.suspect_damp(by, lot, damp=True)
        if "table" in each:
            kits.keep_table(by, lot, each["table"])
    return boxes


def _products(by: Membership, places: dict[str, Place]) -> None:
    for each in DATA["products"]:
        data, lot = {name: value for name, value in each.items() if name not in ("lot", "places")}, each.get("lot")
        product = Product(team=by.team, **data)
        product.clean()
        keep_product(by, product, [places[name] for name in each.get("places", ())])
        if lot:
            expires_on = _day_from_now(lot["expires_in_days"])
            add_lot(
                by, ProductLot(team=by.team, product=product, number=lot["number"], expires_on=expires_on), lot["left"]
            )


def _done(people: dict[str, Membership], places: dict[str, Place]) -> None:
    """What was done to the systems between their tests."""
    for each in DATA["done"]:
        by, at = people[each["person"]], timezone.localtime().replace(hour=11, minute=20) - _DAY * each["days_ago"]
        product = Product.objects.for_team(by.team).filter(name=each.get("product")).first()
        note_done(
            by, places[each["place"]], at, by_way=each["by_way"], title=each["title"], amount=each["amount"],
            kept=each.get("kept", "L"), product=product, lot=product and product.lots.first(),
            remark=each.get("remark", ""), again_at=at + _DAY if product else None,
        )  # fmt: skip


def _review(people: dict[str, Membership]) -> None:
    """What is older was looked over and released; about one visit somebody was asked."""
    ines, asked, data = people["ines"], people[DATA["review"]["asks_of"]], DATA["review"]
    before = timezone.now() - _DAY * data["reviewed_after_days"]
    visits = to_look_over(ines.team).filter(started_at__lt=before)
    steps = [
        Step(team=ines.team, visit=visit, what=What.ACCEPTED, by=ines.user, at=visit.changed_at or visit.started_at)
        for visit in visits
    ]
    Step.objects.bulk_create(steps)
    visits.update(review=Review.REVIEWED)
    release_all(ines, ines.team, place=None, until=timezone.localdate() - _DAY * data["released_after_days"])
    last = to_look_over(ines.team).filter(leader=asked.user).first()
    if last:
        ask(ines, last, asked.user, words=data["question"])


def _level(team: Team) -> None:
    """Let each lot have come in with just so much that what is left now is what the world says."""
    for each in DATA["lots"]:
        lot = Lot.objects.for_team(team).get(kit__name=each["kit"], number=each["number"])
        received = lot.changes.get()
        received.units -= lot.units_left - each["units"]
        received.save(update_fields=["units"])
        kits.take_from(lot, lot.units_left - each["units"])


def _instruments(
    team: Team, people: dict[str, Membership], boxes: dict[str, Kit], chance: Random
) -> dict[Kit | None, list[Instrument]]:
    by_kit: dict[Kit | None, list[Instrument]] = {}
    for each in DATA["instruments"]:
        fields = {key: each[key] for key in ("name", "serial", "measures", "unit", "resolution", "check_every_days")}
        instrument = Instrument(team=team, kit=boxes[each["kit"]], **fields)
        instrument.calibration_due = _day_from_now(each["calibration_in_days"])
        keep_instrument(people["ines"], instrument)
        by_kit.setdefault(instrument.kit, []).append(instrument)
        for nth, days_ago in enumerate(range(each["first_check_days_ago"], each["last_check_days_ago"] - 1, -30)):
            off = each["drift"] * nth + chance.gauss(0, each["noise"])
            digits = 1 if each["resolution"] < 1 else 0
            check = InstrumentCheck(team=team, instrument=instrument, person=people[each["person"]].user)
            check.at = timezone.now() - _DAY * days_ago
            check.standard, check.expected, check.allowed = each["standard"], each["expected"], each["allowed"]
            check.reading = round(each["expected"] + off, digits)
            check_instrument(people[each["person"]], check)
    return by_kit


def _stays(
    places: dict[str, Place], people: dict[str, Membership], boxes: dict[str, Kit], chance: Random, days: float
) -> list[Stay]:
    """Every visit in order of time: the rounds, and what happened besides."""
    today = timezone.localtime().replace(hour=9, minute=10, second=0, microsecond=0)
    stays = []
    for nth, each in enumerate(place for place in DATA["places"] if "summer" in place):
        every, span = each.get("every_days", 30.4), each.get("span_days", 30.4 * DATA["months"])
        for back in range(int(min(span, days) / every), 0, -1):
            day = today - _DAY * (round(back * every) - 12 % int(every)) + timedelta(minutes=50 * (nth % 4))
            strength = each["summer"] + (each["winter"] - each["summer"]) * season(day) ** 2
            person = people[chance.choice(each["people"])]
            kit = boxes[each["kit"]] if day > today - _BOOKED else None
            strength *= chance.gauss(1.0, 0.07)
            todo = [Todo(DATA["method_family"], {"main": strength})]
            todo += [_todo(test, day, chance) for test in each.get("tests", []) if back <= test.get("last", 2)]
            stays.append(Stay(places[each["name"]], day, strength, person, kit, todo))
    for event in DATA["events"]:
        if event["days_ago"] > days:
            continue
        day = today - _DAY * event["days_ago"] + timedelta(minutes=chance.randrange(90))
        kit = boxes[DATA["kits"][0]["name"]] if day > today - _BOOKED else None
        person = people[event["person"]]
        todo = [Todo(DATA["method_family"], {"main": event["strength"]}, event.get("runs"))]
        stays.append(Stay(places[event["place"]], day, event["strength"], person, kit, todo))
    return sorted(stays, key=lambda stay: stay.day)


def _checks(team: Team, people: dict[str, Membership], boxes: dict[str, Kit], chance: Random) -> None:
    """Blanks and standards besides: a bad one marks the results of its day."""
    for each in DATA["checks"]:
        at = timezone.localtime().replace(hour=8, minute=20) - _DAY * each["days_ago"]
        against = {"expected": each["expected"], "plan": each["plan"]} if "expected" in each else {}
        person = people[each["person"]]
        method, kit = each["method"], boxes[each["kit"]]
        data = {"method": method, "purpose": each["purpose"], "against": against, "kit": kit.pk}
        begun = begin_test(person, data, at=at)
        run_through(begun, person, Todo(begun.method.family, each.get("parts") or {"main": each["strength"]}), chance)


def _todo(test: dict[str, Any], day: datetime, chance: Random) -> Todo:
    """One test besides chloride, in water of the season; strengths are [summer, winter] by part."""
    parts = test.get("parts") or {"main": test["strength"]}
    cold = season(day)
    return Todo(
        test["family"],
        {key: (summer + (winter - summer) * cold) * chance.gauss(1.0, 0.04) for key, (summer, winter) in parts.items()},
    )


def _plan(team: Team, people: dict[str, Membership], places: dict[str, Place], latest: dict[int, Visit]) -> None:
    """Plan the rounds; what fell due is settled, but for the places left open."""
    for each in DATA["rounds"]:
        planned = Round(team=team, name=each["name"], rule=each.get("rule", ""), months=each.get("months", []))
        planned.starts_on = timezone.localdate() - _DAY * each["began_days_ago"]
        planned.occasions = each.get("occasions", [])
        rounds.keep_round(people["ines"], planned, [people[name].user for name in each["people"]])
        tests = {family: {"runs": 2, "blanks": 1, "standards": 0} for family in each["tests"]}
        for name in each["places"]:
            rounds.plan_stop(people["ines"], planned, places[name], tests, each["in_place"])
        for due in due_now(team.pk, list(planned.stops.select_related("place")), timezone.localdate()):
            if due.stop.place.name not in each["left_open"]:
                visit = latest.get(due.stop.place_id)
                reason = "" if visit else "Before the plan was kept here."
                StopOutcome.objects.create(
                    team=team,
                    stop=due.stop,
                    due_on=due.due_on,
                    visit=visit,
                    reason=reason,
                    person=people[each["people"][0]].user,
                    at=datetime.combine(due.due_on, datetime.min.time(), tzinfo=timezone.get_current_timezone()),
                )


def _day_from_now(days: int | None) -> date | None:
    return None if days is None else timezone.localdate() + _DAY * days
