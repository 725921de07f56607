"""Pages about people and teams."""

from typing import Any

from allauth.account.adapter import get_adapter
from allauth.account.decorators import reauthentication_required
from allauth.account.internal.flows.reauthentication import reauthenticate_by_password
from allauth.account.views import LoginView
from allauth.usersessions.models import UserSession
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login
from django.core.exceptions import ValidationError
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.decorators import method_decorator
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.people.forms import InvitationForm, PinForm, RoleForm, TeamForm, UnitsForm
from kessa.record.people import services
from kessa.record.people.access import TeamRequest, anyone, coordinator, member, signed_in
from kessa.record.people.models import Membership, Role, User
from kessa.record.people.secrets import new_secret
from kessa.record.people.selectors import acts_of, contacts_of, open_invitations
from kessa.record.people.sessions import SHARED

_ACTS = 60


@signed_in
def no_team(request: TeamRequest) -> HttpResponse:
    """Lead a person without a team to one: start it, or be invited."""
    form = TeamForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        membership = services.start_team(request.user, form.cleaned_data["name"], form.cleaned_data["time_zone"])
        request.session["team"] = membership.team_id
        return redirect("places:create")
    return render(request, "people/no_team.html", {"form": form})


@member
@require_GET
def team(request: TeamRequest) -> HttpResponse:
    """Show who is in the team; coordinators invite and give roles here."""
    return _team_page(request, InvitationForm())


def _team_page(request: TeamRequest, form: InvitationForm, address: str = "") -> HttpResponse:
    found = request.membership.team
    context = {
        "memberships": found.memberships.select_related("user").order_by("user__first_name", "id"),
        "roles": Role.choices,
        "others": Membership.objects.filter(user=request.user).exclude(pk=request.membership.pk).select_related("team"),
        "units_form": UnitsForm(instance=request.user),
        "contacts": contacts_of(found),
        "invitation_form": form,
        "address": address,
        "invitations": open_invitations(found),
    }
    return render(request, "people/team.html", context, status=422 if form.errors else 200)


@coordinator
@require_POST
@reauthentication_required
def invite(request: TeamRequest) -> HttpResponse:
    """Make an invitation, whose address is shown this once."""
    form = InvitationForm(request.POST)
    address = ""
    if form.is_valid():
        secret = new_secret()
        services.invite(request.membership, form.save(commit=False), secret)
        address = request.build_absolute_uri(reverse("people:join", args=[secret]))
    return _team_page(request, form, address)


@coordinator
@require_POST
@reauthentication_required
def revoke_invitation(request: TeamRequest, pk: int) -> HttpResponse:
    """Let an invitation lead nowhere."""
    services.revoke_invitation(request.membership, get_object_or_404(open_invitations(request.membership.team), pk=pk))
    messages.success(request, "The invitation leads nowhere now. Who joined by it stays.")
    return redirect("people:team")


@coordinator
@require_POST
@reauthentication_required
def change_member(request: TeamRequest, pk: int) -> HttpResponse:
    """Change a member's role, or take them out of the team."""
    membership = get_object_or_404(request.membership.team.memberships, pk=pk)
    form = RoleForm(request.POST)
    try:
        if "remove" in request.POST:
            services.remove_member(request.membership, membership)
            words = (
                f"{membership.user} is no longer in the team. What they measured stays. Open invitations have ended."
            )
            messages.success(request, words)
        elif form.is_valid():
            services.change_role(request.membership, membership, form.cleaned_data["role"])
            messages.success(request, f"{membership.user} is now a {membership.get_role_display()}.")
    except ValidationError as error:
        messages.error(request, error.message)
    return redirect("people:team")


@member
@require_POST
def switch_team(request: TeamRequest, pk: int) -> HttpResponse:
    """Work in another of one's teams."""
    request.session["team"] = get_object_or_404(Membership, user=request.user, team_id=pk).team_id
    return redirect("today:today")


@member
@require_POST
def units(request: TeamRequest) -> HttpResponse:
    """Choose one's own units."""
    form = UnitsForm(request.POST, instance=request.user)
    if form.is_valid():
        services.choose_units(form.save(commit=False))
        messages.success(request, "Saved: results and the bench are shown to you so from now on.")
    else:
        messages.error(request, "Choose one of the units offered.")
    return redirect("people:team")


@member
@reauthentication_required(allow_get=True)
def pin(request: TeamRequest) -> HttpResponse:
    """Choose one's PIN."""
    form = PinForm(request.POST or None)
    if request.method == "POST" and form.is_valid():
        services.choose_pin(request.user, form.cleaned_data["pin"])
        messages.success(request, "Your PIN is kept. With it you take a visit over on another person's phone.")
        return redirect("people:team")
    return render(request, "people/pin.html", {"form": form}, status=422 if form.errors else 200)


@coordinator
@require_GET
def acts(request: TeamRequest) -> HttpResponse:
    """What was done in the team and what was refused, newest first."""
    before = request.GET.get("before", "")
    rows = acts_of(request.membership.team)
    if before.isdigit():
        rows = rows.filter(pk__lt=int(before[:18]))
    shown = list(rows.order_by("-id")[: _ACTS + 1])
    context = {"acts": shown[:_ACTS], "more": shown[_ACTS - 1].pk if len(shown) > _ACTS else None}
    return render(request, "people/acts.html", context)


@signed_in
def join(request: TeamRequest, token: str) -> HttpResponse:
    """Accept an invitation."""
    try:
        invitation = services.read_invitation(token, request.user)
        if request.method == "POST":
            request.session["team"] = services.join_team(request.user, token).team_id
            return redirect("today:today")
    except ValidationError as error:
        return render(request, "base/error.html", {"title": "Invitation", "message": error.message}, status=410)
    return render(request, "people/join.html", {"invitation": invitation})


@method_decorator(anyone, name="dispatch")
class SignIn(LoginView):
    """Sign in; the demo offers its people besides."""

    def post(self, request: TeamRequest, *args: Any, **kwargs: Any) -> HttpResponse:
        """Remember until the second factor is given too whether others use this phone."""
        request.session[SHARED] = bool(request.POST.get("shared"))
        answer: HttpResponse = super().post(request, *args, **kwargs)
        return answer

    def get_context_data(self, **kwargs: Any) -> dict[str, Any]:
        """Add whether an account can be made, and in the demo its people."""
        context: dict[str, Any] = super().get_context_data(**kwargs)
        context["sign_up_open"] = get_adapter(self.request).is_open_for_signup(self.request)
        if settings.DEMO:
            people = Membership.objects.filter(team__name=settings.DEMO_TEAM)
            context["demo_people"] = people.select_related("user").order_by("pk")
        return context


@anyone
@require_POST
def enter_demo(request: TeamRequest, username: str) -> HttpResponse:
    """Sign in as one of the demo's made-up people."""
    user = get_object_or_404(User, username=username, memberships__team__name=settings.DEMO_TEAM)
    login(request, user, backend="allauth.account.auth_backends.AuthenticationBackend")
    UserSession.objects.create_from_request(request)
    reauthenticate_by_password(request)
    return redirect("today:today")
