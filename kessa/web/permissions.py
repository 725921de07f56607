"""Who may what, in a table: written from the acts and the addresses themselves, so that it cannot lag behind them."""

from collections.abc import Iterator
from typing import Any

from django.urls import URLPattern, get_resolver

from kessa.record.people.access import Who
from kessa.record.people.acts import ACTS
from kessa.record.people.may import Case

_HEAD = """# Who may what

Written by `manage.py write_permissions` from the code; a test holds it to that.
A coordinator may do every act of the team. Every act leaves a row that coordinators see under Team, refused ones too.

## Acts

| Where | Act | Volunteer | Technician |
|---|---|---|---|
"""
_PAGES = """
## Pages and addresses

What is open to a role is open to those after it: anyone, signed in, member, technician, coordinator.
An address that says nothing is closed to everybody. The acts behind a page ask again by the table above. What is under
`/api/v1/` asks for a key itself, which opens no more than its person may.

| Address | Open to |
|---|---|
"""


def addresses() -> Iterator[tuple[str, Any]]:
    """Give every address with its view."""
    yield from _within(get_resolver().url_patterns, "/")


def _within(patterns: list[Any], before: str) -> Iterator[tuple[str, Any]]:
    for each in patterns:
        address = before + str(each.pattern)
        if isinstance(each, URLPattern):
            yield address, each.callback
        else:
            yield from _within(each.url_patterns, address)


def permissions_page() -> str:
    """Return the table of acts and addresses as Markdown."""
    opened = [(address, getattr(view, "open_to", None)) for address, view in addresses()]
    acts = [
        f"| {known.room} | {known.what} | {_said(known.rule.volunteer)} | {_said(known.rule.technician)} |\n"
        for known in sorted(ACTS.values(), key=lambda known: (known.room, known.what))
    ]
    pages = [f"| `{address}` | {_named(who)} |\n" for address, who in sorted(opened)]
    return _HEAD + "".join(acts) + _PAGES + "".join(pages)


def _said(answer: bool | Case) -> str:
    if isinstance(answer, Case):
        return answer.words
    return "yes" if answer else "no"


def _named(who: Who | None) -> str:
    return "nobody" if who is None else who.name.lower().replace("_", " ")
