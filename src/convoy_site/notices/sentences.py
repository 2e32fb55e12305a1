"""What an event is in words. A moment is told apart from the words, so that whoever shows it does so in local time."""

from dataclasses import dataclass
from datetime import datetime

from ..people.events import Happened
from ..people.models import Event


@dataclass(frozen=True)
class Told:
    """`address`: a page of the site, from its root. `when`: the moment that the text speaks of."""

    text: str
    address: str
    when: datetime | None = None


def in_words(event: Event) -> Told:
    say, at = _SAY[Happened(event.what)]
    about = {key: " ".join(str(value or "").split()).rstrip(".") for key, value in event.about.items()}
    told = {"crew": event.crew.name, **about, "pack": event.pack, "crew_id": event.crew_id}
    text = say.format_map(told)
    for lead, key in ((", with release ", "number"), (": ", "note")):
        if event.what.startswith("departure") and about.get(key):
            text += f"{lead}{about[key]}"
    when = datetime.fromisoformat(event.about["at"]) if event.about.get("at") else None
    return Told(f"{text}.", at.format_map(told), when)


_PACK, _RELEASE, _CREW = "/packs/{pack}/crew", "/packs/{pack}/releases/{number}", "/crews/{crew_id}"

_SAY: dict[Happened, tuple[str, str]] = {
    Happened.RELEASE: ("{name} {number} is out", _RELEASE),
    Happened.TRIAL: ("{name} {number} is out for trial", _RELEASE),
    Happened.OPENED: ("{name} {number} is open: what is in it can be seen", _RELEASE),
    Happened.WITHDRAWAL: ("{name} {number} was withdrawn: {why}", _RELEASE),
    Happened.DEPARTURE_SET: ("{name} departs", _PACK),
    Happened.DEPARTURE_MOVED: ("{name} departs at another time", _PACK),
    Happened.DEPARTURE_OFF: ("This departure of {name} is called off", _PACK),
    Happened.PLAYTHROUGH_OPENED: ("{playthrough} is played in the world {world} of {name}, from {number} on", _PACK),
    Happened.PLAYTHROUGH_ENDED: ("{playthrough}, played with {name}, has ended: {why}", _PACK),
    Happened.MILESTONE: ("A milestone of {playthrough}: {milestone}. Worlds are backed up by its name", _PACK),
    Happened.LEAD_NEW: ("{lead} {number} is out, which {name} follows: see what is new there", "/packs/{pack}/lead"),
    Happened.PROPOSED: ("{of} proposes {many} to {name}", "/packs/{pack}/lead"),
    Happened.ANSWERED: ("{name} answered what {of} proposed: {why}", "/packs/{pack}/lead"),
    Happened.CALLED_FOR_HELP: ("{who} calls for help with {name}: {why}", "/calls/{call}"),
    Happened.HELP_ANSWERED: ("{who} answered a call for help with {name}: {why}", "/calls/{call}"),
    Happened.HELP_CLOSED: ("A call for help with {name} is closed: {why}", "/calls/{call}"),
    Happened.ROLE: ("{who} is {role} of {crew} now", _CREW),
    Happened.ABOARD: ("{who} came aboard {crew}, as {role}", _CREW),
    Happened.HANDED_OVER: ("{who} owns {crew} now", _CREW),
    Happened.RENAMED: ("{was} is called {name} now", _PACK),
    Happened.PACK_MOVED: ("{name} belongs to {to} now, and no longer to {crew}", _PACK),
    Happened.RETIRED: ("{name} is retired: {why}. What you have stays on your machine", _PACK),
    Happened.BROUGHT_BACK: ("{name} is brought back", _PACK),
}
