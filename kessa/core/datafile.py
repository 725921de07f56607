"""Reading the core's own TOML files, with errors that name the file and the field."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from kessa.core.checked import faults

Record = TypeVar("Record", bound=BaseModel)


class BadDataFile(ValueError):
    """A data file that cannot be used; the message names the file and every field at fault."""


def read_toml(path: Path, record: type[Record]) -> Record:
    """Read one TOML file as `record`; raises BadDataFile."""
    try:
        return read_record(path.name, tomllib.loads(path.read_text(encoding="utf-8")), record)
    except tomllib.TOMLDecodeError as error:
        raise BadDataFile(f"{path.name}: {error}") from error


def read_record(name: str, data: Any, record: type[Record]) -> Record:
    """Read plain data as `record`; raises BadDataFile that begins with `name` and names every field at fault."""
    try:
        return record.model_validate(data)
    except ValidationError as error:
        said = (f"{'.'.join(map(str, where)) or 'file'}: {what}" for where, what in faults(error, "file"))
        raise BadDataFile(f"{name}: {' '.join(said)}") from error
