"""Names of people and crews: what looks alike is the same name, and what cannot be seen is none.

A name's *look* is what a reader sees of it: letters of other scripts that are drawn as ours, full-width ones, case and
accents of one way of writing are as one. Nobody takes a name that looks like somebody's.
"""

from __future__ import annotations

import unicodedata

from .errors import ConvoyError


class UnreadableName(ConvoyError):
    """A name that shows otherwise than it is written."""

    code = "unreadable-name"


_DRAWN_AS = {
    **dict(zip("авеёкмнорстухѕіїјԁԛԝһӏɡɑ", "abeekmhopctyxsiijdqwhiga", strict=True)),
    **dict(zip("αβγεηικμνορστυχωıłøđħ015l|", "abyenikuvopotuxwilodhoisii", strict=True)),
    "ß": "ss",
    "æ": "ae",
    "œ": "oe",
}
"""Small letters and digits that are read for one another, each to the one that stands for all of them."""

_SCRIPTS = ("LATIN", "CYRILLIC", "GREEK", "ARMENIAN", "HEBREW", "ARABIC", "CHEROKEE", "COPTIC")
"""Scripts of which two in one word are a disguise. Those of East Asia are written together."""


def look_of(name: str) -> str:
    """What a reader sees: equal for names that nobody tells apart at a glance."""
    folded = unicodedata.normalize("NFKD", unicodedata.normalize("NFKC", name).casefold())
    letters = [one for one in folded if not unicodedata.combining(one)]
    drawn = "".join(_DRAWN_AS.get(one, one) for one in letters)
    return "".join(one for one in drawn.replace("rn", "m").replace("vv", "w") if one.isalnum())


def checked_name(name: str) -> str:
    """The name itself. Raises UnreadableName for signs that cannot be seen or turn writing around, for full-width and
    other letters in disguise, for two scripts in one word, and for what has no letter or digit at all.
    """
    for one in name:
        if unicodedata.category(one) in ("Cf", "Cc", "Co", "Cn", "Cs", "Zl", "Zp") or one in "\u115f\u1160\u3164\uffa0":
            raise UnreadableName("The name holds a sign that cannot be seen.", now="Type it anew.", field="name")
    if unicodedata.normalize("NFKC", name) != unicodedata.normalize("NFC", name):
        raise UnreadableName(
            "The name holds letters in disguise, such as full-width ones.", now="Write it in plain ones.", field="name"
        )
    for word in name.split():
        scripts = {script for one in word if one.isalpha() for script in [_script_of(one)] if script}
        if len(scripts) > 1:
            raise UnreadableName(
                f"“{word[:40]}” mixes letters of two scripts.",
                "It would look like another name.",
                "Write it in one.",
                field="name",
            )
    if not look_of(name):
        raise UnreadableName("The name has no letter or digit.", now="Choose another one.", field="name")
    return name


def _script_of(letter: str) -> str:
    name = unicodedata.name(letter, "")
    return next((script for script in _SCRIPTS if name.startswith(script)), "")
