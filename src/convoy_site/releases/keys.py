"""The site's own keys, each in a file of its own, never in the database. All machines of a site have the same.

One signs charters, releases and agents as long as a crew has no keys of its own; the other signs statements alone, so
that the first can be taken off the site. Which of them a crew's charter names, decides what they are good for.
"""

import os
from functools import cache
from pathlib import Path

from django.conf import settings

from convoy_core.trust.charter import Charter, Duty
from convoy_core.trust.signed import Signed
from convoy_core.trust.signing import new_key, public_half


def key_file() -> Path:
    return Path(settings.SIGNING_KEY or Path(settings.DATA) / "signing.key")


def statement_file() -> Path:
    return key_file().with_name("statement.key")


def make_keys() -> bool:
    """Makes the keys that are not there; says whether there was none. Readable by the site's own user only.

    A site that has a statement key and no other is one whose owner took the other away: it is not made anew.
    """
    had_statement_key = statement_file().exists()
    made = not had_statement_key and _make(key_file())
    _make(statement_file())
    return made


def _make(place: Path) -> bool:
    place.parent.mkdir(parents=True, exist_ok=True)
    try:
        handle = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return False
    with os.fdopen(handle, "wb") as file:
        file.write(new_key())
    return True


@cache
def statement_key() -> bytes:
    return statement_file().read_bytes()


@cache
def signing_key() -> bytes | None:
    """None where its owner took it off the site."""
    return key_file().read_bytes() if key_file().exists() else None


def own_keys() -> dict[bytes, bytes]:
    """Every key that lies on this site: public to private half."""
    found = [statement_key(), *([key] if (key := signing_key()) else [])]
    return {public_half(one): one for one in found}


def forget_read_keys() -> None:
    """After files were changed under a running site: by `manage.py site_keys`, and by tests."""
    statement_key.cache_clear()
    signing_key.cache_clear()


def signed_by_site(document: bytes, context: bytes, charter: Charter, duty: Duty) -> Signed:
    """Signed by those of the site's keys that the charter names for a duty: enough of them, too few, or none."""
    signed = Signed(document)
    for public, private in own_keys().items():
        if public in charter.duties[duty].keys:
            signed = signed.with_signature(context, private)
    return signed
