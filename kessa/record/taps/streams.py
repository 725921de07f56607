"""What a stream of taps is: the frame into which visits and tests fit their own."""

import uuid
from abc import ABC, abstractmethod
from datetime import datetime
from typing import Any, ClassVar, Self

from kessa.record.people.models import Membership
from kessa.record.taps.incoming import Incoming
from kessa.record.taps.models import Tap


class Stream(ABC):
    """A visit or a test, to which taps are added while its row is held."""

    # How it is called at the door, the kinds of tap by which one begins, and the one by which it ends.
    name: ClassVar[str]
    begins_with: ClassVar[tuple[str, ...]]
    ends_with: ClassVar[str]
    # The kinds of tap by which what comes after them is checked otherwise.
    turns_with: ClassVar[tuple[str, ...]]
    # The kinds of tap of which looking at one leaves something behind: a batch with one is looked at once.
    looked_at_once: ClassVar[tuple[str, ...]] = ()
    model: ClassVar[type[Any]]
    # How many taps it takes, but for its end.
    most: ClassVar[int]

    def __init__(self, by: Membership, row: Any) -> None:
        """Hold a stream's row for the member who sends, and taps unless they send what another tapped."""
        self.by, self.sender, self.row = by, by, row

    @classmethod
    @abstractmethod
    def held(cls, by: Membership, stream: uuid.UUID) -> Self | None:
        """Return the stream of this number with its row locked; None where the team has none."""

    @classmethod
    @abstractmethod
    def begun(cls, by: Membership, stream: uuid.UUID, tap: Incoming, at: datetime) -> Self:
        """Begin a stream by its first tap, made at `at`; raises BadTap or NotAllowed."""

    @classmethod
    def lent(cls, by: Membership, stream: uuid.UUID, tap: Incoming, owner: int) -> list[tuple[datetime, datetime]]:
        """Return from when until when a tap's `lent` name holds on the owner's phone for this stream."""
        return []

    @property
    @abstractmethod
    def closed(self) -> bool:
        """Whether taps come too late for it."""

    @abstractmethod
    def check(self, tap: Incoming) -> dict[str, Any]:
        """Return what a tap carries, as it is kept, but for what the server can work out; raises BadTap."""

    def turns(self, kind: str, data: dict[str, Any]) -> bool:
        """Whether what comes after such a tap is checked otherwise."""
        return kind in self.turns_with

    def hand(self, tap: Incoming, data: dict[str, Any], person: int) -> int:
        """Return whose hand made a tap that was checked: the person's, but for what another did on their page."""
        return person

    @abstractmethod
    def happen(self, taps: list[Tap], moments: dict[uuid.UUID, datetime]) -> None:
        """Let what was tapped happen, once it is kept: `moments` are the times by the server's clock."""

    @property
    @abstractmethod
    def page(self) -> str:
        """Where a closed stream is shown."""


STREAMS: dict[str, type[Stream]] = {}


def register(stream: type[Stream]) -> None:
    """Open the door of taps to a kind of stream."""
    STREAMS[stream.name] = stream
