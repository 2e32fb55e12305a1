"""Reads a log in one pass into entries, in memory that does not grow with the log.

Equal entries are one, counted. What there is no room for is counted by severity and looked at all the same, so that no
mark (main screen, end, crash, known message) is missed; warnings and errors have room of their own. Whose an entry is
is decided in the end, when it is known which mods the log names.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from itertools import compress, filterfalse

from ..words.log_shape import BAD, EntrySeverity, KnownMessage, LogShape
from ..words.profile import GameProfile
from .beginning import Beginning, Row
from .cause import known_cause, likely_cause
from .entries import Cause, Ended, Entry, Log, Mark
from .lines import Lines
from .pattern import Pattern
from .piece import Piece
from .whose import Whose, places_of

MOST_QUIET, MOST_LOUD = 12_000, 12_000
"""Different entries that are kept: of debug and information, and of what is worse."""

MOST_TEXT = 48 * 2**20
"""Characters that are kept of all entries together."""

MOST_LOADED = 20_000

MANY = 100
"""Entries without room from which on it is quicker to look first whether anything that is looked for stands in them."""

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
        piece = Piece(text, self._begins)
        self._open = "" if is_last else piece.hold_back()
        # Counting them all at once is many times quicker than one by one.
        counts = Counter(filter(None, piece.rows))
        self._leave_out_dull(counts, piece)
        new: list[tuple[Row, int]] = []
        marked: dict[Row, Entry] = {}
        seen = self._seen.get
        for row, count in counts.items():
            if entry := seen(row):
                entry.count += count
                if entry.marks:
                    marked[row] = entry
            else:
                new.append((row, count))
        marked.update(self._meet(new, piece))
        for mark in Mark:
            rows = {row for row, entry in marked.items() if mark in entry.marks}
            if rows:
                at, row = piece.last(rows)
                self._marked[mark] = (self._number + 1 + at, marked[row])
        self._number += len(piece.rows)

    def _leave_out_dull(self, counts: Counter[Row], piece: Piece) -> None:
        """Counts what there is no room for and in which nothing stands that is looked for, and has done with it."""
        full = self._full()
        new = list(filterfalse(self._seen.__contains__, counts)) if full else []
        if len(new) <= MANY:
            return
        words = self._begins.words_of(new)
        is_dull = [word in full for word in words]
        dull, words = list(compress(new, is_dull)), list(compress(words, is_dull))
        if len(dull) <= MANY:
            return
        where = piece.text if 2 * len(dull) > len(counts) else "\n".join(dull)
        if any(one in where for one in self._probes):
            return
        # Of what is bad the last is still of use: it may be the last of all.
        bad = {word for word in full if full[word] in BAD}
        of_use = piece.last_of_each({row: word for row, word in zip(dull, words, strict=True) if word in bad})
        left = Counter(words)
        for row, word in zip(dull, words, strict=True):
            if row in of_use:
                left[word] -= 1
            elif (count := counts.pop(row)) > 1:
                left[word] += count - 1
        for word, count in left.items():
            self._left_out[full[word]] += count

    def _full(self) -> dict[str, EntrySeverity]:
        """The words of severities for which there is no more room."""
        if self._text > 0 and all(self._room.values()):
            return {}
        is_full = {one: self._text <= 0 or not self._room[one in _QUIET] for one in EntrySeverity}
        return {word: one for word, one in self._begins.words.items() if is_full[one]}

    def _meet(self, new: list[tuple[Row, int]], piece: Piece) -> Iterator[tuple[Row, Entry]]:
        """Makes entries of what was not said before; gives those that say something of the whole."""
        first = piece.first([row for row, _ in new])
        before = self._number + 1
        for row, count in new:
            at, begins, ends = first[row]
            entry = self._new(row, at, before + begins, before + ends, count)
            if entry.marks:
                yield row, entry

    def _look_for_main_screen(self, text: str) -> None:
        """Which is not waited for until the next line comes."""
        words = self._shape.main_screen
        if words and not self.main_screen and (at := text.find(words)) >= 0:
            self.main_screen = self._number + text.count("\n", 0, at) + 1

    def _new(self, row: Row, at: str, line: int, end: int, count: int) -> Entry:
        word, origin, text, more = self._begins.parts(row)
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
        for known, pattern in self._known:
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


def _probes(shape: LogShape, known: list[tuple[KnownMessage, Pattern]], loads: Pattern | None) -> frozenset[str]:
    words = (shape.closed, loads.probe if loads else "", *shape.crash)
    return frozenset(one for one in (*words, *(pattern.probe for _, pattern in known)) if one)
