"""Metalink 4 (RFC 5854): what any program may fetch of a release, with sizes and hashes, for other programs."""

from __future__ import annotations

from collections.abc import Iterable
from xml.etree import ElementTree

from ..lock.lock import LockedBuild
from ..lock.recipe import Recipe
from .places import Addresses, file_name, open_addresses

SPACE = "urn:ietf:params:xml:ns:metalink"


def metalink(recipe: Recipe, builds: Iterable[LockedBuild], sources: Addresses) -> bytes:
    """UTF-8. `builds`: those that are meant; what a person has to get is not among a program's downloads."""
    top = ElementTree.Element("metalink", xmlns=SPACE)
    _add(top, "generator", "True Convoy")
    _add(top, "published", _as_zulu(recipe.published_at))
    for build in builds:
        addresses = open_addresses(build, sources)
        if not addresses:
            continue
        file = ElementTree.SubElement(top, "file", name=file_name(build))
        _add(file, "identity", build.name)
        _add(file, "version", build.version)
        _add(file, "size", str(build.archive.size))
        _add(file, "hash", build.archive.sha256, type="sha-256")
        for place, address in enumerate(addresses, 1):
            _add(file, "url", address, priority=str(place))
    ElementTree.indent(top)
    return bytes(ElementTree.tostring(top, encoding="utf-8", xml_declaration=True)) + b"\n"


def _add(to: ElementTree.Element, name: str, text: str, **attributes: str) -> None:
    # Of the control characters, XML has no way to say them; catalogues hold none, and strangers' might.
    ElementTree.SubElement(to, name, attributes).text = "".join(char for char in text if char.isprintable())


def _as_zulu(moment: str) -> str:
    return moment.replace("+00:00", "Z")
