"""Kits and lots."""

from typing import Any

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.db import IntegrityError
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from kessa.core.methods.schema import Method
from kessa.pages.kits.forms import KitForm, LotForm, UnitsForm, WeightForm
from kessa.pages.people.forms import WhyForm
from kessa.record.instruments.selectors import instruments_of, offered
from kessa.record.kits import services
from kessa.record.kits.models import Kit, Lot
from kessa.record.kits.selectors import holdings, kits_with_lots, tests_left
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.quality.verification import lots_wanting_standard
from kessa.record.results.history import usual_units
from kessa.record.rounds.selectors import weekly_use


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """Every kit with what it holds, how far it reaches, and what to reorder."""
    team = request.membership.team
    units = usual_units(team)
    weekly = weekly_use(team, units)
    kits = kits_with_lots(team)
    shown = [(kit, holdings([kit], {}, units)) for kit in kits]
    context = {
        "kits": [(kit, held, tests_left(kit, held, units)) for kit, held in shown],
        "reorder": [each for each in holdings(kits, weekly, units) if each.reorder],
        "instruments": instruments_of(team),
    }
    return render(request, "kits/index.html", context)


@member
@require_GET
def kit(request: TeamRequest, pk: int) -> HttpResponse:
    """A kit: its supplies, their lots and how far they reach."""
    found = next((each for each in kits_with_lots(request.membership.team) if each.pk == pk), None)
    if found is None:
        raise Http404
    units = usual_units(found.team)
    held = holdings([found], weekly_use(found.team, units), units)
    context = {
        "kit": found,
        "holdings": held,
        "tests_left": tests_left(found, held, units),
        "unverified": _unverified(found, found.lots_kept),  # type: ignore[attr-defined] # prefetched
        "form": LotForm(found),
    }
    return render(request, "kits/kit.html", context)


@technician
def edit_kit(request: TeamRequest, pk: int | None = None) -> HttpResponse:
    """Add a kit, or change one."""
    team = request.membership.team
    found = Kit() if pk is None else get_object_or_404(Kit.objects.for_team(team), pk=pk)
    form = KitForm(team, request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        try:
            kept = services.keep_kit(request.membership, form.save(commit=False))
            messages.success(request, f"{kept} is saved.")
            return redirect("kits:kit", kept.pk)
        except IntegrityError:
            form.add_error("name", "Your team has a kit of this name already.")
    context = {"form": form, "title": f"Change {found}" if pk else "Add a kit", "act": "Save", "row": found}
    return render(request, "base/form.html", context, status=422 if form.errors else 200)


@technician
@require_POST
def add_lot(request: TeamRequest, pk: int) -> HttpResponse:
    """Put a lot into a kit."""
    found = get_object_or_404(Kit.objects.for_team(request.membership.team), pk=pk)
    form = LotForm(found, request.POST)
    if form.is_valid():
        try:
            lot = services.add_lot(request.membership, form.save(commit=False), form.cleaned_data["units"])
            messages.success(request, f"{lot} is in the kit.")
            return redirect("kits:kit", pk)
        except ValidationError as error:
            form.add_error("number", error)
    context = {"form": form, "title": f"A lot for {found}", "act": "Put it into the kit"}
    return render(request, "base/form.html", context, status=422)


@member
@require_GET
def lot(request: TeamRequest, pk: int) -> HttpResponse:
    """A lot: its state, what came in and went out, its conversion table."""
    found = _lot(request, pk)
    return render(request, "kits/lot.html", _lot_context(found))


@member
@require_POST
def change_lot(request: TeamRequest, pk: int, act: str) -> HttpResponse:
    """Count a lot, take it into use, suspect it of damp, write its table, or put it away."""
    found = _lot(request, pk)
    acts = {"count": _count, "use": _use, "damp": _damp, "table": _table, "away": _away, "weigh": _weigh_drops}
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


def _count(request: TeamRequest, found: Lot) -> str:
    form = UnitsForm(request.POST)
    if not form.is_valid():
        raise ValidationError("Write how many units you counted, 0 or more.")
    services.count_lot(request.membership, found, form.cleaned_data["units"])
    return "Counted."


def _weigh_drops(request: TeamRequest, found: Lot) -> str:
    form = WeightForm(request.POST)
    if not form.is_valid():
        raise ValidationError("Write what 20 drops weigh, in g.")
    services.weigh_lot(request.membership, found, form.cleaned_data["grams_of_20"])
    return "Written. What begins with this bottle from now on counts by its own drop."


def _use(request: TeamRequest, found: Lot) -> str:
    services.use_lot(request.membership, found, timezone.localdate())
    return f"{found} is in use."


def _damp(request: TeamRequest, found: Lot) -> str:
    damp = request.POST.get("damp") == "yes"
    services.suspect_damp(request.membership, found, damp=damp)
    return "Suspected damp: results that rest on it say so." if damp else "Not suspected any more."


def _table(request: TeamRequest, found: Lot) -> str:
    kept = services.keep_table(request.membership, found, request.POST.get("table", "")[:20_000])
    return "The table is saved." if kept.table else "The table is empty now."


def _away(request: TeamRequest, found: Lot) -> str:
    form = WhyForm(request.POST)
    if not form.is_valid():
        raise ValidationError("Say why it is put away.")
    services.archive_lot(request.membership, found, why=form.cleaned_data["why"])
    return f"{found} is put away."


def _lot(request: TeamRequest, pk: int) -> Lot:
    return get_object_or_404(Lot.objects.for_team(request.membership.team).select_related("kit", "team"), pk=pk)


def _lot_context(found: Lot) -> dict[str, Any]:
    uses = found.uses.select_related("determination__sample__visit__place", "determination__started_by")
    return {
        "lot": found,
        "changes": found.changes.select_related("person").order_by("-at", "-pk")[:30],
        "uses": uses.order_by("-pk")[:15],
        "prove_with": _prove_with(found),
        "weights": offered(found.team_id, "weight") if found.drop_ml else [],
        "table": "\n".join(f"{mark:.12g} {value:.12g}" for mark, value in found.table),
    }


def _can_be_checked(kit: Kit) -> list[Method]:
    """The tests of a kit that a standard can check."""
    return [method for method in kit.methods if method.main.numbers.can_be_checked and not method.lacks_table]


def _unverified(kit: Kit, lots: list[Lot]) -> set[int]:
    """The lots in use that a standard has yet to prove."""
    return lots_wanting_standard(kit.team_id, _can_be_checked(kit), [lot for lot in lots if lot.in_use])


def _prove_with(lot: Lot) -> list[Method]:
    """The tests by a standard of which a lot in use is to be proven."""
    using = (method for method in _can_be_checked(lot.kit) if lot.supply_key in method.lots_matter)
    return list(using) if _unverified(lot.kit, [lot]) else []
