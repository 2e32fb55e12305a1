"""Pasted lines against the catalogue: which mod each one names, which build would come, or why it cannot."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from django.contrib.postgres.search import TrigramSimilarity
from django.db.models import F, Func, Q, Value
from django.db.models.functions import Lower

from convoy_core.outside.pasting import PastedLine, folded, read_paste
from convoy_core.words.model import misfit

from ..catalogue.drawing import Drawing
from ..catalogue.models import Mod
from ..catalogue.services import Fit, build_rows, fit_of, shelf
from . import drafts
from .models import Pack

ALIKE = 0.45
"""How alike a name must be to be offered for a line that names no mod exactly (0 to 1, by letter triples)."""

MAX_GUESSED = 60
"""Lines of one paste for which likeness is looked up; each is a query."""

MAX_OFFERED = 4


class Recognition(StrEnum):
    RECOGNISED = "recognised"
    AMBIGUOUS = "ambiguous"
    ALREADY = "already there"
    REFUSED = "refused"


@dataclass
class Recognised:
    """What became of one line. `version` is the build that would come; `options` are mods to choose from."""

    text: str
    state: Recognition
    mod: str = ""
    name: str = ""
    version: str = ""
    listed: str = ""
    can_take: bool = False
    """Whether the version that the line names is a build that fits the base."""
    reason: str = ""
    likeliest: str = ""
    """Of several mods the one that is most probably meant, by what goes with the draft and by how many use it."""
    options: list[Mod] = field(default_factory=list)


@dataclass
class Reading:
    lines: list[Recognised]
    left_out: int


def recognise(pack: Pack, text: str) -> Reading:
    """A handful of queries for any number of lines, and one for each of a few lines that are only nearly right."""
    pasted = read_paste(text)
    by_key = _by_key(pack, pasted.lines)
    found = [_candidates(line, by_key) for line in pasted.lines]
    guessed = 0
    for at, line in enumerate(pasted.lines):
        if not found[at] and line.names and guessed < MAX_GUESSED:
            guessed += 1
            found[at] = _alike(pack, line)
    exact = {mod.pk: mod for candidates in found for mod in candidates}
    builds = build_rows(drafts.sayings_in(pack.draft), {pk: mod.slug for pk, mod in exact.items()})
    base = drafts.base_of(pack.draft)
    picks = drafts.picked_builds(pack)
    fits = {pk: fit_of(builds[pk], base, picks) for pk in exact}
    takeable = {
        exact[pk].slug: {row.version for row in rows if not row.gone and not row.refused and not misfit(row.core, base)}
        for pk, rows in builds.items()
    }
    there = set(pack.draft.lines.values_list("mod", flat=True))
    lines: list[Recognised] = []
    for line, candidates in zip(pasted.lines, found, strict=True):
        of = {mod.slug: fits[mod.pk] for mod in candidates}
        one = _judged(line, candidates, there, of, takeable)
        if one.state is Recognition.RECOGNISED:
            there.add(one.mod)
        lines.append(one)
    return Reading(lines, pasted.left_out)


def named(shelf_of: Drawing, text: str) -> tuple[list[tuple[PastedLine, Mod | None]], int]:
    """What each pasted line most probably names, before there is a draft to hold it against; and how many lines were
    left out.
    """
    pasted = read_paste(text)
    by_key = _by_key(shelf_of, pasted.lines)
    found = []
    for line in pasted.lines:
        candidates = _candidates(line, by_key)
        found.append((line, max(candidates, key=lambda mod: mod.downloads) if candidates else None))
    return found, pasted.left_out


def _by_key(pack: Drawing, lines: Iterable[PastedLine]) -> dict[str, list[Mod]]:
    names = {name for line in lines for name in line.names}
    urls = {line.url for line in lines if line.url}
    plain = Func(Lower("name"), Value("[^0-9a-z]+"), Value(""), Value("g"), function="regexp_replace")
    slug = Func(F("slug"), Value("[^0-9a-z]+"), Value(""), Value("g"), function="regexp_replace")
    mods = shelf(pack).annotate(plain_name=plain, plain_slug=slug)
    found = mods.filter(Q(plain_name__in=names) | Q(plain_slug__in=names) | Q(page__in=urls) | Q(name__in=names))
    by_key: dict[str, list[Mod]] = {}
    for mod in found.select_related("source"):
        for key in {folded(mod.name), folded(mod.slug), mod.page}:
            by_key.setdefault(key, []).append(mod)
    return by_key


def _candidates(line: PastedLine, by_key: dict[str, list[Mod]]) -> list[Mod]:
    for key in (line.url, *line.names) if line.url else line.names:
        if key in by_key:
            return by_key[key]
    return []


def _alike(pack: Pack, line: PastedLine) -> list[Mod]:
    likeness = TrigramSimilarity("name", line.text[:80])
    found = shelf(pack).filter(name__trigram_similar=line.text[:80]).select_related("source")
    return list(found.annotate(likeness=likeness).filter(likeness__gte=ALIKE).order_by("-likeness")[:MAX_OFFERED])


def _judged(
    line: PastedLine, candidates: Sequence[Mod], there: set[str], fits: dict[str, Fit], builds: dict[str, set[str]]
) -> Recognised:
    if not candidates:
        return Recognised(line.text, Recognition.REFUSED, reason="No source has a mod of this name or address.")
    fitting = [mod for mod in candidates if fits[mod.slug].version]
    one = fitting[0] if len(fitting) == 1 else candidates[0]

    def exact_for(mod: Mod) -> bool:
        return folded(mod.name) in line.names or folded(mod.slug) in line.names or mod.page == line.url

    exact = exact_for(one)
    if (len(candidates) > 1 and len(fitting) != 1) or not exact:
        likeliest = max(candidates, key=lambda mod: (bool(fits[mod.slug].version), exact_for(mod), mod.downloads))
        return Recognised(
            line.text,
            Recognition.AMBIGUOUS,
            listed=line.version,
            options=list(candidates),
            reason="Which one is meant?",
            likeliest=likeliest.slug if fits[likeliest.slug].version else "",
        )
    fit = fits[one.slug]
    if one.slug in there:
        return Recognised(line.text, Recognition.ALREADY, one.slug, one.name, fit.version)
    if not fit.version:
        return Recognised(line.text, Recognition.REFUSED, one.slug, one.name, reason=fit.reason)
    return Recognised(
        line.text,
        Recognition.RECOGNISED,
        one.slug,
        one.name,
        fit.version,
        line.version,
        line.version in builds[one.slug],
    )
