"""The core spoken to in JSON lines: one request a line in, one answer a line out, in order."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Iterable, Iterator
from typing import Any

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
        request = json.loads(line, parse_int=_integer)
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


def _echoed(identity: Any) -> Any:
    try:
        _written({"id": identity})
    except (ValueError, RecursionError):
        raise CannotCompute("id cannot be repeated in the answer.", "id") from None
    return identity


def _written(reply: dict[str, Any]) -> str:
    return json.dumps(reply, allow_nan=False)


def answer_stream(lines: Iterable[bytes]) -> Iterator[str]:
    """Answer every line that is not blank."""
    for line in lines:
        if line.strip():
            yield answer_line(line)


def main() -> None:
    """Answer standard input on standard output."""
    try:
        for reply in answer_stream(sys.stdin.buffer):
            sys.stdout.write(reply + "\n")
            sys.stdout.flush()
    except BrokenPipeError:
        sys.stderr.close()
