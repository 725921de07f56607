"""The count against the range's maximum, with the usual range beside it."""

from typing import Any, NamedTuple

TOP, FOOT = 14, 434


class Ladder(NamedTuple):
    """Positions in drawing units: `step` is one count high, `ticks` are (y, label or ""), `usual` is (y, height)."""

    step: float
    ticks: list[tuple[float, str]]
    usual: tuple[float, float] | None
    usual_words_y: float = 0.0
    top: int = TOP
    foot: int = FOOT


def ladder(stop_at: int, usual: list[float] | None) -> Ladder:
    """Lay out a ladder of `stop_at` rungs; `usual` is (low, high) in counts."""
    step = (FOOT - TOP) / stop_at
    ticks = [(round(FOOT - step * count, 1), str(count) if count % 5 == 0 else "") for count in range(stop_at + 1)]
    band, words_y = None, 0.0
    if usual and usual[0] <= stop_at:
        y = FOOT - step * min(usual[1], stop_at)
        band = (round(y, 1), round(max(FOOT - step * usual[0] - y, 2.0), 1))
        words_y = round(y + band[1] / 2 + 4, 1)
    return Ladder(round(step, 3), ticks, band, words_y)


def vessel_colours(colours: Any) -> dict[str, str]:
    """Return the colours to look for by role, with underscores for the template."""
    return {colour.role.replace(" ", "_"): colour.value for colour in colours}
