"""What eyes to which some colours look alike can tell: by colour, by lightness, or not."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from operator import mul
from statistics import fmean

from kessa.core.colours.difference import difference
from kessa.core.colours.lab import Lab, lab_of_light, linear

RED_GREEN, BLUE_YELLOW, ALL = "red-green", "blue-yellow", "all"
# Which colours look alike, as people say it.
EYES = {RED_GREEN: "red and green", BLUE_YELLOW: "blue and yellow", ALL: "all colours: I see light and dark"}
# Machado, Oliveira and Fernandes (2009), severity 1, on linear sRGB: without long-, middle- or short-wave cones.
_LONG = ((0.152286, 1.052583, -0.204868), (0.114503, 0.786281, 0.099216), (-0.003882, -0.048116, 1.051998))
_MIDDLE = ((0.367322, 0.860646, -0.227968), (0.280085, 0.672501, 0.047413), (-0.011820, 0.042940, 0.968881))
_SHORT = ((1.255528, -0.076749, -0.178779), (-0.078411, 0.930809, 0.147602), (0.004733, 0.691367, 0.303900))
# Who says "red and green" does not say which of the two cones lacks: the worse of both counts.
_LACKING = {RED_GREEN: (_LONG, _MIDDLE), BLUE_YELLOW: (_SHORT,), ALL: (None,)}
# Apart at a glance, from memory and in a swirling vessel: some six differences that are just seen.
_AT_A_GLANCE = 15.0
# So much of a difference is most of it.
_MOSTLY = 0.75
COLOUR, LIGHTNESS = "colour", "lightness"
# By so many units an end may be called late by eyes that do not tell it.
LATE_BY = 2


def seen_apart(one: str, other: str, eyes: str) -> float:
    """Return how far two sRGB colours ("#rrggbb") look apart to such eyes, as CIEDE2000; to usual ones for ""."""
    return min(difference(first, second) for first, second in zip(_seen(one, eyes), _seen(other, eyes), strict=True))


def distinguished_by(one: str, other: str, eyes: str) -> str:
    """Return by what such eyes tell two sRGB colours at a glance: COLOUR, LIGHTNESS, or "" where they do not.

    >>> [distinguished_by("#cc6688", "#ffffff", eyes) for eyes in (RED_GREEN, BLUE_YELLOW)]
    ['lightness', 'colour']
    >>> [distinguished_by("#3f9a6a", "#cf8d9a", eyes) for eyes in (RED_GREEN, BLUE_YELLOW)]
    ['', 'colour']
    """
    apart = seen_apart(one, other, eyes)
    if apart < _AT_A_GLANCE:
        return ""
    # Where hardly anything of it is lost, or what is left is a difference of colours still.
    as_usual = apart >= _MOSTLY * seen_apart(one, other, "")
    return COLOUR if as_usual or seen_apart(one, other, ALL) < _MOSTLY * apart else LIGHTNESS


def alike_on_card(colours: Sequence[str], place: int, off: float, eyes: str) -> tuple[int, int]:
    """Return the first and last place of a card that such eyes take for a place of it.

    An eye that is `off` by so many steps of the card tells colours that lie further apart than so many of its mean
    steps do; to these eyes some that lie further along the card look no further apart.
    """
    steps = [seen_apart(one, other, "") for one, other in pairwise(colours)]
    limit = off * fmean(steps) if steps else 0.0
    alike = [n for n, colour in enumerate(colours) if seen_apart(colours[place], colour, eyes) <= limit]
    return min([place, *alike]), max([place, *alike])


def _seen(colour: str, eyes: str) -> list[Lab]:
    light = [linear(int(colour[n : n + 2], 16) / 255) for n in (1, 3, 5)]
    if not eyes:
        return [lab_of_light(*light)]
    found = []
    for cones in _LACKING[eyes]:
        left = light if cones is None else [sum(map(mul, row, light)) for row in cones]
        lab = lab_of_light(*(min(max(each, 0.0), 1.0) for each in left))
        found.append(Lab(lab.l, 0.0, 0.0) if cones is None else lab)
    return found
