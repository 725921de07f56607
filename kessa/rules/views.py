"""The rules: house rules of the team, and the published limits with their sources."""

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from kessa.core.limits import rule_sets
from kessa.people.access import coordinator_required, member_required
from kessa.rules import services
from kessa.rules.selectors import house_rules


@member_required
def index(request: HttpRequest) -> HttpResponse:
    """Show the house rules and every rule set."""
    context = {"rules": house_rules(request.membership.team), "sets": rule_sets().values()}
    return render(request, "rules/index.html", context)


@coordinator_required
@require_POST
def choose(request: HttpRequest) -> HttpResponse:
    """Change the house rules."""
    services.choose_house_rules(request.membership.team, blank_first=request.POST.get("blank_first") == "yes")
    messages.success(request, "House rules saved. Tests begun before keep the rules they began with.")
    return redirect("rules:index")
