"""How a folder stands by what is known in it, without asking its site."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from convoy_core.sync.next_step import Here, Next, next_step

from .folder.backups import Backups
from .folder.folder import Folder
from .hearing import doubt_of
from .site.connecting import connect
from .storage.store import Store
from .sync import is_other, utc_now
from .visit import Now, Visit


@dataclass(frozen=True)
class Stands:
    """How a folder stands by what is known in it."""

    pack: str
    side: str
    here: Here
    next: Next
    remarks: tuple[str, ...]


def here(root: Path, store: Store, now: Now = utc_now) -> Stands:
    """Looks at a folder without asking its site, and changes nothing: an interrupted change is only told of."""
    folder = Folder(root)
    pairing = folder.pairing()
    with folder.held(), connect(pairing) as site:
        interrupted = folder.journal.exists() or (folder.own / "restore.json").exists()
        site.away = True
        head, record = folder.kept_head(), folder.record()
        if head is None and record.release and not interrupted:
            lost = Next("What the site said last is lost here, so that nothing can be said of it.", "convoy status")
            return Stands(pairing.pack, pairing.side, Here(record.release), lost, tuple(folder.remarks))
        doubt = doubt_of(folder.releases.trust.now(pairing).statement, now())
        if interrupted or head is None or not folder.releases.kept(head.named):
            wanted = head.number if head else record.release or "?"
            newest = head.newest if head else wanted
            stands = Here(record.release, wanted, newest, interrupted=interrupted, doubt=doubt)
            return Stands(pairing.pack, pairing.side, stands, next_step(stands), tuple(folder.remarks))
        visit = Visit(folder, pairing, site, store, head, now)
        told = visit.report(visit.release(head.named))
        about = told.about["steps"]
        left = [str(one["text"]) for one in about if not one["done"]] if isinstance(about, list) else []
        stands = Here(
            told.release.number, head.number, head.newest, told.look.deviations,
            len({one.path for one in told.plan.moves}), len(told.plan.errands), left,
            len(Backups(folder).rehearsal().bad), is_other=is_other(told.release, head), doubt=doubt,
        )  # fmt: skip
        return Stands(pairing.pack, pairing.side, stands, next_step(stands), tuple(folder.remarks))
