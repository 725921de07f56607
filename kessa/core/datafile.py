"""Reading the core's own TOML files, with errors that name the file and the field."""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError

Record = TypeVar("Record", bound=BaseModel)


class Strict(BaseModel):
    """A record in a data file: unchangeable, a misspelt field is an error, and so is a number that is none."""

    model_config = ConfigDict(frozen=True, extra="forbid", populate_by_name=True, allow_inf_nan=False)


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
        faults = (f"{'.'.join(map(str, fault['loc'])) or 'file'}: {fault['msg']}" for fault in error.errors())
        raise BadDataFile(f"{name}: {'; '.join(faults)}") from error
