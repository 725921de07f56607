"""The cases that the core and the page's script are both held to."""

import json
from pathlib import Path


def run_cases():
    """Return the cases with their events written out in full."""
    cases = json.loads((Path(__file__).parent / "run_cases.json").read_text())
    for case in cases:
        case["events"] = [
            {"id": id_, "kind": kind, "seq": seq, "at": f"2026-11-23T09:00:{second:02d}.000Z", "data": (*rest, {})[0]}
            for id_, kind, seq, second, *rest in case["events"]
        ]
    return cases
