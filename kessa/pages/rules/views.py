"""The rules: house rules of the team, and the published limits with their sources."""

from typing import Any

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from kessa.pages.rules.forms import HouseRulesForm
from kessa.record.people.access import TeamRequest, coordinator, member
from kessa.record.rules import may, services
from kessa.record.rules.models import OwnRuleSet
from kessa.record.rules.selectors import house_rules, is_own, known_sets


@member
def index(request: TeamRequest) -> HttpResponse:
    """Show the house rules and every rule set."""
    rules = house_rules(request.membership.team)
    return render(request, "rules/index.html", _context(request, HouseRulesForm(rules)))


def _context(request: TeamRequest, form: HouseRulesForm) -> dict[str, Any]:
    team = request.membership.team
    known = known_sets(team.pk).values()
    by_role = (
        ("Your own", [each for each in known if is_own(each.key)]),
        ("Laws and guidelines", [each for each in known if each.role != "programme"]),
        ("Treatment programmes, as examples", [e for e in known if e.role == "programme" and not is_own(e.key)]),
    )
    own = OwnRuleSet.objects.for_team(team).select_related("written_by")
    return {
        "form": form,
        "rules": house_rules(team),
        "groups": by_role,
        "drafts": own.filter(published_at=None),
        "versions": own.filter(published_at__isnull=False),
        "writes": may.write_rule_set(request.membership),
    }


@coordinator
@require_POST
def choose(request: TeamRequest) -> HttpResponse:
    """Change the house rules."""
    team = request.membership.team
    rules = house_rules(team)
    form = HouseRulesForm(rules, request.POST)
    if not form.is_valid():
        return render(request, "rules/index.html", _context(request, form), status=422)
    texts = {name: form.cleaned_data[name] for name in ("ice_rule", "flood_rule", "never_alone")}
    services.choose_house_rules(request.membership, rules, form.schools(), **texts, public_words=form.public_words())
    messages.success(request, "House rules saved. Tests begun before keep the rules they began with.")
    return redirect("rules:index")
