"""Whose an entry is: the mod that its origin, a path or a stack names; of several the first that is named."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from itertools import islice

from ..words.profile import GameProfile

MOST_WORDS = 2_000
"""Words of an entry that are looked at: its first lines and its stack's top name whose it is, if anything does."""

MOST_MET = 20_000
"""Words of which it is remembered whose they are: logs say the same ones again and again."""

_WORDS = re.compile(r"[A-Za-z0-9]+(?:[-_.][A-Za-z0-9]+)*")
_NOT_PLAIN = re.compile(r"[^a-z0-9]+")


class Whose:
    """`names`: by a mod's id how people call it. `places`: beginnings of paths behind which a mod's id stands, as
    `mods/`.
    """

    def __init__(self, names: Mapping[str, str], places: Collection[str] = ()) -> None:
        self._names = dict(names)
        self._by_plain: dict[str, str] = {}
        self._met: dict[str, str | None] = {}
        for mod, name in names.items():
            self._by_plain.setdefault(_plain(mod), mod)
            self._by_plain.setdefault(_plain(name), mod)
        starts = "|".join(re.escape(one) for one in sorted(places, key=len, reverse=True))
        self._paths = re.compile(rf"(?<![\w-])(?:{starts})([a-z0-9][a-z0-9-]{{0,79}})(?=[/\\])") if places else None

    def add(self, mod: str) -> None:
        """A mod that the log itself says is there."""
        if self.mod(mod) is None:
            self._names[mod] = mod
            self._by_plain[_plain(mod)] = mod
            self._met.clear()

    def name(self, said: str) -> str:
        """How people call a mod; what is none stays as it is said."""
        mod = self.mod(said)
        return self._names[mod] if mod else said

    def mod(self, said: str) -> str | None:
        """The mod of this id or name, however it is spelled."""
        if said not in self._met and len(self._met) < MOST_MET:
            self._met[said] = self._by_plain.get(_plain(said))
        return self._met[said] if said in self._met else self._by_plain.get(_plain(said))

    def of(self, origin: str, text: str) -> str | None:
        if origin and (mod := self.mod(origin)):
            return mod
        if self._paths and (found := self._paths.search(text.replace("\\", "/"))):
            return found[1]
        met = self._met
        for found in islice(_WORDS.finditer(text), MOST_WORDS):
            word = found[0]
            if mod := met[word] if word in met else self.mod(word):
                return mod
            # A stack names a mod with what is below it: `lock_ledger.tolls.night`.
            if "." in word and (mod := self.mod(word.partition(".")[0])):
                return mod
        return None


def places_of(profile: GameProfile) -> set[str]:
    """`mods/` of `mods/{mod}`."""
    tops = (one.place.partition("{mod}")[0] for one in profile.kinds.values() if "{mod}" in one.place)
    return {top for top in tops if top and "{" not in top}


def _plain(said: str) -> str:
    return _NOT_PLAIN.sub("-", said.lower()).strip("-")
