"""Colours in CIE Lab (D65, 2° observer), and sRGB brought to it and back."""

from __future__ import annotations

from typing import NamedTuple

from kessa.core.errors import CannotCompute

# IEC 61966-2-1, to four figures; white is what the matrix makes of 255, 255, 255, so that greys have a = b = 0.
_TO_XYZ = ((0.4124, 0.3576, 0.1805), (0.2126, 0.7152, 0.0722), (0.0193, 0.1192, 0.9505))
_FROM_XYZ = (
    (3.2406254773, -1.5372079722, -0.4986285987),
    (-0.9689307147, 1.8757560609, 0.0415175238),
    (0.0557101204, -0.2040210506, 1.0569959423),
)
_WHITE = tuple(sum(row) for row in _TO_XYZ)
_KNEE, _SLOPE = (6 / 29) ** 3, (29 / 6) ** 2 / 3
_MOST = 1000.0


class Lab(NamedTuple):
    """A colour: lightness 0 to 100, green to red, blue to yellow."""

    l: float  # noqa: E741 (the field's own name for it)
    a: float
    b: float


def checked_lab(numbers: list[float], field: str) -> Lab:
    """Return three numbers as a colour; raises CannotCompute on `field` where they are none."""
    if len(numbers) != 3 or not 0 <= numbers[0] <= 100 or max(map(abs, numbers[1:])) > _MOST:
        raise CannotCompute(f"{field} is [L, a, b]: a lightness from 0 to 100 and two numbers.", field)
    return Lab(*numbers)


def linear(level: float) -> float:
    """Return the light of an sRGB level of 0 to 1, as a part of full light (IEC 61966-2-1)."""
    return level / 12.92 if level <= 0.04045 else float(((level + 0.055) / 1.055) ** 2.4)


def lab_of_light(red: float, green: float, blue: float) -> Lab:
    """Return the colour of light given as parts of full light in the sRGB primaries (CIE 15)."""
    x, y, z = (
        _curved((row[0] * red + row[1] * green + row[2] * blue) / white)
        for row, white in zip(_TO_XYZ, _WHITE, strict=True)
    )
    return Lab(116 * y - 16, 500 * (x - y), 200 * (y - z))


def _curved(part: float) -> float:
    return float(part ** (1 / 3)) if part > _KNEE else part * _SLOPE + 4 / 29


def lab_of_rgb(red: float, green: float, blue: float) -> Lab:
    """Return the colour of sRGB levels of 0 to 255; raises CannotCompute on `rgb` outside them."""
    if not all(0 <= level <= 255 for level in (red, green, blue)):
        raise CannotCompute("rgb is three levels from 0 to 255.", "rgb")
    return lab_of_light(linear(red / 255), linear(green / 255), linear(blue / 255))


def light_of_lab(lab: Lab) -> tuple[float, float, float]:
    """Return the light of a colour in the sRGB primaries: parts of full light, of which a screen shows 0 to 1."""
    y = (lab.l + 16) / 116
    curved = (y + lab.a / 500, y, y - lab.b / 200)
    xyz = [white * _straight(each) for each, white in zip(curved, _WHITE, strict=True)]
    red, green, blue = (sum(weight * each for weight, each in zip(row, xyz, strict=True)) for row in _FROM_XYZ)
    return red, green, blue


def _straight(curved: float) -> float:
    return curved**3 if curved > 6 / 29 else (curved - 4 / 29) / _SLOPE


def level(light: float) -> float:
    """Return the sRGB level, 0 to 1, of a part of full light (IEC 61966-2-1); light beyond the ends is cut off."""
    light = min(max(light, 0.0), 1.0)
    return light * 12.92 if light <= 0.0031308 else 1.055 * light ** (1 / 2.4) - 0.055


def lab_of_hex(colour: str) -> Lab:
    """Return the colour of a screen's "#rrggbb"."""
    return lab_of_rgb(*(int(colour[at : at + 2], 16) for at in (1, 3, 5)))


def hex_of_lab(lab: Lab) -> str:
    """Return the nearest colour that a screen shows, as "#rrggbb"."""
    return "#" + "".join(f"{round(255 * level(each)):02x}" for each in light_of_lab(lab))


def mixed(one: Lab, other: Lab, part: float) -> Lab:
    """Return the colour so far from one to another, straight in Lab: 0 the one, 1 the other."""
    return Lab(*(a + part * (b - a) for a, b in zip(one, other, strict=True)))
