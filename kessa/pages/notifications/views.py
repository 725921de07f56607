"""What one is told; in the demo, the mail that was caught."""

from collections.abc import Iterator
from email import message_from_bytes, policy
from pathlib import Path

from django.conf import settings
from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.pages.notifications.forms import TeamRuleForm, WishForm
from kessa.record.notifications import services
from kessa.record.notifications.models import Notice, wish_of
from kessa.record.people.access import TeamRequest, coordinator, member
from kessa.record.people.models import ACUTE_TO, User

_SHOWN = 30


@member
def wish(request: TeamRequest) -> HttpResponse:
    """What the member is told by e-mail, where, and what was told lately."""
    form = WishForm(request.POST or None, instance=wish_of(request.membership))
    if request.method == "POST" and form.is_valid():
        services.choose_wish(request.membership, form.save(commit=False), form.cleaned_data["email"])
        messages.success(request, "This is what you are told from now on.")
        return redirect("notifications:wish")
    notices = Notice.objects.for_team(request.membership.team).filter(person=request.user).order_by("-pk")[:_SHOWN]
    context = {
        "form": form,
        "notices": notices,
        "acute_to": ACUTE_TO,
        "mail_ready": settings.MAIL_READY,
        "demo": settings.DEMO,
    }
    return render(request, "notifications/wish.html", context, status=422 if form.errors else 200)


@coordinator
@require_POST
def team_rule(request: TeamRequest) -> HttpResponse:
    """Choose who is told of what may harm at once, whatever they wish."""
    form = TeamRuleForm(request.POST)
    if form.is_valid():
        services.choose_team_rule(request.membership, request.membership.team, form.cleaned_data["acute_to"])
        messages.success(request, "The team's rule is written down.")
    else:
        messages.error(request, "Choose one of those offered.")
    return redirect("notifications:wish")


@member
@require_GET
def caught(request: TeamRequest) -> HttpResponse:
    """Show the mail that the demo caught for the people of the team, newest first: none of it leaves this machine."""
    addresses = set(User.objects.filter(memberships__team=request.membership.team).values_list("email", flat=True))
    folder = Path(settings.EMAIL_FILE_PATH)
    # A file for what was sent in one go, named by when that was.
    files = sorted(folder.glob("*.log"), key=lambda file: file.stat().st_mtime, reverse=True) if folder.exists() else []
    mails = [mail for file in files[: 4 * _SHOWN] for mail in _read(file) if mail["to"] in addresses]
    return render(request, "notifications/caught.html", {"mails": mails[:_SHOWN]})


def _read(file: Path) -> Iterator[dict[str, str]]:
    """Read the mails of a file, as Django's own backend writes them beneath one another."""
    for written in file.read_bytes().split(b"\n" + b"-" * 79 + b"\n"):
        mail = message_from_bytes(written, policy=policy.default)
        body = mail.get_body(("plain",))
        if mail["To"] and body:
            data = {name.lower(): str(mail[name]) for name in ("To", "Subject", "Date")}
            yield {**data, "body": body.get_content().strip()}
