"""Makes a source: a folder of archives becomes files that any web server or object store hands out.

New files come first, then the index, at once: a stop at any moment leaves the old source or the new one. Pages that
the index before named stay for one more time, for readers who are in the middle of them.
"""

from __future__ import annotations

import json
import shutil
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from platformdirs import user_config_path

from convoy_core.lock.canonical import canonical_json, sha256_hex
from convoy_core.outside.game_profile import read_profile
from convoy_core.outside.paths import checked_path
from convoy_core.outside.version_lists import lists_of
from convoy_core.source.entries import Entries, entries_of
from convoy_core.source.facts import SOURCE_FILE, SourceFacts, Trouble, read_source_facts
from convoy_core.source.pages import CatalogueFiles, catalogue_files
from convoy_core.trust.signing import key_fingerprint, new_key, public_half
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.profile import GameProfile

from ..storage.files import sha256_of, write_at_once
from .reading import read_folder

INDEX = "catalogue.json"
PROFILE = "game.toml"
PICTURES = (".png", ".jpg", ".jpeg", ".webp")


class OtherKey(ConvoyError):
    """The place holds a source that another key signed."""

    code = "other-key"


class CannotMake(ConvoyError):
    """The folder lacks what a source needs; `troubles` say where."""

    code = "cannot-make"


@dataclass(frozen=True, slots=True)
class Made:
    """What came of it. `kept`: builds whose archives are gone from the folder."""

    mods: int
    builds: int
    fresh: int
    kept: int
    troubles: tuple[Trouble, ...]
    key: str
    changed: bool


def make_source(
    folder: Path,
    out: Path,
    key_file: Path | None = None,
    new: bool = False,
    done: Callable[[int, int], None] = lambda *_: None,
) -> Made:
    """Brings `out` up to date with `folder`. `new`: also where another key signed what lies there.

    Raises CannotMake, OtherKey, MalformedInput (the profile), OSError.
    """
    source, profile, profile_text, troubles = _about(folder)
    private = source_key(key_file)
    before = _index_before(out)
    if not new and before.get("key") not in (None, public_half(private).hex()):
        raise OtherKey(
            f"What lies in {out} was signed by another key.",
            "Sites that pinned it would not read this one.",
            "Name that key with --key, or say --new-key and tell those who read the source.",
        )
    read = read_folder(folder, profile, {SOURCE_FILE, source.game}, [out], done)
    earlier = list(_entries_before(out, before))
    made = entries_of(read.archives, read.facts, source, profile, earlier)
    _take_pictures(made, folder, out)
    about = {
        "name": source.name,
        "game": profile.id,
        "pickup": source.pickup,
        "profile": PROFILE,
        "versions": lists_of(profile),
    }
    _lay_down_archives(made, folder, out)
    serial = _serial_before(before)
    files = catalogue_files(made.mods.values(), about, private, serial)
    if not before or canonical_json(before) != files.index:
        files = catalogue_files(made.mods.values(), about, private, serial + 1)
    write_at_once(out / PROFILE, profile_text.encode(), among_others=True)
    changed = _lay_down_pages(files, out, before)
    builds = [build for entry in made.mods.values() for build in entry["builds"]]
    return Made(
        mods=len(made.mods),
        builds=len(builds),
        fresh=read.fresh,
        kept=sum(build["url"] not in made.archives for build in builds),
        troubles=tuple(sorted([*troubles, *read.troubles, *made.troubles], key=lambda one: (one.file, one.line))),
        key=key_fingerprint(public_half(private)),
        changed=changed,
    )


def source_key(place: Path | None = None) -> bytes:
    """The key that signs: at `place`, or the one of this account, which is made once."""
    place = place or user_config_path("true-convoy") / "source.key"
    if not place.exists():
        place.parent.mkdir(parents=True, exist_ok=True)
        write_at_once(place, new_key(), private=True)
    key = place.read_bytes()
    if len(key) != 32:
        raise MalformedInput(f"{place} holds no key.", "A source's key has 32 bytes.", "Name another with --key.")
    return key


def _about(folder: Path) -> tuple[SourceFacts, GameProfile, str, list[Trouble]]:
    place = folder / SOURCE_FILE
    if not place.is_file():
        raise CannotMake(
            f"{folder} holds no {SOURCE_FILE}.",
            "It says what the source is called, and of which game it is.",
            f'Write {place}:  name = "Our shelf"  and  game = "game.toml"',
        )
    source, troubles = read_source_facts(place.read_text())
    if source is None:
        raise CannotMake(
            f"{SOURCE_FILE} cannot be used.", " ".join(one.sentence_with_place() for one in troubles), troubles=troubles
        )
    profile = folder / source.game
    if not profile.is_file():
        raise CannotMake(f"{source.game} is not there.", f"{SOURCE_FILE} names it as the game's profile.")
    text = profile.read_text()
    return source, read_profile(text), text, troubles


def _index_before(out: Path) -> dict[str, Any]:
    try:
        told = json.loads((out / INDEX).read_bytes())
    except FileNotFoundError:
        return {}
    except ValueError as error:
        raise CannotMake(
            f"{out / INDEX} cannot be read.", str(error), "Earlier builds would be lost: move it away to begin anew."
        ) from error
    return told if isinstance(told, dict) else {}


def _serial_before(index: Mapping[str, Any]) -> int:
    found = index.get("serial", 0)
    return found if isinstance(found, int) and found > 0 else 0


def _entries_before(out: Path, index: Mapping[str, Any]) -> Iterable[dict[str, Any]]:
    for page in index.get("pages", []):
        content = (out / checked_path(page["name"])).read_bytes()
        if sha256_hex(content) != page["sha256"]:
            raise CannotMake(f"{page['name']} in {out} was changed by others.", now="Bring it back from a backup.")
        yield from json.loads(content)["mods"]


def _take_pictures(made: Entries, folder: Path, out: Path) -> None:
    """Pictures are named by facts, relative to the folder; what is no picture, or leads out, is told."""
    for mod, entry in made.mods.items():
        taken = []
        for name in entry.get("pictures", []):
            place = (folder / name).resolve()
            kept = out / name
            if place.is_file() and place.is_relative_to(folder.resolve()) and place.suffix.lower() in PICTURES:
                sha256 = sha256_of(place)
                target = f"pictures/{sha256[:20]}{place.suffix.lower()}"
                if _lay(place, out / target, sha256):
                    taken.append(target)
            elif kept.is_file() and str(name).startswith("pictures/"):
                taken.append(name)  # of an entry that is kept from before
            else:
                made.troubles.append(Trouble(f"{mod}.toml", 0, f"There is no picture “{name}”."))
        if "pictures" in entry:
            entry["pictures"] = taken


def _lay_down_archives(made: Entries, folder: Path, out: Path) -> None:
    """Copies what is not there yet; a file that was changed while this ran is told, and its build left out."""
    for entry in list(made.mods.values()):
        for build in list(entry["builds"]):
            file = made.archives.get(build["url"])
            if file is None or _lay(folder / file, out / build["url"], build["archive"]["sha256"]):
                continue
            made.troubles.append(Trouble(file, 0, "It changed while it was read. The next run reads it anew."))
            entry["builds"].remove(build)
        if not entry["builds"]:
            del made.mods[entry["id"]]


def _lay(source: Path, target: Path, sha256: str) -> bool:
    """One file at its place, at once and whole; says whether it is the one that was meant."""
    if target.is_file() and sha256_of(target) == sha256:
        return True
    target.parent.mkdir(parents=True, exist_ok=True)
    beside = target.with_name(target.name + ".part")
    beside.unlink(missing_ok=True)
    shutil.copyfile(source, beside)
    if sha256_of(beside) != sha256:
        beside.unlink()
        return False
    beside.replace(target)
    return True


def _lay_down_pages(files: CatalogueFiles, out: Path, before: Mapping[str, Any]) -> bool:
    index = out / INDEX
    if index.exists() and index.read_bytes() == files.index:
        return False
    for name, content in (*files.pages.items(), files.signature):
        place = out / name
        if not place.exists():
            place.parent.mkdir(parents=True, exist_ok=True)
            write_at_once(place, content, among_others=True)
    write_at_once(index, files.index, among_others=True)
    stay = {*files.pages, *(page["name"] for page in before.get("pages", []))}
    for place in (out / "catalogue").glob("*.json"):
        if f"catalogue/{place.name}" not in stay:
            place.unlink()
    return True
