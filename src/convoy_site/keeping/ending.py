"""A crew's data: taken along as a file, and ended for good."""

import json
from collections.abc import Iterator
from contextlib import suppress
from functools import partial
from typing import Any
from uuid import UUID

from django.db import connection, transaction
from django.db.models import Q

from convoy_io.streamed import Streamed, streamed_zip

from .. import kept_files
from ..catalogue.models import Addition, Build, Game, Mod, OwnFile, Source, Verdict
from ..installations.models import Coming, Departure, Installation
from ..notices.spreading import tell_of_an_end
from ..packs.models import Edit, Pack
from ..people import audit
from ..people.models import AuditEntry, Crew, User
from ..people.rights import Action, Forbidden
from ..people.services import crew_for
from ..public.models import PublicPage
from ..releases.models import JoinCode, Opening, Packing, Playthrough, Release, ReleaseSignature, Waiting, Withdrawal
from .accounts import StillNeeded


def crew_taken_along(user: User, crew_id: UUID) -> Iterator[bytes]:
    """All that is kept of a crew, as a ZIP that is made while it is sent: `crew.json`, every release's document, the
    files that the crew dropped in.
    """
    crew = crew_for(user, crew_id, Action.END)
    audit.note(user, f"took the data of {crew.name} along", crew)
    return streamed_zip(_members(crew))


def _members(crew: Crew) -> Iterator[Streamed]:
    told = json.dumps(_told(crew), default=str, indent=1, ensure_ascii=False).encode()
    yield Streamed("crew.json", iter([told]))
    for pack in crew.packs.all():
        for release in pack.releases.order_by("pk").iterator(chunk_size=4):
            yield Streamed(f"releases/{pack.pk}/{release.number}.json", iter([bytes(release.document)]))
    for file in OwnFile.objects.filter(crew=crew).defer("files").order_by("sha256"):
        if kept_files.is_kept(file.place):
            yield Streamed(f"files/{file.sha256}", kept_files.blocks(file.place))


def _told(crew: Crew) -> dict[str, Any]:
    return {
        "crew": {"id": crew.pk, "name": crew.name},
        "people": [
            {"name": one.user.username, "shown as": one.user.shown, "role": one.role, "since": one.since}
            for one in crew.memberships.select_related("user")
        ],
        "packs": [_pack(pack) for pack in crew.packs.select_related("draft", "game")],
        "sources": list(Source.objects.filter(crew=crew).values("id", "name", "game", "address", "pickup", "state")),
        "games": list(Game.objects.filter(crew=crew).values("id", "name", "profile_text")),
        "own builds": list(
            Build.objects.filter(mod__crew=crew).values("mod__slug", "mod__name", "version", "archive_sha256")
        ),
        "files": list(OwnFile.objects.filter(crew=crew).values("sha256", "name", "size", "by__username", "at")),
        "verdicts": list(Verdict.objects.filter(crew=crew).values("mod", "version", "works", "note", "on")),
        "additions": list(Addition.objects.filter(crew=crew).values("mod", "claims", "side", "reach", "note", "on")),
        "done": list(AuditEntry.objects.filter(crew=crew).values("at", "who", "did")),
    }


def _pack(pack: Pack) -> dict[str, Any]:
    draft = pack.draft
    kept = (
        "revision",
        "game_version",
        "loader",
        "loader_version",
        "picks",
        "tweaks",
        "tweak_sets",
        "steps",
        "parts",
        "winners",
        "collections",
    )
    lines = draft.lines.values("mod", "held_version", "held_because", "on", "optional", "advice", "tags", "note")
    edits = Edit.objects.filter(draft=draft).values("revision", "by__username", "at", "sentence")
    releases = pack.releases.values("number", "channel", "notes", "announcement", "published_at", "sha256")
    return {
        "id": pack.pk,
        "name": pack.name,
        "game": pack.game_id,
        "notes": pack.notes,
        "retired": pack.retired_because if pack.retired_at else "",
        "draft": {name: getattr(draft, name) for name in (*kept, "set_aside", "own_files", "laid_down")},
        "lines": list(lines),
        "edits": list(edits),
        "releases": list(releases),
        "calls": list(pack.hooks.values("address", "kinds", "made_at", "on")),
        "public page": list(PublicPage.objects.filter(pack=pack).values("address", "on", "words")),
        "join codes": list(pack.codes.values("code", "made_at", "uses_left", "withdrawn_at")),
        "playthroughs": list(
            pack.playthroughs.values(
                "name", "world", "rule", "note", "at", "begun__number", "ended_at", "ended_because"
            )
        ),
        "suits": pack.suits,
        "departures": list(pack.departures.values("at", "note", "called_off")),
        "installations": list(
            pack.installations.values("name", "member__username", "side", "started_at", "heard_at", "fingerprint")
        ),
    }


_PLAYED = ("name", "world", "rule", "note", "at", "begun__number", "ended_at", "ended_because")


@transaction.atomic
def end_crew(user: User, crew_id: UUID, name: str) -> None:
    """Ends a crew with all that it has: packs, releases, codes, own builds and files. Machines keep what lies on them,
    and are served no longer. `name`: the crew's, typed by its owner, who means it. Raises Forbidden, StillNeeded.
    """
    crew = crew_for(user, crew_id, Action.END)
    Crew.objects.select_for_update().get(pk=crew.pk)
    if name != crew.name:
        raise Forbidden("That is not the crew's name.", now="Type it as it is written here.", field="name")
    games = Game.objects.filter(crew=crew)
    if Pack.objects.filter(game__in=games).exclude(crew=crew).exists():
        raise StillNeeded(
            "Another crew plays a game that this crew brought.", now="Ask the site's keeper to take it over."
        )
    tell_of_an_end(crew, user, f"{user.shown} ended {crew.name}. What lies on your machines stays as it is.")
    places = [one.place for one in OwnFile.objects.filter(crew=crew).only("crew_id", "sha256")]
    places += [one.place for one in Packing.objects.filter(pack__crew=crew).only("pk")]
    places += [one.place for one in Opening.objects.filter(crew=crew).only("pk")]
    for pack in crew.packs.all():
        _forget(pack)
    Mod.objects.filter(Q(crew=crew) | Q(game__in=games)).delete()
    games.update(follows=None)
    Source.objects.filter(Q(crew=crew) | Q(game__in=games)).delete()
    crew.delete()
    audit.note(user, f"ended the crew {name}")
    # Files go when the rows are gone for certain; what is left by a crash here is nobody's any more.
    transaction.on_commit(partial(_forget_files, places))


def _forget_files(places: list[str]) -> None:
    for place in places:
        with suppress(FileNotFoundError):
            kept_files.forget(place)


def _forget(pack: Pack) -> None:
    with connection.cursor() as cursor:
        cursor.execute("select set_config('convoy.ends', %s, true)", [str(pack.pk)])
    Installation.objects.filter(pack=pack).delete()
    Coming.objects.filter(departure__pack=pack).delete()
    Departure.objects.filter(pack=pack).delete()
    Playthrough.objects.filter(pack=pack).delete()
    for of_release in (Withdrawal, ReleaseSignature):
        of_release.objects.filter(release__pack=pack).delete()
    for of_pack in (JoinCode, Waiting, Release):
        of_pack.objects.filter(pack=pack).delete()
    pack.delete()
