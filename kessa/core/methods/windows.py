"""What a method's windows ask of the sample: its pH, its temperature."""

from __future__ import annotations

from kessa.core.methods.steps import Ask, Step

Span = tuple[float, float]


def window_steps(ph_window: Span | None, temperature_c: Span | None) -> dict[str, Step]:
    """Return the step that asks for each thing a method has a window for, by the key of what is asked."""
    steps = {}
    if ph_window:
        steps["ph"] = _asking("ph", "pH", ph_window, _PH)
    if temperature_c:
        steps["temperature"] = _asking("temperature", "°C", temperature_c, _TEMPERATURE)
    return steps


# What is asked, how it is told, and what to do about a number outside.
_PH = ("The sample's pH", "A strip will do.", "Bring it there, or take another test.")
_TEMPERATURE = (
    "How warm is the sample now?",
    "A thermometer in what is left over, not in what is tested.",
    "Let it come there first, closed.",
)


def _asking(key: str, unit: str, span: Span, words: tuple[str, str, str]) -> Step:
    text, detail, advice = words
    ask = Ask(
        key=key,
        unit=unit,
        least=span[0],
        most=span[1],
        flag=f"{key}-outside",
        unknown=f"{key}-not-measured",
        advice=advice,
    )
    return Step(kind="ask", text=text, detail=detail, ask=ask)
