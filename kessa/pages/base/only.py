"""The one row that an address is about."""

from typing import Any

from django.http import Http404


def only_or_404(found: list[Any]) -> Any:
    """Return the one row found; raises Http404 where there is none."""
    if not found:
        raise Http404
    return found[0]
