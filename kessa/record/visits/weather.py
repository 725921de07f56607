"""Weather as a service says it: proposals to be looked at, never observations."""

import logging
import math
from datetime import datetime
from functools import cache
from typing import Protocol

from django.conf import settings
from django.utils.module_loading import import_string

from kessa.core.job.circumstances import scales_for
from kessa.record.places.models import Place

_log = logging.getLogger(__name__)


class WeatherService(Protocol):
    """What a weather service is asked: one short class adapts any of them; WEATHER_SERVICE names it."""

    def at(self, latitude: float, longitude: float, moment: datetime) -> dict[str, float]:
        """Return what it says, by the keys of circumstances.toml: `weather_now`, `rain_past_day`, `air_temperature`."""


class SimulatedWeather:
    """A made-up service for the demo: the same answer for the same place and hour, colder in January and at night."""

    def at(self, latitude: float, longitude: float, moment: datetime) -> dict[str, float]:
        """Return a weather of the season."""
        day = moment.timetuple().tm_yday
        season = math.cos(2 * math.pi * (day - 25) / 365.25)
        chance = (day * 7 + moment.hour + round(latitude * 10)) % 5
        air = round(9 - 9 * season + 3 * math.sin((moment.hour - 9) / 24 * 2 * math.pi), 1)
        return {
            "air_temperature": air,
            "weather_now": [0, 2, 4, 5, 2][chance],
            "rain_past_day": [0, 1, 1, 2, 3][chance],
        }


def weather_at(place: Place, moment: datetime) -> dict[str, float]:
    """Return what the weather service says of a place, on its own scales; nothing where there is none or it fails."""
    if not settings.WEATHER_SERVICE or place.latitude is None or place.longitude is None:
        return {}
    try:
        data = _service(settings.WEATHER_SERVICE).at(float(place.latitude), float(place.longitude), moment)
        scales = {scale.key: scale for scale in scales_for(place.kind_key) if scale.group == "weather"}
        return {key: value for key, value in data.items() if key in scales and scales[key].holds(value)}
    except Exception:
        # Whatever a service answers, circumstances are noted by the person.
        _log.warning("The weather service gave no answer that can be used.", exc_info=True)
        return {}


@cache
def _service(name: str) -> WeatherService:
    service: WeatherService = import_string(name)()
    return service
