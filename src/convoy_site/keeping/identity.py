"""Told at the start, not found out by an error: whether this machine has what the site's other machines have.

All of them share the site's keys and the place of kept files. Which these are is noted in the database at the first
start, and held against what lies here at every later one.
"""

from convoy_core.lock.canonical import sha256_hex
from convoy_core.trust.signing import key_fingerprint, public_half
from convoy_core.words.errors import ConvoyError

from .. import kept_files
from ..releases import keys
from .models import SiteIdentity


class NotOfThisSite(ConvoyError):
    code = "not-of-this-site"


def take_up(restored: bool = False) -> bool:
    """Makes the site's keys where there is no site yet, and says whether it did. `restored`: out of a backup, whose
    files may lie elsewhere than before. Raises NotOfThisSite.
    """
    known = SiteIdentity.objects.filter(pk=1).first()
    if known is None:
        made = keys.make_keys()
        note()
        return made
    _refuse_other_keys(known)
    if restored:
        note()
    elif not kept_files.is_kept(_place(known)):
        raise NotOfThisSite(
            "What this site keeps as files is not where this machine looks for it.",
            "CONVOY_FILES, or the folder “files” in CONVOY_DATA, is another than on the site's first machine.",
            "Name the same store, or bring the folder here.",
        )
    return False


def note() -> None:
    """The keys and files that lie here are the site's from now on."""
    keys.forget_read_keys()
    signing = keys.signing_key()
    row = SiteIdentity.objects.filter(pk=1).first() or SiteIdentity(pk=1)
    row.signing = key_fingerprint(public_half(signing)) if signing else ""
    row.statement = key_fingerprint(public_half(keys.statement_key()))
    content = row.mark.bytes
    # The file first: a row whose file is not there would refuse every machine.
    kept_files.keep(_place(row), content, sha256_hex(content))
    row.save()


def _place(known: SiteIdentity) -> str:
    return f"site/{known.mark}"


def _refuse_other_keys(known: SiteIdentity) -> None:
    for place, wanted in ((keys.statement_file(), known.statement), (keys.key_file(), known.signing)):
        found = key_fingerprint(public_half(place.read_bytes())) if place.exists() else ""
        # The signing key may have been taken off the site since; another one in its place may not be.
        if found != wanted and (found or place == keys.statement_file()):
            raise NotOfThisSite(
                f"{place} is not the key of this site.",
                f"The site's is {wanted or 'on no machine'}; here lies {found or 'none'}.",
                "Copy signing.key and statement.key from the site's other machine, or from its backup.",
            )
