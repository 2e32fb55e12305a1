"""CycloneDX 1.6: what a release is made of, for inventories and audits. The same release gives the same bytes."""

from __future__ import annotations

import re
import uuid
from typing import Any

from ..lock.canonical import canonical_json
from ..lock.lock import OVERLAY, LockedBuild
from ..lock.recipe import Recipe
from ..words.model import Kind
from .places import Addresses, escaped, open_addresses, page_of

_TYPES = {Kind.LIBRARY: "library", Kind.MOD: "library", Kind.TOOL: "application"}
"""Everything else is data: it runs nothing by itself."""

_SPDX = re.compile(r"\(?[A-Za-z0-9.+-]+\)?(?: (?:OR|AND|WITH) \(?[A-Za-z0-9.+-]+\)?)*")


def cyclonedx(recipe: Recipe, sources: Addresses) -> bytes:
    """JSON, as published by OWASP in version 1.6."""
    lock = recipe.lock
    refs = {build.mod: f"mod:{build.mod}" for build in lock.builds}
    pack = {"type": "application", "bom-ref": "pack", "name": recipe.pack_name, "version": recipe.number}
    chosen = sorted(refs[build.mod] for build in lock.builds if build.chosen)
    told = {
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "version": 1,
        "serialNumber": f"urn:uuid:{uuid.uuid5(uuid.NAMESPACE_URL, f'convoy:{recipe.pack}:{recipe.sha256}')}",
        "metadata": {"timestamp": recipe.published_at, "component": pack},
        "components": [_component(build, refs[build.mod], sources) for build in lock.builds],
        "dependencies": [
            {"ref": "pack", "dependsOn": chosen},
            *(
                {"ref": refs[build.mod], "dependsOn": sorted({refs[mod] for mod in build.needs if mod in refs})}
                for build in lock.builds
            ),
        ],
    }
    return canonical_json(told)


def _component(build: LockedBuild, ref: str, sources: Addresses) -> dict[str, Any]:
    places = [
        *({"type": "distribution", "url": address} for address in open_addresses(build, sources)),
        *({"type": "website", "url": page} for page in filter(None, [page_of(build, sources)])),
    ]
    told: dict[str, Any] = {
        "type": "data" if build.mod == OVERLAY else _TYPES.get(build.kind, "data"),
        "bom-ref": ref,
        "name": build.name,
        "version": build.version,
        "scope": "optional" if build.optional else "required",
        "hashes": [{"alg": "SHA-256", "content": build.archive.sha256}],
    }
    if build.mod != OVERLAY:
        name, digest = f"{escaped(build.mod)}@{escaped(build.version)}", build.archive.sha256
        told["purl"] = f"pkg:generic/{name}?checksum=sha256:{digest}"
    if build.licence:
        is_known = _SPDX.fullmatch(build.licence)
        told["licenses"] = [{"expression": build.licence} if is_known else {"license": {"name": build.licence}}]
    if places:
        told["externalReferences"] = places
    return told
