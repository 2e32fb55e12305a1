"""Watching: reports where the folder stands, and does what its member asks for on the installation's page.

The site can ask for nothing but what the table `DO` holds, all of it about this folder and this pack; releases are
trusted by their signature as always. So the page's button works on a machine of one's own, too.
"""

from __future__ import annotations

import random
import time
from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import Path
from threading import Event, Thread
from typing import Any

from convoy_core.lock.lock import LockedBuild
from convoy_core.outside.fields import Fields
from convoy_core.outside.paths import AGENT_FOLDER
from convoy_core.sync.orders import NEEDS_ALLOWANCE, OrderKind
from convoy_core.sync.plan import SyncChoices, describe
from convoy_core.trust.word import call_name, read_word
from convoy_core.words.errors import ConvoyError, MalformedInput
from convoy_core.words.wording import counted, listed

from . import backing_up, by_hand, call_for_help, setting_back, sync, taking_back, worlds
from .change import Wish
from .errors import ErrandsLeft, LineLimit, SiteAway, SiteRefused, SomebodyElse
from .fetching.inbox import Lookout, wait_for
from .folder.allowed import Allowed, Ask, nobody_to_ask
from .folder.folder import Folder
from .leave import leave
from .play import How, play
from .site.connecting import connect
from .site.head import Order, Pairing
from .site.progress import Screen
from .site.site import Site
from .storage.files import trouble_told
from .storage.store import Store

ASK_EVERY = 5.0
"""Seconds between two looks at the pack's word while nothing is to be done."""

ASK_SITE_EVERY = 300.0
"""Seconds between two questions to the site itself, which the word does not call for."""

LOOK_EVERY = 300.0
"""Seconds between two looks at the folder that nobody asked for."""


NEVER = float("-inf")

UNKNOWN_HERE = 401
"""The site's answer to a token that it does not know: there is nothing left to watch."""


class Watcher:
    """Watches one folder. `places` is where the member's downloads arrive; `ask` puts questions to whoever is there."""

    def __init__(
        self,
        root: Path,
        store: Store,
        places: list[Path],
        said: Callable[[str], None],
        screen: Screen,
        ask: Ask = nobody_to_ask,
        program: Path | None = None,
    ) -> None:
        self.root, self.store, self.said, self.screen, self.ask = root, store, said, screen, ask
        self._program = program
        """The game, as its member named it for this watch; else the one that was confirmed before."""
        self._lookout = Lookout(store, [*places, Folder(root).inbox])
        self._looked_at = 0.0
        self._followed: tuple[object, ...] | None = None
        """The release and what is left out of it, as the site said last: what was looked for."""
        self._address, self._etag, self._asked_at = "", "", NEVER
        """Where the pack's word is, how it looked last, and when the site itself was asked."""
        self._heard = (b"", 0)
        """The statement, and the count of calls for this installation, as the word had them last."""
        self._trouble = ""
        """What was said last: a site that is away for an hour is told of once."""
        self._missing: list[LockedBuild] = []
        self._waiting: Fields | None = None
        """A sync that was asked for and waits for errands: it goes on when the last one has come."""
        self.gone = False
        self._game: Thread | None = None
        """A game that was started for the page: it is watched beside, and orders go on."""

    def run(self, once: bool = False, seconds: float = float("inf")) -> None:
        """Goes on until it is stopped, or the installation is left. `once`: until no order is waiting."""
        until = time.monotonic() + seconds
        obeyed = False
        while not self.gone and time.monotonic() < until:
            # What was asked for has reported already: a single run need not look again.
            did = self._turn(look=not (once and obeyed))
            obeyed = obeyed or did
            if once and not did:
                self._until_closed()
                return
            if not did and not self.gone:
                # Not all at the same moment: thousands were started by the same evening.
                time.sleep(ASK_EVERY * random.uniform(0.8, 1.2))  # noqa: S311

    def _turn(self, look: bool) -> bool:
        """One question to the site; says whether there was something to do. A site that is away is asked again."""
        try:
            with trouble_told(self.root):
                if self._ordered():
                    return True
                if self._waiting is not None and self._all_brought():
                    self.said(_sync(self, self._waiting))
                elif look and (time.monotonic() - self._looked_at > LOOK_EVERY or not self._looked_at):
                    self._looked_at = time.monotonic()
                    sync.status(self.root, self.store, if_news=True)
            self._trouble = ""
        except ConvoyError as error:
            if error.sentence() != self._trouble:
                self._trouble = error.sentence()
                self.said(self._trouble)
            self.gone = error.data.get("status") == UNKNOWN_HERE or not (self.root / AGENT_FOLDER).exists()
        return False

    def _ordered(self) -> bool:
        pairing = Folder(self.root).pairing()
        with connect(pairing) as site:
            if not self._is_called(site, pairing):
                return False
            head = site.head()
            self._asked_at, self._address = time.monotonic(), head.word
            if head.order:
                self._asked_at = NEVER
                self._obey(site, head.order)
        beside = tuple(replace(one, said=None) for one in head.beside)
        followed = (head.number, head.left_out, head.worlds, beside)
        if followed != self._followed:
            # What a sync would do is another thing now, and is told without waiting.
            self._followed, self._looked_at = followed, 0.0
        return head.order is not None

    def _is_called(self, site: Site, pairing: Pairing) -> bool:
        """Whether the site itself is to be asked: every five minutes, and when the pack's word says so or cannot be
        had.
        """
        if not self._address or time.monotonic() - self._asked_at > ASK_SITE_EVERY:
            return True
        try:
            found = site.word(self._address, self._etag)
            if found is None:
                return False
            said, calls = read_word(found[0])
        except (SiteAway, SiteRefused, MalformedInput):
            return True
        heard = (said.document, calls.get(call_name(pairing.installation), 0))
        is_first, before = not self._etag, self._heard
        self._etag, self._heard = found[1], heard
        # A call that has ended (0) asks for nothing any more.
        return not is_first and (heard[0] != before[0] or heard[1] > before[1])

    def _obey(self, site: Site, order: Order) -> None:
        self.said(f"Asked on the page: {order.what}")
        try:
            do = DO.get(order.what)
            if do is None:
                raise MalformedInput(f"This agent does not know “{order.what[:40]}”.", now="Install a newer agent.")
            with trouble_told(self.root):
                if allowance := NEEDS_ALLOWANCE.get(OrderKind(order.what)):
                    Allowed(Folder(self.root).own).demand(allowance, self.ask)
                said = do(self, Fields(order.given))
            refused = False
        except ConvoyError as error:
            said, refused = error.sentence(), True
        self.said(said)
        site.order_done(order, said, refused)

    def _all_brought(self) -> bool:
        """Looks into the downloads for what is still missing; a file that has come is told at once."""
        taken = self._lookout.look(self._missing).taken
        self._missing = [build for build in self._missing if build not in taken]
        if taken and self._missing:
            sync.status(self.root, self.store)
        return not self._missing

    def start(self, plain: bool, alone: bool) -> str:
        """Starts the game; gives what is known by the time that it runs, or raises why it does not."""
        if self._game is not None and self._game.is_alive():
            raise SomebodyElse("The game runs already.", now="Close it first.")
        runs, trouble = Event(), list[ConvoyError]()
        how = How(plain, program=self._program, alone=alone)

        def wanted(up: float | None) -> None:
            runs.set()

        def played() -> None:
            try:
                done = play(self.root, self.store, how, lambda question: bool(self._program), self.said, wanted)
                self.said(done.sentence)
                self._looked_at = 0.0
            except ConvoyError as error:
                trouble.append(error)
            finally:
                runs.set()

        self._game = Thread(target=played, daemon=False)
        self._game.start()
        runs.wait()
        if trouble:
            raise trouble[0]
        return "The game is started."

    def _until_closed(self) -> None:
        if self._game is not None:
            self._game.join()

    def begin(self, given: Fields) -> None:
        self._waiting, self._missing = given, []

    def done(self) -> None:
        self._waiting = None

    def errands(self, left: Any) -> Any:
        """Takes what lies in the downloads already; does not wait, as the page shows what is missing."""
        self._missing = list(wait_for(left, self._lookout, lambda arrived, missing: None, _once()))
        return self._missing


def _once() -> Callable[[], bool]:
    turns = iter((True, False))
    return lambda: next(turns, False)


def _look(watcher: Watcher, given: Fields) -> str:
    thorough = given.flag("thorough", False)
    found = sync.status(watcher.root, watcher.store, thorough)
    if not found.release:
        return "Looked. Nothing of the pack is installed yet."
    if found.deviations:
        them = "it" if len(found.deviations) == 1 else "them"
        return f"{counted(len(found.deviations), 'file')} not as release {found.release} has {them}."
    return f"Every file is as release {found.release} has it."


def _sync(watcher: Watcher, given: Fields) -> str:
    only = frozenset(given.strings("only")) or None
    choices = SyncChoices(given.flag("extras_aside", False), only)
    wish = Wish(choices, anyway=given.flag("anyway", False), errands=watcher.errands, ask=watcher.ask)
    watcher.begin(given)
    try:
        done = sync.sync(watcher.root, watcher.store, watcher.screen, wish)
    except ErrandsLeft as error:
        # The page shows what is to be brought, and where from.
        sync.status(watcher.root, watcher.store)
        raise ErrandsLeft(
            error.what, "Everything else has been fetched.", "Each is listed with where to get it."
        ) from error
    except LineLimit:
        sync.status(watcher.root, watcher.store)
        watcher.done()
        raise
    except ConvoyError:
        watcher.done()
        raise
    watcher.done()
    return f"Release {done.release}: {describe(done.plan)}."


def _undo(watcher: Watcher, given: Fields) -> str:
    done = taking_back.undo(watcher.root, watcher.store)
    return f"Back at release {done.release}."


def _put_back(watcher: Watcher, given: Fields) -> str:
    back, stays = taking_back.put_back(watcher.root, given.text("id"))
    but = f" {counted(len(stays), 'file')} stay aside, as something lies in their places." if stays else ""
    return f"{counted(len(back), 'file')} back in place.{but}" + _after(watcher)


def _backup(watcher: Watcher, given: Fields) -> str:
    return f"Backed up: {backing_up.back_up(watcher.root).holds()}." + _after(watcher)


def _restore(watcher: Watcher, given: Fields) -> str:
    before = backing_up.restore(watcher.root, given.text("backup"))
    return f"Worlds and settings are back. How they were before is kept: {before.why.lower()}." + _after(watcher)


def _drop(watcher: Watcher, given: Fields) -> str:
    backing_up.drop_backup(watcher.root, given.text("backup"))
    return "The backup is gone." + _after(watcher)


def _step(watcher: Watcher, given: Fields) -> str:
    by_hand.tick(watcher.root, given.text("step"), given.flag("done"))
    return "Noted." + _after(watcher)


def _set_back(watcher: Watcher, given: Fields) -> str:
    places = [(one.text("path"), one.strings("key")) for one in given.items("settings")]
    many = setting_back.set_back(watcher.root, places)
    return f"{counted(many, 'setting')} as the pack has {'it' if many == 1 else 'them'}." + _after(watcher)


def _set_own(watcher: Watcher, given: Fields) -> str:
    values = {(one.text("path"), one.strings("key")): _plain(one) for one in given.items("settings")}
    many = setting_back.set_own(watcher.root, values)
    return f"{counted(many, 'setting')} set." + _after(watcher)


def _plain(row: Fields) -> setting_back.Plain:
    value = row.plain("value")
    if not isinstance(value, bool | int | float | str):
        raise MalformedInput("A setting is set to a text, a number, yes or no.", field="value")
    return value


def _call_for_help(watcher: Watcher, given: Fields) -> str:
    call = call_for_help.call_for_help(watcher.root, watcher.store, given.text("words", ""))
    call_for_help.send(watcher.root, call, seen=False)
    return "Gathered. Look through it; nobody sees it before you send it."


def _play(watcher: Watcher, given: Fields) -> str:
    return watcher.start(given.flag("plain", False), given.flag("alone", False))


def _leave(watcher: Watcher, given: Fields) -> str:
    # The site hears of it by the answer to this order; after that the token opens nothing any more.
    left = leave(watcher.root, sync.utc_now(), given.flag("keep_all", False), tell=False)
    watcher.store.forget(Folder(watcher.root).root)
    watcher.gone = True
    told = f"{counted(left.removed, 'file')} of the pack removed."
    if left.had_before:
        told += f" {counted(left.had_before, 'file')} that lay there before joining stay or are put back."
    return f"{told} What else was kept lies in “{left.kept}”." if left.kept else told


def _copy_world(watcher: Watcher, given: Fields) -> str:
    made = worlds.copy(watcher.root, given.text("world"), given.text("name"))
    return f"“{made.name}” is a copy: {counted(made.files, 'file')}." + _after(watcher)


def _rename_world(watcher: Watcher, given: Fields) -> str:
    name = worlds.rename(watcher.root, given.text("world"), given.text("name")).rpartition("/")[2]
    return f"It is called “{name}” now." + _after(watcher)


def _hand_on(watcher: Watcher, given: Fields) -> str:
    place, progress = worlds.hand_on(watcher.root, given.text("world"))
    apart = f" It was played with {listed(list(progress))}, which changes progress." if progress else ""
    return f"It lies in “{place.relative_to(Folder(watcher.root).root).as_posix()}”, to be given to anybody.{apart}"


def _after(watcher: Watcher) -> str:
    """Reports what is now; adds nothing to what is said."""
    sync.status(watcher.root, watcher.store)
    return ""


DO: Mapping[str, Callable[[Watcher, Fields], str]] = {
    OrderKind.LOOK: _look,
    OrderKind.SYNC: _sync,
    OrderKind.UNDO: _undo,
    OrderKind.PUT_BACK: _put_back,
    OrderKind.BACK_UP: _backup,
    OrderKind.RESTORE: _restore,
    OrderKind.DROP_BACKUP: _drop,
    OrderKind.STEP: _step,
    OrderKind.SET_BACK: _set_back,
    OrderKind.SET_OWN: _set_own,
    OrderKind.CALL_FOR_HELP: _call_for_help,
    OrderKind.PLAY: _play,
    OrderKind.LEAVE: _leave,
    OrderKind.COPY_WORLD: _copy_world,
    OrderKind.RENAME_WORLD: _rename_world,
    OrderKind.HAND_ON: _hand_on,
}
