"""Kits, lots, instruments and the kit check."""

from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.bench.selectors import last_kit_at
from kessa.kits import services
from kessa.kits.forms import CheckForm, InstrumentForm, KitForm, LotForm, PackForm, UnitsForm, WhyForm
from kessa.kits.models import Instrument, InstrumentCheck, Kit, KitCheck, Lot
from kessa.kits.packing_list import make_packing_list
from kessa.kits.selectors import holdings, instruments_of, kits_with_lots
from kessa.people.access import coordinator_required, member_required
from kessa.rounds.selectors import calls, next_days, weekly_use, whole_rounds
from kessa.web.components.drift import drift

_AHEAD = timedelta(days=14)
_CHECKS_SHOWN = 60


@member_required
@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """Every kit with what it holds, the and what to reorder."""
    team = request.membership.team
    weekly = weekly_use(team)
    kits = kits_with_lots(team)
    shown = [(kit, holdings([kit], {})) for kit in kits]
    context = {
        "kits": [(kit, held, _tests_left(held)) for kit, held in shown],
        "reorder": [each for each in holdings(kits, weekly) if each.reorder],
        "instruments": instruments_of(team),
    }
    return render(request, "kits/index.html", context)


@member_required
@require_GET
def kit(request: HttpRequest, pk: int) -> HttpResponse:
    """A kit: its supplies, their lots and how far they reach."""
    found = next((each for each in kits_with_lots(request.membership.team) if each.pk == pk), None)
    if found is None:
        raise Http404
    held = holdings([found], weekly_use(request.membership.team))
    context = {"kit": found, "holdings": held, "tests_left": _tests_left(held), "form": LotForm(found)}
    return render(request, "kits/kit.html", context)


@coordinator_required
def edit_kit(request: HttpRequest, pk: int | None = None) -> HttpResponse:
    """Add a kit, or change one."""
    team = request.membership.team
    found = get_object_or_404(Kit.objects.for_team(team), pk=pk) if pk else Kit()
    form = KitForm(team, request.POST or None, instance=found)
    title = f"Change {found}" if pk else "Add a kit"
    return _edited(request, form, services.keep_kit, "kits:kit", title)


@member_required
@require_POST
def add_lot(request: HttpRequest, pk: int) -> HttpResponse:
    """Put a lot into a kit."""
    found = get_object_or_404(Kit.objects.for_team(request.membership.team), pk=pk)
    form = LotForm(found, request.POST)
    if form.is_valid():
        lot = services.add_lot(form.save(commit=False), form.cleaned_data["units"], request.user)
        messages.success(request, f"{lot} is in the kit.")
        return redirect("kits:kit", pk)
    context = {"form": form, "title": f"A lot for {found}", "act": "Put it into the kit"}
    return render(request, "kits/form.html", context, status=422)


@member_required
@require_GET
def lot(request: HttpRequest, pk: int) -> HttpResponse:
    """A lot: its state, what came in and went out, its conversion table."""
    found = _lot(request, pk)
    return render(request, "kits/lot.html", _lot_context(found))


@member_required
@require_POST
def change_lot(request: HttpRequest, pk: int, act: str) -> HttpResponse:
    """Count a lot, take it into use, suspect it of damp, write its table, or put it away."""
    found = _lot(request, pk)
    acts = {"count": _count, "use": _use, "damp": _damp, "table": _table, "away": _away}
    if act not in acts:
        raise Http404
    try:
        messages.success(request, acts[act](request, found))
    except ValidationError as error:
        messages.error(request, error.message)
        if act == "table":
            context = {**_lot_context(found), "table": request.POST.get("table", "")[:20_000]}
            return render(request, "kits/lot.html", context, status=422)
    return redirect("kits:lot", pk)


def _count(request: HttpRequest, found: Lot) -> str:
    form = UnitsForm(request.POST)
    if not form.is_valid():
        raise ValidationError("Write how many units you counted, 0 or more.")
    services.count_lot(found, form.cleaned_data["units"], request.user)
    return "Counted."


def _use(request: HttpRequest, found: Lot) -> str:
    services.use_lot(found, timezone.localdate())
    return f"{found} is in use."


def _damp(request: HttpRequest, found: Lot) -> str:
    damp = request.POST.get("damp") == "yes"
    services.suspect_damp(found, damp=damp)
    return "Suspected damp: results that rest on it say so." if damp else "Not suspected any more."


def _table(request: HttpRequest, found: Lot) -> str:
    services.keep_table(found, request.POST.get("table", "")[:20_000])
    return "The table is saved." if found.table else "The table is empty now."


def _away(request: HttpRequest, found: Lot) -> str:
    form = WhyForm(request.POST)
    if not form.is_valid():
        raise ValidationError("Say why it is put away.")
    services.put_away(found, request.user, form.cleaned_data["why"])
    return f"{found} is put away."


@coordinator_required
def edit_instrument(request: HttpRequest, pk: int | None = None) -> HttpResponse:
    """Add an instrument, or change one."""
    found = _instrument(request, pk) if pk else Instrument()
    form = InstrumentForm(request.membership.team, request.POST or None, instance=found)
    title = f"Change {found}" if pk else "Add an instrument"
    return _edited(request, form, services.keep_instrument, "kits:instrument", title)


@member_required
def instrument(request: HttpRequest, pk: int) -> HttpResponse:
    """An instrument: check it against a standard, and see how its checks went."""
    found = _instrument(request, pk)
    check = InstrumentCheck(team=found.team, instrument=found, person=request.user, at=timezone.now())
    form = CheckForm(request.POST or None, instance=check)
    if request.method == "POST" and form.is_valid():
        kept = services.check_instrument(form.save(commit=False))
        said = "It passed." if kept.passed else "It failed: what it reads is flagged until a check passes."
        messages.success(request, said)
        return redirect("kits:instrument", pk)
    checks = list(found.checks.select_related("person").order_by("-at", "-pk")[:_CHECKS_SHOWN])
    if checks and not form.is_bound:
        form.initial = {"standard": checks[0].standard, "expected": checks[0].expected, "allowed": checks[0].allowed}
    context = {"instrument": found, "checks": checks, "chart": drift(checks) if checks else None, "form": form}
    return render(request, "kits/instrument.html", context, status=422 if form.errors else 200)


@member_required
def pack(request: HttpRequest) -> HttpResponse:
    """Choose what to pack for: what is due for the person is chosen already."""
    team = request.membership.team
    form = PackForm(team, request.POST or None)
    if request.method == "POST":
        if form.is_valid():
            stops = form.cleaned_data["stop"].select_related("place").prefetch_related("tests")
            return redirect("kits:packing", make_packing_list(team, request.user, stops, form.cleaned_data["kit"]).pk)
        messages.error(request, "Choose a kit, and at least one place to pack for.")
    rounds = list(whole_rounds(team))
    found = calls(team, request.user, rounds)
    due = [*found.mine, *found.theirs]
    today = timezone.localdate()
    context = {
        "due": due,
        "kits": Kit.objects.for_team(team),
        "likely": last_kit_at(due[0].place) if due else None,
        "ahead": next_days(rounds, today, today + _AHEAD),
        "lists": KitCheck.objects.for_team(team).select_related("person").order_by("-made_at")[:5],
    }
    return render(request, "kits/pack.html", context, status=422 if form.errors else 200)


@member_required
@require_GET
def packing(request: HttpRequest, pk: int) -> HttpResponse:
    """A packing list to tick off."""
    found = _packing(request, pk)
    return render(request, "kits/packing.html", {"check": found, **_progress(found)})


@member_required
@require_POST
def tick(request: HttpRequest, pk: int) -> HttpResponse:
    """Tick a line off, or on again."""
    try:
        found = services.tick(
            _packing(request, pk), request.POST.get("key", ""), packed=request.POST.get("packed") == "yes"
        )
    except ValidationError as error:
        raise Http404 from error
    if request.htmx:
        return render(request, "kits/packed.html", {"check": found, **_progress(found)})
    return redirect("kits:packing", pk)


def _edited(request: HttpRequest, form: Any, keep: Any, page: str, title: str) -> HttpResponse:
    if request.method == "POST" and form.is_valid():
        kept = keep(form.save(commit=False))
        messages.success(request, f"{kept} is saved.")
        return redirect(page, kept.pk)
    context = {"form": form, "title": title, "act": "Save"}
    return render(request, "kits/form.html", context, status=422 if form.errors else 200)


def _progress(found: KitCheck) -> dict[str, Any]:
    troubled = [line for line in found.lines if line["troubles"]]
    return {"troubled": troubled, "left": len(found.lines) - len(found.ticked)}


def _tests_left(held: list[Any]) -> int | None:
    return min((each.runs for each in held if each.runs is not None), default=None)


def _packing(request: HttpRequest, pk: int) -> KitCheck:
    return get_object_or_404(KitCheck.objects.for_team(request.membership.team).select_related("person"), pk=pk)


def _instrument(request: HttpRequest, pk: int) -> Instrument:
    return get_object_or_404(Instrument.objects.for_team(request.membership.team).select_related("kit"), pk=pk)


def _lot(request: HttpRequest, pk: int) -> Lot:
    return get_object_or_404(Lot.objects.for_team(request.membership.team).select_related("kit", "team"), pk=pk)


def _lot_context(found: Lot) -> dict[str, Any]:
    uses = found.uses.select_related("determination__sample__visit__place", "determination__started_by")
    return {
        "lot": found,
        "changes": found.changes.select_related("person").order_by("-at", "-pk")[:30],
        "uses": uses.order_by("-pk")[:15],
        "table": "\n".join(f"{mark:g}, {value:g}" for mark, value in found.table),
    }
