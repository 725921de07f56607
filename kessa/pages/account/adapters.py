"""What allauth asks of us: who may make an account, whose guesses are counted together, how a secret is drawn."""

from typing import Any
from urllib.parse import urlsplit

import segno
from allauth.account.adapter import DefaultAccountAdapter
from allauth.account.internal.flows.reauthentication import reauthenticate_by_password
from allauth.mfa.adapter import DefaultMFAAdapter
from django.conf import settings
from django.contrib.auth.signals import user_logged_in
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db import OperationalError
from django.dispatch import receiver
from django.http import HttpResponse
from django.urls import Resolver404, resolve
from django.utils import timezone

from kessa.pages.base.deadline import not_counted
from kessa.record.people.access import TeamRequest
from kessa.record.people.models import User
from kessa.record.people.services import read_invitation
from kessa.record.people.sessions import SHARED, keep_signed_in

# How many sessions that ended one sign-in sweeps up.
_SWEPT = 1000


class AccountAdapter(DefaultAccountAdapter):
    """Accounts: guesses are counted by name and address, so that no stranger keeps the owner of a name out."""

    error_messages = DefaultAccountAdapter.error_messages | {
        "too_many_login_attempts": "Too many tries: five were wrong. Wait a quarter of an hour, then try again. "
        "Forgotten it? Ask whoever runs this Kessa to set a new one for you.",
    }

    def is_open_for_signup(self, request: TeamRequest) -> bool:
        """Whether whoever asks may make an account: where sign-up is closed, with an invitation only."""
        return settings.SIGN_UP_OPEN or _is_invited(request.GET.get("next") or request.POST.get("next") or "")

    def authenticate(self, request: TeamRequest, **credentials: Any) -> Any:
        """Try a password: one that could not be looked at counts as no wrong try."""
        with not_counted():
            try:
                return super().authenticate(request, **credentials)
            except OperationalError:
                self._rollback_login_failed_rl_usage()
                raise

    def post_login(self, request: TeamRequest, user: User, **how: Any) -> HttpResponse:
        """Lead on; on the way sessions that ended are swept up, so that their table does not only grow."""
        ended = Session.objects.filter(expire_date__lt=timezone.now()).values("pk")[:_SWEPT]
        Session.objects.filter(pk__in=ended).delete()
        reauthenticate_by_password(request)
        if request.POST.get("shared") or request.session.get(SHARED):
            request.session[SHARED] = True
        return super().post_login(request, user, **how)

    def _get_login_attempts_cache_key(self, request: TeamRequest, **credentials: Any) -> str:
        return f"{self.get_client_ip(request)} {super()._get_login_attempts_cache_key(request, **credentials)}"


class SecondFactorAdapter(DefaultMFAAdapter):
    """The second factor: its secret is drawn as a code to scan by what draws those of bottles."""

    def build_totp_svg(self, url: str) -> str:
        """Return the code as SVG that stands in the page."""
        drawn: str = segno.make(url, micro=False).svg_inline(scale=5, border=4, svgclass=None, lineclass=None)
        return drawn


@receiver(user_logged_in)
def _begins(request: TeamRequest, **_: Any) -> None:
    keep_signed_in(request.session)


def _is_invited(following: str) -> bool:
    try:
        found = resolve(urlsplit(following).path)
        if found.view_name != "people:join":
            return False
        read_invitation(found.kwargs["token"])
    except (Resolver404, ValidationError, ValueError):
        return False
    return True
