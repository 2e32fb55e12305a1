"""What an installation trusts: the charter that it follows and the newest word of its site, kept and brought forward.

.convoy/trust.json holds both as they were signed, and the release keys of earlier charters. It has a twin, as nothing
else says what the site had said. Where both are lost, it begins again at the pinned mark.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import Any

from convoy_core.trust.charter import MOST_STEPS, CharterOver, WrongCharter, begin, first_charter, read_charter
from convoy_core.trust.signed import Signed, read_signed_data
from convoy_core.trust.statement import Statement, read_statement
from convoy_core.trust.trusted import Trusted
from convoy_core.words.errors import BadSignature, ConvoyError, MalformedInput

from ..site.head import Pairing
from ..storage import sealed

Fetch = Callable[[int], Sequence[Signed]]
"""Charters after a version, a few at a time; none after the last. Asks the site."""


class TrustKept:
    """`own`: the agent's own folder in an installation. The caller holds it."""

    def __init__(self, own: Path) -> None:
        self._place = own / "trust.json"

    def pin(self, charter: Signed) -> None:
        """Begins anew with a charter that was verified and compared."""
        self._write(Trusted(read_charter(charter.document)), charter, None)

    def now(self, pairing: Pairing) -> Trusted:
        """What is trusted. Before the first word of a site, and where all is lost: the key of the pairing alone."""
        kept = self._read(pairing)
        if kept is not None:
            return kept[0]
        key = bytes.fromhex(pairing.public_key)
        return Trusted(first_charter("", key, key))

    def charter(self, pairing: Pairing) -> Signed | None:
        """The charter that is followed, as it was signed; None before the first word of a site."""
        kept = self._read(pairing)
        return kept[1] if kept else None

    def hear(self, pairing: Pairing, said: Signed, fetch: Fetch, now: datetime) -> Trusted:
        """Brings the kept state forward by what the site says; keeps and gives the outcome.

        Raises BadSignature, WrongCharter, CharterOver, SetBack, MalformedInput; then what was kept stays.
        """
        kept = self._read(pairing)
        if kept is None:
            trusted, charter = self._begun(pairing, fetch, now)
            word: Signed | None = None
        else:
            trusted, charter, word = kept
        before = trusted
        if trusted.charter.is_over(now):
            trusted, charter = self._followed(trusted, charter, fetch, now)
        try:
            trusted = trusted.with_statement(said, pairing.pack_id, now)
        except (BadSignature, WrongCharter):
            # Either is cured by a newer charter, if there is one: it names other keys, or is the one spoken of.
            trusted, charter = self._followed(trusted, charter, fetch, now)
            trusted = trusted.with_statement(said, pairing.pack_id, now)
        if trusted.statement is not before.statement:
            word = said
        if kept is None or trusted != before:
            self._write(trusted, charter, word)
        return trusted

    def follow(self, pairing: Pairing, charters: Sequence[Signed], now: datetime) -> Trusted:
        """Brings the kept charter forward by those that a file brings, as far as each is signed by the one before.
        What does not follow is passed by: the keys that are trusted decide about what else the file holds.
        """
        kept = self._read(pairing)
        if kept is None:
            return self.now(pairing)
        trusted, charter, word = kept
        newer = {
            one.version: signed
            for one, signed in ((read_charter(each.document), each) for each in charters[-MOST_STEPS:])
            if one.version > trusted.charter.version
        }
        for _, signed in sorted(newer.items()):
            try:
                trusted, charter = trusted.with_charters([signed], now), signed
            except (WrongCharter, BadSignature, CharterOver):
                break
        if trusted is not kept[0]:
            self._write(trusted, charter, word)
        return trusted

    def _begun(self, pairing: Pairing, fetch: Fetch, now: datetime) -> tuple[Trusted, Signed]:
        """From the first charter on that has the pinned mark and is signed by its own keys."""
        after = 0
        for _ in range(MOST_STEPS):
            ones = fetch(after)
            for one in ones:
                after = read_charter(one.document).version
                if read_charter(one.document).mark == pairing.key:
                    return Trusted(begin(one, now)), one
            if not ones:
                break
        raise WrongCharter(
            f"The site shows no charter with the key {pairing.key}, which this installation trusts.",
            "Its keys were replaced without one that is signed by the old ones.",
            "Nothing was changed. Ask your curator whether the keys were replaced, and pair anew if so.",
        )

    def _followed(self, trusted: Trusted, charter: Signed, fetch: Fetch, now: datetime) -> tuple[Trusted, Signed]:
        """Raises CharterOver where the time of the last one has run out."""
        found: list[Signed] = []
        while len(found) < MOST_STEPS and (ones := fetch(trusted.charter.version + len(found))):
            found += ones
        return trusted.with_charters(found, now), found[-1] if found else charter

    def _read(self, pairing: Pairing) -> tuple[Trusted, Signed, Signed | None] | None:
        with suppress(FileNotFoundError, sealed.Damaged):
            return sealed.read(self._place, lambda told: _as_kept(told, pairing), twin=True)
        return None

    def _write(self, trusted: Trusted, charter: Signed, word: Signed | None) -> None:
        told = {
            "charter": charter.as_data(),
            "word": word.as_data() if word else None,
            "withdrawn": sorted(trusted.statement.withdrawn) if trusted.statement else [],
            "earlier": sorted(key.hex() for key in trusted.earlier),
        }
        sealed.write(self._place, told, twin=True)


def _as_kept(told: Any, pairing: Pairing) -> tuple[Trusted, Signed, Signed | None]:
    """For `sealed.read`: raises what says that this is damaged."""
    try:
        charter = read_signed_data(told["charter"])
        trusted = Trusted(read_charter(charter.document), None, frozenset(map(bytes.fromhex, told["earlier"])))
        if told["word"] is None:
            return trusted, charter, None
        word = read_signed_data(told["word"])
        statement = read_statement(word, trusted.charter, pairing.pack_id)
        statement = _with(statement, frozenset(map(str, told["withdrawn"])))
        return Trusted(trusted.charter, statement, trusted.earlier), charter, word
    except (ConvoyError, MalformedInput) as error:
        raise ValueError(str(error)) from error


def _with(statement: Statement, withdrawn: frozenset[str]) -> Statement:
    """What was withdrawn once stays so, also where the last word no longer names it."""
    return Statement(
        statement.pack, statement.charter, statement.made_at, statement.expires, statement.newest,
        statement.withdrawn | withdrawn,
    )  # fmt: skip
