"""Whom the team tells: the authority, the laboratory, those who drink the water, the keeper."""

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.people.forms import ContactForm
from kessa.record.people import services
from kessa.record.people.access import TeamRequest, coordinator, member
from kessa.record.people.models import Contact
from kessa.record.people.selectors import contacts_of


@member
@require_GET
def contacts(request: TeamRequest) -> HttpResponse:
    """Show everybody whom the team tells, and of what."""
    return render(request, "people/contacts.html", {"contacts": contacts_of(request.membership.team)})


@coordinator
def edit(request: TeamRequest, pk: int | None = None) -> HttpResponse:
    """Name somebody whom the team tells, or change one."""
    team = request.membership.team
    found = Contact() if pk is None else get_object_or_404(Contact.objects.for_team(team), pk=pk)
    form = ContactForm(team, request.POST or None, instance=found)
    if request.method == "POST" and form.is_valid():
        kept = services.keep_contact(request.membership, form.save(commit=False))
        messages.success(request, f"{kept} is named from now on where it is to be told.")
        return redirect("people:contacts")
    title = f"Change {found.name}" if pk else "Name somebody to tell"
    context = {"form": form, "title": title, "act": "Save", "row": found}
    return render(request, "base/form.html", context, status=422 if form.errors else 200)


@coordinator
@require_POST
def drop(request: TeamRequest, pk: int) -> HttpResponse:
    """Take somebody off."""
    found = get_object_or_404(Contact.objects.for_team(request.membership.team), pk=pk)
    services.drop_contact(request.membership, found)
    messages.success(request, f"{found.name} is told no more.")
    return redirect("people:contacts")
