"""The core's own rules as scripts of the page: written from them, so that no page can lag behind."""

import json

from kessa.core.quantities.quantity import FIGURES
from kessa.core.runs.transitions import by_event, run_rules


def page_rules() -> dict[str, str]:
    """Return the scripts, by where they lie among the pages: what each event does to a run, how numbers are written."""
    return {
        "bench/run-rules.js": _script("kessa/core/runs/transitions.toml", f"RULES = {_run_rules()}"),
        "base/number-rules.js": _script("kessa/core/quantities/quantity.py", f"FIGURES = {json.dumps(FIGURES)}"),
    }


def _script(source: str, holds: str) -> str:
    head = f"// Written by `manage.py write_page_rules` from {source}; a test holds it to that."
    return f"{head}\n\nexport const {holds};\n"


def _run_rules() -> str:
    """Write the table with a line for each event."""
    rows = ",\n".join(
        f"    {event}: {json.dumps([{'when': each.when, 'do': each.do} for each in found])}"
        for event, found in by_event().items()
    )
    return f"{{\n  finished: {json.dumps(run_rules().finished)},\n  transitions: {{\n{rows},\n  }},\n}}"
