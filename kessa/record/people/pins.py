"""PINs: by these a person takes a visit over on another person's phone, also where there is no signal.

What is typed there is sealed for this server before it is kept (ECDH on P-256, HKDF with SHA-256, AES-GCM), so that
the phone never holds a PIN, and it opens nothing but the one visit for the one person it was sealed for.
"""

import base64
import binascii
import re
from collections.abc import Iterator
from typing import Any

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat
from django.conf import settings
from django.contrib.auth.hashers import check_password
from django.core.cache import cache
from django.utils.encoding import force_bytes

from kessa.record.people.models import User

PIN = re.compile(r"[0-9]{6,12}")
WRONG_TRIES, TRIES_WITHIN_S = 5, 15 * 60
_CURVE = ec.SECP256R1()
# The order of the curve's group (SEC 2, 2.4.2): a private key is a number below it.
_ORDER = 0xFFFFFFFF00000000FFFFFFFFFFFFFFFFBCE6FAADA7179E84F3B9CAC2FC632551


def sealing_key() -> str:
    """Return the public key for which a page seals a PIN, as base64 of the uncompressed point."""
    point = next(_private_keys()).public_key().public_bytes(Encoding.X962, PublicFormat.UncompressedPoint)
    return base64.b64encode(point).decode()


def opens(person: User, sealed: Any, for_what: str) -> bool:
    """Whether what was sealed is a person's PIN, for this purpose; after five wrong ones none is for a while.

    One guess is looked at after another, until the transaction ends: of many at once each would be the first.
    """
    User.objects.select_for_update().only("pk").get(pk=person.pk)
    tries = f"pin-tries:{person.pk}"
    wrong = cache.get(tries, 0)
    pin = _opened(sealed, for_what)
    if wrong >= WRONG_TRIES or not person.pin or pin is None:
        return False
    if check_password(pin, person.pin):
        return True
    cache.set(tries, wrong + 1, TRIES_WITHIN_S)
    return False


def _opened(sealed: Any, for_what: str) -> str | None:
    """Return what was sealed for a purpose; None where it is nothing that was sealed for this server."""
    try:
        point, nonce, text = (base64.b64decode(sealed[name], validate=True) for name in ("key", "nonce", "text"))
        theirs = ec.EllipticCurvePublicKey.from_encoded_point(_CURVE, point)
    except (TypeError, KeyError, ValueError, binascii.Error):
        return None
    for mine in _private_keys():
        key = HKDF(SHA256(), 32, salt=None, info=b"kessa pin").derive(mine.exchange(ec.ECDH(), theirs))
        try:
            pin = AESGCM(key).decrypt(nonce, text, for_what.encode()).decode()
        except (InvalidTag, ValueError):
            continue
        return pin if PIN.fullmatch(pin) else None
    return None


def _private_keys() -> Iterator[ec.EllipticCurvePrivateKey]:
    """Give the keys that follow from the server's secret, and from those before it."""
    for secret in (settings.SECRET_KEY, *settings.SECRET_KEY_FALLBACKS):
        drawn = HKDF(SHA256(), 48, salt=None, info=b"kessa pin key").derive(force_bytes(secret))
        yield ec.derive_private_key(int.from_bytes(drawn) % (_ORDER - 1) + 1, _CURVE)
