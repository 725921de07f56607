"""Many pages that are much alike, as one answer: what stood in one before is not sent again."""

import json
import re
from collections.abc import Iterable, Iterator

# Where a page is cut into pieces: at the ends of its lines, and of what stands in brackets in its data.
_PIECE = re.compile(r"[^\n\]}]*[\n\]}]|[^\n\]}]+")


def packed(pages: Iterable[tuple[str, str | None]]) -> Iterator[str]:
    """Give a line of JSON a page: its address, and its pieces in order, or null where there is no page.

    A piece that is new is sent as it is, and has the next number from 0; those sent before, one after another,
    as [the number of the first, how many].
    """
    numbers: dict[str, int] = {}
    for address, text in pages:
        given: list[str | list[int]] = []
        for piece in _PIECE.findall(text or ""):
            number, last = numbers.get(piece), given[-1] if given else None
            if number is None:
                numbers[piece] = len(numbers)
                given.append(piece)
            elif isinstance(last, list) and sum(last) == number:
                last[1] += 1
            else:
                given.append([number, 1])
        yield json.dumps([address, None if text is None else given], separators=(",", ":"), ensure_ascii=False) + "\n"
