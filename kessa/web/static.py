"""Which files are served as they are, and by what names: scripts, styles, fonts and drawings beside their page."""

from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

from django.contrib.staticfiles.finders import FileSystemFinder
from whitenoise.storage import CompressedManifestStaticFilesStorage

_SERVED = {".js", ".map", ".css", ".svg", ".woff2"}


class PageFiles(FileSystemFinder):
    """Finds what is served in the folders of pages and doors, and none of their code and templates."""

    def find(self, path: str, *args: Any, **kwargs: Any) -> Any:
        """Return where a served file lies."""
        return super().find(path, *args, **kwargs) if Path(path).suffix in _SERVED else []

    def list(self, ignore_patterns: Iterable[str] | None) -> Iterator[Any]:
        """Give every served file."""
        return (found for found in super().list(ignore_patterns) if Path(found[0]).suffix in _SERVED)


class Storage(CompressedManifestStaticFilesStorage):
    """Names what a script imports by content too: an old page meets no new module, and none is loaded twice."""

    support_js_module_import_aggregation = True
