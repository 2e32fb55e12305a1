"""From archives and facts to the entries of a catalogue: which mod an archive is, and what is said of it.

An archive speaks for itself first by its marker, then by its name; what people wrote beside it stands before both.
Pure: archives come in as what was read of them (`ReadArchive`).
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ..outside.catalogue import ListedMod, UnreadableEntry, read_catalogue
from ..outside.inspection import Member, inspect_members
from ..outside.paths import checked_path
from ..words.errors import ConvoyError
from ..words.model import Kind
from ..words.profile import GameProfile
from ..words.versions import parse_version
from .facts import OF_A_BUILD, OF_A_MOD, ModFacts, SourceFacts, Trouble

_NAMED = re.compile(r"(?P<id>.+?)[-_ ]v?(?P<version>\d[\w.+-]*)")
"""An archive's name without its ending: `lamp-post-1.2.0`."""

_ID = re.compile(r"[a-z0-9][a-z0-9._-]{0,79}")


@dataclass(frozen=True, slots=True)
class ReadArchive:
    """What was read of an archive. `file`: its path below the folder; `hashes`: member to sha256; `date`: of its newest
    member, ISO; `markers`: fields of each marker file that was found, by its path in the archive.
    """

    file: str
    size: int
    sha256: str
    date: str
    members: tuple[Member, ...]
    hashes: Mapping[str, str]
    markers: Mapping[str, Mapping[str, Any]]
    change_log: str = ""

    @property
    def name(self) -> str:
        return self.file.rsplit("/", 1)[-1]

    @property
    def url(self) -> str:
        """Where it lies within the source. By its content, so that what was handed out once never changes."""
        return f"files/{self.sha256[:16]}/{re.sub(r'[^A-Za-z0-9._+-]', '_', self.name)}"


@dataclass
class Entries:
    """Entries of a catalogue, by mod id; where each build's archive lies in the folder; and what is wrong."""

    mods: dict[str, dict[str, Any]] = field(default_factory=dict)
    archives: dict[str, str] = field(default_factory=dict)
    """Address within the source to path below the folder."""
    troubles: list[Trouble] = field(default_factory=list)


def entries_of(
    archives: Sequence[ReadArchive],
    facts: Iterable[ModFacts],
    source: SourceFacts,
    profile: GameProfile,
    earlier: Iterable[Mapping[str, Any]] = (),
) -> Entries:
    """The catalogue's entries. `earlier`: entries of the catalogue as it was, whose builds stay though their archives
    are gone from the folder. What cannot be listed is told and left out; the rest is listed. Deterministic.
    """
    made = Entries()
    by_id: dict[str, ModFacts] = {}
    for one in facts:
        if one.id in by_id:
            made.troubles.append(Trouble(one.file, 0, f"“{one.id}” is told of in {by_id[one.id].file} already."))
        by_id.setdefault(one.id, one)
    before = {str(one["id"]): one for one in earlier}
    for archive in sorted(archives, key=lambda one: one.file):
        _take(made, archive, by_id, source, profile, before)
    _keep_earlier(made, before)
    _say_of_mods(made, by_id, source)
    _read_back(made, by_id, profile)
    _needs_nobody_lists(made)
    return made


def _take(
    made: Entries,
    archive: ReadArchive,
    facts: Mapping[str, ModFacts],
    source: SourceFacts,
    profile: GameProfile,
    before: Mapping[str, Mapping[str, Any]],
) -> None:
    seen = _seen_as(archive, profile)
    mod, version, why = _who(archive, seen, facts)
    if why:
        made.troubles.append(Trouble(archive.file, 0, why))
        return
    about = facts.get(mod, ModFacts("", mod))
    kind = about.mod.get("kind") or seen.kind or source.mod.get("kind")
    if not kind:
        sure = f'Nothing in it says what it is. Write {mod}.toml beside it, with id = "{mod}" and kind = …'
        made.troubles.append(Trouble(archive.file, 0, f"{sure}, one of {', '.join(profile.kinds)}."))
        return
    entry = made.mods.get(mod, {"id": mod, "name": seen.name or mod, "kind": str(kind), "builds": []})
    build = {
        "version": version,
        "date": archive.date,
        **source.build,
        **{name: value for name, value in seen.said.items() if name in OF_A_BUILD},
        **({"change_log": archive.change_log} if archive.change_log else {}),
        **about.build,
        **about.builds.get(version, {}),
        "url": archive.url,
        "archive": {"name": archive.name, "size": archive.size, "sha256": archive.sha256},
        "files": [
            {"path": one.path, "size": one.size, "sha256": archive.hashes[one.path]}
            for one in archive.members
            if not one.is_folder
        ],
    }
    build["date"] = str(build["date"])
    if why := _clash(entry, build, before.get(mod)):
        made.troubles.append(Trouble(archive.file, 0, why))
        return
    # Only now: an archive that is refused says nothing of the mod, and leaves no mod without a build behind.
    made.mods[mod] = entry
    entry.update({name: value for name, value in seen.said.items() if name in OF_A_MOD})
    entry["builds"].append(build)
    made.archives[build["url"]] = archive.file


@dataclass(frozen=True, slots=True)
class _Seen:
    """What an archive says of itself: its kind, where a marker tells, and the marker's fields."""

    kind: Kind | None = None
    said: Mapping[str, Any] = field(default_factory=dict)

    @property
    def name(self) -> str:
        return str(self.said.get("name", ""))


def _seen_as(archive: ReadArchive, profile: GameProfile) -> _Seen:
    for kind, layout in profile.kinds.items():
        if not layout.marker:
            continue
        looked = inspect_members(archive.members, layout)
        if looked.is_fine:
            said = archive.markers.get(f"{looked.root}{layout.marker}", {})
            named = said.get("kind")
            return _Seen(Kind(named) if named in list(Kind) else kind, said)
    return _Seen()


def _who(archive: ReadArchive, seen: _Seen, facts: Mapping[str, ModFacts]) -> tuple[str, str, str]:
    """The mod, its version, and why neither can be told."""
    for one in facts.values():
        for name in (archive.file, archive.name):
            if name in one.archives:
                return one.id, one.archives[name], ""
    named = _NAMED.fullmatch(archive.name.rsplit(".", 1)[0])
    mod = seen.said.get("id") or (_slug(named["id"]) if named else "")
    version = seen.said.get("version") or (named["version"] if named else "")
    if not isinstance(mod, str) or not _ID.fullmatch(mod):
        return "", "", "Neither its marker nor its name says which mod it is. Name it ID-VERSION.zip."
    if not isinstance(version, str) or not version:
        return "", "", "Neither its marker nor its name says which version it is. Name it ID-VERSION.zip."
    return mod, version, ""


def _slug(text: str) -> str:
    return re.sub(r"[^a-z0-9._]+", "-", text.casefold()).strip("-")


def _clash(entry: Mapping[str, Any], build: Mapping[str, Any], before: Mapping[str, Any] | None) -> str:
    """Why a build cannot stand beside those that are listed: its version is another file's."""
    for one in (*entry["builds"], *(before["builds"] if before else ())):
        if parse_version(one["version"]) == parse_version(build["version"]):
            if one["archive"]["sha256"] != build["archive"]["sha256"]:
                return (
                    f"{entry['id']} {build['version']} is listed with another file, {one['archive']['name']}. "
                    "What was published stays as it was: give this one a version of its own."
                )
            if one in entry["builds"]:
                return f"It is the same file as {one['archive']['name']}."
    return ""


def _keep_earlier(made: Entries, before: Mapping[str, Mapping[str, Any]]) -> None:
    for mod, entry in before.items():
        now = made.mods.setdefault(mod, {**entry, "builds": []})
        listed = {parse_version(one["version"]) for one in now["builds"]}
        now["builds"] += [one for one in entry["builds"] if parse_version(one["version"]) not in listed]


def _say_of_mods(made: Entries, facts: Mapping[str, ModFacts], source: SourceFacts) -> None:
    for mod, entry in made.mods.items():
        about = facts.get(mod)
        for name, value in source.mod.items():
            entry.setdefault(name, value)
        entry.update(about.mod if about else {})
        _without_odd_pictures(made, entry, about.file if about else "")
        entry["builds"].sort(key=lambda one: parse_version(one["version"]), reverse=True)
    for mod, one in sorted(facts.items()):
        if mod not in made.mods:
            made.troubles.append(Trouble(one.file, 0, f"No archive of “{mod}” lies here."))


def _without_odd_pictures(made: Entries, entry: dict[str, Any], file: str) -> None:
    """A picture that leads out of the folder costs the picture, not the mod."""
    pictures = entry.get("pictures", [])
    for one in [one for one in pictures if isinstance(one, str)] if isinstance(pictures, list) else []:
        try:
            checked_path(one)
        except ConvoyError as error:
            made.troubles.append(Trouble(file, 0, error.sentence()))
            entry["pictures"] = [each for each in entry["pictures"] if each != one]


def _read_back(made: Entries, facts: Mapping[str, ModFacts], profile: GameProfile) -> None:
    """What no site could read is left out here already, and told with its file."""
    for mod, read in zip(list(made.mods), read_catalogue({"mods": list(made.mods.values())}, profile), strict=True):
        entry = made.mods[mod]
        file = facts[mod].file if mod in facts else _file_of(made, entry["builds"][0])
        if isinstance(read, UnreadableEntry):
            made.troubles.append(Trouble(file, 0, read.why))
            _drop(made, mod)
            continue
        _leave_out_refused(made, mod, read)


def _leave_out_refused(made: Entries, mod: str, read: ListedMod) -> None:
    entry = made.mods[mod]
    refused = {one.build.version.text: one.refused for one in read.builds if one.refused}
    for build in [one for one in entry["builds"] if one["version"] in refused]:
        made.troubles.append(Trouble(_file_of(made, build), 0, refused[build["version"]]))
        entry["builds"].remove(build)
        made.archives.pop(build["url"], None)
    if not entry["builds"]:
        del made.mods[mod]


def _drop(made: Entries, mod: str) -> None:
    for build in made.mods.pop(mod)["builds"]:
        made.archives.pop(build["url"], None)


def _file_of(made: Entries, build: Mapping[str, Any]) -> str:
    return made.archives.get(str(build["url"]), str(build["archive"]["name"]))


def _needs_nobody_lists(made: Entries) -> None:
    """Told, and listed all the same: another source may have it."""
    known = set(made.mods) | {
        name for entry in made.mods.values() for build in entry["builds"] for name in build.get("provides", {})
    }
    for entry in made.mods.values():
        for build in entry["builds"]:
            for need in sorted(set(build.get("needs", {})) - known):
                told = f"It needs “{need}”, which this source does not list: members need another source for it."
                made.troubles.append(Trouble(_file_of(made, build), 0, told))
