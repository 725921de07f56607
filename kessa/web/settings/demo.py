"""The demo on one's own machine: made-up people who can be signed in as with one tap. Never for real data."""

from kessa.web.settings.base import *  # noqa: F403

DEMO = True
WEATHER_SERVICE = "kessa.visits.weather.SimulatedWeather"
DEMO_TEAM = "Tarrow Vale"
SECRET_KEY = "the demo keeps no secrets"  # noqa: S105
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]"]
