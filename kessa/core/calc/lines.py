"""The core spoken to in JSON lines: one request a line in, one answer a line out, in order."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Iterable, Iterator
from functools import lru_cache
from io import BufferedReader
from typing import Any, cast

from kessa.core.calc.arguments import Arguments
from kessa.core.calc.ops import OPS
from kessa.core.errors import CannotCompute


def answer(request: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; raises CannotCompute with the field at fault."""
    name = request.get("op")
    if not isinstance(name, str) or name not in OPS:
        raise CannotCompute(f"op must be one of: {', '.join(OPS)}.", "op")
    op = OPS[name]
    arguments = Arguments(request, name, ("id", "op", *op.arguments))
    return op.respond(arguments)


def answer_line(line: str | bytes) -> str:
    """Answer one line of JSON with one line of JSON; never raises on any input."""
    try:
        request = _DECODER.decode(line if isinstance(line, str) else line.decode(json.detect_encoding(line)))
    except (ValueError, RecursionError):
        return _written({"ok": False, "error": "This line is not JSON.", "field": None})
    reply: dict[str, Any] = {}
    try:
        if not isinstance(request, dict):
            raise CannotCompute("A request is an object with an op.", "op")
        if "id" in request:
            reply["id"] = _echoed(request["id"])
        reply |= {"ok": True, "answer": answer(request)}
    except CannotCompute as error:
        reply |= {"ok": False, "error": error.message, "field": error.field}
    return _written(reply)


def _integer(digits: str) -> int | float:
    """Read an integer of any length: one too long for arithmetic is as good as infinite, and refused by its field."""
    return int(digits) if len(digits) < 400 else math.inf


_DECODER = json.JSONDecoder(parse_int=_integer)
_ENCODER = json.JSONEncoder(allow_nan=False)


def _echoed(identity: Any) -> Any:
    try:
        _written({"id": identity})
    except (ValueError, RecursionError):
        raise CannotCompute("id cannot be repeated in the answer.", "id") from None
    return identity


def _written(reply: dict[str, Any]) -> str:
    return _ENCODER.encode(reply)


def answer_stream(lines: Iterable[bytes]) -> Iterator[str]:
    """Answer every line that is not blank."""
    for line in lines:
        if line.strip():
            yield _again(line) if len(line) <= _SHORT else answer_line(line)


# The same is often asked again, such as eight drops by one kit; an answer follows from its line alone.
_SHORT, _MOST = 1000, 4096
_again = lru_cache(maxsize=_MOST)(answer_line)


def main() -> None:
    """Answer standard input on standard output; what came in together is answered together."""
    try:
        for lines in _whole_lines():
            for reply in answer_stream(lines):
                sys.stdout.write(reply + "\n")
            sys.stdout.flush()
    except BrokenPipeError:
        sys.stderr.close()


def _whole_lines() -> Iterator[list[bytes]]:
    """Return the lines of standard input as they come in; of a line that is not whole yet nothing."""
    begun: list[bytes] = []
    came_in = cast("BufferedReader", sys.stdin.buffer)
    while piece := came_in.read1(1 << 16):
        first, *following = piece.split(b"\n")
        begun.append(first)
        if following:
            yield [b"".join(begun), *following[:-1]]
            begun = following[-1:]
    yield [b"".join(begun)]
