"""Loads the demo: games, sources, the crew of Kestrel Wharf with machines, two packs with releases, a join code.

Everything goes through the services that people use, so the demo cannot hold what the product would refuse. What is
there already is left as it is; only the sources' addresses are brought up to date.
"""

from collections.abc import Iterable
from datetime import date

import httpx
from django.core.management.base import BaseCommand

from convoy_core.model import AUTOMATIC_PICKUPS
from convoy_core.recipe import read_recipe
from convoy_site.catalogue.demo import load_games_and_sources
from convoy_site.catalogue.models import Build, Mod, Source
from convoy_site.catalogue.reading import read_source
from convoy_site.installations.models import Installation, StandInMachine
from convoy_site.installations.services import join, stand_in_folder
from convoy_site.installations.tasks import run_agent, sync_stand_in
from convoy_site.packs.edits import AddMod, AddMods, DescribeLine, EditIn, HoldLine, RemoveMod
from convoy_site.packs.models import Pack
from convoy_site.packs.recognising import State, recognise
from convoy_site.packs.services import NewPack, edit_draft, start_pack
from convoy_site.people.demo import DEMO_ACCOUNTS
from convoy_site.people.models import Membership, Role, User
from convoy_site.people.services import bring_aboard, start_crew
from convoy_site.releases.services import make_join_code, publish

NAMES = {"maren": "Maren Holt", "tolliver": "Tolliver Reyes", "isbet": "Isbet Quill", "odwin": "Odwin Pell"}
MACHINES = (
    ("marens-desk", "Maren's desk", "maren", 32 * 1024),
    ("wharf-server", "The wharf's server", "maren", 16 * 1024),
    ("tollivers-tower", "Tolliver's tower", "tolliver", 64 * 1024),
    ("isbets-laptop", "Isbet's laptop", "isbet", 16 * 1024),
    ("odwins-box", "Odwin's box", "odwin", 8 * 1024),
)
FIRST_LINES = ("lock-ledger", "barge-berths", "night-lanterns", "heron-almanac", "fog-over-fen", "tarred-planks")
LATER = (
    ("1.2.0", "More to carry, and more to look at.", ("Cargo", "Looks")),
    ("1.3.0", "Boats of our own, and the night watch.", ("Boats", "Night")),
    ("1.4.0", "Towns, weather, and a helm one can read.", ("Towns", "Interface", "Weather", "Work")),
)
"""Releases of Night Freight after the second: number, notes, and the shelves from which they took everything."""

NOT_FOR_US = {"old-sluice", "sluice-books", "false-bottom", "second-keel", "towpath-trial", "fog-lantern-patch"}
"""What breaks or rebuilds something else, or belongs to another evening."""

BEFORE_THE_DEMO = date(2026, 7, 1)
"""The pack was put together from what there was by then; what came later shows as newer builds."""

OPTIONAL = {
    "green-water": "Costs memory. Leave it out on a small machine.",
    "old-brick": "The largest of the looks; the towns are worth it.",
    "castle-panels": "If you like your doors painted.",
    "rain-on-tin": "Sound only. Nice with headphones.",
}
TAGS = {"seasons-turn": ["world"], "autumn-spate": ["world"], "drought-order": ["world"], "big-dials": ["helm"]}


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: object, **options: object) -> None:
        for source in load_games_and_sources():
            read_source(source)
        if User.objects.filter(username="maren").exists():
            return
        people = {
            account.username: User.objects.create_user(
                account.username, password=account.password, first_name=NAMES[account.username]
            )
            for account in DEMO_ACCOUNTS
        }
        for slug, name, owner, memory in MACHINES:
            StandInMachine.objects.create(slug=slug, name=name, owner=people[owner], memory_mb=memory)
        self._kestrel_wharf(people)

    def _kestrel_wharf(self, people: dict[str, User]) -> None:
        maren = people["maren"]
        crew = start_crew(maren, "Kestrel Wharf")
        for name in ("tolliver", "odwin"):
            bring_aboard(people[name], crew)
        Membership.objects.filter(user=people["tolliver"]).update(role=Role.CURATOR)
        pack = start_pack(
            maren,
            NewPack(
                crew=crew.id,
                game="tillerway",
                name="Night Freight",
                emblem="lantern",
                group="Thursday nights",
                notes="Freight by lantern light. Be at the quay by eight.",
                game_version="2.1.0",
                loader="bosun",
                loader_version="5.2.0",
            ),
        )
        hold = HoldLine(do="hold", mod="night-lanterns", version="1.4.0", because="the last one that keeps our world")
        edit_draft(maren, pack.id, 0, [*(AddMod(do="add", mod=mod) for mod in FIRST_LINES), hold])
        self._publish(maren, pack, "1.0.0", "The first evening. Six mods and what they need.")
        code = make_join_code(maren, pack.id, None).code
        join(people["odwin"], code, "Night Freight", "player", "odwins-box")
        self._sync(pack)
        edit_draft(maren, pack.id, 1, [AddMod(do="add", mod="quiet-deck"), AddMod(do="add", mod="harbour-clerk")])
        self._publish(maren, pack, "1.1.0", "A calmer helm, and a clerk for the server.")
        self._grow(maren, people["tolliver"], pack)
        join(maren, code, "Night Freight", "player", "marens-desk")
        join(maren, code, "Wharf server", "server", "wharf-server")
        tollivers = join(people["tolliver"], code, "Night Freight", "player", "tollivers-tower")
        self._sync(pack)
        # Tolliver has tried something by hand, so that the roll call has a difference to name.
        altered = stand_in_folder(tollivers) / "mods/lock-ledger/settings.toml"
        altered.write_text(altered.read_text().replace("strength = 5", "strength = 9"))
        run_agent(tollivers, "status", "--folder", str(stand_in_folder(tollivers)))
        self._edit(maren, pack, RemoveMod(do="remove", mod="fog-over-fen"), AddMod(do="add", mod="second-keel"))
        self._hollow_line(maren, crew.id)

    def _grow(self, maren: User, tolliver: User, pack: Pack) -> None:
        """Five releases in all, up to some hundred and twenty lines, from builds of the summer before."""
        pack.draft.refresh_from_db()
        later = Build.objects.filter(mod__game="tillerway", date__gte=BEFORE_THE_DEMO, gone=False)
        later = later.exclude(mod__slug__in=pack.draft.picks)
        hidden = list(later.filter(mod__builds__date__lt=BEFORE_THE_DEMO).distinct().values_list("pk", flat=True))
        Build.objects.filter(pk__in=hidden).update(gone=True)
        for number, notes, shelves in LATER:
            mods = Mod.objects.filter(game="tillerway", category__in=shelves).order_by("category", "slug")
            self._edit(tolliver, pack, AddMods(do="add many", mods=self._fitting(pack, mods)))
            self._publish(maren, pack, number, notes)
        described = [
            *(DescribeLine(do="describe", mod=mod, optional=True, advice=why) for mod, why in OPTIONAL.items()),
            *(DescribeLine(do="describe", mod=mod, tags=tags) for mod, tags in TAGS.items()),
        ]
        self._edit(maren, pack, *described)
        Build.objects.filter(pk__in=hidden).update(gone=False)

    def _fitting(self, pack: Pack, mods: Iterable[Mod]) -> list[str]:
        """Of these mods those that would come in by themselves, as somebody picks who looks at each."""
        read = recognise(pack, "\n".join(mod.slug for mod in mods))
        return [line.mod for line in read.lines if line.state is State.RECOGNISED and line.mod not in NOT_FOR_US]

    def _edit(self, user: User, pack: Pack, *edits: EditIn) -> None:
        pack.draft.refresh_from_db()
        edit_draft(user, pack.id, pack.draft.revision, list(edits))

    def _sync(self, pack: Pack) -> None:
        """Runs the agents of those that have not synced yet; the others stay where they are."""
        for one in pack.installations.filter(release=None):
            sync_stand_in(installation=str(one.pk))
            one.refresh_from_db()
            if one.release_id is None:
                self._do_errands(one)
                sync_stand_in(installation=str(one.pk))

    def _do_errands(self, installation: Installation) -> None:
        """What people do by hand for builds that no program may fetch: get each file, and put it into the inbox."""
        inbox = stand_in_folder(installation) / ".convoy" / "inbox"
        inbox.mkdir(parents=True, exist_ok=True)
        newest = installation.pack.releases.order_by("pk").last()
        for build in read_recipe(bytes(newest.document)).lock.builds:
            if build.pickup in AUTOMATIC_PICKUPS:
                continue
            source = Source.objects.get(pk=build.source)
            archive = httpx.get(f"{source.address}/{build.urls[0]}").raise_for_status().content
            (inbox / build.archive.name).write_bytes(archive)

    def _hollow_line(self, maren: User, crew: object) -> None:
        pack = start_pack(
            maren,
            NewPack(
                crew=crew,
                game="gauge-hollow",
                name="Hollow Line",
                emblem="wheel",
                group="Sunday afternoons",
                notes="Slate down, coal up.",
                game_version="3.1",
                loader="",
                loader_version="",
            ),
        )
        mods = ("slate-wagons", "banking-engine", "wet-valley", "coal-smoke")
        edit_draft(maren, pack.id, 0, [AddMod(do="add", mod=mod) for mod in mods])

    def _publish(self, user: User, pack: Pack, number: str, notes: str) -> None:
        pack.draft.refresh_from_db()
        publish(user, pack.id, pack.draft.revision, number, "stable", notes)
