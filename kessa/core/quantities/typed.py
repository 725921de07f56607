"""Numbers as people type them: with a comma or a point, in whatever language their phone speaks."""

import re

_APART = re.compile("(?<=\\d)[ \u00a0\u2009\u202f](?=\\d{3}(?!\\d))")
_NUMBER = re.compile(r"[+-]?(\d+([.,]\d*)?|[.,]\d+)", re.ASCII)


def typed_number(text: str) -> str | None:
    """Return a number as it was typed in plain form, with a point; None where it is none or could be two.

    A comma and a point both begin the decimals: what has both, or one of them twice, could be two numbers. Groups of
    three digits may stand apart by a space. The same as `read` in numbers.js, held to the same cases.

    >>> typed_number("0,5"), typed_number("1 250.5"), typed_number("-.5"), typed_number("1.250,5"), typed_number("x")
    ('0.5', '1250.5', '-0.5', None, None)
    """
    plainly = _APART.sub("", text.strip().replace("−", "-"))
    if not _NUMBER.fullmatch(plainly):
        return None
    sign = "-" if plainly.startswith("-") else ""
    whole, _, decimals = plainly.lstrip("+-").replace(",", ".").partition(".")
    return f"{sign}{whole or '0'}{'.' + decimals if decimals else ''}"
