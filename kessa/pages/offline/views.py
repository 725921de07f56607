"""A visit taken along: everything that a visit to a place wants on one page, which needs no signal from then on."""

import logging
import uuid
from collections.abc import Callable, Iterator
from datetime import tzinfo
from functools import cache, partial
from itertools import product
from typing import Any

from django.http import Http404, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_GET

from kessa.core.job.circumstances import SEVERAL
from kessa.core.job.ways import oxygen_steps, ways_for
from kessa.core.methods.schema import Method
from kessa.drawings.lanes import draw_lanes
from kessa.pages.base.long_answers import LongAnswer, may_begin
from kessa.pages.base.packed import packed
from kessa.pages.base.views import one_moment
from kessa.pages.bench.board import OnBoard, check_draft, drafts_of
from kessa.pages.bench.lanes import lanes_of
from kessa.pages.bench.page import panels_on_board
from kessa.pages.conditions.views import by_group, number_scales
from kessa.pages.samples.forms import SampleForm
from kessa.pages.samples.views import steps_of
from kessa.pages.visits.forms import HandoverForm
from kessa.pages.visits.views import before_going, offered_again
from kessa.record.kits.models import Kit
from kessa.record.methods.selectors import families_of, methods_of
from kessa.record.people.access import TeamRequest, member
from kessa.record.people.pins import sealing_key
from kessa.record.people.selectors import with_pin
from kessa.record.places.models import Place
from kessa.record.rounds.field_sheet import field_sheet
from kessa.record.rounds.models import PlannedTest
from kessa.record.rounds.selectors import planned_at, planned_for
from kessa.record.rules.models import HouseRules
from kessa.record.rules.selectors import house_rules
from kessa.record.taps.hands import whose
from kessa.record.visits.models import Sample, Visit
from kessa.record.visits.noted import DRAWN_SLACK, DRAWN_WITHIN, TO_COME, TOO_OLD
from kessa.record.visits.safety import SafetyForm
from kessa.record.visits.selectors import open_visit_at

_LOG = logging.getLogger(__name__)
# So many places are sent at a time.
MOST = 12
_WIDE = 360
# Stands for a number that the page makes itself.
NO_NUMBER = uuid.UUID(int=0)


@member
@require_GET
@ensure_csrf_cookie
def visit(request: TeamRequest, place_pk: int) -> HttpResponse:
    """The page of a place that is taken along: safety, circumstances, sample, tests, closing."""
    return render(request, "offline/visit.html", _context(request, _place(request, place_pk)))


@member
@require_GET
@ensure_csrf_cookie
def visits(request: TeamRequest) -> HttpResponse | StreamingHttpResponse:
    """The pages of places, each with all that can be tested there, in one answer that says nothing twice.

    Only so many are written at a time: the phone asks again by itself.
    """
    if not may_begin():
        return one_moment(request, 503, "Other phones take their places along just now. This one does by itself.")
    numbers = [number for number in request.GET.getlist("place") if number.isdecimal()][:MOST]
    places = Place.objects.for_team(request.membership.team_id).select_related("team").in_bulk(map(int, numbers))
    zone = timezone.get_current_timezone()
    return StreamingHttpResponse(
        LongAnswer(packed(_pages(request, list(places.values()), zone))), content_type="application/jsonl"
    )


def _pages(request: TeamRequest, places: list[Place], zone: tzinfo) -> Iterator[tuple[str, str | None]]:
    """Give the address and the text of each place's page and its parts; of what did not come whole, None at the end."""
    given: set[str] = set()
    for place in places:
        try:
            # They are written after this request has left the team's zone.
            with timezone.override(zone):
                for address, write in _written(request, place):
                    if address not in given:
                        given.add(address)
                        yield address, write()
        except Exception:
            # What fails at one place holds up none of the others.
            _LOG.exception("a place could not be taken along")
            yield reverse("offline:visit", args=[place.pk]), None


def _written(request: TeamRequest, place: Place) -> Iterator[tuple[str, Callable[[], str]]]:
    context = _context(request, place)
    yield reverse("offline:visit", args=[place.pk]), lambda: render_to_string("offline/visit.html", context, request)
    for each in context["besides"]:
        address = reverse("offline:test", args=[place.pk, each.family])
        yield address, partial(_test, request, place, each.family)
    for each in context["checks"]:
        yield reverse("offline:check", args=[each.key]), partial(_check, request, each)


def _context(request: TeamRequest, place: Place) -> dict[str, Any]:
    going = before_going(place)
    # Of the visit that goes on there already what was due when it began is still planned.
    begun = open_visit_at(place, request.user)
    planned = planned_at(begun) if begun else planned_for([due.stop for due in going["dues"]])
    sheet = field_sheet(Visit(team=place.team, place=place, started_at=timezone.now()), planned)
    sample = _to_be_drawn(request, place)
    tests = drafts_of(request.membership, [(sample, each.plan) for each in sheet.tests])
    ways = ways_for(place.kind_key)
    sample_form = SampleForm(place, request.user, ways, initial={"way": place.usual_way})
    several = len(tests) > 1
    besides = _other_methods(place, {each.family for each in tests})
    lanes = lanes_of(place.team_id, tests, timezone.now()) if several else None
    return {
        **going,
        "form": SafetyForm(place, initial=offered_again(request)),
        "groups": by_group(sheet),
        "several_from": SEVERAL,
        "ways": [(way, steps_of(way, sample_form)) for way in ways],
        "oxygen": oxygen_steps() if place.kind.has_depth else (),
        "sample_form": sample_form,
        "hand_form": HandoverForm(Visit(team=place.team), auto_id="hand_%s"),
        "tests": panels_on_board(request, tests, along=True),
        "several": several,
        "besides": besides,
        "checks": _checks(tests, besides),
        "along": True,
        "lanes": lanes,
        "drawing": draw_lanes(lanes, _WIDE) if lanes else None,
        "payload": {
            "place": place.pk,
            "made_at": timezone.now().isoformat(),
            "whose": whose(request.membership),
            "me": request.user.pk,
            "pins": list(with_pin(place.team_id)),
            "sealing_key": sealing_key(),
            "scales": number_scales(place),
            "refusals": refusals(place),
            "hot": {"above": sample_form.hot_above, "words": sample_form.too_hot},
            "drawn": {
                "slack_s": DRAWN_SLACK.total_seconds(),
                "within_s": DRAWN_WITHIN.total_seconds(),
                "to_come": TO_COME,
                "too_old": TOO_OLD,
            },
            "visit_at": reverse("taps:receive", args=["visit", NO_NUMBER]),
            "test_at": reverse("taps:receive", args=["bench", NO_NUMBER]),
            "outcome_at": reverse("bench:outcome", args=[NO_NUMBER]),
            "lanes_at": reverse("bench:board_lanes", args=[NO_NUMBER]),
            "none": str(NO_NUMBER),
        },
    }


@member
@require_GET
def test(request: TeamRequest, place_pk: int, family: str) -> HttpResponse:
    """A test that was not planned at a place, as it would begin there: its part of the page that was taken along."""
    place = _place(request, place_pk)
    if family not in families_of(place.team_id):
        raise Http404
    return HttpResponse(_test(request, place, family))


@member
@require_GET
def check(request: TeamRequest, key: str) -> HttpResponse:
    """A blank or a standard by a method, as it would begin anywhere: its part of the pages that were taken along."""
    method = methods_of(request.membership.team_id).get(key)
    if method is None or not method.main.numbers.can_be_checked:
        raise Http404
    return HttpResponse(_check(request, method))


def _test(request: TeamRequest, place: Place, family: str) -> str:
    plan = PlannedTest(team=place.team, family=family)
    [test] = drafts_of(request.membership, [(_to_be_drawn(request, place), plan)])
    return _part(request, test)


def _check(request: TeamRequest, method: Method) -> str:
    return _part(request, check_draft(request.membership, method))


def _part(request: TeamRequest, test: OnBoard) -> str:
    context = {"tests": panels_on_board(request, [test], along=True), "several": True, "along": True}
    return render_to_string("bench/board_tests.html", context, request)


def _place(request: TeamRequest, pk: int) -> Place:
    return get_object_or_404(Place.objects.for_team(request.membership.team_id).select_related("team"), pk=pk)


def _to_be_drawn(request: TeamRequest, place: Place) -> Sample:
    visit = Visit(team=place.team, place=place)
    return Sample(id=NO_NUMBER, team=place.team, visit=visit, drawn_at=timezone.now(), drawn_by=request.user)


def _other_methods(place: Place, planned: set[str]) -> list[Method]:
    """Return what else the team's kits can test, by the lowest range of each."""
    kits = Kit.objects.for_team(place.team_id).values_list("families", flat=True)
    in_kits = {family for families in kits for family in families} - planned
    known = families_of(place.team_id)
    return sorted((known[family][0] for family in in_kits if family in known), key=lambda method: method.test_name)


def _checks(tests: list[OnBoard], besides: list[Method]) -> list[Method]:
    """Return the methods by which a blank or a standard can be run: those planned in their range, then the others."""
    planned = [test.determination.method for test in tests]
    return [method for method in (*planned, *besides) if method.main.numbers.can_be_checked]


def refusals(place: Place) -> dict[str, list[str]]:
    """Return what the form of safety refuses, by what was ticked, so that a page without a signal refuses the same.

    A key names, in this order: somebody comes along, alone, the rule is kept to, the plant is ready (1 or 0), and ice.
    """
    rules = house_rules(place.team_id)
    return _refusals(place.kind_key, rules.never_alone, bool(rules.ice_rule.strip()), bool(rules.flood_rule.strip()))


@cache
def _refusals(kind: str, never_alone: bool, has_ice_rule: bool, has_flood_rule: bool) -> dict[str, list[str]]:
    place, said = Place(kind_key=kind), {True: "written", False: ""}
    rules = HouseRules(never_alone=never_alone, ice_rule=said[has_ice_rule], flood_rule=said[has_flood_rule])
    found = {}
    for company, alone, followed, ready, ice in product("01", "01", "01", "01", ("none", "ice", "flood")):
        data = {"told": "somebody", "back_by": "17:00", "ready": "on", "ice_or_flood": ice}
        ticked = {"company": company, "alone": alone, "rule_followed": followed, "plant_ready": ready}
        form = SafetyForm(place, data | {name: "on" for name, tick in ticked.items() if tick == "1"}, rules=rules)
        if not form.is_valid():
            errors = [str(error) for of_field in form.errors.values() for error in of_field]
            found[f"{company}{alone}{followed}{ready} {ice}"] = errors
    return found
