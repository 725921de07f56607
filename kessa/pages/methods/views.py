"""Methods: the library, and each method as a bench card with what was done by it."""

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from kessa.core.job.hazards import hazards_of
from kessa.core.job.waste import waste_streams
from kessa.core.methods import house_methods
from kessa.core.methods.schema import Method
from kessa.pages.base.result_rows import table_rows
from kessa.record.kits.models import Lot
from kessa.record.methods.models import KitNumbers, OwnMethod
from kessa.record.methods.selectors import families_of, methods_of, out_of_use
from kessa.record.people.access import TeamRequest, member
from kessa.record.people.models import Team
from kessa.record.quality.models import QualityCheck
from kessa.record.results.models import Result
from kessa.record.results.selectors import listed

_LATELY = 12


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """Every method the team may use, by what it finds out."""
    by_parameter: dict[str, list[list[Method]]] = {}
    for family in families_of(request.membership.team.pk).values():
        for parameter in family[0].parameters:
            by_parameter.setdefault(parameter, []).append(family)
    ordered = sorted(by_parameter.items(), key=lambda each: each[0].lower())
    drafts = OwnMethod.objects.for_team(request.membership.team).filter(published_at=None, retired_at=None)
    context = {"parameters": ordered, "drafts": drafts.select_related("written_by")}
    return render(request, "methods/index.html", context)


@member
@require_GET
def method(request: TeamRequest, key: str) -> HttpResponse:
    """A method as a bench card, with its numbers, lots and latest results."""
    team = request.membership.team
    found = _method(team, key)
    supplies = {use.supply for use in found.uses}
    results = Result.objects.for_team(team).current().filter(determination__method_key=key).newest_first()
    context = {
        "method": found,
        "steps": [(step, found.condition(step)) for step in found.steps],
        "family": families_of(team.pk).get(found.family, [found]),
        "in_use": key in methods_of(team.pk),
        "is_house": key in house_methods(),
        "kit_numbers": KitNumbers.objects.for_team(team).filter(key=key).select_related("set_by").first(),
        "hazards": hazards_of(supplies),
        "jar_label": waste_streams()[found.waste_to].label if found.waste_to else "",
        "lots": Lot.objects.for_team(team).filter(supply_key__in=supplies, put_away_at=None).select_related("kit"),
        "rows": table_rows(team.pk, listed(results)[:_LATELY], request.user),
        "versions": list(
            OwnMethod.objects.for_team(team)
            .filter(key=found.family)
            .exclude(published_at=None)
            .select_related("written_by")
        ),
        "checks": QualityCheck.objects.for_team(team)
        .filter(family=found.family)
        .select_related("determination", "person")[:_LATELY],
    }
    return render(request, "methods/method.html", context)


def _method(team: Team, key: str) -> Method:
    """A method in use, or one that was: results by it lead here."""
    found = methods_of(team.pk).get(key) or out_of_use(team.pk, key)
    if found is None:
        raise Http404
    return found
