"""The pages on which a team writes methods of its own."""

from typing import Any

import tomli_w
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST
from pydantic import ValidationError as Unreadable

from kessa.core.errors import CannotCompute
from kessa.core.methods import house_methods
from kessa.core.methods.drafts import beginning, faults_of, in_ranges, kinds_in_words, place_in_words
from kessa.core.methods.parts import Part
from kessa.pages.methods.forms import ExampleForm, ImportForm, KindForm, KitNumbersForm, NumbersForm, StepsForm
from kessa.record.methods import services
from kessa.record.methods.models import OwnMethod
from kessa.record.methods.selectors import methods_of, newest_own
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.rounds.services import retire_method


@technician
def begin(request: TeamRequest) -> HttpResponse:
    """Ask of which kind a new method is."""
    form = KindForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        draft = services.begin_draft(request.membership, beginning(form.cleaned_data["kind"]))
        return redirect("methods:numbers", draft.pk)
    return render(request, "methods/begin.html", {"form": form, "kinds": kinds_in_words()})


def _draft(request: TeamRequest, pk: int) -> OwnMethod:
    rows = OwnMethod.objects.for_team(request.membership.team)
    return get_object_or_404(rows, pk=pk, published_at=None, retired_at=None)


def _kept(request: TeamRequest, draft: OwnMethod, definition: dict[str, Any], page: str) -> HttpResponse:
    """Keep what a draft says so far, and lead on; where it is a draft no more, say so."""
    try:
        services.keep_draft(request.membership, draft, definition)
    except ValidationError as error:
        messages.error(request, error.message)
        return redirect("methods:index")
    return redirect(page, draft.pk)


@technician
def numbers(request: TeamRequest, pk: int) -> HttpResponse:
    """Say what the method finds out, and by which numbers."""
    draft = _draft(request, pk)
    form = NumbersForm(draft.definition, request.POST or None)
    if request.method == "POST" and form.is_valid():
        return _kept(request, draft, form.changed(), "methods:steps")
    status = 422 if form.errors else 200
    return render(request, "methods/numbers.html", {"draft": draft, "form": form}, status=status)


@technician
def steps(request: TeamRequest, pk: int) -> HttpResponse:
    """Say the steps with their clocks and cautions."""
    draft = _draft(request, pk)
    form = StepsForm(draft.definition, request.POST or None)
    if request.method == "POST" and form.rows.is_valid():
        return _kept(request, draft, form.changed(), "methods:steps" if "more" in request.POST else "methods:check")
    return render(
        request, "methods/steps.html", {"draft": draft, "rows": form.rows}, status=422 if request.POST else 200
    )


@technician
def check(request: TeamRequest, pk: int) -> HttpResponse:
    """Check a draft by an example reading that shows its working; what is still wrong stands first."""
    draft = _draft(request, pk)
    kind = draft.definition["parts"][0]["kind"]
    form = ExampleForm(kind, request.GET if "example" in request.GET else None)
    context: dict[str, Any] = {"draft": draft, "form": form, "faults": _in_words(draft.definition)}
    if form.is_bound and form.is_valid():
        try:
            determined = Part.model_validate(in_ranges(draft.definition)[0]["parts"][0]).determine(form.reading)
            context |= {"quantity": determined.quantity, "working": determined.working}
        except CannotCompute as error:
            context["refused"] = error.message
        except Unreadable:
            context["refused"] = "The numbers do not make a method yet: see above."
    return render(request, "methods/check.html", context)


def _in_words(definition: dict[str, Any]) -> list[tuple[str, str]]:
    return [(place_in_words(where), what) for where, what in faults_of(definition)]


@technician
@require_POST
def publish(request: TeamRequest, pk: int) -> HttpResponse:
    """Let the team use a draft from now on."""
    draft = _draft(request, pk)
    try:
        services.publish(request.membership, draft)
    except ValidationError as error:
        for message in error.messages:
            messages.error(request, message)
        return redirect("methods:check", pk)
    messages.success(request, f"{draft}, version {draft.version}: your team can use it from now on.")
    return redirect("methods:method", draft.key)


@technician
@require_POST
def throw_away(request: TeamRequest, pk: int) -> HttpResponse:
    """Throw a draft away."""
    services.throw_away(request.membership, _draft(request, pk))
    return redirect("methods:index")


@technician
@require_POST
def change(request: TeamRequest, key: str) -> HttpResponse:
    """Begin the next version of a method of the team's own, or a method of its own from one of the house's."""
    team = request.membership.team
    found = methods_of(team.pk).get(key)
    if found is None:
        raise Http404
    own = newest_own(team.pk, found)
    definition = own.definition if own else found.snapshot()
    if not own:
        definition["version"] = 1
        definition["name"] = f"{found.name}, ours"[:200]
        definition["test_name"] = f"{found.test_name}, ours"
        definition["parts"][0]["numbers"].pop("next_range", None)
    return redirect("methods:numbers", services.begin_draft(request.membership, definition, own.key if own else "").pk)


@technician
def kit_numbers(request: TeamRequest, key: str) -> HttpResponse:
    """Set what the team's kit prints on a house method, in one short form."""
    house, now = house_methods().get(key), methods_of(request.membership.team.pk).get(key)
    if now is None:
        raise Http404
    if house is None:
        messages.error(request, "This method is your own already: change it.")
        return redirect("methods:method", key)
    form = KitNumbersForm(house, now, request.POST or None)
    if request.method == "POST" and form.is_valid():
        try:
            services.set_kit_numbers(request.membership, key, form.numbers)
            messages.success(request, "Your kit's numbers hold from the next test on; earlier results stay.")
            return redirect("methods:method", key)
        except ValidationError as error:
            form.add_error(None, error)
    context = {"house": house, "form": form}
    return render(request, "methods/kit_numbers.html", context, status=422 if form.errors else 200)


@technician
@require_POST
def retire(request: TeamRequest, key: str) -> HttpResponse:
    """Take a method of the team's own out of use."""
    found = methods_of(request.membership.team.pk).get(key)
    own = found and newest_own(request.membership.team.pk, found)
    if own is None:
        raise Http404
    retire_method(request.membership, own.key)
    messages.success(request, "It is out of use. What was measured by it stays in the log.")
    return redirect("methods:index")


@member
@require_GET
def export(request: TeamRequest, key: str) -> HttpResponse:
    """A method as a TOML file."""
    found = methods_of(request.membership.team.pk).get(key)
    if found is None:
        raise Http404
    own = newest_own(request.membership.team.pk, found)
    response = HttpResponse(
        tomli_w.dumps(own.definition if own else found.snapshot()), content_type="application/toml; charset=utf-8"
    )
    response["Content-Disposition"] = f'attachment; filename="{key}.toml"'
    return response


@technician
def take_in(request: TeamRequest) -> HttpResponse:
    """Take in a method file."""
    form = ImportForm(request.POST or None, request.FILES or None)
    faults: list[str] = []
    if request.method == "POST" and form.is_valid():
        try:
            draft = services.import_method(request.membership, form.cleaned_data["text"])
            return redirect("methods:check", draft.pk)
        except ValidationError as error:
            faults = error.messages
    context = {"form": form, "faults": faults}
    return render(request, "methods/take_in.html", context, status=422 if faults or form.errors else 200)
