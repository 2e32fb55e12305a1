"""What leaves the site as a file of one release: lists to read, and lists for other programs."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

from convoy_core.handing_out.checksums import checksums
from convoy_core.handing_out.downloads import metalink
from convoy_core.handing_out.parts_list import cyclonedx
from convoy_core.handing_out.places import Addresses
from convoy_core.handing_out.reading_lists import as_csv, as_html, as_markdown
from convoy_core.lock.recipe import Recipe
from convoy_core.words.model import Side

from ..catalogue.services import addresses
from ..packs.models import Pack
from .lookup import recipe_of, release_numbered


class Form(StrEnum):
    """What a list is for."""

    TABLE = "table"
    TEXT = "text"
    PAGE = "page"
    PARTS = "parts"
    DOWNLOADS = "downloads"
    CHECKSUMS = "checksums"


@dataclass(frozen=True)
class Made:
    """A list as a file. `kind`: its media type."""

    name: str
    kind: str
    content: bytes


@dataclass(frozen=True)
class _About:
    recipe: Recipe
    base: str
    sources: Addresses
    side: Side


_MAKE: dict[Form, tuple[str, str, Callable[[_About], str | bytes]]] = {
    Form.TABLE: ("csv", "text/csv", lambda one: as_csv(one.recipe, one.sources)),
    Form.TEXT: ("md", "text/markdown", lambda one: as_markdown(one.recipe, one.base, one.sources)),
    Form.PAGE: ("html", "text/html", lambda one: as_html(one.recipe, one.base, one.sources)),
    Form.PARTS: ("cdx.json", "application/vnd.cyclonedx+json", lambda one: cyclonedx(one.recipe, one.sources)),
    Form.DOWNLOADS: (
        "meta4",
        "application/metalink4+xml",
        lambda one: metalink(one.recipe, one.recipe.lock.share(one.side).builds, one.sources),
    ),
    Form.CHECKSUMS: ("SHA256SUMS", "text/plain", lambda one: checksums(one.recipe.lock.share(one.side))),
}
"""By form: how its name ends, its media type, and what writes it."""


def as_list(pack: Pack, number: str, form: Form, side: Side) -> Made:
    """A list of a release of this pack. `side`: whose share, where it is for one machine. Raises NotFound."""
    release = release_numbered(pack, number)
    ending, kind, make = _MAKE[form]
    recipe = recipe_of(release.pk)
    # A crew's own source has no address that anybody else could use.
    open_ones = {name: at for name, at in addresses(pack.game_id, pack.crew_id).items() if "://" in at}
    content = make(_About(recipe, release.base_text, open_ones, side))
    data = content.encode() if isinstance(content, str) else content
    return Made(f"{plain_name(pack.name)}-{plain_name(number)}.{ending}", kind, data)


def plain_name(text: str) -> str:
    """What every system takes for a file's name."""
    return "-".join("".join(char if char.isalnum() or char in ".-" else " " for char in text.lower()).split()) or "pack"
