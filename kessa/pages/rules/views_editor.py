"""The pages on which a team writes rule sets of its own."""

from contextlib import suppress
from typing import Any

import tomli_w
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.core.judging.limits import RuleSet
from kessa.core.judging.statistics import STATISTICS
from kessa.core.quantities.parameters import parameters
from kessa.pages.methods.forms import ImportForm
from kessa.pages.rules.forms import LimitForm, SetForm
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.results.preview import preview_of
from kessa.record.rules import services
from kessa.record.rules.models import OwnRuleSet
from kessa.record.rules.selectors import is_own, known_sets

_EMPTY = {"title": "", "applies_to": "plant", "about": "", "limits": []}


@technician
@require_POST
def begin(request: TeamRequest, key: str = "") -> HttpResponse:
    """Begin a set of one's own: empty, from a copy of one that ships, or the next version of one's own."""
    known = known_sets(request.membership.team_id)
    if key and key not in known:
        raise Http404
    definition: dict[str, Any] = _plain(known[key]) if key else _EMPTY
    if key and not is_own(key):
        definition["title"] = f"{definition['title'].removesuffix(': an example')}, ours"[:100]
    return redirect("rules:draft", services.begin_set(request.membership, definition, key).pk)


def _plain(found: RuleSet) -> dict[str, Any]:
    data: dict[str, Any] = found.model_dump(mode="json", by_alias=True, exclude_defaults=True)
    return data


def _draft(request: TeamRequest, pk: int) -> OwnRuleSet:
    rows = OwnRuleSet.objects.for_team(request.membership.team)
    return get_object_or_404(rows, pk=pk, published_at=None)


def _keep(
    request: TeamRequest, draft: OwnRuleSet, definition: dict[str, Any], page: str = "rules:draft", *named: int
) -> HttpResponse:
    try:
        services.keep_set(request.membership, draft, definition)
    except ValidationError as error:
        messages.error(request, error.message)
        return redirect("rules:index")
    return redirect(page, draft.pk, *named)


@technician
def draft(request: TeamRequest, pk: int) -> HttpResponse:
    """What the set is called, and its limits."""
    found = _draft(request, pk)
    form = SetForm(request.POST or None, initial=found.definition)
    if request.method == "POST" and form.is_valid():
        limits = found.definition.get("limits", [])
        if "drop" in request.POST:
            n = request.POST["drop"]
            limits = [each for at, each in enumerate(limits) if str(at) != n]
        definition = {**found.definition, **form.cleaned_data, "limits": limits}
        if "on" in request.POST:
            return _keep(request, found, definition, "rules:check")
        if "add" in request.POST:
            return _keep(request, found, definition, "rules:add_limit")
        n = request.POST.get("change", "")
        # What was typed beside the limits is kept on the way to one of them.
        if n.isascii() and n.isdigit() and int(n) < len(limits):
            return _keep(request, found, definition, "rules:limit", int(n))
        return _keep(request, found, definition)
    context = {
        "draft": found,
        "form": form,
        "limits": [
            LimitForm.filled(each, found.definition.get("applies_to")) for each in found.definition.get("limits", [])
        ],
    }
    return render(request, "rules/draft.html", context, status=422 if form.errors else 200)


@technician
def limit(request: TeamRequest, pk: int, n: int | None = None) -> HttpResponse:
    """One limit of a draft: a new one, or one that is there."""
    found = _draft(request, pk)
    limits = list(found.definition.get("limits", []))
    if n is not None and n >= len(limits):
        raise Http404
    before = limits[n] if n is not None else {}
    form = LimitForm(request.POST or None, before=before, applies_to=found.definition.get("applies_to"))
    if request.method == "POST" and form.is_valid():
        limits[n if n is not None else len(limits) :] = [form.said, *(limits[n + 1 :] if n is not None else [])]
        return _keep(request, found, {**found.definition, "limits": limits})
    context = {"draft": found, "form": form, "n": n, "parameters": _parameters(), "statistics": STATISTICS}
    return render(request, "rules/limit.html", context, status=422 if form.errors else 200)


def _parameters() -> list[str]:
    return sorted({each.key for each in parameters().values()})


@technician
def check(request: TeamRequest, pk: int) -> HttpResponse:
    """What is still wrong with a draft, and which standing verdicts it would change; then it is kept, with a reason."""
    found = _draft(request, pk)
    refused: list[str] = []
    if request.method == "POST":
        try:
            services.publish_set(request.membership, found, why=request.POST.get("why", ""))
            messages.success(request, f"{found}, version {found.version}: results are judged by it from now on.")
            return redirect("rules:index")
        except ValidationError as error:
            refused = error.messages
    wrong = services.faults_of(found.definition)
    preview = None if wrong else preview_of(found.team_id, found.rule_set)
    context = {"draft": found, "wrong": wrong, "preview": preview, "refused": refused}
    return render(request, "rules/check.html", context, status=422 if refused else 200)


@technician
@require_POST
def throw_away(request: TeamRequest, pk: int) -> HttpResponse:
    """Throw a draft away."""
    draft = _draft(request, pk)
    # Two who throw it away at the same moment both did.
    with suppress(ValidationError):
        services.throw_away_set(request.membership, draft)
    return redirect("rules:index")


@technician
@require_POST
def retire(request: TeamRequest, key: str) -> HttpResponse:
    """Offer a set of one's own to no further place."""
    rows = OwnRuleSet.objects.for_team(request.membership.team_id).filter(key=key, published_at__isnull=False)
    newest = rows.order_by("-version").first()
    if newest is None:
        raise Http404
    services.retire_set(request.membership, newest)
    messages.success(request, "It is offered to no further place. Those that are judged by it go on being so.")
    return redirect("rules:index")


@member
@require_GET
def export(request: TeamRequest, key: str) -> HttpResponse:
    """A rule set as a TOML file."""
    found = known_sets(request.membership.team_id).get(key)
    if found is None:
        raise Http404
    response = HttpResponse(tomli_w.dumps(_plain(found)), content_type="application/toml; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{key}.toml"'
    return response


@technician
def take_in(request: TeamRequest) -> HttpResponse:
    """Take in the file of a rule set."""
    form = ImportForm(request.POST or None, request.FILES or None)
    faults: list[str] = []
    if request.method == "POST" and form.is_valid():
        try:
            return redirect("rules:check", services.import_set(request.membership, form.cleaned_data["text"]).pk)
        except ValidationError as error:
            faults = error.messages
    context = {"form": form, "faults": faults}
    return render(request, "rules/take_in.html", context, status=422 if faults or form.errors else 200)
