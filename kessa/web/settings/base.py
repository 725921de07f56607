"""What every way of running Kessa has in common."""

import os
from pathlib import Path
from typing import Any

import dj_database_url
from csp.constants import NONE, SELF
from django.urls import reverse_lazy

ROOT = Path(__file__).resolve().parents[3]
PAGES, DOORS = ROOT / "kessa/pages", ROOT / "kessa/doors"
STATE = Path(os.environ.get("KESSA_STATE", ROOT / ".kessa"))

DEBUG = False
DEMO = False
# The dotted name of a class like kessa.record.visits.weather.SimulatedWeather; empty for none.
WEATHER_SERVICE = os.environ.get("KESSA_WEATHER", "")
INSTALLED_APPS = [
    "kessa.web",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.postgres",
    "django.contrib.staticfiles",
    "allauth",
    "allauth.account",
    "allauth.mfa",
    "allauth.usersessions",
    "csp",
    "django_filters",
    "crispy_forms",
    "crispy_bulma",
    "kessa.record.people",
    "kessa.record.rules",
    "kessa.record.places",
    "kessa.record.methods",
    "kessa.record.kits",
    "kessa.record.products",
    "kessa.record.instruments",
    "kessa.record.taps",
    "kessa.record.visits",
    "kessa.record.determinations",
    "kessa.record.results",
    "kessa.record.quality",
    "kessa.record.testing",
    "kessa.record.actions",
    "procrastinate.contrib.django",
    "kessa.record.long_work",
    "kessa.record.notifications",
    "kessa.record.rounds",
    "kessa.record.photographs",
    "kessa.record.review",
    "kessa.record.reports",
    "kessa.record.public",
    "kessa.record.exports",
    "kessa.record.imports",
    "kessa.record.archive",
    "kessa.record.api_keys",
    "kessa.record.webhooks",
    "kessa.record.practice",
    "kessa.record.pads",
    "kessa.demo",
    "simple_history",
]
MIDDLEWARE = [
    "kessa.web.watching.TimedMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "allauth.account.middleware.AccountMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "kessa.web.middleware.TeamMiddleware",
    "kessa.pages.base.deadline.DeadlineMiddleware",
    "kessa.web.middleware.ReadOnceMiddleware",
]
ROOT_URLCONF = "kessa.web.urls"
WSGI_APPLICATION = "kessa.web.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        # A page's templates lie beside its views; those that stand in place of a library's are under account/overrides.
        "DIRS": [PAGES, DOORS, PAGES / "account/overrides"],
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ],
            "builtins": ["kessa.pages.base.tags", "kessa.pages.people.tags"],
            "libraries": {
                name: f"kessa.pages.{name}.tags"
                for name in ("actions", "pads", "places", "practice", "products", "reports")
            },
        },
    }
]

# Inputs and selects are written in one go.
FORM_RENDERER = "kessa.pages.base.renderer.Renderer"

# Nothing waits for good: a statement, a row that another holds, a transaction left open, a server that vanished.
# KESSA_STATEMENT_TIMEOUT=0 is for migrations, which may take their time.
TIMEOUTS = {
    "statement_timeout": os.environ.get("KESSA_STATEMENT_TIMEOUT", "3s"),
    "lock_timeout": "2s",
    "idle_in_transaction_session_timeout": "10s",
    "tcp_user_timeout": "10s",
    "tcp_keepalives_idle": "30",
    # Pages ask for few rows by an index: starting parallel workers or a compiler costs more than it brings.
    "max_parallel_workers_per_gather": "0",
    "jit": "off",
    # What pages ask for lies in memory: by an index it is found sooner than by reading a small table whole, row by row.
    "random_page_cost": "1.1",
}
# A pooler in between takes no settings at the start of a connection, and gives each transaction another one.
POOLED = os.environ.get("KESSA_POOLED", "") == "yes"


def _database(address: str) -> dict[str, Any]:
    found: dict[str, Any] = dj_database_url.parse(  # type: ignore[assignment] # a dict of a type of its own
        address, engine="kessa.web.postgres", conn_max_age=0 if POOLED else 60, conn_health_checks=True
    )
    found.setdefault("OPTIONS", {}).update(
        connect_timeout=3,
        tcp_user_timeout=10_000,
        keepalives_idle=30,
        keepalives_interval=5,
        keepalives_count=3,
        # Pages ask the same statements again and again: from the second time on the server has them prepared.
        server_side_binding=True,
        prepare_threshold=None if POOLED else 2,
    )
    if POOLED:
        return found | {"DISABLE_SERVER_SIDE_CURSORS": True}
    found["OPTIONS"]["options"] = " ".join(f"-c {name}={value}" for name, value in TIMEOUTS.items())
    return found


DATABASES = {"default": _database(os.environ.get("DATABASE_URL", "postgresql://localhost/kessa"))}
# A copy that PostgreSQL keeps of the database: what takes long and leaves as a file is read from it.
if "REPLICA_URL" in os.environ:
    DATABASES["replica"] = _database(os.environ["REPLICA_URL"])
    DATABASE_ROUTERS = ["kessa.record.replica.Router"]
# What is counted for every worker alike: how often somebody tried.
CACHES = {
    "default": {
        "BACKEND": "django.core.cache.backends.db.DatabaseCache",
        "LOCATION": "kessa_cache",
        "OPTIONS": {"MAX_ENTRIES": 100_000},
    }
}
# So long a request may begin statements; with the longest that one may take it ends within 5 s.
REQUEST_SECONDS = 2.0
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_USER_MODEL = "people.User"
AUTHENTICATION_BACKENDS = ["allauth.account.auth_backends.AuthenticationBackend"]
PASSWORD_HASHERS = ["kessa.pages.base.deadline.Unhurried"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in ("UserAttributeSimilarityValidator", "MinimumLengthValidator", "CommonPasswordValidator")
]
ACCOUNT_LOGIN_METHODS = {"username"}
ACCOUNT_SIGNUP_FIELDS = ["username*", "password1*", "password2*"]
ACCOUNT_EMAIL_VERIFICATION = "none"
ACCOUNT_SESSION_REMEMBER = True
# Half a year of use: whoever goes out once a month is still signed in. The password is asked for again before the team,
# keys or the account are changed, when it was not given within a quarter of an hour.
SESSION_ENGINE = "kessa.record.people.sessions"
SESSION_COOKIE_AGE = 182 * 24 * 3600
ACCOUNT_REAUTHENTICATION_TIMEOUT = 15 * 60
ACCOUNT_LOGOUT_REDIRECT_URL = reverse_lazy("account_login")
LOGIN_URL = "account_login"
LOGIN_REDIRECT_URL = "today:today"
ACCOUNT_ADAPTER = "kessa.pages.account.adapters.AccountAdapter"
# After five wrong passwords for a name from one address, or five wrong second factors of a person, a wait.
ACCOUNT_RATE_LIMITS = {"login_failed": "5/15m/key"}
# Whether anybody may make an account; where not, an invitation still lets its holder make one.
SIGN_UP_OPEN = True
MFA_ADAPTER = "kessa.pages.account.adapters.SecondFactorAdapter"
MFA_SUPPORTED_TYPES = ["totp", "recovery_codes"]
MFA_TOTP_ISSUER = "Kessa"

LANGUAGE_CODE = "en"
USE_I18N = False
USE_TZ = True
TIME_ZONE = "UTC"

STATIC_URL = "/static/"
STATIC_ROOT = STATE / "static"
# Only our own are served; the libraries' scripts and styles are not used.
STATICFILES_FINDERS = ["kessa.web.static.PageFiles"]
STATICFILES_DIRS = [PAGES, DOORS]
# They are for pages of our own.
WHITENOISE_ALLOW_ALL_ORIGINS = False
STORAGES = {
    "default": {
        "BACKEND": "django.core.files.storage.FileSystemStorage",
        "OPTIONS": {"file_permissions_mode": 0o600, "directory_permissions_mode": 0o700},
    },
    "staticfiles": {"BACKEND": "kessa.web.static.Storage"},
}
CRISPY_ALLOWED_TEMPLATE_PACKS = "bulma"
CRISPY_TEMPLATE_PACK = "bulma"

# Mail: sent by the worker (see kessa.record.notifications). Without a host nothing is sent, and pages say so.
EMAIL_HOST = os.environ.get("KESSA_MAIL_HOST", "")
EMAIL_PORT = int(os.environ.get("KESSA_MAIL_PORT", "587"))
EMAIL_HOST_USER = os.environ.get("KESSA_MAIL_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("KESSA_MAIL_PASSWORD", "")
EMAIL_USE_TLS = os.environ.get("KESSA_MAIL_TLS", "yes") == "yes"
# Shorter than a transaction may stand still.
EMAIL_TIMEOUT = 8
DEFAULT_FROM_EMAIL = os.environ.get("KESSA_MAIL_FROM", "kessa@localhost")
EMAIL_BACKEND = f"django.core.mail.backends.{'smtp' if EMAIL_HOST else 'dummy'}.EmailBackend"
MAIL_READY = bool(EMAIL_HOST)
# How pages are named in mail.
KESSA_ADDRESS = os.environ.get("KESSA_ADDRESS", "http://127.0.0.1:8000")

# Hooks go out to machines on the network only, unless these may be near: see kessa.record.webhooks.outside.
HOOKS_NEAR = os.environ.get("KESSA_HOOKS_NEAR", "") == "yes"

# Who reads /metrics/ sends this key; without one there is no such page.
METRICS_KEY = os.environ.get("KESSA_METRICS_KEY", "")

# Photographs: served by a view, to the team only. In a folder, or in any store that speaks S3.
MEDIA_ROOT = STATE / "files"
if os.environ.get("KESSA_S3_BUCKET"):
    STORAGES["default"] = {
        "BACKEND": "storages.backends.s3.S3Storage",
        "OPTIONS": {
            "bucket_name": os.environ["KESSA_S3_BUCKET"],
            "endpoint_url": os.environ.get("KESSA_S3_ENDPOINT") or None,
            "region_name": os.environ.get("KESSA_S3_REGION") or None,
            "access_key": os.environ.get("KESSA_S3_KEY"),
            "secret_key": os.environ.get("KESSA_S3_SECRET"),
            "default_acl": None,
            "file_overwrite": False,
        },
    }
FILE_UPLOAD_HANDLERS = ["kessa.pages.photographs.upload_bound.BoundedUpload"]
DATA_UPLOAD_MAX_NUMBER_FILES = 1

# A batch of 500 taps is about 100 kB; nothing else is larger.
DATA_UPLOAD_MAX_MEMORY_SIZE = 1_000_000
# A plan sends four fields for each test there is.
DATA_UPLOAD_MAX_NUMBER_FIELDS = 1000

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [NONE],
        "script-src": [SELF],
        "style-src": [SELF],
        "font-src": [SELF],
        "img-src": [SELF],
        "connect-src": [SELF],
        "worker-src": [SELF],
        "manifest-src": [SELF],
        "form-action": [SELF],
        "base-uri": [NONE],
        "frame-ancestors": [NONE],
    }
}
X_FRAME_OPTIONS = "DENY"
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_HTTPONLY = True
# The bench reads the token when it sends taps that waited: the one in an old page may be stale by then.
CSRF_COOKIE_HTTPONLY = False
CSRF_FAILURE_VIEW = "kessa.pages.base.views.csrf_failure"

LOGGING: dict[str, Any] = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"discreet": {"()": "kessa.web.logs.Discreet"}},
    "formatters": {"lines": {"()": "kessa.web.logs.formatter"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "filters": ["discreet"], "formatter": "lines"}},
    "loggers": {
        "django.template": {"handlers": [], "propagate": False},
        "django": {"handlers": ["console"], "level": "WARNING", "propagate": False},
        "kessa": {"handlers": ["console"], "level": "INFO", "propagate": False},
        "procrastinate": {"handlers": ["console"], "level": "WARNING", "propagate": False},
    },
}
