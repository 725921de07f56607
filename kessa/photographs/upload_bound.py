"""Taking in files without letting a huge one fill the disk."""

from typing import Any

from django.core.files.uploadhandler import SkipFile, TemporaryFileUploadHandler

MOST_BYTES = 15_000_000


class BoundedUpload(TemporaryFileUploadHandler):
    """Keeps an incoming file up to the most a photograph may have; the rest of a larger one is read past, not kept."""

    def new_file(self, *args: Any, **kwargs: Any) -> None:
        """Begin a file."""
        super().new_file(*args, **kwargs)
        self._received = 0

    def receive_data_chunk(self, raw_data: bytes, start: int) -> None:
        """Keep a piece of it."""
        self._received += len(raw_data)
        if self._received > MOST_BYTES:
            self.file.close()
            raise SkipFile
        super().receive_data_chunk(raw_data, start)
