"""Real data, behind a proxy that speaks TLS. Needs KESSA_SECRET_KEY, KESSA_HOSTS and a database."""

import os

from django.core.exceptions import ImproperlyConfigured

from kessa.web.settings.base import *  # noqa: F403


def _required(name: str) -> str:
    value = os.environ.get(name, "").strip()
    if not value:
        raise ImproperlyConfigured(f"Set {name} in the environment.")
    return value


SECRET_KEY = _required("KESSA_SECRET_KEY")
ALLOWED_HOSTS = [host.strip() for host in _required("KESSA_HOSTS").split(",") if host.strip()]
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS]
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
SECURE_SSL_REDIRECT = True
# Who watches over the machines asks them one by one, without a proxy.
SECURE_REDIRECT_EXEMPT = [r"^health/$", r"^metrics/$"]
SECURE_HSTS_SECONDS = 31_536_000
SECURE_HSTS_INCLUDE_SUBDOMAINS = True
SECURE_HSTS_PRELOAD = True
SESSION_COOKIE_SECURE = True
CSRF_COOKIE_SECURE = True
# Behind one proxy the last address in the header is the one that the proxy itself saw.
ALLAUTH_TRUSTED_PROXY_COUNT = 1
SIGN_UP_OPEN = os.environ.get("KESSA_SIGN_UP", "open") == "open"
