"""Games and their bases; bringing one, trying its profile on the spot, changing it, taking a change back."""

import json
from pathlib import Path
from tempfile import NamedTemporaryFile
from typing import Any

from ninja import File, Form, Router
from ninja.files import UploadedFile

from convoy_core.outside.game_profile import MAX_PROFILE, Fault, look_at_profile, read_profile
from convoy_core.outside.profile_changes import ProfileChange, changes_between
from convoy_core.outside.profile_writing import document_of, with_version, written
from convoy_core.outside.trying import AsKind, TriedArchive, try_archive, try_folder
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.profile import GameProfile
from convoy_io.archives import contents

from ...people.models import SiteRules
from ...people.rights import SignedIn
from ...people.tries import count_use
from ...receiving import TooLarge
from ...shapes import Done
from .. import games
from ..models import Game
from ..shapes.games import (
    AsKindOut,
    FaultOut,
    FollowIn,
    GameChangeIn,
    GameIn,
    GameOut,
    GamePage,
    GameSourceOut,
    GameVersionIn,
    GameVersionOut,
    LoadedOut,
    LoaderOut,
    LoaderVersionOut,
    PlacedOut,
    ProfileChangeOut,
    ProfileIn,
    RehearsedOut,
    RevisionOut,
    RoleShareOut,
    TakingBackIn,
    TriedArchiveOut,
    TriedFolderIn,
    TriedFolderOut,
)

router = Router(tags=["catalogue"])

HISTORY = 20
"""Changes of a profile that are shown."""


@router.get("/games", response=list[GameOut], operation_id="games")
def list_games(request: SignedIn) -> list[GameOut]:
    found = games.games_for(request.user).select_related("crew").order_by("name")
    may = games.changeable_by(request.user)
    return [GameOut(**_about(game, may(game))) for game in found]


@router.post("/games", response=GameOut, operation_id="bring_game")
def bring_game(request: SignedIn, body: GameIn) -> GameOut:
    game = games.add_game(request.user, body.text, games.crew_to_bring(request.user, body.crew))
    return GameOut(**_about(game, True))


@router.post("/games/rehearsal", response=RehearsedOut, operation_id="rehearse_game")
def rehearse_game(request: SignedIn, body: ProfileIn) -> RehearsedOut:
    """What a profile comes to: what is wrong with it, and what keeping it would change. Nothing is kept."""
    text = body.text
    if body.document is not None:
        # What the text may not have, the form may not either; writing it down first would be the work.
        if len(json.dumps(body.document)) > MAX_PROFILE:
            raise MalformedInput("The game profile is too long.", f"{MAX_PROFILE // 1024} kB is the most.")
        text = written(body.document, over=body.text)
    if body.game:
        rehearsed = games.rehearse(games.game_for(request.user, body.game), text)
        read, changes, stops = rehearsed.read, rehearsed.changes, rehearsed.stops
    else:
        read, changes, stops = look_at_profile(text), [], []
    try:
        document: dict[str, Any] | None = document_of(text)
    except ConvoyError:
        document = None
    return RehearsedOut(
        text=text,
        document=document,
        faults=[_fault(one) for one in read.faults],
        remarks=[_fault(one) for one in read.remarks],
        changes=[_change(one) for one in changes],
        stops=stops,
    )


@router.post("/games/tries/folder", response=TriedFolderOut, operation_id="try_game_on_folder")
def try_game_on_folder(request: SignedIn, body: TriedFolderIn) -> TriedFolderOut:
    found = try_folder(body.files, read_profile(body.text))
    return TriedFolderOut(
        shares=[
            RoleShareOut(role=one.role, files=one.files, size=one.size, paths=list(one.paths)) for one in found.shares
        ],
        loaded=[LoadedOut(folder=folder, kinds=list(kinds)) for folder, kinds in found.loaded],
        unmarked=list(found.unmarked),
    )


@router.post("/games/tries/archive", response=TriedArchiveOut, operation_id="try_game_on_archive")
def try_game_on_archive(request: SignedIn, text: Form[str], archive: File[UploadedFile]) -> TriedArchiveOut:
    """What a profile makes of an archive. Only its table of contents is read, and nothing of it is kept."""
    count_use("tried-archives", str(request.user.pk), 120, 3600)
    most = SiteRules.now().upload_mb
    if (archive.size or 0) > most * 2**20:
        raise TooLarge(f"The archive is larger than {most} MB.", now="Try a smaller one.")
    profile = read_profile(text)
    with NamedTemporaryFile() as file:
        for block in archive.chunks():
            file.write(block)
        file.flush()
        try:
            members = contents(Path(file.name))
        except ConvoyError as error:
            return TriedArchiveOut(name=archive.name or "", files=0, trouble=error.sentence(), refused=[], kinds=[])
    return _tried(archive.name or "", try_archive(members, profile))


@router.get("/games/{game_id}", response=GamePage, operation_id="game")
def game_page(request: SignedIn, game_id: str) -> GamePage:
    game = games.game_for(request.user, game_id)
    return _page(request, game)


@router.put("/games/{game_id}", response=GamePage, operation_id="change_game")
def change_game(request: SignedIn, game_id: str, body: GameChangeIn) -> GamePage:
    return _page(request, games.change_game(request.user, game_id, body.text, body.revision, body.why))


@router.post("/games/{game_id}/versions", response=GamePage, operation_id="add_game_version")
def add_game_version(request: SignedIn, game_id: str, body: GameVersionIn) -> GamePage:
    """One more version of the game, and nothing else."""
    game = games.game_for(request.user, game_id, to_change=True)
    said = {"version": body.version, "label": body.label or body.version, "runtime": body.runtime}
    # The commonest channel is not written down: it goes without saying.
    channel = {"channel": str(body.channel)} if body.channel != "stable" else {}
    text = with_version(game.profile_text, {**said, **channel})
    return _page(request, games.change_game(request.user, game_id, text, body.revision, f"version {body.version}"))


@router.post("/games/{game_id}/taking-back", response=GamePage, operation_id="take_back_game")
def take_back(request: SignedIn, game_id: str, body: TakingBackIn) -> GamePage:
    return _page(request, games.take_back(request.user, game_id, body.number))


@router.put("/games/{game_id}/follows", response=GamePage, operation_id="follow_versions")
def follow(request: SignedIn, game_id: str, body: FollowIn) -> GamePage:
    return _page(request, games.follow(request.user, game_id, body.source))


@router.delete("/games/{game_id}", response=Done, operation_id="remove_game")
def remove_game(request: SignedIn, game_id: str) -> Done:
    games.remove_game(request.user, game_id)
    return Done()


def _page(request: SignedIn, game: Game) -> GamePage:
    own = read_profile(game.profile_text)
    sources = games.sources_to_follow(request.user, game)
    return GamePage(
        **_about(game, games.changeable_by(request.user)(game)),
        text=game.profile_text,
        document=document_of(game.profile_text),
        revision=game.revision,
        remarks=[_fault(one) for one in look_at_profile(game.profile_text).remarks],
        follows=game.follows_id or "",
        listed=len(game.profile.versions) - len(own.versions),
        sources=[GameSourceOut(id=one.pk, name=one.name) for one in sources],
        packs=games.packs_of(request.user, game),
        history=_history(game),
    )


def _history(game: Game) -> list[RevisionOut]:
    rows = list(game.revisions.select_related("by")[: HISTORY + 1])
    earlier = [*rows[1:], None]
    found = []
    for row, before in zip(rows, earlier, strict=True):
        changes = changes_between(games.profile_at(before), games.profile_at(row)) if before else []
        by = row.by.shown if row.by else ""
        changed = [_change(one) for one in changes]
        found.append(RevisionOut(number=row.number, by=by, at=row.at, why=row.why, changes=changed))
    return found[:HISTORY]


def _about(game: Game, may_change: bool) -> dict[str, Any]:
    profile = game.profile
    return {
        "id": game.id,
        "name": profile.name,
        "summary": profile.summary,
        "versions": _versions(profile),
        "crew": game.crew_id,
        "crew_name": game.crew.name if game.crew else "",
        "may_change": may_change,
    }


def _versions(profile: GameProfile) -> list[GameVersionOut]:
    return [
        GameVersionOut(
            version=str(one.version),
            label=one.label,
            channel=one.channel,
            runtime=one.runtime,
            loaders=[
                LoaderOut(
                    id=loader.id,
                    name=loader.name,
                    versions=[
                        LoaderVersionOut(version=str(each.version), recommended=each.recommended)
                        for each in loader.versions_for(one.version)
                    ],
                )
                for loader in profile.loaders
                if loader.versions_for(one.version)
            ],
        )
        for one in profile.versions
    ]


def _fault(fault: Fault) -> FaultOut:
    return FaultOut(line=fault.line, field=fault.field, sentence=fault.sentence)


def _change(change: ProfileChange) -> ProfileChangeOut:
    return ProfileChangeOut(what=change.what, subject=change.subject, before=change.before, after=change.after)


def _tried(name: str, found: TriedArchive) -> TriedArchiveOut:
    return TriedArchiveOut(
        name=name,
        files=found.files,
        trouble="",
        refused=[f"{one.path}: {one.why}".removeprefix(": ") for one in found.refusals],
        kinds=[_as_kind(one, one.kind in found.recognised) for one in found.kinds],
    )


def _as_kind(one: AsKind, recognised: bool) -> AsKindOut:
    return AsKindOut(
        kind=one.kind,
        root=one.root,
        files=one.files,
        placed=[PlacedOut(path=path, member=member, is_settings=path in one.settings) for path, member in one.placed],
        why=one.why,
        notes=list(one.notes),
        recognised=recognised,
    )
