"""The scripts of pages as they are served, put together by bin/bundle: which needs which, and what they are made of."""

import hashlib
import json
import sys
from functools import cache
from pathlib import Path
from typing import Any

PAGES = Path(__file__).resolve().parents[1]
_MAP = PAGES / "bundled/map.json"


def digest(path: Path) -> str:
    """Return by what a script is known to be the one that was put in."""
    return hashlib.sha256(path.read_bytes()).hexdigest()[:16]


@cache
def needed() -> dict[str, list[str]]:
    """Return the files that the script of each page needs, itself last, by their names beneath the static address."""
    return _read("needs")


def made_of() -> dict[str, str]:
    """Return of which scripts the bundles were made, each with its digest."""
    return _read("made of")


def _read(part: str) -> Any:
    return json.loads(_MAP.read_text())[part]


def write_map(made: dict[str, Any]) -> None:
    """Write down what esbuild says of what it made (its "metafile", with names beneath kessa/pages)."""
    files = {name: each for name, each in made["outputs"].items() if name.endswith(".js")}

    def needs(name: str) -> list[str]:
        found = [part["path"] for part in files[name]["imports"] if part["kind"] == "import-statement"]
        return list(dict.fromkeys([*(deeper for each in found for deeper in needs(each)), name]))

    pages = {each["entryPoint"]: needs(name) for name, each in sorted(files.items()) if "entryPoint" in each}
    sources = {name: digest(PAGES / name) for name in sorted(made["inputs"])}
    _MAP.write_text(json.dumps({"needs": pages, "made of": sources}, indent=1) + "\n")


if __name__ == "__main__":
    write_map(json.loads(Path(sys.argv[1]).read_text()))
