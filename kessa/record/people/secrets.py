"""Secrets that open something to whoever holds them: only a digest is kept."""

import hashlib
import secrets


def new_secret() -> str:
    """Return a secret of 192 random bits, as an address carries it."""
    return secrets.token_urlsafe(24)


def digest_of(secret: str) -> str:
    """Return what is kept of a secret."""
    return hashlib.sha256(secret.encode()).hexdigest()
