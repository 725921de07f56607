"""How far a long work is, and that it stops when somebody cancelled it."""

from collections.abc import Callable

from django.utils import timezone

from kessa.record.long_work.models import LongWork, State


class Stopped(Exception):
    """Somebody cancelled what was under way."""


def progress(work: LongWork) -> Callable[[int], None]:
    """Return what a long work is told how many more it has done; it raises Stopped where somebody cancelled it."""
    rows = type(work).across_teams.filter(pk=work.pk, state=State.RUNNING)

    def tell(more: int) -> None:
        work.done += more
        if not rows.update(done=work.done):
            raise Stopped

    return tell


def begin(work: LongWork | None, total: int) -> bool:
    """Say that a work begins; whether it still is to be done. What was broken off begins anew."""
    if work is None or not work.under_way:
        return False
    work.done, work.total, work.state = 0, total, State.RUNNING
    work.save(update_fields=["done", "total", "state"])
    return True


def end(work: LongWork, state: State, fault: str = "") -> None:
    """Say what became of a work."""
    rows = type(work).across_teams.filter(pk=work.pk, state=State.RUNNING)
    rows.update(state=state, ended_at=timezone.now(), fault=fault[:300])
