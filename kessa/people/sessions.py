"""Sessions, in the database as Django keeps them; what can be no session's key is not looked up."""

from django.contrib.sessions.backends.db import SessionStore as Sessions


class SessionStore(Sessions):
    """Sessions by keys of plain letters and digits: a cookie may hold anything."""

    def _validate_session_key(self, key: str) -> bool:
        return super()._validate_session_key(key) and key.isascii() and key.isalnum()
