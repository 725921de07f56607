"""Holds what is proposed to worked cases."""


def near(expected, given, percent=2.0):
    """Is a number (or one within a range) as expected, within percent?"""
    if not isinstance(given, (int, float)) or isinstance(given, bool):
        return False
    low, high = sorted(expected) if isinstance(expected, list) else (expected, expected)
    slack = percent / 100
    return low - abs(low) * slack - 1e-9 <= given <= high + abs(high) * slack + 1e-9


def fits(expected, step):
    """Is a proposed step the expected one?"""
    if step.get("do") in expected.get("or", []):
        return True
    if step.get("do") != expected["do"]:
        return False
    if expected.get("product") and step.get("product") != expected["product"]:
        return False
    if "amount" not in expected:
        return True
    wanted = [expected, *expected.get("also", [])]
    return any(
        each.get("unit") == step.get("unit")
        and near(each["amount"], step.get("amount"), expected.get("within_percent", 2))
        for each in wanted
    )


def faults(expect, answer):
    """Return what of the answer is not as expected."""
    steps, out = answer.get("steps", []), []
    at = 0
    for each in expect["steps"]:
        where = range(len(steps)) if expect.get("any_order") else range(at, len(steps))
        found = next((n for n in where if fits(each, steps[n])), None)
        if found is None:
            out.append(f"no {each} in its place")
        else:
            at = found + 1
    for no in expect["never"]:
        out += [
            f"{no} must not be proposed" for step in steps if all(step.get(key) == value for key, value in no.items())
        ]
    out += [f"{said} is not said" for said in expect["says"] if said not in answer.get("says", [])]
    given = answer.get("figures", {})
    out += [
        f"{name}: {value} expected, {given[name]} given"
        for name, value in expect.get("figures", {}).items()
        if name in given and not near(value, given[name])
    ]
    return out
