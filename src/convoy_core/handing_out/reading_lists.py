"""What is in a release, to read: CSV (RFC 4180) for tables, Markdown to paste, HTML to print.

Names and licences come from strangers: nothing in them is markup here, and no cell is a formula there.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass
from html import escape

from ..lock.lock import LockedBuild
from ..lock.recipe import Recipe
from ..sync.errands import what_to_do
from ..words.wording import counted
from .places import Addresses, page_of

COLUMNS = (
    "mod", "name", "version", "kind", "why it is in", "side", "reach", "optional", "licence", "pickup", "page", "file",
    "bytes", "sha256",
)  # fmt: skip


def as_csv(recipe: Recipe, sources: Addresses) -> str:
    """One row a build, in the order in which they are laid down."""
    told = io.StringIO()
    rows = csv.writer(told)  # the lines end as RFC 4180 has it
    rows.writerow(COLUMNS)
    for build in recipe.lock.builds:
        row = (
            build.mod,
            build.name,
            build.version,
            build.kind,
            _why(build),
            build.side,
            build.reach,
            "yes" if build.optional else "no",
            build.licence,
            build.pickup,
            page_of(build, sources),
            build.archive.name,
            build.archive.size,
            build.archive.sha256,
        )
        rows.writerow([_no_formula(cell) if isinstance(cell, str) else cell for cell in row])
    return told.getvalue()


def _no_formula(cell: str) -> str:
    """A text that a table would take for a formula gets an apostrophe before it, as people write such a text."""
    return f"'{cell}" if cell.startswith(("=", "+", "-", "@", "\t", "\r")) else cell


def _why(build: LockedBuild) -> str:
    return "chosen" if build.chosen else "brought in"


@dataclass(frozen=True, slots=True)
class _Group:
    title: str
    builds: tuple[LockedBuild, ...]


def _groups(recipe: Recipe) -> Iterator[_Group]:
    builds = sorted(recipe.lock.builds, key=lambda build: build.name.casefold())
    groups = (
        _Group("Chosen", tuple(build for build in builds if build.chosen and not build.optional)),
        _Group("Optional", tuple(build for build in builds if build.optional)),
        _Group("Brought in by what these need", tuple(one for one in builds if not one.chosen and not one.optional)),
    )
    return (group for group in groups if group.builds)


def _summary(recipe: Recipe, base: str) -> str:
    needed = recipe.needed
    demands = f", {needed.minimum} to {needed.recommended} MB of memory" if needed.minimum else ""
    return f"{base}, {counted(len(recipe.lock.builds), 'mod')}{demands}, fingerprint {recipe.lock.fingerprint()}"


def _extra(build: LockedBuild) -> str:
    """What somebody who installs by hand has to know of a build."""
    parts = [f"for the {build.side} only"] if build.side != "both" else []
    if build.optional and build.advice:
        parts.append(build.advice)
    if not build.pickup.is_automatic:
        parts.append(what_to_do(build))
    return "; ".join(parts)


def as_markdown(recipe: Recipe, base: str, sources: Addresses) -> str:
    """`base` in words."""
    lines = [f"# {no_markup(recipe.pack_name)} {no_markup(recipe.number)}", "", no_markup(_summary(recipe, base)), ""]
    if recipe.notes:
        lines += [*(f"> {no_markup(line)}" for line in recipe.notes.splitlines()), ""]
    for group in _groups(recipe):
        lines += [f"## {group.title}", ""]
        for build in group.builds:
            page = page_of(build, sources)
            name = f"[{no_markup(build.name)}](<{page}>)" if page else no_markup(build.name)
            extra = f": {no_markup(_extra(build))}" if _extra(build) else ""
            lines.append(
                f"- {name} {no_markup(build.version)}, {no_markup(build.licence or 'no licence named')}{extra}"
            )
        lines.append("")
    return "\n".join(lines)


_MARKUP = re.compile(r"([\\`*_{}\[\]<>()#+!|~&-])")


def no_markup(text: str) -> str:
    """A text in which nothing is markup, on one line."""
    return _MARKUP.sub(r"\\\1", " ".join(text.split()))


_STYLE = """
body { font: 11pt/1.4 sans-serif; max-width: 48rem; margin: 2rem auto; padding: 0 1rem; color: #16212c; }
table { border-collapse: collapse; width: 100%; } th, td { text-align: left; padding: .2rem .6rem .2rem 0; }
td { border-top: 1px solid #ccc; vertical-align: top; } small { color: #555; } h2 { margin: 1.4rem 0 .3rem; }
@media print { body { margin: 0; max-width: none; } a { color: inherit; text-decoration: none; } }
@media print { tr { break-inside: avoid; } }
"""


def as_html(recipe: Recipe, base: str, sources: Addresses) -> str:
    """A page of its own, to print: no scripts, nothing fetched. `base` in words."""
    title = escape(f"{recipe.pack_name} {recipe.number}")
    parts = [
        '<!doctype html><html lang="en"><head><meta charset="utf-8">'
        '<meta name="viewport" content="width=device-width, initial-scale=1">'
        f"<title>{title}</title><style>{_STYLE}</style></head><body>",
        f"<h1>{title}</h1><p>{escape(_summary(recipe, base))}</p>",
        *(f"<p>{escape(line)}</p>" for line in recipe.notes.splitlines() if line.strip()),
    ]
    for group in _groups(recipe):
        parts.append(f"<h2>{escape(group.title)}</h2><table><tr><th>Mod</th><th>Version</th><th>Licence</th></tr>")
        for build in group.builds:
            page, name = page_of(build, sources), escape(build.name)
            shown = f'<a href="{escape(page)}" rel="noreferrer">{name}</a>' if page else name
            extra = f"<br><small>{escape(_extra(build))}</small>" if _extra(build) else ""
            licence = escape(build.licence or "none named")
            parts.append(f"<tr><td>{shown}{extra}</td><td>{escape(build.version)}</td><td>{licence}</td></tr>")
        parts.append("</table>")
    return "".join([*parts, "</body></html>\n"])
