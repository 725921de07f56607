"""How programs reach the record: keys, hooks, and how it is done."""

from allauth.account.decorators import reauthentication_required
from django.contrib import messages
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from kessa.pages.api.forms import HookForm, KeyForm
from kessa.record.api_keys import services
from kessa.record.api_keys.models import Key
from kessa.record.api_keys.selectors import keys_of
from kessa.record.people.access import TeamRequest, coordinator, member
from kessa.record.webhooks import services as webhooks
from kessa.record.webhooks.models import Delivery, Webhook

_SHOWN = 12


@member
@reauthentication_required(allow_get=True)
def index(request: TeamRequest) -> HttpResponse:
    """One's keys, the team's hooks, and how one asks with curl and Python."""
    team = request.membership.team
    form = KeyForm(request.membership.team, request.POST or None)
    secret = ""
    if request.method == "POST" and form.is_valid():
        secret = services.new_key_secret()
        try:
            services.make_key(request.membership, form.save(commit=False), secret)
        except ValidationError as error:
            form.add_error(None, error)
            secret = ""
    context = {
        "form": form,
        "secret": secret,
        "keys": keys_of(request.membership),
        "hook_form": HookForm(),
        "hooks": Webhook.objects.for_team(team).filter(closed_at=None).order_by("pk"),
        "told": Delivery.objects.for_team(team).select_related("hook").order_by("-pk")[:_SHOWN],
        "address": request.build_absolute_uri("/api/v1"),
    }
    return render(request, "api/index.html", context, status=422 if form.errors else 200)


@member
@require_POST
@reauthentication_required
def revoke(request: TeamRequest, pk: int) -> HttpResponse:
    """Let a key open nothing any more."""
    found = get_object_or_404(Key.objects.for_team(request.membership.team).select_related("membership"), pk=pk)
    services.revoke_key(request.membership, found)
    messages.success(request, f"The {found} opens nothing any more.")
    return redirect("api:index")


@coordinator
@require_POST
@reauthentication_required
def make_hook(request: TeamRequest) -> HttpResponse:
    """Tell an address of what happens."""
    form = HookForm(request.POST)
    try:
        if not form.is_valid():
            raise ValidationError("Give an address that begins with https://, and say of what it is told.")
        data = form.cleaned_data
        hook = webhooks.make_hook(request.membership, request.membership.team, data["address"], data["events"])
        messages.success(request, f"It is told from now on. Its secret, shown this once: {hook.secret}")
    except ValidationError as error:
        messages.error(request, " ".join(error.messages))
    return redirect("api:index")


@coordinator
@require_POST
@reauthentication_required
def close_hook(request: TeamRequest, pk: int) -> HttpResponse:
    """Tell an address nothing any more."""
    found = get_object_or_404(Webhook.objects.for_team(request.membership.team), pk=pk)
    webhooks.close_hook(request.membership, found)
    messages.success(request, "It is told nothing any more.")
    return redirect("api:index")
