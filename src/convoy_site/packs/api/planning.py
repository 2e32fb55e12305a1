"""Looking ahead before an edit: pasted lines, updates, bases, the needs around a mod. Changes nothing."""

from uuid import UUID

from ninja import Router

from convoy_core.settings.knowledge import as_words

from ...people.rights import Action, SignedIn
from ...shapes import Short
from .. import all_settings, collections, drafts, outlook, recognising
from ..all_settings import FileChange
from ..services import pack_for
from ..shapes.packs import ChangeOut
from ..shapes.planning import (
    BaseLineOut,
    BaseOutlookOut,
    BehindOut,
    CollectionLogOut,
    CollectionUpdateOut,
    EdgeOut,
    LogOut,
    NeedsOut,
    NodeOut,
    OptionOut,
    PasteIn,
    PasteOut,
    RecognisedOut,
    SettingChangeOut,
    UpdateOut,
    UpdatesOut,
)

router = Router(tags=["packs"])

MOST_SETTINGS = 80
"""Changes of one mod's settings that are told with its update."""


@router.post("/packs/{pack_id}/draft/recognise", response=PasteOut, operation_id="recognise")
def recognise(request: SignedIn, pack_id: UUID, body: PasteIn) -> PasteOut:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    read = recognising.recognise(pack, body.text)
    lines = [
        RecognisedOut(
            text=one.text,
            state=one.state,
            mod=one.mod,
            name=one.name,
            version=one.version,
            listed=one.listed,
            can_take=one.can_take,
            reason=one.reason,
            options=[OptionOut(mod=m.slug, name=m.name, summary=m.summary, author=m.author) for m in one.options],
            likeliest=one.likeliest,
        )
        for one in read.lines
    ]
    return PasteOut(lines=lines, left_out=read.left_out)


@router.get("/packs/{pack_id}/draft/updates", response=UpdatesOut, operation_id="updates")
def updates(request: SignedIn, pack_id: UUID) -> UpdatesOut:
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    moves, behind = outlook.updates(pack)
    steps = [(one.mod, one.before, one.after) for one in moves if one.before]
    steps += [(one.mod, one.version, one.newest) for one in behind]
    settings = all_settings.between(pack.draft, steps)

    def changed(mod: str) -> list[SettingChangeOut]:
        return [_setting_out(each) for each in settings.get(mod, ())[:MOST_SETTINGS]]

    return UpdatesOut(
        revision=pack.draft.revision,
        collections=[_collection_out(one) for one in collections.taken(pack.draft) if one.newer is not None],
        moves=[
            UpdateOut(
                mod=one.mod,
                name=one.name,
                before=one.before,
                after=one.after,
                chosen=one.chosen,
                size=one.size,
                logs=[LogOut(version=version, text=text) for version, text in one.logs],
                settings=changed(one.mod),
            )
            for one in moves
        ],
        behind=[
            BehindOut(
                mod=one.mod,
                name=one.name,
                version=one.version,
                newest=one.newest,
                why=one.why,
                settings=changed(one.mod),
            )
            for one in behind
        ],
    )


def _collection_out(one: collections.Taken) -> CollectionUpdateOut:
    return CollectionUpdateOut(
        id=one.collection.id,
        name=one.collection.name,
        before=one.collection.number,
        after=one.newer.number if one.newer else "",
        held=one.held,
        releases=[CollectionLogOut(number=number, notes=notes) for number, notes in collections.notes_between(one)],
        changes=[ChangeOut(**row) for row in collections.log_between(one)],
    )


def _setting_out(one: FileChange) -> SettingChangeOut:
    change = one.change
    return SettingChangeOut(
        what=change.what,
        path=one.path,
        key=list(change.key),
        now=list(change.now),
        before=as_words(change.before) if change.before is not None else "",
        after=as_words(change.after) if change.after is not None else "",
        is_set=one.is_set,
    )


@router.get("/packs/{pack_id}/draft/bases", response=list[BaseOutlookOut], operation_id="bases")
def bases(request: SignedIn, pack_id: UUID) -> list[BaseOutlookOut]:
    """Every base of the game, newest game version first."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
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
def needs(request: SignedIn, pack_id: UUID, mod: Short) -> NeedsOut:
    """The needs that lead from chosen lines to a mod of the draft, and from it onwards."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    found, names, chosen = outlook.needs_around(pack, mod)
    return NeedsOut(
        nodes=[
            NodeOut(mod=slug, name=names[slug], version=pack.draft.picks.get(slug, ""), chosen=slug in chosen)
            for slug in sorted(names)
        ],
        edges=[EdgeOut(asker=one.asker, mod=one.mod, range=one.asked.text, met_by=one.met_by) for one in found],
    )
