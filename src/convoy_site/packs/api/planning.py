"""Looking ahead before an edit: pasted lines, updates, bases, the needs around a mod. Changes nothing."""

from typing import Annotated
from uuid import UUID

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from convoy_core.outside.pasting import MAX_TEXT

from ...people.rights import Action
from ...shapes import Short
from .. import drafts, outlook, recognising
from ..services import pack_for

router = Router(tags=["packs"])


class PasteIn(Schema):
    text: Annotated[str, Field(max_length=MAX_TEXT)]


class OptionOut(Schema):
    mod: str
    name: str
    summary: str
    author: str


class RecognisedOut(Schema):
    """One pasted line. `version` is the build that would come, `listed` the version that the line itself names."""

    text: str
    state: recognising.State
    mod: str
    name: str
    version: str
    listed: str
    reason: str
    options: list[OptionOut]


class PasteOut(Schema):
    lines: list[RecognisedOut]
    left_out: int


class LogOut(Schema):
    version: str
    text: str


class UpdateOut(Schema):
    mod: str
    name: str
    before: str
    after: str
    chosen: bool
    size: int
    logs: list[LogOut]


class BehindOut(Schema):
    mod: str
    name: str
    version: str
    newest: str
    why: str


class UpdatesOut(Schema):
    """What updating everything would do, and what would stay behind."""

    revision: int
    moves: list[UpdateOut]
    behind: list[BehindOut]


class BaseLineOut(Schema):
    mod: str
    name: str
    text: str


class BaseOutlookOut(Schema):
    """What one base means for the chosen lines; `exist` counts those with a build, through counterparts too."""

    game_version: str
    label: str
    channel: str
    loader: str
    loader_name: str
    loader_version: str
    now: bool
    exist: int
    of: int
    same: int
    change: list[BaseLineOut]
    through: list[BaseLineOut]
    missing: list[BaseLineOut]


class NodeOut(Schema):
    mod: str
    name: str
    version: str
    chosen: bool


class EdgeOut(Schema):
    """`asker` needs `mod` in `range`; `met_by` is what meets it."""

    asker: str
    mod: str
    range: str
    met_by: str


class NeedsOut(Schema):
    nodes: list[NodeOut]
    edges: list[EdgeOut]


@router.post("/packs/{pack_id}/draft/recognise", response=PasteOut, operation_id="recognise")
def recognise(request: HttpRequest, pack_id: UUID, body: PasteIn) -> PasteOut:
    pack = pack_for(request.user, pack_id, Action.SEE)
    read = recognising.recognise(pack, body.text)
    lines = [
        RecognisedOut(
            text=one.text,
            state=one.state,
            mod=one.mod,
            name=one.name,
            version=one.version,
            listed=one.listed,
            reason=one.reason,
            options=[OptionOut(mod=m.slug, name=m.name, summary=m.summary, author=m.author) for m in one.options],
        )
        for one in read.lines
    ]
    return PasteOut(lines=lines, left_out=read.left_out)


@router.get("/packs/{pack_id}/draft/updates", response=UpdatesOut, operation_id="updates")
def updates(request: HttpRequest, pack_id: UUID) -> UpdatesOut:
    pack = pack_for(request.user, pack_id, Action.SEE)
    moves, behind = outlook.updates(pack)
    return UpdatesOut(
        revision=pack.draft.revision,
        moves=[
            UpdateOut(
                mod=one.mod,
                name=one.name,
                before=one.before,
                after=one.after,
                chosen=one.chosen,
                size=one.size,
                logs=[LogOut(version=version, text=text) for version, text in one.logs],
            )
            for one in moves
        ],
        behind=[
            BehindOut(mod=one.mod, name=one.name, version=one.version, newest=one.newest, why=one.why) for one in behind
        ],
    )


@router.get("/packs/{pack_id}/draft/bases", response=list[BaseOutlookOut], operation_id="bases")
def bases(request: HttpRequest, pack_id: UUID) -> list[BaseOutlookOut]:
    """Every base of the game, newest game version first."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    found, names = outlook.base_outlooks(pack)
    profile, now = pack.game.profile, drafts.base_of(pack.draft)

    def told(lines: dict[str, str]) -> list[BaseLineOut]:
        return [BaseLineOut(mod=mod, name=names.get(mod, mod), text=text) for mod, text in lines.items()]

    rows = []
    for one in found:
        version = profile.game_version(str(one.base.version))
        rows.append(
            BaseOutlookOut(
                game_version=str(one.base.version),
                label=version.label,
                channel=version.channel,
                loader=one.base.loader,
                loader_name=profile.loader(one.base.loader).name if one.base.loader else "",
                loader_version=str(one.base.loader_version or ""),
                now=(one.base.version, one.base.loader) == (now.version, now.loader),
                exist=one.exist,
                of=one.exist + len(one.missing),
                same=len(one.same),
                change=told(dict(one.change)),
                through=told({mod: names.get(other, other) for mod, other in one.through.items()}),
                missing=told({mod: why or "no build at all" for mod, why in one.missing.items()}),
            )
        )
    return rows


@router.get("/packs/{pack_id}/draft/needs/{mod}", response=NeedsOut, operation_id="needs")
def needs(request: HttpRequest, pack_id: UUID, mod: Short) -> NeedsOut:
    """The needs that lead from chosen lines to a mod of the draft, and from it onwards."""
    pack = pack_for(request.user, pack_id, Action.SEE)
    found, names, chosen = outlook.needs_around(pack, mod)
    return NeedsOut(
        nodes=[
            NodeOut(mod=slug, name=names[slug], version=pack.draft.picks.get(slug, ""), chosen=slug in chosen)
            for slug in sorted(names)
        ],
        edges=[EdgeOut(asker=one.asker, mod=one.mod, range=one.asked.text, met_by=one.met_by) for one in found],
    )
