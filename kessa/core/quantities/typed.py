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


def typed_numbers(text: str) -> list[float] | None:
    """Return the numbers that were typed in a row; None where one of them is none or could be two.

    A semicolon or a tab parts them, else a space, with or without a comma before it. A comma without a space is a
    decimal comma, but for one that stands beside a decimal point.

    >>> typed_numbers("0,5; 1,25"), typed_numbers("0.5, 1, 2"), typed_numbers("1.4,37"), typed_numbers("0,5 x")
    ([0.5, 1.25], [0.5, 1.0, 2.0], [1.4, 37.0], None)
    """
    each_part = re.split("[;\t]" if re.search("[;\t]", text) else ",?\\s+", text.strip(" ,;\t\r\n"))
    parts = [part for each in each_part for part in (each.split(",") if "." in each else [each])]
    numbers = [typed_number(part) for part in parts]
    return None if None in numbers else [float(each) for each in numbers if each is not None]
