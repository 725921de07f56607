"""Files given out: asked for, on their way, fetched."""

from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import FileResponse, Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.exchange import services
from kessa.exchange.forms import ExportForm
from kessa.exchange.models import Export, State
from kessa.people.access import member

_SHOWN = 10


@member
def out(request: HttpRequest) -> HttpResponse:
    """Ask for the record as a file; what was asked for lately."""
    team = request.membership.team
    form = ExportForm(request.POST or None, initial={"filters": request.GET.urlencode()})
    if request.method == "POST" and form.is_valid():
        said = form.cleaned_data
        try:
            services.ask_for_export(
                request.membership, team, said["format"], licence=said["licence"], filters=said["filters"]
            )
            return redirect("exchange:out")
        except ValidationError as error:
            form.add_error(None, error)
    exports = Export.objects.for_team(team).select_related("asked_by").order_by("-asked_at")[:_SHOWN]
    context = {"form": form, "exports": exports, "going_on": any(each.under_way for each in exports)}
    if request.htmx:
        return render(request, "exchange/exports.html", context)
    return render(request, "exchange/out.html", context, status=422 if form.errors else 200)


@member
@require_GET
def fetch(request: HttpRequest, pk: int) -> HttpResponse | FileResponse:
    """A file that was written."""
    found = get_object_or_404(Export.objects.for_team(request.membership.team), pk=pk, state=State.DONE)
    if not found.file:
        raise Http404
    name = f"kessa-{found.asked_at:%Y-%m-%d}-{found.pk}.{found.format}"
    return FileResponse(found.file.open("rb"), as_attachment=True, filename=name)


@member
@require_POST
def cancel(request: HttpRequest, pk: int) -> HttpResponse:
    """Cancel a file that is being written."""
    found = get_object_or_404(Export.objects.for_team(request.membership.team), pk=pk)
    try:
        services.cancel(request.membership, found)
        messages.success(request, "Cancelled.")
    except ValidationError as error:
        messages.error(request, error.message)
    return redirect("exchange:out")
