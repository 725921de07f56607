"""What is never written into a log."""

import json
import logging
import os
import re
from datetime import UTC, datetime

from django.http import UnreadablePostError

# Addresses that open something to whoever holds them, also as another address's "next".
_SECRET = re.compile(r"((?:team(?:/|%2F)join|today(?:/|%2F)feed)(?:/|%2F))[^/%\s\"'&?]+", re.IGNORECASE)


class Discreet(logging.Filter):
    """Leaves secrets out of what is logged, and of a connection that was cut while it sent, the whole line."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether to log a record, which is made discreet."""
        if record.exc_info and isinstance(record.exc_info[1], UnreadablePostError):
            return False
        record.msg, record.args = _SECRET.sub(r"\1…", record.getMessage()), ()
        return True


class JsonLines(logging.Formatter):
    """A JSON object a line, for programs that gather logs: when, how grave, from where, what. Nobody's name."""

    def format(self, record: logging.LogRecord) -> str:
        """Write a record."""
        data = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "from": record.name,
            "said": record.getMessage(),
        }
        if record.exc_info:
            data["fault"] = self.formatException(record.exc_info)
        return json.dumps(data, ensure_ascii=False)


def formatter() -> logging.Formatter:
    """Return how lines are written: plainly, or as JSON where KESSA_LOG is "json"."""
    return JsonLines() if os.environ.get("KESSA_LOG") == "json" else logging.Formatter("%(message)s")
