"""What Kessa answers to some thousand questions near the known ones: no number moves unnoticed.

    python -m tests.core.answers    writes tests/known/own/answers.jsonl anew: read its diff

Whether they are right is for the known answers beside it, which others worked out.
"""

import json
from collections import defaultdict
from copy import deepcopy
from pathlib import Path
from random import Random

from kessa.core.calc.lines import answer_line
from kessa.core.judging.limits import rule_sets
from kessa.core.quantities.species import FORMS

KNOWN = Path(__file__).resolve().parents[1] / "known"
OWN = KNOWN / "own" / "answers.jsonl"
_OF_AN_OP = {"determine": 250, "advise": 150}


def reply(request: dict) -> dict:
    """The answer, or the field that was refused."""
    data = json.loads(answer_line(json.dumps(request)))
    if not data["ok"]:
        return {"fails": data["field"]}
    # Of plans that are as short as each other two searches give the one that is found first.
    return {"answer": {key: value for key, value in data["answer"].items() if key != "starts"}}


def _leaves(value, path=()):
    parts = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, part in parts:
        yield from _leaves(part, (*path, key))
    if not isinstance(value, dict | list):
        yield path, value


def _put(request, path, value):
    changed = deepcopy(request)
    inner = changed
    for key in path[:-1]:
        inner = inner[key]
    if value is None:
        inner.pop(path[-1])
    else:
        inner[path[-1]] = value
    return changed


def questions() -> list[dict]:
    """Known questions with one part changed, every form, every house method and limit."""
    draw, by_op = Random(1), defaultdict(list)
    for file in [*sorted(KNOWN.glob("*.jsonl")), KNOWN / "advice" / "cases.jsonl"]:
        for line in file.read_text().splitlines():
            request = json.loads(line)["request"]
            by_op[request.get("op")].append(request)
    asked = []
    for op, requests in by_op.items():
        seen = defaultdict(set)
        for request in requests:
            for path, leaf in _leaves(request):
                seen[path[-1]].add(json.dumps(leaf))
        near = []
        for request in requests:
            for path, leaf in _leaves(request):
                if path == ("op",):
                    continue
                others = sorted(seen[path[-1]] - {json.dumps(leaf)})
                changes = [None, *map(json.loads, draw.sample(others, min(2, len(others))))]
                if isinstance(leaf, int | float) and not isinstance(leaf, bool):
                    changes += [leaf * 1.3, leaf + 1, -leaf, 0]
                near += [_put(request, path, change) for change in changes]
        asked += requests + draw.sample(near, min(_OF_AN_OP.get(op, 70), len(near)))
    asked += [
        {"op": "convert", "value": 1, "unit": "mmol/L", "as": form, "to_unit": "mg/L", "to_as": form} for form in FORMS
    ]
    return asked + [
        {"op": "advise", "kind": kind, "feeds": feeds, "sets": [key], "results": [_result(limit, edge * factor)]}
        for key, rules in sorted(rule_sets().items())
        for limit in rules.limits
        for edge in (limit.min, limit.max)
        if edge is not None
        for kind, feeds in [draw.choice([("well", ["people"]), ("stream", []), ("boiler", []), ("cooling-tower", [])])]
        for factor in [draw.choice([0.5, 0.95, 1.02, 3])]
    ]


def _result(limit, value):
    low, high = (0, 0.3) if not value else sorted((value * 0.94, value * 1.06))
    return {
        "parameter": limit.parameter,
        "value": value,
        "low": low,
        "high": high,
        "unit": limit.unit,
        "as": limit.form,
    }


if __name__ == "__main__":
    OWN.parent.mkdir(exist_ok=True)
    OWN.write_text(
        "".join(json.dumps({"request": each, **reply(each)}, ensure_ascii=False) + "\n" for each in questions())
    )
