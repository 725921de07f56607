"""The rules: house rules of the team, and the published limits with their sources."""

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from kessa.core.judging.limits import rule_sets
from kessa.people.access import coordinator, member
from kessa.rules import services
from kessa.rules.forms import HouseRulesForm
from kessa.rules.selectors import house_rules


@member
def index(request: HttpRequest) -> HttpResponse:
    """Show the house rules and every rule set."""
    rules = house_rules(request.membership.team)
    context = {"form": HouseRulesForm(rules), "sets": rule_sets().values(), "rules": rules}
    return render(request, "rules/index.html", context)


@coordinator
@require_POST
def choose(request: HttpRequest) -> HttpResponse:
    """Change the house rules."""
    team = request.membership.team
    rules = house_rules(team)
    form = HouseRulesForm(rules, request.POST)
    if not form.is_valid():
        context = {"form": form, "sets": rule_sets().values(), "rules": rules}
        return render(request, "rules/index.html", context, status=422)
    texts = {name: form.cleaned_data[name] for name in ("ice_rule", "flood_rule", "never_alone")}
    services.choose_house_rules(request.membership, rules, form.schools(), **texts)
    messages.success(request, "House rules saved. Tests begun before keep the rules they began with.")
    return redirect("rules:index")
