"""Products and their lots."""

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.core.treating.amounts import label_measure
from kessa.pages.people.forms import WhyForm
from kessa.pages.products.forms import LeftForm, ProductForm, ProductLotForm
from kessa.record.people.access import TeamRequest, member, technician
from kessa.record.products import services
from kessa.record.products.models import Product, ProductChange, ProductLot
from kessa.record.products.selectors import kept_apart, left_of, products_of

_CHANGES = 30


@member
@require_GET
def index(request: TeamRequest) -> HttpResponse:
    """Every product in use, how much is left, and which must never meet."""
    found = products_of(request.membership.team)
    context = {"products": [(each, left_of(each)) for each in found], "apart": kept_apart(found)}
    return render(request, "products/index.html", context)


@member
@require_GET
def product(request: TeamRequest, pk: int) -> HttpResponse:
    """A product: its label, its lots, what came in and went out."""
    found = get_object_or_404(Product.objects.for_team(request.membership.team).select_related("team"), pk=pk)
    changes = ProductChange.objects.for_team(found.team_id).filter(lot__product=found)
    others = products_of(found.team_id)
    context = {
        "product": found,
        "places": found.places.all(),
        "lots": found.lots.order_by("put_away_at", "expires_on", "pk"),
        "changes": changes.select_related("lot", "person")[:_CHANGES],
        "apart": [each for each in kept_apart(others) if found in (each.one, each.other)],
        "form": ProductLotForm(found, request.user.amount_system),
        "stock": label_measure("stock", found.kept, request.user.amount_system),
        "dose": label_measure("dose", found.kept, request.user.amount_system),
    }
    return render(request, "products/product.html", context)


@technician
def edit(request: TeamRequest, pk: int | None = None) -> HttpResponse:
    """Write a product's label down, or change it."""
    team = request.membership.team
    found = Product() if pk is None else get_object_or_404(Product.objects.for_team(team), pk=pk)
    form = ProductForm(team, request.POST or None, instance=found, system=request.user.amount_system)
    if request.method == "POST" and form.is_valid():
        kept = services.keep_product(request.membership, form.save(commit=False), form.cleaned_data["places"])
        messages.success(request, f"{kept} is saved. What was done with it keeps its own numbers.")
        return redirect("products:product", kept.pk)
    title = f"Change {found.name}" if pk else "Write a product's label down"
    context = {"form": form, "title": title, "act": "Save the label", "row": found}
    return render(request, "base/form.html", context, status=422 if form.errors else 200)


@technician
@require_POST
def retire(request: TeamRequest, pk: int) -> HttpResponse:
    """Propose a product no more."""
    found = get_object_or_404(Product.objects.for_team(request.membership.team), pk=pk)
    services.retire_product(request.membership, found)
    messages.success(request, f"{found} is proposed no more. What was done with it stays.")
    return redirect("products:index")


@technician
@require_POST
def add_lot(request: TeamRequest, pk: int) -> HttpResponse:
    """Put a lot on the books."""
    found = get_object_or_404(Product.objects.for_team(request.membership.team).select_related("team"), pk=pk)
    form = ProductLotForm(found, request.user.amount_system, request.POST)
    if not form.is_valid():
        messages.error(request, " ".join(str(error) for errors in form.errors.values() for error in errors))
        return redirect("products:product", pk)
    try:
        kept = services.add_lot(request.membership, form.save(commit=False), form.cleaned_data["amount"])
        messages.success(request, f"{kept} of {found} is on the books.")
    except ValidationError as error:
        messages.error(request, error.message)
    return redirect("products:product", pk)


@member
@require_POST
def change_lot(request: TeamRequest, pk: int) -> HttpResponse:
    """Count a lot, or put it away with the reason."""
    rows = ProductLot.objects.for_team(request.membership.team).select_related("product")
    lot = get_object_or_404(rows, pk=pk, put_away_at=None)
    why, counted = WhyForm(request.POST), LeftForm(request.POST)
    if "why" in request.POST and why.is_valid():
        services.archive_lot(request.membership, lot, why=why.cleaned_data["why"])
        messages.success(request, f"{lot} is put away.")
    elif counted.is_valid():
        size = label_measure("stock", lot.product.kept, request.user.amount_system).size
        services.count_lot(request.membership, lot, counted.cleaned_data["left"] * size)
        messages.success(request, f"{lot} is set to what was counted.")
    else:
        messages.error(request, "Write how much is left, from 0 up.")
    return redirect("products:product", lot.product_id)
