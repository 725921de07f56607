"""Telling django-axes whose password is being guessed: allauth's form and its backends name it differently."""

from typing import Any

from django.http import HttpRequest


def name_tried(request: HttpRequest, credentials: dict[str, Any] | None = None) -> str:
    """Return the name that someone tries to sign in by; sign-in ignores case, so counting does too."""
    return str((credentials or {}).get("username") or request.POST.get("login", "")).casefold()
