"""Searching the catalogue: by words and their beginnings, forgiving of slips, with filters, counts and orders.

Words are looked up in one index first; likeness of letters, which is dearer, only where that finds little.
"""

import re
from collections import Counter
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from enum import StrEnum
from itertools import chain
from typing import Any

from django.contrib.postgres.search import SearchQuery, SearchVector, TrigramWordSimilarity
from django.db.models import Case, F, Func, IntegerField, Q, QuerySet, Value, When
from django.db.models.expressions import Combinable

from convoy_core.outside.pasting import read_paste
from convoy_core.words.model import Base
from convoy_core.words.profile import GameProfile

from ..shapes import Schema, Short
from .models import Mod, Source
from .vocabulary import meant

PAGE = 40
"""Rows of a catalogue page: more than a screen, less than anybody reads before typing another word."""

MOST_FOUND = 1_000
"""Matches that are counted and paged through: nobody pages further, they type another word."""

FEW = 12
"""With fewer matches by words than this, names that are only alike are looked for, too."""

WORDS = (
    SearchVector("name", weight="A", config="simple")
    + SearchVector("category", "author", weight="B", config="simple")
    + SearchVector("summary", weight="C", config="simple")
)

MANY_WORDS = 3
"""From so many words on, not all of them need occur."""

FACETS = ("kind", "category", "pickup", "licence", "side", "reach")
"""What matches are counted by."""

SEVERAL = ("side", "reach")
"""Of these a mod has one value for each kind of build that it has."""

COUNTED = ("kind", "category", "source_id", "licence", "sides", "reaches")
"""The fields that hold it, in the same order; which way of pickup a source has is looked up for each source once."""

SHOWN = (
    "slug", "name", "summary", "author", "category", "kind", "downloads", "followers", "rating", "updated", "added",
    "pictures", "source_id",
)  # fmt: skip
"""What a row of the finder shows of a mod."""

SOURCE = 1 + COUNTED.index("source_id")

Row = tuple[Any, ...]
"""A match: its primary key, and its values of COUNTED."""


class Sort(StrEnum):
    BEST = "best"
    DOWNLOADS = "downloads"
    FOLLOWERS = "followers"
    RATING = "rating"
    NAME = "name"
    UPDATED = "updated"
    ADDED = "added"


ORDERS = {
    Sort.DOWNLOADS: ("-downloads", "slug"),
    Sort.FOLLOWERS: ("-followers", "slug"),
    Sort.RATING: ("-rating", "-downloads", "slug"),
    Sort.NAME: ("name", "slug"),
    Sort.UPDATED: (F("updated").desc(nulls_last=True), "slug"),
    Sort.ADDED: (F("added").desc(nulls_last=True), "slug"),
}


class Asked(Schema):
    """What is looked for; empty means any. `needs`: mods that need this one; `since`: with a build since this day;
    `game_version` and `loader`: with a build for them, whatever the draft's base is.
    """

    text: Short = ""
    kind: Short = ""
    category: Short = ""
    pickup: Short = ""
    licence: Short = ""
    side: Short = ""
    reach: Short = ""
    channel: Short = ""
    needs: Short = ""
    game_version: Short = ""
    loader: Short = ""
    since: date | None = None
    fitting_only: bool = True
    sort: Sort = Sort.BEST
    page: int = 1


@dataclass(frozen=True)
class FoundPage:
    """One page of a search: its mods, how many there are in all (counted to MOST_FOUND), and counts by facet;
    `pickups`: of the sources of all of them, by id.
    """

    mods: Sequence[Mod]
    pickups: Mapping[str, str]
    total: int
    page: int
    pages: int
    facets: dict[str, list[tuple[str, int]]]


def search(
    mods: QuerySet[Mod], profile: GameProfile, base: Base, asked: Asked, spoken_for: Collection[str] = ()
) -> FoundPage:
    """A page of a shelf's mods; the last page at most. `spoken_for`: mods of which somebody's word says that a build
    works on the base, whatever it says itself.
    """
    rows = _matches(_filtered(mods, profile, base, asked, spoken_for), asked)
    pages = max(1, -(-len(rows) // PAGE))
    page = min(max(1, asked.page), pages)
    shown = [row[0] for row in rows[(page - 1) * PAGE : page * PAGE]]
    by_key = Mod.objects.only(*SHOWN).in_bulk(shown)
    pickups = dict(Source.objects.filter(pk__in={row[SOURCE] for row in rows}).values_list("pk", "pickup"))
    facets = _facets([(*row[:SOURCE], pickups.get(row[SOURCE], ""), *row[SOURCE + 1 :]) for row in rows])
    # A source may be taken away between these questions, with its mods.
    there = [mod for key in shown if (mod := by_key.get(key)) and mod.source_id in pickups]
    return FoundPage(there, pickups, len(rows), page, pages, facets)


def _filtered(
    mods: QuerySet[Mod], profile: GameProfile, base: Base, asked: Asked, spoken_for: Collection[str]
) -> QuerySet[Mod]:
    wanted: dict[str, Any] = {"kind": asked.kind, "category": asked.category, "licence": asked.licence}
    wanted["source__pickup"] = asked.pickup
    for name, value in (
        ("sides", asked.side),
        ("reaches", asked.reach),
        ("channels", asked.channel),
        ("needs", asked.needs),
    ):
        wanted[f"{name}__contains"] = [value] if value else ""
    wanted["updated__gte"] = asked.since
    if asked.fitting_only:
        fits = Q(fits__contains=[f"{base.version}/{base.loader}" if base.loader else str(base.version)])
        mods = mods.filter(fits | Q(slug__in=spoken_for) if spoken_for else fits)
    if asked.game_version or asked.loader:
        wanted["fits__overlap"] = _made_for(profile, asked)
    return mods.filter(**{name: value for name, value in wanted.items() if value})


def _made_for(profile: GameProfile, asked: Asked) -> list[str]:
    """The bases, as `Mod.fits` writes them, that have the version and the loader asked for."""
    versions = [asked.game_version] if asked.game_version else [str(one.version) for one in profile.versions]
    loaders = [asked.loader] if asked.loader else ["", *(one.id for one in profile.loaders)]
    return [f"{version}/{loader}".rstrip("/") for version in versions for loader in loaders]


def _matches(found: QuerySet[Mod], asked: Asked) -> list[Row]:
    """Primary keys in order, with what matches are counted by: one pass over the matches gives both."""
    words = re.findall(r"\w+", asked.text.casefold())[:12]
    if not words:
        return _rows(found.order_by(*ORDERS.get(asked.sort, ORDERS[Sort.DOWNLOADS])))
    by_words = found.filter(words=_query(f"{word}:*" for word in words))
    if asked.sort is Sort.BEST:
        by_words = by_words.annotate(behind=_behind(words, asked)).order_by("behind", "-downloads", "slug")
    else:
        by_words = by_words.order_by(*ORDERS[asked.sort])
    rows = _rows(by_words)
    for more in (_linked, _slipped, _alike, _of_some_words):
        if len(rows) < FEW:
            rows += more(found.exclude(pk__in=[row[0] for row in rows]), words, asked)
    return rows or _told_alike(found, words, asked)


def _query(all_of: Iterable[str], between: str = "&") -> SearchQuery:
    return SearchQuery(f" {between} ".join(all_of), search_type="raw", config="simple")


def _behind(words: Sequence[str], asked: Asked) -> Combinable:
    """How far behind a match is, the nearest first: it is called so; its name has the words, whole or begun; its name,
    category or author begin with them; they only occur. A step for a whole kind of match costs far less than a measure
    of each, where a word is common, and says the same to whoever looks.
    """
    steps = (
        Q(name__iexact=asked.text.strip()),
        *(Q(words=_query(f"{word}{where}" for word in words)) for where in (":A", ":*A", ":*AB")),
    )
    return _first_of(steps)


def _first_of(steps: Sequence[Q]) -> Combinable:
    """The number of the first step that holds; of none, how many there are."""
    cases = [When(one, then=at) for at, one in enumerate(steps)]
    return Case(*cases, default=len(steps), output_field=IntegerField())


def _linked(found: QuerySet[Mod], words: Sequence[str], asked: Asked) -> list[Row]:
    """The mod whose page a pasted link is, or that its path names."""
    pasted = read_paste(asked.text).lines[:1]
    if not pasted or not pasted[0].url:
        return []
    slug = Func(F("slug"), Value("[^0-9a-z]+"), Value(""), Value("g"), function="regexp_replace")
    found = found.annotate(plain_slug=slug)
    return _rows(found.filter(Q(page=pasted[0].url) | Q(plain_slug__in=pasted[0].names)).order_by("slug"))


def _slipped(found: QuerySet[Mod], words: Sequence[str], asked: Asked) -> list[Row]:
    """Mods in whose names stands what was meant where a word has a slip; the likest first."""
    close = meant(words)
    if not any(close.values()):
        return []
    either = [[f"{word}:*", *(f"{one}:A" for one in close[word])] for word in words]
    behind: Combinable = Value(0)
    for one in either:
        if len(one) > 1:
            behind = behind + _first_of([Q(words=_query([each])) for each in one[:-1]])
    order = ORDERS.get(asked.sort, ("behind", "-downloads", "slug"))
    found = found.filter(words=_query(f"({' | '.join(one)})" for one in either))
    return _rows(found.annotate(behind=behind).order_by(*order))


def _of_some_words(found: QuerySet[Mod], words: Sequence[str], asked: Asked) -> list[Row]:
    """Of many words, as people describe a mod, most may do: the more of them, the earlier."""
    if len(words) < MANY_WORDS:
        return []
    # Each word that occurs counts once, however often: a long summary is no better answer.
    hits: Combinable = Value(0)
    for word in words:
        hits = hits + Case(When(words=_query([f"{word}:*"]), then=1), default=0, output_field=IntegerField())
    most = -(-len(words) * 2 // 3)
    found = found.filter(words=_query((f"{word}:*" for word in words), "|"))
    return _rows(found.annotate(hits=hits).filter(hits__gte=most).order_by("-hits", "-downloads"))


def _rows(found: QuerySet[Mod]) -> list[Row]:
    return list(found.values_list("pk", *COUNTED)[:MOST_FOUND])


def _alike(found: QuerySet[Mod], words: Sequence[str], asked: Asked) -> list[Row]:
    """Mods whose names are like the words, each or all together, and those that only hold a part of one."""
    each = Q()
    for word in words:
        each &= Q(name__trigram_word_similar=word) | Q(words=_query([f"{word}:*"]))
    if len(words) > 1:
        each |= Q(name__trigram_strict_word_similar=" ".join(words))
    found = found.filter(each)
    order = ORDERS.get(asked.sort, ("-likeness", "-downloads", "slug"))
    return _rows(found.annotate(likeness=TrigramWordSimilarity(asked.text, "name")).order_by(*order))


def _told_alike(found: QuerySet[Mod], words: Sequence[str], asked: Asked) -> list[Row]:
    """Where nothing has the words: mods whose summary has something like each of them."""
    for word in words:
        found = found.filter(summary__trigram_word_similar=word)
    return _rows(found.order_by("-downloads", "slug"))


def _facets(rows: Sequence[Row]) -> dict[str, list[tuple[str, int]]]:
    """How many of the matches have which value, the commonest first."""
    columns = dict(zip(FACETS, list(zip(*rows, strict=True))[1:] or [()] * len(FACETS), strict=True))
    counts = {
        name: Counter(chain.from_iterable(values) if name in SEVERAL else values) for name, values in columns.items()
    }
    return {
        name: sorted(((value, count) for value, count in found.items() if value), key=lambda pair: (-pair[1], pair[0]))[
            :30
        ]
        for name, found in counts.items()
    }
