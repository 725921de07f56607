"""Pages about people and teams."""

from typing import Any

from allauth.account.views import LoginView
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_GET, require_POST

from kessa.people import services
from kessa.people.access import anyone, coordinator, member, signed_in
from kessa.people.forms import AuthorityForm, RoleForm, TeamForm, UnitsForm
from kessa.people.models import Membership, Role, User
from kessa.people.selectors import acts_of

_ACTS = 60


@signed_in
def no_team(request: HttpRequest) -> HttpResponse:
    """Lead a person without a team to one: start it, or be invited."""
    form = TeamForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        membership = services.start_team(request.user, form.cleaned_data["name"], form.cleaned_data["time_zone"])
        request.session["team"] = membership.team_id
        return redirect("places:create")
    return render(request, "people/no_team.html", {"form": form})


@member
def team(request: HttpRequest) -> HttpResponse:
    """Show who is in the team; coordinators invite and give roles here."""
    invitation = None
    if request.method == "POST":
        form = RoleForm(request.POST)
        if form.is_valid():
            token = services.invite(request.membership, form.cleaned_data["role"])
            role = Role(form.cleaned_data["role"]).label
            invitation = {"address": request.build_absolute_uri(f"/team/join/{token}/"), "role": role}
    memberships = request.membership.team.memberships.select_related("user").order_by("user__first_name", "id")
    others = Membership.objects.filter(user=request.user).exclude(pk=request.membership.pk).select_related("team")
    context = {"memberships": memberships, "invitation": invitation, "roles": Role.choices, "others": others}
    context["units_form"] = UnitsForm(instance=request.user)
    context["authority_form"] = AuthorityForm(instance=request.membership.team)
    return render(request, "people/team.html", context)


@coordinator
@require_POST
def change_member(request: HttpRequest, pk: int) -> HttpResponse:
    """Change a member's role, or take them out of the team."""
    membership = get_object_or_404(request.membership.team.memberships, pk=pk)
    form = RoleForm(request.POST)
    try:
        if "remove" in request.POST:
            services.remove_member(request.membership, membership)
            messages.success(request, f"{membership.user} is no longer in the team. What they measured stays.")
        elif form.is_valid():
            services.change_role(request.membership, membership, form.cleaned_data["role"])
            messages.success(request, f"{membership.user} is now a {membership.get_role_display()}.")
    except ValidationError as error:
        messages.error(request, error.message)
    return redirect("people:team")


@coordinator
@require_POST
def authority(request: HttpRequest) -> HttpResponse:
    """Write whom the team tells where drinking water fails."""
    form = AuthorityForm(request.POST)
    if form.is_valid():
        services.name_authority(request.membership, request.membership.team, form.cleaned_data["authority"])
        messages.success(request, "Advice on drinking water names it from now on.")
    else:
        messages.error(request, "Name it in up to 200 characters.")
    return redirect("people:team")


@member
@require_POST
def switch_team(request: HttpRequest, pk: int) -> HttpResponse:
    """Work in another of one's teams."""
    request.session["team"] = get_object_or_404(Membership, user=request.user, team_id=pk).team_id
    return redirect("rounds:today")


@member
@require_POST
def units(request: HttpRequest) -> HttpResponse:
    """Choose one's own units."""
    form = UnitsForm(request.POST, instance=request.user)
    if form.is_valid():
        services.choose_units(form.save(commit=False))
        messages.success(request, "You see results in these units from now on.")
    else:
        messages.error(request, "Choose one of the units offered.")
    return redirect("people:team")


@coordinator
@require_GET
def acts(request: HttpRequest) -> HttpResponse:
    """What was done in the team and what was refused, newest first."""
    before = request.GET.get("before", "")
    rows = acts_of(request.membership.team)
    if before.isdigit():
        rows = rows.filter(pk__lt=int(before[:18]))
    shown = list(rows.order_by("-id")[: _ACTS + 1])
    context = {"acts": shown[:_ACTS], "more": shown[_ACTS - 1].pk if len(shown) > _ACTS else None}
    return render(request, "people/acts.html", context)


@signed_in
def join(request: HttpRequest, token: str) -> HttpResponse:
    """Accept an invitation."""
    try:
        invited_to, role = services.read_invitation(token)
        if request.method == "POST":
            request.session["team"] = services.join_team(request.user, token).team_id
            return redirect("rounds:today")
    except ValidationError as error:
        return render(request, "error.html", {"title": "Invitation", "message": error.message}, status=410)
    return render(request, "people/join.html", {"invited_to": invited_to, "role": role})


@method_decorator(anyone, name="dispatch")
class SignIn(LoginView):
    """Sign in; the demo offers its people besides."""

    def get_context_data(self, **kwargs: Any) -> dict[str, Any]:
        """Add the demo's people, in the demo only."""
        context: dict[str, Any] = super().get_context_data(**kwargs)
        if settings.DEMO:
            people = Membership.objects.filter(team__name=settings.DEMO_TEAM)
            context["demo_people"] = people.select_related("user").order_by("pk")
        return context


@anyone
@require_POST
def enter_demo(request: HttpRequest, username: str) -> HttpResponse:
    """Sign in as one of the demo's made-up people."""
    user = get_object_or_404(User, username=username, memberships__team__name=settings.DEMO_TEAM)
    login(request, user, backend="allauth.account.auth_backends.AuthenticationBackend")
    return redirect("rounds:today")
