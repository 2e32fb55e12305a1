"""The agent brings itself up to date, when its member asks: from its site, signed by the keys that the charter names.

What is fetched is checked before it takes the old one's place; the old one stays beside it, and is put back where the
new one does not even say its name.
"""

from __future__ import annotations

import hashlib
import platform
import shutil
import subprocess
import sys
import zipfile
from collections.abc import Callable
from dataclasses import dataclass
from importlib import metadata
from pathlib import Path

from convoy_core.trust.agent_file import WHEEL, AgentFile, read_offer
from convoy_core.trust.charter import Charter
from convoy_core.words.errors import ConvoyError
from convoy_core.words.versions import parse_version

from .site.connecting import connect
from .site.head import Pairing
from .site.site import Site

MAX_BYTES = 300 * 2**20
"""Of one agent: a few times what it takes packed as one file."""

KEPT = "kept-agents"
"""Within the store: the files of agents that were installed, so that there is a way back without any network."""


PART = ".part"
"""How the name of a file ends that is not whole yet."""


class NoUpdate(ConvoyError):
    """There is nothing newer, or what is there cannot be taken."""

    code = "no-update"


@dataclass(frozen=True)
class Updated:
    before: str
    now: str


@dataclass(frozen=True)
class ThisAgent:
    """`place`: the one file that runs, or None where an interpreter runs it."""

    version: str
    system: str
    place: Path | None


def this_agent() -> ThisAgent:
    try:
        known = metadata.version("true-convoy")
    except metadata.PackageNotFoundError:
        known = ""
    frozen = Path(sys.executable) if getattr(sys, "frozen", False) else None
    return ThisAgent(known, system_name() if frozen else WHEEL, frozen)


def system_name() -> str:
    """`linux-x86_64`, `macos-arm64`, `windows-amd64`: as files are named for the system that they run on."""
    names = {"darwin": "macos", "win32": "windows"}
    return f"{names.get(sys.platform, sys.platform)}-{platform.machine().lower()}"


Put = Callable[[Path, ThisAgent], None]
"""Takes a file in the place of the agent that runs."""


def update(pairing: Pairing, charter: Charter, kept: Path, this: ThisAgent, put: Put | None = None) -> Updated:
    """Takes the site's agent in the place of this one. `charter`: the one that is trusted; `kept`: where files of
    agents stay.

    Raises NoUpdate, BadSignature, SiteAway; whatever it raises, the old agent works on.
    """
    if not this.version:
        raise NoUpdate("This agent is run from its sources.", now="Bring those up to date instead.")
    with connect(pairing) as site:
        offered = read_offer(site.agent_offer(), charter)
        file = next((one for one in offered if one.system == this.system), None)
        if file is None:
            raise NoUpdate(f"The site has no agent for {this.system}.", now="Ask its keeper.")
        if parse_version(file.version) <= parse_version(this.version):
            raise NoUpdate(f"This is {this.version}, and the site has {file.version}: nothing newer.")
        place = _fetched(site, file, kept)
    _keep_this(kept, this)
    (put or _put)(place, this)
    return Updated(this.version, file.version)


def back(kept: Path, this: ThisAgent, put: Put | None = None) -> Updated:
    """Puts the agent before this one back, without any network. Raises NoUpdate where none is kept."""
    earlier = [
        (version, place)
        for place in sorted(kept.glob("*/*"))
        if not place.name.endswith(PART) and (version := parse_version(place.parent.name)) < parse_version(this.version)
    ]
    if not earlier:
        raise NoUpdate("No earlier agent is kept here.", now="Get it from the site's page.")
    version, place = max(earlier, key=lambda one: one[0])
    (put or _put)(place, this)
    return Updated(this.version, version.text)


def _fetched(site: Site, file: AgentFile, kept: Path) -> Path:
    """The file, whole and as it was signed."""
    place = kept / file.version / file.name
    if file.size > MAX_BYTES:
        raise NoUpdate(f"{file.name} would take {file.size // 2**20} MB.", "No agent is that large.")
    place.parent.mkdir(parents=True, exist_ok=True)
    beside = place.with_name(place.name + PART)
    digest, size = hashlib.sha256(), 0
    with beside.open("wb") as out:
        for block in site.agent_file(file.name):
            size += len(block)
            if size > file.size:
                break
            digest.update(block)
            out.write(block)
    if (size, digest.hexdigest()) != (file.size, file.sha256):
        beside.unlink()
        raise NoUpdate(f"{file.name} is not the file that the site signed.", "Nothing was changed.", "Try again later.")
    beside.replace(place)
    return place


def _keep_this(kept: Path, this: ThisAgent) -> None:
    """Keeps the agent that runs now, so that there is a way back: its one file, or its modules as a wheel."""
    folder = kept / this.version
    folder.mkdir(parents=True, exist_ok=True)
    if this.place is not None:
        shutil.copyfile(this.place, folder / this.place.name)
        return
    wheel = folder / f"true_convoy-{this.version}-py3-none-any.whl"
    installed = metadata.distribution("true-convoy")
    ours = [one for one in installed.files or () if _goes_along(one)]
    if wheel.exists() or not any(one.suffix == ".py" for one in ours):
        return
    beside = wheel.with_name(wheel.name + PART)
    with zipfile.ZipFile(beside, "w", zipfile.ZIP_DEFLATED) as packed:
        for one in ours:
            packed.write(str(one.locate()), one.as_posix())
    beside.replace(wheel)


def _goes_along(one: metadata.PackagePath) -> bool:
    """What a wheel has of an installed package: its modules and its metadata, not what installing added."""
    return ".." not in one.parts and "__pycache__" not in one.parts and one.name not in ADDED_BY_INSTALLING


ADDED_BY_INSTALLING = ("INSTALLER", "REQUESTED", "direct_url.json")


def _put(place: Path, this: ThisAgent) -> None:
    if this.place is not None:
        _put_file(place, this.place)
    else:
        _put_wheel(place)


def _put_file(new: Path, here: Path) -> None:
    """One file in the place of another that runs just now: moved aside first, which every system allows."""
    aside = here.with_name(f"{here.stem}-before{here.suffix}")
    beside = here.with_name(f"{here.stem}-new{here.suffix}")
    shutil.copyfile(new, beside)
    beside.chmod(0o755)
    if not _says_its_name((str(beside),)):
        beside.unlink()
        raise NoUpdate("The new agent does not start here.", "The old one stays.", "Tell your curator.")
    aside.unlink(missing_ok=True)
    here.rename(aside)
    try:
        beside.rename(here)
    except OSError:
        aside.rename(here)
        raise


def _put_wheel(new: Path) -> None:
    """Into the environment that runs this agent; what it needs is there already, or the old one is put back."""
    pip = (sys.executable, "-m", "pip", "install", "--no-deps", "--no-index", "--force-reinstall", "--quiet")
    before = sorted(new.parent.parent.glob("*/*.whl"))
    _pip((*pip, str(new)))
    if _says_its_name((sys.executable, "-m", "convoy_agent")):
        return
    older = [one for one in before if one != new]
    if older:
        _pip((*pip, str(older[-1])))
    raise NoUpdate(
        "The new agent does not start here: it needs more than is installed.",
        "The old one was put back." if older else "The old one is not kept here.",
        "Install it with the command on the installation's page.",
    )


def _pip(command: tuple[str, ...]) -> None:
    done = subprocess.run(command, capture_output=True, text=True)
    if done.returncode:
        raise NoUpdate("The new agent cannot be installed.", done.stderr.strip()[-300:], "The old one stays.")


def _says_its_name(command: tuple[str, ...]) -> bool:
    try:
        return subprocess.run((*command, "--version"), capture_output=True, timeout=60).returncode == 0
    except (OSError, subprocess.TimeoutExpired):
        return False
