"""A pack is retired, brought back, or becomes another crew's. What lies on members' machines stays in every case."""

from uuid import UUID

from django.db import IntegrityError, transaction
from django.utils import timezone

from convoy_core.words.errors import ConvoyError, NameTaken

from ..catalogue.models import Mod, Source
from ..packs.models import Draft, Pack
from ..packs.services import pack_for
from ..people import audit
from ..people.events import Happened, tell
from ..people.models import Crew, User
from ..people.rights import Action
from ..people.services import crew_for
from .charters import newest_charter
from .lookup import recipe_of
from .models import JoinCode, Waiting


class CannotMove(ConvoyError):
    """Members' machines could not follow the pack to another crew."""

    code = "cannot-move"


@transaction.atomic
def retire(user: User, pack_id: UUID, why: str) -> None:
    """Nobody edits, publishes or joins it any more. Who has it keeps it, and may sync."""
    pack = _locked(user, pack_id)
    if pack.retired_at:
        return
    pack.retired_at, pack.retired_because = timezone.now(), why
    pack.save(update_fields=["retired_at", "retired_because"])
    audit.note(user, f"retired {pack.name}: {why}", pack.crew)
    tell(Happened.RETIRED, pack.crew, user, pack.pk, name=pack.name, why=why)


@transaction.atomic
def bring_back(user: User, pack_id: UUID) -> None:
    pack = _locked(user, pack_id)
    if not pack.retired_at:
        return
    pack.retired_at, pack.retired_because = None, ""
    pack.save(update_fields=["retired_at", "retired_because"])
    audit.note(user, f"brought {pack.name} back", pack.crew)
    tell(Happened.BROUGHT_BACK, pack.crew, user, pack.pk, name=pack.name)


@transaction.atomic
def move(user: User, pack_id: UUID, crew_id: UUID) -> None:
    """Gives the pack to another crew, of which the user is curator too. Its machines follow, those of people who are in
    that crew; join codes end. Raises CannotMove, NameTaken.
    """
    pack = _locked(user, pack_id)
    to, old = crew_for(user, crew_id, Action.EDIT), pack.crew
    if to.pk == old.pk:
        return
    Draft.objects.select_for_update().get(pack=pack)
    _may_move(pack, old, to)
    pack.crew = to
    try:
        with transaction.atomic():
            pack.save(update_fields=["crew"])
    except IntegrityError as error:
        raise NameTaken(
            f"{to.name} has a pack named “{pack.name}” already.", now="Rename one of them first."
        ) from error
    JoinCode.objects.filter(pack=pack, withdrawn_at=None).update(withdrawn_at=timezone.now())
    Waiting.objects.filter(pack=pack).delete()
    for crew in (old, to):
        audit.note(user, f"moved {pack.name} from {old.name} to {to.name}", crew)
    tell(Happened.PACK_MOVED, old, user, pack.pk, name=pack.name, to=to.name)


def _may_move(pack: Pack, old: Crew, to: Crew) -> None:
    for crew in (old, to):
        if newest_charter(crew).charter.version != 1:
            raise CannotMove(
                f"{pack.name} cannot move.",
                f"{crew.name} signs with keys of its own, and machines hold to the keys that they joined under.",
                "Take the pack along as a file, and open that in the other crew.",
            )
    theirs = set(Source.objects.filter(crew=old).values_list("pk", flat=True))
    of_releases = {build.source for one in pack.releases.only("pk") for build in recipe_of(one.pk).lock.builds}
    of_draft = Mod.objects.filter(crew=old, game=pack.game_id, slug__in=[*pack.draft.picks]).exists()
    if of_releases & theirs or of_draft or pack.draft.own_files:
        raise CannotMove(
            f"{pack.name} cannot move.",
            f"It draws on own builds, files or sources of {old.name}, which {to.name} does not see.",
            "Take the pack along as a file, and open that in the other crew.",
        )


def _locked(user: User, pack_id: UUID) -> Pack:
    pack = pack_for(user, pack_id, Action.END)
    Pack.objects.select_for_update().get(pk=pack.pk)
    return pack
