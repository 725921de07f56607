"""The tests: the demo without the cost of hashing passwords slowly or naming static files by content."""

from kessa.web.settings.demo import *  # noqa: F403
from kessa.web.tables import without_migrations

# Made at once; that the migrations come to the same is a test of its own.
MIGRATION_MODULES = without_migrations(INSTALLED_APPS)  # noqa: F405
ALLOWED_HOSTS = ["*"]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = {
    "default": {"BACKEND": "django.core.files.storage.FileSystemStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = True
# Each test catches its own.
EMAIL_BACKEND = "django.core.mail.backends.locmem.EmailBackend"
# A machine that runs browsers beside is slow, not stuck.
REQUEST_SECONDS = 20.0
DATABASES["default"]["OPTIONS"]["options"] += (  # noqa: F405
    # A test is one transaction, in which it may draw and print for long.
    " -c statement_timeout=30s -c lock_timeout=20s -c idle_in_transaction_session_timeout=0"
)
# Tests provoke refusals on purpose; only what is not expected is worth a line.
LOGGING["loggers"]["django.request"] = {"level": "CRITICAL"}  # noqa: F405
LOGGING["loggers"]["django.security"] = {"level": "CRITICAL"}  # noqa: F405
