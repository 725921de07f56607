"""Reading Kessa's own TOML files, with errors that name the file and the field; each is found, none is listed."""

from __future__ import annotations

import tomllib
from collections.abc import Callable
from functools import cache
from importlib import import_module
from pathlib import Path
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError

from kessa.core.checked import faults

Record = TypeVar("Record", bound=BaseModel)
Read = TypeVar("Read")
_PACKAGE = Path(__file__).parents[1]
_READERS: list[Callable[[], object]] = []
_READ: set[Path] = set()


class BadDataFile(ValueError):
    """A data file that cannot be used; the message names the file and every field at fault."""


def data_file(reader: Callable[[], Read]) -> Callable[[], Read]:
    """Make a function that reads data files of its own do so once, and whenever all of them are checked."""
    once = cache(reader)
    _READERS.append(once)
    return once


def read_toml(path: Path, record: type[Record]) -> Record:
    """Read one TOML file as `record`; raises BadDataFile."""
    return read_record(path.name, plain_toml(path), record)


def plain_toml(path: Path) -> dict[str, Any]:
    """Read one TOML file as plain data; raises BadDataFile."""
    _READ.add(path)
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except tomllib.TOMLDecodeError as error:
        raise BadDataFile(f"{path.name}: {error}") from error


def faults_of_data_files(*storeys: str) -> list[str]:
    """Read every data file of these parts of the package, such as "core"; return what is wrong with any of them.

    A file is read by a function marked `data_file` in a module that lies beside it, or beside the folder it lies in.
    """
    files = {path for storey in storeys for path in (_PACKAGE / storey).rglob("*.toml")}
    for folder in sorted({next(each for each in path.parents if (each / "__init__.py").exists()) for path in files}):
        package = ".".join(("kessa", *folder.relative_to(_PACKAGE).parts))
        for module in sorted(folder.glob("[!_]*.py")):
            import_module(f"{package}.{module.stem}")
    found = []
    for read in _READERS:
        try:
            read()
        except BadDataFile as fault:
            found.append(str(fault))
    unread = [] if found else sorted(files - _READ)
    return [*found, *(f"{path.relative_to(_PACKAGE)}: nothing reads it." for path in unread)]


def read_record(name: str, data: Any, record: type[Record]) -> Record:
    """Read plain data as `record`; raises BadDataFile that begins with `name` and names every field at fault."""
    try:
        return record.model_validate(data)
    except ValidationError as error:
        words = (f"{'.'.join(map(str, where)) or 'file'}: {what}" for where, what in faults(error, "file"))
        raise BadDataFile(f"{name}: {' '.join(words)}") from error
