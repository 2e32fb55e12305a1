"""The place of settings: every key of a draft, searched and narrowed; one file as text, and what a text comes to."""

from collections import Counter
from collections.abc import Iterable, Sequence
from typing import Annotated
from uuid import UUID

from ninja import Query, Router

from convoy_core.draft.all_settings import Only, Place, Setting, wrong
from convoy_core.lock.terms import read_tweak
from convoy_core.outside.fields import Fields
from convoy_core.settings.formats import TEXT_ONLY, Key, Value, format_of, spelled
from convoy_core.settings.knowledge import Known, kind_of
from convoy_core.settings.limits import NO_LIMIT

from ...catalogue import after
from ...people.rights import Action, SignedIn
from .. import all_settings, checking, draft_terms
from ..all_settings import Shown
from ..models import Draft
from ..plain_values import exact, plain
from ..services import pack_for
from ..shapes.all_settings import (
    KeyPlaceOut,
    KeyValueOut,
    ModSettingsOut,
    RetypedOut,
    SettingRowOut,
    SettingsAsked,
    SettingSetOut,
    SettingsOut,
    SettingsPath,
    SettingsTextIn,
    SettingsTextOut,
    SetToOut,
    UnreadOut,
)

router = Router(tags=["packs"])


@router.get("/packs/{pack_id}/settings", response=SettingsOut, operation_id="all_settings")
def settings(request: SignedIn, pack_id: UUID, asked: Annotated[SettingsAsked, Query()]) -> SettingsOut:
    """Keys of the draft's settings files by words, mod, file, set, and what they are narrowed to; a page of them."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    shown = all_settings.shown(pack.draft)
    told = _Told(pack.draft, shown, asked.set)
    otherwise = checking.ASKED.set_otherwise(pack) if asked.only is Only.OTHERWISE else ()
    found = shown.table.found(asked.words, asked.mod, asked.path, asked.only, shown.tweaks, shown.before, otherwise)
    if asked.set:
        found = [row for row in found if told.kept.get(row.place, {}).get("set") == asked.set]
    return SettingsOut(
        revision=pack.draft.revision,
        total=len(found),
        all=len(shown.table.rows),
        files=len(shown.files),
        rows=[told.row(row) for row in found[asked.offset : asked.offset + asked.limit]],
        mods=_mods(shown, found),
        unread=[UnreadOut(path=path, mod=shown.files[path], why=why) for path, why in shown.unread.items()],
        lone=[told.lone(place) for place in shown.tweaks if place not in shown.table.by_place],
        sets=_sets(pack.draft),
        reading=after.is_reading_files(str(pack.pk)),
    )


@router.get("/packs/{pack_id}/settings/text", response=SettingsTextOut, operation_id="settings_text")
def text(request: SignedIn, pack_id: UUID, path: Annotated[SettingsPath, Query()]) -> SettingsTextOut:
    """One file as the next release would render it, with the place of each key."""
    pack = pack_for(request.user, pack_id, Action.SEE_DRAFT)
    document = all_settings.rendered(pack.draft, path)
    places = document.parsed.places
    units = _units(document.text, [place for span in places.values() for place in span])
    return SettingsTextOut(
        path=path,
        mod=checking.checked(pack.draft).subject.laid.holder.get(path, ""),
        text=document.text,
        places=[KeyPlaceOut(key=list(key), start=units[start], end=units[end]) for key, (start, end) in places.items()],
    )


@router.post("/packs/{pack_id}/settings/text", response=RetypedOut, operation_id="retyped_settings")
def retyped(request: SignedIn, pack_id: UUID, told: SettingsTextIn) -> RetypedOut:
    """What a text that somebody typed says otherwise than the pack; nothing is kept."""
    pack = pack_for(request.user, pack_id, Action.EDIT)
    found = all_settings.retyped(pack.draft, told.path, told.text, told.before)
    return RetypedOut(
        sets=_values(told.path, found.sets.items()),
        resets=_values(told.path, ((key, None) for key in found.resets)),
        dropped=[".".join(key) for key in found.dropped],
        is_more=found.is_more,
    )


class _Told:
    """Rows as the API gives them."""

    def __init__(self, draft: Draft, shown: Shown, of_set: str) -> None:
        self._shown, self._of_set = shown, of_set
        self.kept = draft_terms.shown_tweaks(draft, of_set)
        self._holding = {id(one) for one in draft_terms.effective(draft)}
        self._theirs = {place for place, one in self.kept.items() if one.get("collection")}
        self._sets: dict[Place, list[str]] = {}
        for one in draft.tweaks:
            self._sets.setdefault((one["path"], tuple(one["key"])), []).append(one.get("set", ""))

    def row(self, row: Setting) -> SettingRowOut:
        known, place = row.known, row.place
        before, released = self._shown.before or {}, self._shown.released.get(place)
        was = spelled(row.path, released.value) if released else before.get(place)
        return SettingRowOut(
            path=row.path,
            mod=row.mod,
            key=list(row.key),
            kind=known.kind,
            said_by=known.by,
            title=known.title,
            description=known.description,
            default=known.default,
            allowed=[plain(one) for one in known.limit.allowed],
            lowest=known.limit.lowest if known.limit.lowest is not None else known.limit.above,
            highest=known.limit.highest if known.limit.highest is not None else known.limit.below,
            unit=known.unit,
            value=plain(row.value),
            released=plain(was),
            was_there=released is not None or place in before,
            to=self._to(place, row),
        )

    def lone(self, place: Place) -> SettingRowOut:
        """A setting of a file that nothing is known of."""
        (path, key), value = place, self._shown.tweaks[place].value
        kind = kind_of(key, value, NO_LIMIT, is_text=format_of(path) in TEXT_ONLY)
        known = Known(kind)
        row = Setting(self._shown.files.get(path, ""), path, key, None, known, "")
        return self.row(row)

    def _to(self, place: Place, row: Setting) -> SetToOut | None:
        told = self.kept.get(place)
        if told is None:
            return None
        tweak = read_tweak(Fields(told))
        holds = place in self._theirs or id(told) in self._holding
        return SetToOut(
            value=plain(tweak.value),
            how=tweak.how,
            side=tweak.side,
            because=told.get("because", ""),
            by=told.get("by", ""),
            at=told.get("at"),
            set=told.get("set", ""),
            collection=told.get("collection", ""),
            also=[one for one in self._sets.get(place, ()) if one and one != told.get("set", "")],
            holds=holds,
            in_hand=holds or bool(self._of_set and told.get("set") == self._of_set),
            wrong=wrong(row, tweak),
        )


def _mods(shown: Shown, found: Sequence[Setting]) -> list[ModSettingsOut]:
    keys = Counter(row.mod for row in found)
    is_set = Counter(shown.files.get(path, "") for path, _ in shown.tweaks)
    return [
        ModSettingsOut(mod=mod, name=name, keys=keys[mod], set=is_set[mod], is_all_off=mod in shown.table.all_off)
        for mod, name in shown.names.items()
        if keys[mod]
    ]


def _sets(draft: Draft) -> list[SettingSetOut]:
    keys = Counter(one.get("set", "") for one in draft.tweaks)
    return [SettingSetOut(id=one, keys=keys[one], **told) for one, told in draft_terms.sets_of(draft).items()]


def _values(path: str, pairs: Iterable[tuple[Key, Value]]) -> list[KeyValueOut]:
    return [KeyValueOut(path=path, key=list(key), value=plain(value), text=exact(value)) for key, value in pairs]


def _units(text: str, places: Iterable[int]) -> dict[int, int]:
    """Places in a text as browsers count them: a letter beyond the first 65,536 is two."""
    wanted = sorted(set(places))
    if text.isascii():
        return {place: place for place in wanted}
    found, at, units = {}, 0, 0
    for place in wanted:
        units += len(text[at:place].encode("utf-16-le")) // 2
        found[place], at = units, place
    return found
