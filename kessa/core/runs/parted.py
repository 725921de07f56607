"""One run that two devices made without knowing of each other is two runs."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from itertools import count

from kessa.core.runs.events import CORRECTED, DROP, END, READ, Event, live

Runs = dict[str, list[Event]]
# So many alike are no chance of two people tapping at one moment.
_NO_CHANCE = 2


def parted(runs: Mapping[str, Sequence[Event]]) -> Runs:
    """Return runs by name ("sample-1"), those that were made apart told apart: the later gets a free number.

    Whoever has seen a tap counts on from its `seq`. So two devices knew nothing of each other where two or more of
    their numbers are the same, and each counted two units, called the end or read the same part. Both stand as
    runs of one sample. What was put right of a run goes by the number it has here.
    """
    taken = {name for name, events in runs.items() if not _only_put_right(events)}
    found: Runs = {}
    for name, events in sorted(runs.items()):
        moved = {}
        for device in _apart(events):
            moved[device] = next(free for free in _numbered(name.split("-")[0]) if free not in taken)
            taken.add(moved[device])
        for event in events:
            found.setdefault(moved.get(event.device, name), []).append(event)
    return found


def _numbered(role: str) -> Iterator[str]:
    return (f"{role}-{number}" for number in count(1))


def _only_put_right(events: Sequence[Event]) -> bool:
    return all(event.kind == CORRECTED for event in events)


def _apart(events: Sequence[Event]) -> list[str]:
    """Return the devices that made a run of their own beside another's, the earliest to tap not among them."""
    if len({event.device for event in events}) < 2:
        return []
    made: dict[str, list[Event]] = {}
    for event in sorted(events, key=lambda event: (event.at, event.id)):
        made.setdefault(event.device, []).append(event)
    keeping: list[str] = []
    later = []
    for device, taps in made.items():
        if any(_unknowing(taps, made[other]) for other in keeping):
            later.append(device)
        else:
            keeping.append(device)
    return later


def _unknowing(some: list[Event], others: list[Event]) -> bool:
    numbers = {event.seq for event in some} & {event.seq for event in others}
    both = (live(some), live(others))
    counted = min(sum(event.kind == DROP for event in taps) for taps in both) >= _NO_CHANCE
    ended = all(any(event.kind == END for event in taps) for taps in both)
    read = not _parts_read(both[0]).isdisjoint(_parts_read(both[1]))
    return len(numbers) >= _NO_CHANCE and (counted or ended or read)


def _parts_read(taps: list[Event]) -> set[str]:
    return {event.data["part"] for event in taps if event.kind == READ}
