"""The demo on one's own machine: made-up people who can be signed in as with one tap. Never for real data."""

import os

from kessa.web.settings.base import *  # noqa: F403

DEMO = True
# Nobody there typed a password.
ACCOUNT_REAUTHENTICATION_TIMEOUT = 365 * 24 * 3600
WEATHER_SERVICE = "kessa.record.visits.weather.SimulatedWeather"
DEMO_TEAM = "Tarrow Vale"
# How far back its visits go, at most.
DEMO_DAYS = float(os.environ.get("KESSA_DEMO_DAYS", "inf"))
SECRET_KEY = "the demo keeps no secrets"  # noqa: S105
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]"]
# Mail is caught: a file each, shown as a page. None of it leaves the machine.
EMAIL_BACKEND = "django.core.mail.backends.filebased.EmailBackend"
EMAIL_FILE_PATH = STATE / "mail"  # noqa: F405
MAIL_READY = True
