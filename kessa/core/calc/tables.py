"""The ops on what stands in somebody else's table: see ops."""

from __future__ import annotations

from kessa.core.calc.arguments import Answer, Arguments


def cell(arguments: Arguments) -> Answer:
    """A cell of results."""
    from kessa.core.importing.cells import MARKS, read_cell

    read = read_cell(arguments.text("text"), arguments.text("mark", ".", choices=MARKS))
    if read.says != "number":
        return {read.says.replace(" ", "_"): True}
    known = {"unit": read.unit, "as": read.form}
    return {"value": read.value, "censor": read.censor, **{name: each for name, each in known.items() if each}}


def moment(arguments: Arguments) -> Answer:
    """A day, or a moment."""
    from kessa.core.importing.days import ORDERS, read_moment

    read = read_moment(arguments.text("text"), arguments.text("zone"), arguments.text("order", None, choices=ORDERS))
    words = read.isoformat()
    return {"utc": words.replace("+00:00", "Z")} if words.endswith("+00:00") else {"day": words}
