"""Reads a log in one pass into entries, in memory that does not grow with the log.

Equal entries are one, counted. What there is no room for is counted by severity and looked at all the same, so that no
mark (main screen, end, crash, known message) is missed; warnings and errors have room of their own. Whose an entry is
is decided in the end, when it is known which mods the log names.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping

from ..words.log_shape import BAD, EntrySeverity, KnownMessage, LogShape
from ..words.profile import GameProfile
from .beginning import NOTHING, Beginning, Row
from .cause import known_cause, likely_cause
from .entries import Cause, Ended, Entry, Log, Mark
from .lines import Lines
from .pattern import Pattern
from .whose import Whose, places_of

MOST_QUIET, MOST_LOUD = 12_000, 12_000
"""Different entries that are kept: of debug and information, and of what is worse."""

MOST_TEXT = 48 * 2**20
"""Characters that are kept of all entries together."""

MOST_LINES = 80
"""Lines that are kept of one entry: a stack's top tells, not its bottom."""

MOST_LOADED = 20_000

MANY = 100
"""New entries of one text from which on it is quicker to look first which words that are looked for stand in it."""

LONGEST_ENTRY = 2**20
"""Characters of one entry that are waited for: what goes on for longer is cut there."""

_QUIET = frozenset({EntrySeverity.DEBUG, EntrySeverity.INFORMATION})


def read_log(chunks: Iterable[bytes], profile: GameProfile, names: Mapping[str, str] | None = None) -> Log:
    """`names`: by id how the mods are called that are known to be there. The profile says how its log looks; without a
    word on that, every line is an entry.
    """
    reader = LogReader(profile, names or {})
    for chunk in chunks:
        reader.feed(chunk)
    return reader.end()


class LogReader:
    """Reads a log as it grows. `main_screen` can be asked for at any time; nothing is fed after `end`."""

    def __init__(self, profile: GameProfile, names: Mapping[str, str]) -> None:
        self._shape = profile.log or LogShape("")
        self._whose = Whose(names, places_of(profile))
        self._lines = Lines()
        self._begins = Beginning(self._shape)
        self._known = [(one, Pattern(one.line)) for one in self._shape.known]
        self._loads = Pattern(self._shape.loaded) if self._shape.loaded else None
        self._probes = _probes(self._shape, self._known, self._loads)
        self._live = frozenset[str]()
        """Which of them stand in what is read now: entries without any need no closer look."""
        self._seen: dict[Row, Entry] = {}
        self._room = {True: MOST_QUIET, False: MOST_LOUD}
        self._text = MOST_TEXT
        self._number = 0
        self._open = ""
        """The last entry that was fed: the next lines may belong to it."""
        self._left_out: Counter[EntrySeverity] = Counter()
        self._loaded: dict[str, str] = {}
        self._first_known: Entry | None = None
        self._marked: dict[Mark, tuple[int, Entry]] = {}
        """Where each was said last, and by which entry."""
        self.main_screen = 0

    def feed(self, data: bytes) -> None:
        self._take(self._open + self._lines.feed(data), is_last=False)

    def end(self) -> Log:
        whole, cut = self._lines.end()
        self._take(self._open + whole + (f"{cut}\n" if cut else ""), is_last=True)
        for mod in self._loaded:
            self._whose.add(mod)
        entries = tuple(self._seen.values())
        beside = (self._first_known, *(entry for _, entry in self._marked.values()))
        for entry in {id(one): one for one in (*entries, *beside) if one}.values():
            named = entry.named.get("mod")
            entry.mod = (named and self._whose.mod(named)) or self._whose.of(entry.origin, entry.whole)
        ended = self._ended(bool(cut))
        loaded = {self._whose.mod(mod) or mod: version for mod, version in self._loaded.items()}
        return Log(
            entries, self.main_screen, ended, self._cause(ended, entries), self._number, loaded, dict(self._left_out)
        )

    def _take(self, text: str, is_last: bool) -> None:
        """Counts the entries of a text of whole lines. The last one is held back until it is known to be whole."""
        self._look_for_main_screen(text)
        rows = self._begins.rows(text)
        ends = _gather(rows)
        taken, self._open = len(rows), ""
        if rows and not is_last:
            last = next(at for at in range(len(rows) - 1, -1, -1) if rows[at])
            held = _last_lines(text, len(rows) - last)
            if len(held) <= LONGEST_ENTRY:
                self._open, taken = held, last
        del rows[taken:]
        # Counting them all at once is many times quicker than one by one.
        counts = Counter(rows)
        seen = self._seen.get
        new, marked = [], []
        for row, count in counts.items():
            if row and (entry := seen(row)):
                entry.count += count
                if entry.marks:
                    marked.append(row)
            elif row:
                new.append(row)
        if len(new) > MANY:
            self._live = frozenset(one for one in self._probes if one in text)
            new = [row for row in new if not self._is_dull(row[0], counts[row])]
        else:
            self._live = self._probes
        if new or marked:
            self._look_closer(text.split("\n"), rows, ends, [(row, counts[row]) for row in new], marked)
        self._number += taken

    def _look_closer(
        self,
        lines: list[str],
        rows: list[Row | None],
        ends: Mapping[int, int],
        new: list[tuple[Row, int]],
        marked: list[Row],
    ) -> None:
        """At what was not said before, and at what says something of the whole."""
        first = {row: len(rows) - 1 - back for back, row in enumerate(reversed(rows)) if row}
        last = {row: at for at, row in enumerate(rows) if row}
        before = self._number + 1
        for row, count in new:
            at = first[row]
            entry = self._new(row, self._begins.time(lines[at]), before + at, before + ends.get(at, at), count)
            self._note(entry, before + last[row])
        for row in marked:
            self._note(self._seen[row], before + last[row])

    def _look_for_main_screen(self, text: str) -> None:
        """Which is not waited for until the next line comes."""
        words = self._shape.main_screen
        if words and not self.main_screen and (at := text.find(words)) >= 0:
            self.main_screen = self._number + text.count("\n", 0, at) + 1

    def _is_dull(self, word: str, count: int) -> bool:
        """Whether there is no room for it, and nothing to be found in it. It is counted then, and done with."""
        severity = self._begins.severity(word)
        has_room = self._room[severity in _QUIET] and self._text > 0
        if self._live or has_room or severity in BAD:
            return False
        self._left_out[severity] += count
        return True

    def _new(self, row: Row, at: str, line: int, end: int, count: int) -> Entry:
        word, origin, text, more, _ = row
        lines = tuple(more.split("\n")) if more else ()
        entry = Entry(at, self._begins.severity(word), origin, text, line, end, count, lines)
        self._look_at(entry)
        self._keep(row, entry)
        return entry

    def _keep(self, key: Row, entry: Entry) -> None:
        quiet = entry.severity in _QUIET and entry.known is None
        size = len(entry.text) + sum(map(len, entry.lines))
        if self._room[quiet] and self._text > size:
            self._room[quiet] -= 1
            self._text -= size
            self._seen[key] = entry
        else:
            self._left_out[entry.severity] += entry.count

    def _look_at(self, entry: Entry) -> None:
        """What the game says of the whole, and what a known message explains."""
        shape, text = self._shape, entry.whole if entry.lines else entry.text
        if self._loads and len(self._loaded) < MOST_LOADED and (found := self._loads.find(text)):
            self._loaded.setdefault(found.get("mod", ""), found.get("version", ""))
        for known, pattern in self._known if self._live else ():
            if pattern.probe in text and (named := pattern.find(text)) is not None:
                entry.known, entry.named = known, named
                self._first_known = self._first_known or entry
                break
        crashed = any(words in text for words in shape.crash) if shape.crash else entry.severity is EntrySeverity.FATAL
        marks = {
            Mark.BAD: entry.severity in BAD and not crashed,
            Mark.CLOSED: bool(shape.closed) and shape.closed in entry.text,
            Mark.CRASHED: crashed,
        }
        entry.marks = frozenset(mark for mark, there in marks.items() if there)

    def _note(self, entry: Entry, line: int) -> None:
        """What counts each time that it is said: `line` is where it was said last."""
        for mark in entry.marks:
            if line >= self._marked.get(mark, (0, entry))[0]:
                self._marked[mark] = (line, entry)

    def _ended(self, is_cut: bool) -> Ended:
        crashed, closed = (self._marked[mark][0] if mark in self._marked else 0 for mark in (Mark.CRASHED, Mark.CLOSED))
        if crashed > closed:
            return Ended.CRASHED
        if closed:
            return Ended.CLOSED
        return Ended.CUT_OFF if is_cut else Ended.RUNNING

    def _cause(self, ended: Ended, entries: tuple[Entry, ...]) -> Cause | None:
        """Of a log that ended badly, or that never came to the main screen."""
        if ended is not Ended.CRASHED and self.main_screen:
            return None
        place = {id(entry): at for at, entry in enumerate(entries)}
        if known := self._first_known:
            return known_cause(known, place.get(id(known)), self._whose.name, self._whose.mod)
        # What only says that it is the end tells nothing of why, unless nothing else does.
        mark = Mark.BAD if Mark.BAD in self._marked else Mark.CRASHED
        if mark in self._marked and ended is not Ended.RUNNING:
            bad = self._marked[mark][1]
            return likely_cause(bad, place.get(id(bad)), self._whose.name)
        return None


def _gather(rows: list[Row | None]) -> dict[int, int]:
    """Puts the lines that go on into the row that they belong to, and nothing where they stood; says which rows have
    such lines, and where the last of them is. What nothing stands before is an entry of its own.
    """
    ends: dict[int, int] = {}
    head, more = -1, list[str]()
    for at in [at for at, row in enumerate(rows) if row and (row[3] or row[4])]:
        _, _, _, on, alone = rows[at] or NOTHING
        if alone or at == 0:
            rows[at] = ("", "", (on or alone)[:-1], "", "")
            continue
        if ends.get(head) != at - 1:
            _join(rows, head, more)
            head, more = at - 1, []
        more.append(on[:-1])
        rows[at] = None
        ends[head] = at
    _join(rows, head, more)
    return ends


def _join(rows: list[Row | None], head: int, more: list[str]) -> None:
    row = rows[head] if more else None
    if row:
        kept = more[:MOST_LINES] + ([f"… and {len(more) - MOST_LINES} more lines"] if len(more) > MOST_LINES else [])
        rows[head] = (row[0], row[1], row[2], "\n".join(kept), "")


def _last_lines(text: str, count: int) -> str:
    """The last lines of a text that ends with a line end."""
    at = len(text) - 1
    for _ in range(count):
        at = text.rfind("\n", 0, max(at, 0))
    return text[at + 1 :]


def _probes(shape: LogShape, known: list[tuple[KnownMessage, Pattern]], loads: Pattern | None) -> frozenset[str]:
    words = (shape.main_screen, shape.closed, loads.probe if loads else "", *shape.crash)
    return frozenset(one for one in (*words, *(pattern.probe for _, pattern in known)) if one)
