"""Taking in files without letting anybody fill the disk."""

from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.core.files.uploadhandler import SkipFile, TemporaryFileUploadHandler

MOST_BYTES = 15_000_000
# By page. What is larger is read past, four times as much at most, so that the page can say how large it is.
_TAKE_FILES = {
    **dict.fromkeys(
        ("photographs:add", "methods:take_in", "pads:photograph", "pads:bring_scale", "instruments:memory"), MOST_BYTES
    ),
    "exchange:take_in": 300_000_000,
}


class BoundedUpload(TemporaryFileUploadHandler):
    """Keeps an incoming file where a member sends one to a page that takes it, up to the most a photograph may have."""

    def handle_raw_input(self, input_data: Any, META: Any, content_length: int, *args: Any, **kwargs: Any) -> None:  # noqa: N803
        """Refuse a body, before it is read, that is larger than its page takes."""
        request: Any = self.request
        match = request.resolver_match
        self._most = _TAKE_FILES.get(match.view_name, 0) if match and request.membership else 0
        self._taken = bool(self._most)
        if content_length > (4 * self._most or settings.DATA_UPLOAD_MAX_MEMORY_SIZE):
            raise RequestDataTooBig

    def new_file(self, *args: Any, **kwargs: Any) -> None:
        """Begin a file, where one is taken."""
        if not self._taken:
            raise SkipFile
        super().new_file(*args, **kwargs)
        self._received = 0

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        """Keep a piece of it."""
        self._received += len(raw_data)
        if self._received > self._most:
            self.file.close()
            raise SkipFile
        super().receive_data_chunk(raw_data, start)
