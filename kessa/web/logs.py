"""What is never written into a log."""

import logging
import re

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
