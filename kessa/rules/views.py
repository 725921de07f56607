"""The rules: house rules of the team, and the published limits with their sources."""

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from kessa.core.judging.limits import rule_sets
from kessa.people.access import coordinator_required, member_required
from kessa.rules import services
from kessa.rules.forms import HouseRulesForm
from kessa.rules.selectors import house_rules


@member_required
def index(request: HttpRequest) -> HttpResponse:
    """Show the house rules and every rule set."""
    form = HouseRulesForm(house_rules(request.membership.team))
    return render(request, "rules/index.html", {"form": form, "sets": rule_sets().values()})


@coordinator_required
@require_POST
def choose(request: HttpRequest) -> HttpResponse:
    """Change the house rules."""
    team = request.membership.team
    form = HouseRulesForm(house_rules(team), request.POST)
    if not form.is_valid():
        return render(request, "rules/index.html", {"form": form, "sets": rule_sets().values()}, status=422)
    texts = {name: form.cleaned_data[name] for name in ("ice_rule", "flood_rule")}
    services.choose_house_rules(team, form.schools(), **texts)
    messages.success(request, "House rules saved. Tests begun before keep the rules they began with.")
    return redirect("rules:index")
