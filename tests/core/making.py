"""Short ways to make the core's data in tests."""

from convoy_core.lock.canonical import sha256_hex
from convoy_core.lock.lock import Lock, LockedBuild, PlacedFile, lay_down
from convoy_core.lock.terms import Terms
from convoy_core.words.model import Archive, Base, Build, Channel, Kind, Pickup, Reach, Side
from convoy_core.words.ranges import parse_range
from convoy_core.words.versions import parse_version

BASE = Base("tillerway", parse_version("2.1.0"), "bosun", parse_version("5.2.0"))


def build(
    mod: str,
    version: str = "1.0",
    needs: dict[str, str] | None = None,
    breaks: dict[str, str] | None = None,
    provides: dict[str, str] | None = None,
    games: str = "*",
    loaders: dict[str, str] | None = None,
    channel: Channel = Channel.STABLE,
) -> Build:
    return Build(
        mod,
        parse_version(version),
        channel,
        parse_range(games),
        {name: parse_range(text) for name, text in (loaders or {}).items()},
        {name: parse_range(text) for name, text in (needs or {}).items()},
        {name: parse_range(text) for name, text in (breaks or {}).items()},
        {name: parse_version(text) for name, text in (provides or {}).items()},
    )


def locked(
    mod: str,
    version: str = "1.0",
    side: Side = Side.BOTH,
    reach: Reach = Reach.CREW,
    pickup: Pickup = Pickup.DIRECT,
    chosen: bool = True,
    needs: tuple[str, ...] = (),
    optional: bool = False,
) -> LockedBuild:
    name = f"{mod}-{version}.zip"
    return LockedBuild(
        mod,
        mod.replace("-", " ").title(),
        version,
        Kind.MOD,
        Channel.STABLE,
        chosen,
        side,
        reach,
        "MIT",
        "harbour",
        pickup,
        (f"files/{name}",),
        f"pages/{mod}",
        Archive(name, 100, sha256_hex(name.encode())),
        needs,
        optional,
    )


def placed(path: str, content: str, mod: str) -> PlacedFile:
    return PlacedFile(path, len(content), sha256_hex(content.encode()), mod, path.rpartition("/")[2])


def lock(*layers: tuple[LockedBuild, dict[str, str]], base: Base = BASE, terms: Terms = Terms()) -> Lock:
    """A lock from builds, each with path to content of what it places."""
    rows = [(one, [placed(path, content, one.mod) for path, content in files.items()]) for one, files in layers]
    return lay_down(rows, base, ["mods"], terms)
