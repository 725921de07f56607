"""What can be done about a result: putting it right, setting it aside, going on, running once more."""

import uuid
from collections.abc import Callable
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from kessa.pages.bench.forms import DilutionForm
from kessa.pages.people.forms import WhyForm
from kessa.pages.results.forms import AnswerRightForm, ReadingRightForm, in_words
from kessa.record.determinations.models import Determination
from kessa.record.people.access import TeamRequest, member
from kessa.record.results.models import Result
from kessa.record.testing import corrections as services
from kessa.record.testing import exclusions, repeats
from kessa.record.testing.services import reopen

_NO_REASON = "Say why, in up to 300 characters: the reason stays with the result."


def _result(request: TeamRequest, pk: int) -> Result:
    rows = Result.objects.for_team(request.membership.team)
    return get_object_or_404(rows.select_related("determination__sample__visit__place", "place"), pk=pk)


def _determination(request: TeamRequest, pk: uuid.UUID) -> Determination:
    rows = Determination.objects.for_team(request.membership.team)
    return get_object_or_404(rows.select_related("sample__visit__place"), pk=pk)


@member
def correct_reading(request: TeamRequest, pk: int, run: int) -> HttpResponse:
    """Put right what was counted or read in a run: the result is written anew, the earlier one stays to be seen."""
    found = _result(request, pk)
    raw = found.runs.get(run)
    if raw is None or found.determination is None:
        raise Http404
    part = found.determination.method.part(found.part)
    form = ReadingRightForm(part, raw, request.POST or None)
    title = f"Put run {run} right: {part.said(raw)}"

    def act() -> None:
        services.correct_reading(
            request.membership, found.determination, run, form.right(), part=part.key, why=form.cleaned_data["why"]
        )

    return _righted(request, found, form, title, act)


@member
def correct_answer(request: TeamRequest, pk: int, key: str) -> HttpResponse:
    """Put right an answer given on the way."""
    found = _result(request, pk)
    if found.determination is None or key not in found.determination.method.asks:
        raise Http404
    now = found.readings.get("answers", {}).get(key)
    form = AnswerRightForm(found.determination.method.asks[key], now, request.POST or None)
    title = f"Put an answer right: {key}, {in_words(now)}" if now is not None else f"Answer after all: {key}"

    def act() -> None:
        services.correct_answer(
            request.membership, found.determination, key, form.cleaned_data["value"], why=form.cleaned_data["why"]
        )

    return _righted(request, found, form, title, act)


def _righted(request: TeamRequest, found: Result, form: WhyForm, title: str, act: Callable[[], None]) -> HttpResponse:
    if request.method == "POST" and form.is_valid():
        try:
            act()
            messages.success(request, "It is put right. What was written before stays to be seen.")
            return redirect("results:determination", found.determination_id)
        except ValidationError as error:
            form.add_error(None, error)
    context = {"form": form, "title": title, "back": reverse("results:result", args=[found.pk])}
    return render(request, "base/correction.html", context, status=422 if form.errors else 200)


@member
@require_POST
def exclude(request: TeamRequest, pk: int) -> HttpResponse:
    """Set a result aside without a new test."""
    found = _result(request, pk)
    done = with_reason(request, lambda why: exclusions.exclude(request.membership, found, why=why))
    if done:
        messages.success(request, "Set aside. It stays in the log, and can be brought back.")
    return redirect("results:result", pk)


@member
@require_POST
def restore(request: TeamRequest, pk: int) -> HttpResponse:
    """Let a result that was set aside stand again."""
    found = _result(request, pk)
    done = with_reason(request, lambda why: exclusions.restore(request.membership, found, why=why))
    if done:
        messages.success(request, "It stands again.")
    return redirect("results:result", pk)


@member
@require_POST
def further_run(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Open a closed test for one more run, with the reason."""
    found = _determination(request, pk)
    done = with_reason(request, lambda why: reopen(request.membership, found, why=why))
    return redirect("bench:determination" if done else "results:determination", pk)


@member
@require_POST
def repeat(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Set a test's results aside with the reason, and begin again on the same sample."""
    found = _determination(request, pk)
    begun = with_reason(request, lambda why: repeats.repeat(request.membership, found, why=why))
    return redirect("bench:determination", begun.pk) if begun else redirect("results:determination", pk)


@member
@require_POST
def go_on(request: TeamRequest, pk: uuid.UUID) -> HttpResponse:
    """Go on after a result over the range."""
    form = DilutionForm(request.POST)
    if not form.is_valid():
        messages.error(request, "Choose one of the dilutions offered.")
        return redirect("results:determination", pk)
    try:
        begun = repeats.go_on(request.membership, _determination(request, pk), form.cleaned_data["dilution"])
        return redirect("bench:determination", begun.pk)
    except ValidationError as error:
        messages.error(request, error.message)
        return redirect("results:determination", pk)


def with_reason(request: TeamRequest, act: Callable[[str], Any]) -> Any:
    """Do something that needs a reason; where it cannot be done, say why not and return None."""
    form = WhyForm(request.POST)
    if not form.is_valid():
        messages.error(request, _NO_REASON)
        return None
    try:
        return act(form.cleaned_data["why"])
    except ValidationError as error:
        messages.error(request, error.message)
        return None


@member
@require_POST
def confirm(request: TeamRequest, pk: int, flag: str) -> HttpResponse:
    """Say that a number about which something was asked is right."""
    found = _result(request, pk)
    if found.determination is None:
        raise Http404
    try:
        exclusions.confirm(request.membership, found.determination, found, flag=flag)
        messages.success(request, "Noted: it is right. The mark is lifted.")
    except ValidationError as error:
        messages.error(request, error.message)
    return redirect("results:result", pk)
