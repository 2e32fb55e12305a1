"""Loads the demo: games, sources, the crew of Kestrel Wharf with machines, three packs with releases, join codes.

Everything goes through the services that people use, so the demo cannot hold what the product would refuse. What is
there already is left as it is; only the sources' addresses are brought up to date.
"""

import io
import random
import zipfile
from collections.abc import Iterable, Sequence
from datetime import timedelta
from typing import Any
from uuid import UUID

import httpx
from allauth.account.models import EmailAddress
from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.utils import timezone

from convoy_core.lock.playthroughs import Rule
from convoy_core.lock.recipe import read_recipe
from convoy_core.lock.terms import How
from convoy_site.catalogue.demo import load_games_and_sources
from convoy_site.catalogue.models import Build, Mod, Source
from convoy_site.installations.beside import take_up
from convoy_site.installations.choices import MemberChoices, choose
from convoy_site.installations.joining import join
from convoy_site.installations.models import Installation, StandInMachine
from convoy_site.installations.orders import note_order
from convoy_site.installations.stand_ins import stand_in_folder
from convoy_site.installations.tasks import obey
from convoy_site.keeping.accounts import make_keeper
from convoy_site.notices.calls import make_hook
from convoy_site.notices.models import Mailed
from convoy_site.notices.services import wish
from convoy_site.packs.models import LeadFrom, Pack
from convoy_site.packs.recognising import Recognition, recognise
from convoy_site.packs.services import NewPack, edit_draft, start_pack
from convoy_site.people.demo import DEMO_ACCOUNTS
from convoy_site.people.events import Happened
from convoy_site.people.invitations import invite
from convoy_site.people.models import Membership, Role, User
from convoy_site.people.services import bring_aboard, start_crew
from convoy_site.public.services import change_page
from convoy_site.releases.join_codes import make_join_code
from convoy_site.releases.leads import follow, look
from convoy_site.releases.services import publish

from ...catalogue.reading_sources import read_source
from ...packs import own_files
from ...packs.shapes.edits import (
    AddMod,
    AddMods,
    ChangeBase,
    DescribeLine,
    EditIn,
    HoldLine,
    KeepSet,
    KeyIn,
    PlaceOwn,
    RemoveMod,
    SayMore,
    SayVerdict,
    SetAside,
    SetSettings,
    SetSteps,
    TakeUp,
)
from ...packs.tasks import read_files_of
from ...rollcall.departures import answer, set_departure
from ...rollcall.playthroughs import open_playthrough
from ..demo_content import (
    BEFORE_THE_DEMO,
    CLEAR_DECK,
    CLEAR_DECK_ADVICE,
    CLEAR_DECK_BEFORE,
    CLEAR_DECK_STEPS,
    CLEAR_DECK_TWEAKS,
    EVENING_LOUD,
    EVENING_STEPS,
    EVENINGS,
    FIRST_LINES,
    HOLLOW_LINES,
    HOLLOW_STEPS,
    HOLLOW_TWEAKS,
    LATER,
    LEAD_ADVICE,
    LEAD_GONE,
    LEAD_HELD,
    LEAD_LINES,
    LEAD_NEW,
    LEAD_TWEAK,
    LOW_LIGHTS,
    MACHINES,
    NAMES,
    NOT_FOR_US,
    OFFERED,
    ON_GAUGE_HOLLOW,
    ON_OLD_TILLERWAY,
    ON_TILLERWAY,
    OPTIONAL,
    OWN_ADVICE,
    OWN_TEXTS,
    SLOW_LINES,
    SLOW_SCENARIO,
    SLOW_SHELVES,
    SPRING,
    SPRING_BEFORE,
    SPRING_TWEAKS,
    STEADY_HANDS,
    STEPS,
    SUITS_TILLERWAY,
    TAGS,
    TWEAKS,
    UNHEARD,
    UNWANTED,
    WRITTEN,
)
from ..demo_trials import on_the_bench


def setting(tweaks: Sequence[dict[str, Any]]) -> list[EditIn]:
    """Edits that set these, those that insist alike together."""
    return [
        SetSettings(do="set", settings=[KeyIn(**one) for one in tweaks if one["how"] == how], how=How(how))
        for how in dict.fromkeys(one["how"] for one in tweaks)
    ]


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
        make_keeper(None, "maren", True)
        for slug, name, owner, memory in MACHINES:
            StandInMachine.objects.create(
                slug=slug,
                name=name,
                owner=people[owner],
                memory_mb=memory * 1024,
                disk_free=200 * 2**30,
                runtimes=["4", "17", "21"],
            )
        self._kestrel_wharf(people)

    def _kestrel_wharf(self, people: dict[str, User]) -> None:
        maren = people["maren"]
        crew = start_crew(maren, "Kestrel Wharf")
        for name in people.keys() - {"maren", "isbet"}:
            bring_aboard(people[name], crew)
        Membership.objects.filter(user=people["tolliver"]).update(role=Role.CURATOR)
        about = ("Night Freight", "lantern", "Thursday nights", "Freight by lantern light. Be at the quay by eight.")
        pack = self._start(maren, crew.id, about, ON_TILLERWAY)
        self._news(people, pack)
        hold = HoldLine(do="hold", mod="night-lanterns", version="1.4.0", because="the last one that keeps our world")
        edit_draft(maren, pack.id, 0, [*(AddMod(do="add", mod=mod) for mod in FIRST_LINES), hold])
        self._publish(maren, pack, "1.0.0", "The first evening. Six mods and what they need.")
        code = make_join_code(maren, pack.id, None).code
        join(people["odwin"], code, "Night Freight", "player", "odwins-box")
        self._sync(pack)
        edit_draft(maren, pack.id, 1, [AddMod(do="add", mod="quiet-deck"), AddMod(do="add", mod="harbour-clerk")])
        self._publish(maren, pack, "1.1.0", "A calmer helm, and a clerk for the server.")
        perrins = join(people["perrin"], code, "Night Freight", "player", "perrins-pc")
        self._sync(pack)
        self._grow(maren, people["tolliver"], pack)
        marens = join(maren, code, "Night Freight", "player", "marens-desk")
        join(maren, code, "Wharf server", "server", "wharf-server")
        tollivers = join(people["tolliver"], code, "Night Freight", "player", "tollivers-tower")
        sunnivas = join(people["sunniva"], code, "Night Freight", "player", "sunnivas-desk")
        self._sync(pack)
        self._other_build(tollivers, "lock-ledger")
        self._setting(sunnivas, "mods/lock-ledger/settings.toml", "strength = 4", "strength = 9")
        corvins = join(people["corvin"], code, "Night Freight", "player", "corvins-netbook")
        join(people["liesel"], code, "Night Freight", "player", "liesels-laptop")
        odwins = pack.installations.get(member=people["odwin"])
        self._of_his_own(odwins)
        self._tuned(marens)
        server = pack.installations.get(side="server")
        self._setting(server, "mods/heron-almanac/settings.toml", 'moored = "tug"', 'moored = "break loose"')
        for one in (marens, odwins, server):
            choose(one.member, one.pk, MemberChoices(tells_settings=True))
        for one in (marens, tollivers, sunnivas, corvins, odwins, server):
            self._ask(one, "look")
        Installation.objects.filter(pk=perrins.pk).update(heard_at=timezone.now() - UNHEARD)
        self._departure(maren, people, pack)
        note = "Thursdays, until the coal is out."
        open_playthrough(maren, pack.id, "The Fenwick run", "fenwick-run", Rule.NOT_THE_WORLD, "1.2.0", note)
        self._edit(maren, pack, RemoveMod(do="remove", mod="fog-over-fen"), AddMod(do="add", mod="second-keel"))
        deck = self._collections(people, crew.id)
        self._slow_water(people, crew.id, deck)
        self._hollow_line(people, crew.id)
        self._spring(people, crew.id)
        on_the_bench(people, crew.id)
        invite(maren, crew.id, Role.MEMBER, 3, 14, "Odwin's cousins", "")

    def _news(self, people: dict[str, User], pack: Pack) -> None:
        """Two addresses that are called with what happens, one of them out of order; and mail for those who curate."""
        told = (Happened.RELEASE, Happened.TRIAL, Happened.WITHDRAWAL, Happened.DEPARTURE_SET)
        if settings.DEMO_LETTERS:
            make_hook(people["maren"], pack.id, f"{settings.DEMO_LETTERS}/called/quay-board", told)
            make_hook(people["tolliver"], pack.id, f"{settings.DEMO_LETTERS}/called/broken", told[:1])
        for name in ("maren", "tolliver"):
            address = f"{name}@kestrel-wharf.example"
            EmailAddress.objects.create(user=people[name], email=address, verified=True, primary=True)
        wish(people["tolliver"], pack.id, Mailed.AT_ONCE)

    def _start(
        self,
        user: User,
        crew: UUID,
        about: tuple[str, str, str, str],
        base: tuple[str, str, str, str],
        suits: tuple[str, dict[str, str]] | None = None,
    ) -> Pack:
        """`about`: name, emblem, group, notes; `base`: game, its version, loader and its version; `suits`: of a
        collection.
        """
        game, version, loader, loader_version = base
        return start_pack(user, NewPack(crew, game, *about, version, loader, loader_version, suits))

    def _grow(self, maren: User, tolliver: User, pack: Pack) -> None:
        """Five releases in all, up to some hundred and twenty lines, from builds of the summer before."""
        pack.draft.refresh_from_db()
        later = Build.objects.filter(mod__game="tillerway", date__gte=BEFORE_THE_DEMO, gone=False)
        later = later.exclude(mod__slug__in=pack.draft.picks)
        hidden = list(later.filter(mod__builds__date__lt=BEFORE_THE_DEMO).distinct().values_list("pk", flat=True))
        Build.objects.filter(pk__in=hidden).update(gone=True)
        described: list[EditIn] = [
            *(DescribeLine(do="describe", mod=mod, optional=True, advice=why) for mod, why in OPTIONAL.items()),
            *(DescribeLine(do="describe", mod=mod, tags=tags) for mod, tags in TAGS.items()),
            *setting(TWEAKS),
            KeepSet(do="keep set", id=LOW_LIGHTS, name="Low lights", offered=True),
            SetSettings(do="set", settings=[KeyIn(**one) for one in OFFERED], set=LOW_LIGHTS),
            SetSteps(do="steps", steps=STEPS),
            SayMore(do="say", mod="fair-wages", touches=["progress.wages"], note="pays by the hour from then on"),
        ]
        for number, notes, shelves in LATER:
            mods = Mod.objects.filter(game="tillerway", category__in=shelves).order_by("category", "slug")
            self._edit(tolliver, pack, AddMods(do="add many", mods=self._fitting(pack, mods)))
            if number == LATER[-1][0]:
                self._edit(maren, pack, *described)
            self._publish(maren, pack, number, notes)
        Build.objects.filter(pk__in=hidden).update(gone=False)

    def _fitting(self, pack: Pack, mods: Iterable[Mod]) -> list[str]:
        """Of these mods those that would come in by themselves, as somebody picks who looks at each."""
        read = recognise(pack, "\n".join(mod.slug for mod in mods))
        return [line.mod for line in read.lines if line.state is Recognition.RECOGNISED and line.mod not in NOT_FOR_US]

    def _edit(self, user: User, pack: Pack, *edits: EditIn) -> None:
        pack.draft.refresh_from_db()
        edit_draft(user, pack.id, pack.draft.revision, list(edits))

    def _sync(self, pack: Pack) -> None:
        """Runs the agents of those that have not synced yet; the others stay where they are."""
        for one in pack.installations.filter(release=None):
            self._do_errands(one)
            world = stand_in_folder(one) / "worlds" / "fenwick-run"
            self._ask(one, "sync")
            if one.side == "server" or one.member.username in ("maren", "odwin"):
                world.mkdir(parents=True, exist_ok=True)
                (world / "canal.dat").write_bytes(random.Random(one.member.username).randbytes(180_000))  # noqa: S311
                (world / "crew.txt").write_text("Maren, Odwin and five barges of coal\n")

    def _ask(self, one: Installation, what: str) -> None:
        """As from the installation's page, but done here and now."""
        note_order(one, what, {})
        obey(installation=str(one.pk))
        one.refresh_from_db()
        if one.answer.get("refused"):
            raise CommandError(f"{one.member.shown}: {one.answer['said']}")

    def _other_build(self, one: Installation, mod: str) -> None:
        """Somebody laid another build of a mod over the pack's, so that the roll call has a difference to name."""
        installed = read_recipe(bytes(one.pack.releases.latest("pk").document)).lock.by_mod[mod]
        other = Build.objects.filter(mod__slug=mod, refused="").exclude(version=installed.version).order_by("pk")[0]
        source = Source.objects.get(pk=installed.source)
        archive = httpx.get(f"{source.address}/{other.url}").raise_for_status().content
        folder = stand_in_folder(one) / "mods" / mod
        with zipfile.ZipFile(io.BytesIO(archive)) as packed:
            for name in packed.namelist():
                if not name.endswith(("/", "settings.toml")):
                    (folder / name).parent.mkdir(parents=True, exist_ok=True)
                    (folder / name).write_bytes(packed.read(name))

    def _setting(self, one: Installation, path: str, before: str, after: str) -> None:
        place = stand_in_folder(one) / path
        text = place.read_text()
        assert before in text
        place.write_text(text.replace(before, after))

    def _tuned(self, one: Installation) -> None:
        """Maren tried gentler weather in the game, and has not handed it out yet."""
        almanac = "mods/heron-almanac/settings.toml"
        self._setting(one, almanac, "chance = 0.35", "chance = 0.2")
        self._setting(one, almanac, "at_least_days_apart = 6", "at_least_days_apart = 10")
        self._setting(one, almanac, 'moored = "tug"', 'moored = "nothing"')
        written = stand_in_folder(one) / "config" / "tillerway" / "display.toml"
        written.parent.mkdir(parents=True, exist_ok=True)
        written.write_text(WRITTEN)

    def _of_his_own(self, one: Installation) -> None:
        """Odwin changed settings that the next release changes too, and others, and has a file of his own."""
        self._setting(one, "mods/night-lanterns/settings.toml", "enabled = true", "enabled = false")
        self._setting(one, "mods/barge-berths/settings.toml", "strength = 5", "strength = 7")
        (stand_in_folder(one) / "mods" / "odwins-horn.zip").write_bytes(b"two notes, and a long one")

    def _departure(self, maren: User, people: dict[str, User], pack: Pack) -> None:
        """Thursday at eight, as every week."""
        now = timezone.localtime()
        thursday = (now + timedelta(days=(3 - now.weekday()) % 7)).replace(hour=20, minute=0, second=0, microsecond=0)
        if thursday <= now:
            thursday += timedelta(days=7)
        made = set_departure(
            maren, pack.id, thursday, "", "Coal to Fenwick, by lantern light. Be at the quay by eight."
        )
        for name, comes in (("tolliver", True), ("sunniva", True), ("odwin", True), ("perrin", False)):
            answer(people[name], pack.id, made.id, comes)

    def _do_errands(self, installation: Installation) -> None:
        """What people do by hand for builds that no program may fetch: get each file, and leave it in the downloads."""
        downloads = stand_in_folder(installation).parent / "downloads"
        downloads.mkdir(parents=True, exist_ok=True)
        newest = installation.pack.releases.latest("pk")
        for build in read_recipe(bytes(newest.document)).lock.builds:
            if build.pickup.is_automatic:
                continue
            source = Source.objects.get(pk=build.source)
            archive = httpx.get(f"{source.address}/{build.urls[0]}").raise_for_status().content
            (downloads / build.archive.name).write_bytes(archive)

    def _collections(self, people: dict[str, User], crew: UUID) -> tuple[Pack, Pack]:
        """Small sets to be laid under packs: one for the screen, one for the helm."""
        maren, tolliver = people["maren"], people["tolliver"]
        about = ("Clear Deck", "heron", "", "What matters at the helm, and nothing else. Touches nobody but you.")
        deck = self._start(tolliver, crew, about, ON_TILLERWAY, SUITS_TILLERWAY)
        self._edit(
            tolliver,
            deck,
            AddMods(do="add many", mods=list(CLEAR_DECK)),
            *(HoldLine(do="hold", mod=mod, version=version) for mod, version in CLEAR_DECK_BEFORE.items()),
            *(
                DescribeLine(do="describe", mod=mod, optional=True, advice=why)
                for mod, why in CLEAR_DECK_ADVICE.items()
            ),
            SetSettings(do="set", settings=[KeyIn(**one) for one in CLEAR_DECK_TWEAKS]),
            SetSteps(do="steps", steps=CLEAR_DECK_STEPS),
        )
        self._publish(tolliver, deck, "1.0.0", "Eight mods for the screen, two of them for whoever needs them.")
        about = ("Steady Hands", "anchor", "", "Boats that hold their course, and water that says what it does.")
        hands = self._start(maren, crew, about, ON_TILLERWAY, SUITS_TILLERWAY)
        old = HoldLine(do="hold", mod="long-tiller", version="1.0.0", because="1.1.0 drifts on old boats")
        self._edit(maren, hands, AddMods(do="add many", mods=list(STEADY_HANDS)), old)
        self._publish(maren, hands, "1.0.0", "Six mods that make the helm dull, in the best sense.")
        return deck, hands

    def _slow_water(self, people: dict[str, User], crew: UUID, collections: tuple[Pack, Pack]) -> None:
        tolliver = people["tolliver"]
        about = ("Slow Water", "reed", "Whoever is in", "Nothing is urgent here. Tie up where you like.")
        pack = self._start(tolliver, crew, about, ON_TILLERWAY)
        calm = Mod.objects.filter(game="tillerway", category__in=SLOW_SHELVES).order_by("category", "slug")
        lines = AddMods(do="add many", mods=self._fitting(pack, calm)[:SLOW_LINES])
        deck, hands = collections
        self._edit(tolliver, pack, lines, AddMod(do="add", mod=SLOW_SCENARIO), TakeUp(do="take up", collection=deck.pk))
        self._publish(tolliver, pack, "1.0.0", "Forty mods for an evening without a load, and a trial to run.")
        code = make_join_code(tolliver, pack.id, None).code
        words = "Forty mods for a canal without a timetable.\n\nNobody loads, nobody hurries. Come as you are."
        change_page(tolliver, pack.id, True, "slow-water", words, code)
        tollivers = join(tolliver, code, "Slow Water", "player", "tollivers-tower")
        join(people["sunniva"], code, "Slow Water", "player", "sunnivas-desk")
        take_up(tolliver, tollivers.pk, self._evenings(people["maren"], crew).pk)
        self._sync(pack)
        self._into_world(tolliver, tollivers)
        self._edit(tolliver, pack, TakeUp(do="take up", collection=hands.pk))
        self._edit(tolliver, deck, *(HoldLine(do="hold", mod=mod) for mod in CLEAR_DECK_BEFORE))
        self._publish(tolliver, deck, "1.1.0", "The compass can be hidden, and the dials can be read at night.")
        self._sealed(tolliver, pack)
        self._follow(people, pack)

    def _evenings(self, user: User, crew: UUID) -> Pack:
        """What sounds and looks like evening, for whoever likes it, beside any pack."""
        about = (
            "Rain and Owls",
            "lantern",
            "",
            "Evenings as they sound and look. Beside any pack; nobody else hears it.",
        )
        made = self._start(user, crew, about, ON_TILLERWAY, SUITS_TILLERWAY)
        advice = DescribeLine(do="describe", mod=EVENING_LOUD, optional=True, advice="Every hour. You were told.")
        steps = SetSteps(do="steps", steps=EVENING_STEPS)
        self._edit(user, made, AddMods(do="add many", mods=list(EVENINGS)), advice, steps)
        self._publish(user, made, "1.0.0", "Rain on the roof, owls in the hangers, and stars where they belong.")
        return made

    def _follow(self, people: dict[str, User], pack: Pack) -> None:
        """Slow Water follows a pack of another crew, which has gone on since, and went its own way in one place."""
        liesel, tolliver = people["liesel"], people["tolliver"]
        crew = start_crew(liesel, "Upper Pound")
        for name in ("tolliver", "maren"):
            bring_aboard(people[name], crew)
        about = ("Quiet Canals", "weir", "Winter evenings", "Boats, banks and nobody in a hurry.")
        lead = self._start(liesel, crew.id, about, ON_TILLERWAY)
        pack.draft.refresh_from_db()
        lines = list(pack.draft.lines.values_list("mod", flat=True))[:LEAD_LINES]
        held, advised = LEAD_HELD[0], LEAD_ADVICE[0]
        lines = list(dict.fromkeys((*lines, held, advised, LEAD_GONE)))
        self._edit(liesel, lead, AddMods(do="add many", mods=lines))
        self._publish(liesel, lead, "1.0.0", "Two dozen mods for people who like it quiet.")
        follow(tolliver, pack.pk, LeadFrom.RELEASES, str(lead.pk), begun=True)
        own = DescribeLine(do="describe", mod=advised, optional=True, advice=OWN_ADVICE)
        self._edit(tolliver, pack, own)
        self._edit(
            liesel,
            lead,
            AddMods(do="add many", mods=list(LEAD_NEW)),
            RemoveMod(do="remove", mod=LEAD_GONE),
            HoldLine(do="hold", mod=held, version=LEAD_HELD[1], because=LEAD_HELD[2]),
            DescribeLine(do="describe", mod=advised, optional=True, advice=LEAD_ADVICE[1]),
            SetSettings(do="set", settings=[KeyIn(**LEAD_TWEAK)]),
        )
        self._publish(liesel, lead, "1.1.0", "Milk and letters, and bridges that wait for the second boat.")
        look(tolliver, pack.pk)

    def _sealed(self, user: User, pack: Pack) -> None:
        """What comes next to Slow Water is a surprise until this evening."""
        now = timezone.localtime()
        evening = now.replace(hour=20, minute=0, second=0, microsecond=0)
        hour = evening if evening - now > timedelta(hours=1) else now + timedelta(hours=3)
        pack.draft.refresh_from_db()
        notes = "Steady hands for all of you, and a calmer helm."
        publish(user, pack.id, pack.draft.revision, "1.1.0", "stable", notes, sealed_until=hour)

    def _into_world(self, member: User, one: Installation) -> None:
        """Two worlds, in one of which the scenario is played."""
        worlds = stand_in_folder(one) / "worlds"
        for name in ("flooded-towpath", "quiet-pound"):
            (worlds / name).mkdir(parents=True, exist_ok=True)
            (worlds / name / "canal.dat").write_bytes(random.Random(name).randbytes(90_000))  # noqa: S311
        choose(member, one.pk, MemberChoices(worlds={SLOW_SCENARIO: ["worlds/flooded-towpath"]}))
        self._ask(one, "sync")

    def _hollow_line(self, people: dict[str, User], crew: UUID) -> None:
        maren = people["maren"]
        about = ("Hollow Line", "wheel", "Sunday afternoons", "Slate down, coal up.")
        pack = self._start(maren, crew, about, ON_GAUGE_HOLLOW)
        edit_draft(maren, pack.id, 0, [AddMod(do="add", mod=mod) for mod in HOLLOW_LINES])
        self._edit(
            maren,
            pack,
            *setting(HOLLOW_TWEAKS),
            SetSteps(do="steps", steps=HOLLOW_STEPS),
        )
        self._publish(maren, pack, "1.0.0", "The first Sunday: one valley, slate down, coal up.")
        code = make_join_code(maren, pack.id, None).code
        join(maren, code, "Hollow Line", "player", "marens-desk")
        join(people["sunniva"], code, "Hollow Line", "player", "sunnivas-desk")
        self._sync(pack)
        self._edit(maren, pack, AddMod(do="add", mod="snow-duty"))
        self._edit(maren, pack, AddMod(do="add", mod="whole-yard"))
        self._edit(maren, pack, SetAside(do="set aside", text="\n".join(["# Wagons that never come here.", *UNWANTED])))

    def _spring(self, people: dict[str, User], crew: UUID) -> None:
        """A draft full of faults: begun on another base, and put together in a hurry."""
        maren, tolliver = people["maren"], people["tolliver"]
        about = ("Night Freight, spring", "heron", "Thursday nights", "What we may run after Easter. Not ready.")
        pack = self._start(tolliver, crew, about, ON_OLD_TILLERWAY)
        self._edit(tolliver, pack, AddMods(do="add many", mods=list(SPRING_BEFORE)))
        _, version, loader, loader_version = ON_TILLERWAY
        moved = ChangeBase(do="base", game_version=version, loader=loader, loader_version=loader_version)
        self._edit(tolliver, pack, moved)
        works = SayVerdict(do="verdict", mod="reed-pipes", version="0.7", works=True, note="two evenings, no trouble")
        self._edit(maren, pack, works)
        self._edit(tolliver, pack, *(AddMod(do="add", mod=mod) for mod in SPRING))
        self._edit(maren, pack, HoldLine(do="hold", mod="night-lanterns", version="1.4.0", because="keeps our world"))
        self._edit(tolliver, pack, *setting(SPRING_TWEAKS))
        own = {path: own_files.keep(maren, pack, text.encode(), path) for path, text in OWN_TEXTS.items()}
        self._edit(maren, pack, PlaceOwn(do="own files", add=own))
        for one in Pack.objects.filter(crew=crew):
            read_files_of(str(one.pk))

    def _publish(self, user: User, pack: Pack, number: str, notes: str) -> None:
        pack.draft.refresh_from_db()
        publish(user, pack.id, pack.draft.revision, number, "stable", notes)
