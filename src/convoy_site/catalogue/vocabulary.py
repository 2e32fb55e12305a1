"""The words that names of mods are made of: what somebody meant who made a slip is looked for among them, not among the
names of fifty thousand mods.
"""

import re
from collections.abc import Collection, Sequence
from difflib import SequenceMatcher, get_close_matches

from django.contrib.postgres.fields import ArrayField
from django.contrib.postgres.search import SearchVector
from django.db.models import CharField, Func, Q
from django.db.models.functions import Length

from .models import Mod, NameWord

SLIP = 0.8
"""How much of two words has to be the same, by difflib's ratio: a letter left out, put in or swapped leaves more."""

CLOSE = 0.1
"""How far another word may be behind the one that is likest and still be meant."""

MOST_MEANT = 5

_WORD = re.compile(r"(?=.*[^\W\d_])\w{3,120}", re.DOTALL)
"""A word with a letter in it: what is made of several is in the index by its parts, too."""


def note_words(mods: Collection[int]) -> None:
    """Takes in the words of mods' names (primary keys). A word that no name has any more stays, and finds nothing."""
    parts = Func(
        SearchVector("name", config="simple"), function="tsvector_to_array", output_field=ArrayField(CharField())
    )
    names = Mod.objects.filter(pk__in=mods).order_by().values_list(parts, flat=True)
    words = {word for name in names for word in name if _WORD.fullmatch(word)}
    new = words.difference(NameWord.objects.filter(pk__in=words).values_list("pk", flat=True))
    # In order: two sources that are read at once wait for one another and never both.
    NameWord.objects.bulk_create([NameWord(word) for word in sorted(new)], ignore_conflicts=True)


def meant(words: Sequence[str]) -> dict[str, list[str]]:
    """Words of names that are within a slip of each of these, the likest first. One query."""
    like = Q()
    for word in words:
        # Where two letters of a short word are swapped, hardly three in a row are left: its first one is.
        swapped = Q(word__startswith=word[0], size__range=(len(word) - 1, len(word) + 1))
        like |= Q(word__trigram_word_similar=word) | swapped
    known = sorted(NameWord.objects.annotate(size=Length("word")).filter(like).values_list("pk", flat=True))
    return {word: _closest(word, known) for word in words}


def _closest(word: str, known: Sequence[str]) -> list[str]:
    alike = {one: SequenceMatcher(None, one, word).ratio() for one in get_close_matches(word, known, MOST_MEANT, SLIP)}
    least = max(alike.values(), default=0) - CLOSE
    return [one for one, ratio in alike.items() if ratio >= least]
