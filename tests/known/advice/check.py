"""check.py FILE.jsonl COMMAND...: holds `advise` to cases; prints what differs, and "N of M right" last.

The command reads one JSON request a line and answers one a line (bin/calc). Standard library only.
"""

import json
import subprocess
import sys
from collections import Counter
from pathlib import Path


def faults(expect: dict, answer: dict) -> list[str]:
    """Return what of the answer is not as expected."""
    out = [
        f"{key}: {expect[key]!r} expected, {answer.get(key)!r} given"
        for key in ("stands", "worst", "decided_by", "boil_minutes")
        if key in expect and answer.get(key) != expect[key]
    ]
    do = answer.get("do", [])
    out += [f"{code} is missing" for code in expect.get("includes", []) if code not in do]
    out += [f"{code} must not be said" for code in expect.get("excludes", []) if code in do]
    most = expect.get("within_at_most_h")
    if most is not None and not (isinstance(answer.get("within_h"), (int, float)) and answer["within_h"] <= most):
        out.append(f"within_h: at most {most} expected, {answer.get('within_h')!r} given")
    for first, then in expect.get("before", []):
        if first in do and then in do and do.index(first) > do.index(then):
            out.append(f"{first} must stand before {then}")
    return out


def main() -> int:
    cases = [json.loads(line) for line in Path(sys.argv[1]).read_text("utf-8").splitlines() if line.strip()]
    sent = "".join(json.dumps({"id": n, **case["request"]}) + "\n" for n, case in enumerate(cases))
    done = subprocess.run(sys.argv[2:], input=sent, capture_output=True, text=True, check=False)
    replies = {reply.get("id"): reply for reply in map(json.loads, done.stdout.splitlines())}
    right, by_family = 0, Counter()
    for n, case in enumerate(cases):
        reply = replies.get(n, {})
        wrong = faults(case["expect"], reply["answer"]) if reply.get("ok") else [reply.get("error", "no answer")]
        right += not wrong
        if wrong:
            by_family[case["family"]] += 1
            if by_family[case["family"]] <= 2:
                print(case["family"], json.dumps(case["request"]["results"])[:160], "|", "; ".join(wrong))
    print(f"{right} of {len(cases)} right")
    return 0 if right == len(cases) else 1


if __name__ == "__main__":
    sys.exit(main())
