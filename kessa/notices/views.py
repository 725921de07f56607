"""What one is told; in the demo, the mail that was caught."""

from email import message_from_bytes, policy
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from kessa.notices import services
from kessa.notices.forms import TeamRuleForm, WishForm
from kessa.notices.models import Notice, wish_of
from kessa.people.access import coordinator, member
from kessa.people.models import ACUTE_TO, User

_SHOWN = 30


@member
def wish(request: HttpRequest) -> HttpResponse:
    """What the member is told by e-mail, where, and what was told lately."""
    form = WishForm(request.POST or None, instance=wish_of(request.membership))
    if request.method == "POST" and form.is_valid():
        services.choose_wish(request.membership, form.save(commit=False), form.cleaned_data["email"])
        messages.success(request, "This is what you are told from now on.")
        return redirect("notices:wish")
    told = Notice.objects.for_team(request.membership.team).filter(person=request.user).order_by("-pk")[:_SHOWN]
    context = {
        "form": form,
        "told": told,
        "acute_to": ACUTE_TO,
        "mail_ready": settings.MAIL_READY,
        "demo": settings.DEMO,
    }
    return render(request, "notices/wish.html", context, status=422 if form.errors else 200)


@coordinator
@require_POST
def team_rule(request: HttpRequest) -> HttpResponse:
    """Choose who is told of what may harm at once, whatever they wish."""
    form = TeamRuleForm(request.POST)
    if form.is_valid():
        services.choose_team_rule(request.membership, request.membership.team, form.cleaned_data["acute_to"])
        messages.success(request, "The team's rule is written down.")
    else:
        messages.error(request, "Choose one of those offered.")
    return redirect("notices:wish")


@member
@require_GET
def caught(request: HttpRequest) -> HttpResponse:
    """Show the mail that the demo caught for the people of the team, newest first: none of it leaves this machine."""
    addresses = set(User.objects.filter(memberships__team=request.membership.team).values_list("email", flat=True))
    folder = Path(settings.EMAIL_FILE_PATH)
    # A file a mail, named by when it was made.
    files = sorted(folder.glob("*.log"), key=lambda file: file.stat().st_mtime, reverse=True) if folder.exists() else []
    mails = (_read(file) for file in files[: 4 * _SHOWN])
    return render(
        request, "notices/caught.html", {"mails": [mail for mail in mails if mail["to"] in addresses][:_SHOWN]}
    )


def _read(file: Path) -> dict[str, Any]:
    mail = message_from_bytes(file.read_bytes(), policy=policy.default)
    body = mail.get_body(("plain",))
    said = body.get_content().rsplit("-" * 79, 1)[0] if body else ""
    return {"to": str(mail["To"]), "subject": str(mail["Subject"]), "date": str(mail["Date"]), "body": said.strip()}
