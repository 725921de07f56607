"""Places on the map that a table gives by their degrees."""

from __future__ import annotations

import math

from kessa.core.errors import CannotCompute

# Mean radius of the earth, m (IUGG).
_EARTH_M = 6_371_009.0
Point = tuple[float, float]


def point_of(latitude: float, longitude: float) -> Point:
    """Return a point by its degrees north and east; raises CannotCompute on "latitude" or "longitude" off the globe.

    >>> point_of(54.5, -2.5)
    (54.5, -2.5)
    """
    for name, degrees, most in (("latitude", latitude, 90), ("longitude", longitude, 180)):
        if not abs(degrees) <= most:
            raise CannotCompute(f"{degrees:g} is no {name}: it lies between -{most} and {most} degrees.", name)
    return latitude, longitude


def metres_apart(one: Point, other: Point) -> float:
    """Return how far two points lie apart, in m along a great circle of the earth (haversine formula; to 0.5 %).

    >>> round(metres_apart((54.5, -2.5), (54.5, -2.499)))
    65
    """
    (north, east), (to_north, to_east) = (tuple(map(math.radians, each)) for each in (one, other))
    half = math.sin((to_north - north) / 2) ** 2
    half += math.cos(north) * math.cos(to_north) * math.sin((to_east - east) / 2) ** 2
    return 2 * _EARTH_M * math.asin(math.sqrt(min(half, 1.0)))
