"""The occasions on which rounds fall due, as data."""

from pathlib import Path

from kessa.core.checked import Checked
from kessa.core.datafile import data_file, read_toml


class OccasionKind(Checked):
    """Something that can happen; `one_place` where it happens at a place, not to the whole valley."""

    key: str
    name: str
    about: str
    rule: str
    within_days: int
    one_place: bool = False


class _Occasions(Checked):
    occasions: tuple[OccasionKind, ...]


@data_file
def occasion_kinds() -> dict[str, OccasionKind]:
    """Return the kinds of occasion by key; raises BadDataFile on a faulty file."""
    return {each.key: each for each in read_toml(Path(__file__).with_suffix(".toml"), _Occasions).occasions}
