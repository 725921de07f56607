"""Where what is left of a test goes: streams whose contents may stand together."""

from __future__ import annotations

from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class WasteStream(Checked):
    """One stream: the jar that is packed for it, what is in it, and what is written on it."""

    key: str
    name: str
    jar: str = ""
    holds: tuple[str, ...]
    label: str = ""


class _Waste(Checked):
    streams: tuple[WasteStream, ...]


@data_file
def waste_streams() -> dict[str, WasteStream]:
    """Return the streams by key; raises BadDataFile on a faulty file."""
    return {stream.key: stream for stream in read_toml(Path(__file__).with_suffix(".toml"), _Waste).streams}
