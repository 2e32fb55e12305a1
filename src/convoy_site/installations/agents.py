"""The agent's files that this site hands out: for any Python, and as one file for each system that there is one for.

They lie beside the front end (`./run build` makes them) and are told of with their hashes, signed by the site's key.
"""

import hashlib
import re
from functools import lru_cache
from pathlib import Path

from django.conf import settings

from convoy_core.trust.agent_file import CONTEXT, WHEEL, AgentFile, write_offer
from convoy_core.trust.charter import Duty
from convoy_core.trust.signed import Signed

from ..people.models import Crew
from ..releases.charters import newest_charter
from ..releases.keys import signed_by_site

_WHEEL = re.compile(r"true_convoy-(?P<version>[0-9][^-]*)-py3-none-any\.whl")
_ONE_FILE = re.compile(r"convoy-(?P<version>[0-9][^-]*)-(?P<system>[a-z]+-[a-z0-9_]+?)(?:\.exe)?")


def agent_files() -> list[AgentFile]:
    """What lies there now, the file for any Python last."""
    found = []
    for place in sorted(settings.AGENT_FILES.glob("*")):
        named = _WHEEL.fullmatch(place.name) or _ONE_FILE.fullmatch(place.name)
        if named:
            size, sha256 = _hashed(place, place.stat().st_size, place.stat().st_mtime_ns)
            system = named.groupdict().get("system") or WHEEL
            found.append(AgentFile(place.name, system, named["version"], size, sha256))
    return sorted(found, key=lambda one: (one.system == WHEEL, one.name))


@lru_cache(maxsize=64)
def _hashed(place: Path, size: int, changed: int) -> tuple[int, str]:
    """By size and time of change: a site that is built anew while it runs tells of the new file."""
    with place.open("rb") as file:
        return size, hashlib.file_digest(file, "sha256").hexdigest()


def offer(crew: Crew) -> Signed:
    """What a crew's agents are told that ask for a newer one, signed as its charter names keys for that."""
    return signed_by_site(write_offer(agent_files()), CONTEXT, newest_charter(crew).charter, Duty.AGENT)


def install_command() -> str:
    """Installs the agent where there is a Python; its hash goes with it, so that no other file is taken for it.

    Empty on a site that has no agent to hand out.
    """
    file = next((one for one in agent_files() if one.system == WHEEL), None)
    return f"pipx install {settings.ADDRESS}/agent/{file.name}#sha256={file.sha256}" if file else ""
