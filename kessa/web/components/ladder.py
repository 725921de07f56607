"""The count against the range's maximum, with the usual range beside it."""

from typing import Any, NamedTuple

TOP, FOOT = 14, 434


class Ladder(NamedTuple):
    """Positions in drawing units: `step` is the height of one count, `ticks` are (y, label or "")."""

    step: float
    ticks: list[tuple[float, str]]
    usual: tuple[float, float] | None
    top: int = TOP
    foot: int = FOOT


def ladder(stop_at: int, usual: list[float] | None) -> Ladder:
    """Lay out a ladder of `stop_at` rungs; `usual` is (low, high) in counts."""
    step = (FOOT - TOP) / stop_at
    ticks = [(round(FOOT - step * count, 1), str(count) if count % 5 == 0 else "") for count in range(stop_at + 1)]
    band = None
    if usual and usual[0] <= stop_at:
        y = FOOT - step * min(usual[1], stop_at)
        band = (round(y, 1), round(max(FOOT - step * usual[0] - y, 2.0), 1))
    return Ladder(round(step, 3), ticks, band)


def vessel_colours(colours: Any) -> dict[str, str]:
    """Return the colours to look for by role, with underscores for the template."""
    return {colour.role.replace(" ", "_"): colour.value for colour in colours}
