"""Reads ZIP archives in the one way in which every unpacker reads them, or not at all.

A ZIP says most things twice: in its table of contents at the end, and in front of each member. Two unpackers that
believe different halves see different archives, so that what was judged here would not be what lands on a disk
elsewhere. Here both halves have to agree, members have to lie one after the other without gaps, and nothing may stand
before, between or behind them. What is left is bounded before it is read: the number of members by the archive's own
end record.

Layout, from the PKWARE application note: members (local header, name, extra, data, perhaps a descriptor), table of
contents, perhaps a zip64 end record with its locator, end record, comment.
"""

from __future__ import annotations

import stat
import struct
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from convoy_core.words.errors import ConvoyError

CHUNK = 2**20
"""Bytes read, and unpacked, at a time."""

MAX_ENTRIES = 50_000
"""As `inspection.MAX_MEMBERS`: above it the table is not even read."""

MAX_TABLE = 64 * 2**20
"""Bytes of a table of contents: it lies in memory."""

END, END64, LOCATOR64 = (struct.Struct(form) for form in ("<4s4H2LH", "<4sQ2H2L4Q", "<4sLQL"))
CENTRAL, LOCAL = struct.Struct("<4s4B4HL2L5H2L"), struct.Struct("<4s5H3L2H")
MOST_TAIL = END.size + 0xFFFF

UTF8, DESCRIPTOR, ENCRYPTED = 0x800, 0x8, 0x1 | 0x40 | 0x2000
STORED, DEFLATED = 0, 8
METHODS = {1: "shrunk", 6: "imploded", 9: "deflate64", 12: "bzip2", 14: "LZMA", 93: "zstd", 95: "xz", 98: "PPMd"}
"""Names of ways of packing that are not read: unpackers differ in which they know."""

NEEDS = 45
"""The version of the format that is read, times ten: 4.5 brought large archives. Later ones pack and encrypt
otherwise.
"""

ZIP64_EXTRA, PATH_EXTRA = 0x0001, 0x7075
NOT_YET, NOT_YET_16 = 0xFFFFFFFF, 0xFFFF
"""Stands where a larger number follows elsewhere."""

OTHERS = (
    (b"7z\xbc\xaf\x27\x1c", "a 7z archive"),
    (b"Rar!\x1a\x07", "a RAR archive"),
    (b"\x1f\x8b", "packed with gzip"),
    (b"\xfd7zXZ\x00", "packed with xz"),
    (b"BZh", "packed with bzip2"),
    (b"\x28\xb5\x2f\xfd", "packed with zstd"),
    (b"MZ", "a program"),
    (b"<", "a page, not a file: perhaps its source asks one to sign in"),
)


class ArchiveWrong(ConvoyError):
    """What is no archive, is damaged, reads in two ways, or does not hold what a release says it holds."""

    code = "archive-wrong"


@dataclass(frozen=True, slots=True)
class Entry:
    """One member. Sizes in bytes; `starts`: where its data begins in the file; `named`: how its name was read."""

    name: str
    raw: bytes
    size: int
    packed: int
    method: int
    crc: int
    starts: int
    mode: int
    is_encrypted: bool
    date: tuple[int, int, int]
    guessed: bool
    """The archive does not say how its name is written; it was read as UTF-8."""

    @property
    def is_folder(self) -> bool:
        return self.name.endswith("/")

    @property
    def is_link(self) -> bool:
        return stat.S_ISLNK(self.mode)

    @property
    def is_odd(self) -> bool:
        """A pipe, a device, or what else is neither file nor folder nor link."""
        return stat.S_IFMT(self.mode) not in (0, stat.S_IFREG, stat.S_IFDIR, stat.S_IFLNK)


class Zip:
    """An archive whose table was read. Use `opened`."""

    def __init__(self, file: BinaryIO, entries: list[Entry]) -> None:
        self._file, self.entries = file, entries
        self._by_name = {one.name: one for one in entries}

    def get(self, name: str) -> Entry:
        """By its name; names that earlier releases took down in the archive's old letters are found, too."""
        found = self._by_name.get(name)
        if found is None:
            found = next((one for one in self.entries if one.guessed and one.raw.decode("cp437") == name), None)
        if found is None:
            raise ArchiveWrong(f"It holds no {name}.", path=name)
        return found

    def blocks(self, entry: Entry) -> Iterator[bytes]:
        """What a member holds, in blocks of at most CHUNK. Never more than its table says. Raises ArchiveWrong."""
        if entry.is_encrypted:
            raise ArchiveWrong(f"{entry.name} in it is encrypted.", path=entry.name)
        count = crc = 0
        for block in self._stored(entry) if entry.method == STORED else self._inflated(entry):
            count += len(block)
            crc = zlib.crc32(block, crc)
            if count > entry.size:
                break
            yield block
        if count > entry.size:
            raise ArchiveWrong(f"{entry.name} in it is larger than it says.", path=entry.name)
        if (count, crc) != (entry.size, entry.crc):
            raise ArchiveWrong(f"{entry.name} in it is damaged.", "Its checksum is another.", path=entry.name)

    def _stored(self, entry: Entry) -> Iterator[bytes]:
        self._file.seek(entry.starts)
        left = entry.packed
        while left and (block := self._file.read(min(CHUNK, left))):
            left -= len(block)
            yield block

    def _inflated(self, entry: Entry) -> Iterator[bytes]:
        unpacking = zlib.decompressobj(-zlib.MAX_WBITS)
        try:
            for block in self._stored(entry):
                while block:
                    yield unpacking.decompress(block, CHUNK)
                    block = unpacking.unconsumed_tail
            while not unpacking.eof and (rest := unpacking.decompress(b"", CHUNK)):
                yield rest
        except zlib.error as error:
            raise ArchiveWrong(f"{entry.name} in it cannot be unpacked.", str(error), path=entry.name) from error
        if not unpacking.eof or unpacking.unused_data:
            raise ArchiveWrong(f"{entry.name} in it ends too soon, or too late.", path=entry.name)


@contextmanager
def opened(archive: Path) -> Iterator[Zip]:
    """Raises ArchiveWrong for whatever is not a ZIP that reads in one way, before anything of it is unpacked;
    OSError.
    """
    with archive.open("rb") as file:
        try:
            entries = _entries(file)
        except struct.error as error:
            raise _cut() from error
        yield Zip(file, entries)


@dataclass(frozen=True, slots=True)
class _Table:
    """Where the table of contents lies, and how many entries it has by the end record."""

    starts: int
    ends: int
    count: int


def _entries(file: BinaryIO) -> list[Entry]:
    table = _table(file)
    if table.count > MAX_ENTRIES:
        raise ArchiveWrong(f"It holds {table.count} entries.", f"{MAX_ENTRIES} is the most.", "Pack it in parts.")
    if table.ends - table.starts > MAX_TABLE:
        raise ArchiveWrong(
            f"It has a table of contents of {(table.ends - table.starts) // 2**20} MB.", "No honest archive has."
        )
    file.seek(table.starts)
    data = file.read(table.ends - table.starts)
    listed, at = [], 0
    for _ in range(table.count):
        row, at = _central(data, at)
        listed.append(row)
    if at != len(data):
        raise _two_ways("Its table of contents is longer than its entries.")
    # Each begins where the one before ended: what is not listed, lies twice or lies elsewhere leaves a gap.
    found: dict[int, Entry] = {}
    ends = 0
    for row in sorted(listed, key=lambda one: one.offset):
        if row.offset != ends:
            raise _two_ways(f"Something lies before {_shown(row.raw)} in it that its table does not list.")
        found[row.offset], ends = _checked(file, row, table.starts)
    if ends != table.starts:
        raise _two_ways("Something lies behind its last member that its table does not list.")
    return [found[row.offset] for row in listed]


def _table(file: BinaryIO) -> _Table:
    size = file.seek(0, 2)
    file.seek(0)
    head = file.read(300)
    start = max(0, size - MOST_TAIL)
    file.seek(start)
    tail = file.read()
    at = tail.rfind(b"PK\x05\x06")
    if at < 0 or len(tail) - at < END.size:
        raise _other(head) or _cut()
    _, disk, table_disk, here, count, length, starts, comment = END.unpack_from(tail, at)
    if at + END.size + comment != len(tail):
        raise _two_ways("Something lies behind its end, or its comment holds another archive.")
    ends = start + at
    wide = NOT_YET in (length, starts) or NOT_YET_16 in (here, count)
    place = ends - LOCATOR64.size
    file.seek(max(0, place))
    locator = file.read(LOCATOR64.size) if place >= 0 else b""
    if locator.startswith(b"PK\x06\x07"):
        _, on, end64, disks = LOCATOR64.unpack(locator)
        if end64 > place - END64.size or on or disks != 1:
            raise _two_ways("Its large end record lies nowhere.")
        file.seek(end64)
        mark, rest, _, _, disk64, table64, here64, count64, length64, starts64 = END64.unpack(file.read(END64.size))
        if mark != b"PK\x06\x06" or end64 + 12 + rest != place or disk64 or table64:
            raise _two_ways("Its large end record lies nowhere.")
        for small, large, none in (
            (here, here64, NOT_YET_16), (count, count64, NOT_YET_16), (length, length64, NOT_YET),
            (starts, starts64, NOT_YET),
        ):  # fmt: skip
            if small not in (large, none):
                raise _two_ways("Its two end records say different things.")
        here, count, length, starts, ends = here64, count64, length64, starts64, end64
    elif wide:
        raise _two_ways("Its end record names a larger one that is not there.")
    if disk or table_disk or here != count:
        raise ArchiveWrong("It is one part of several, or its counts are wrong.", now="Get the whole of it.")
    if starts + length != ends:
        raise _two_ways("Its table of contents is not where its end record says.")
    return _Table(starts, ends, count)


@dataclass(frozen=True, slots=True)
class _Row:
    """One entry of the table of contents, as it stands there."""

    raw: bytes
    flags: int
    method: int
    time: int
    date: int
    crc: int
    packed: int
    size: int
    offset: int
    mode: int
    extra: bytes
    dos_folder: bool


def _central(data: bytes, at: int) -> tuple[_Row, int]:
    (mark, _, system, needs, _, flags, method, time, date, crc, packed, size, name, extra, comment, disk, _, attributes,
     offset) = CENTRAL.unpack_from(data, at)  # fmt: skip
    if mark != b"PK\x01\x02":
        raise _two_ways("Its table of contents has fewer entries than its end record says.")
    at += CENTRAL.size
    ends = at + name + extra + comment
    if ends > len(data):
        raise _cut()
    raw, extras = data[at : at + name], data[at + name : at + name + extra]
    wide = [one == NOT_YET for one in (size, packed, offset)]
    size, packed, offset = _widened((size, packed, offset), extras, raw)
    if any(wide) and not offset <= 2**60:
        raise _cut()
    if needs > NEEDS:
        raise ArchiveWrong(f"{_shown(raw)} in it needs a newer program.", "It is packed or kept in a way of its own.")
    if disk:
        raise ArchiveWrong("It is one part of several.", now="Get the whole of it.")
    mode = attributes >> 16 if system in UNIX else 0
    # Whatever system it claims to be of, a mode that makes a link or device of it is one to somebody.
    mode = mode or (attributes >> 16 if stat.S_IFMT(attributes >> 16) not in (0, stat.S_IFREG, stat.S_IFDIR) else 0)
    row = _Row(raw, flags, method, time, date, crc, packed, size, offset, mode, extras, bool(attributes & 0x10))
    return row, ends


UNIX = (3, 19)


def _widened(small: tuple[int, ...], extra: bytes, raw: bytes) -> tuple[int, ...]:
    """Numbers of which those that did not fit follow in the zip64 extra, in this order."""
    wide = _extra(extra, ZIP64_EXTRA, raw)
    found, at = [], 0
    for one in small:
        if one == NOT_YET:
            if wide is None or len(wide) < at + 8:
                raise _two_ways(f"{_shown(raw)} in it is of a size that it does not say.")
            one = int.from_bytes(wide[at : at + 8], "little")
            at += 8
        found.append(one)
    return tuple(found)


def _extra(extra: bytes, wanted: int, raw: bytes) -> bytes | None:
    """One extra field's content; None where it is not there. Fields that do not fill their space are padding."""
    at, found = 0, None
    while at + 4 <= len(extra):
        kind, length = struct.unpack_from("<2H", extra, at)
        at += 4
        if at + length > len(extra):
            break
        if kind == wanted:
            if found is not None:
                raise _two_ways(f"{_shown(raw)} in it says one thing twice.")
            found = extra[at : at + length]
        at += length
    return found


def _checked(file: BinaryIO, row: _Row, table: int) -> tuple[Entry, int]:
    """An entry whose own header says what the table says, and where it ends."""
    name, guessed = _name(row)
    if row.offset + LOCAL.size > table:
        raise _cut()
    file.seek(row.offset)
    mark, _, flags, method, _, _, crc, packed, size, length, extra = LOCAL.unpack(file.read(LOCAL.size))
    if mark != b"PK\x03\x04":
        raise _two_ways(f"{name} in it is not where its table says.")
    raw, extras = file.read(length), file.read(extra)
    later = bool(flags & DESCRIPTOR)
    if raw != row.raw:
        raise _two_ways(f"{name} in it is called {_shown(raw)} elsewhere in it.")
    if (flags, method) != (row.flags, row.method):
        raise _two_ways(f"{name} in it says two things of how it is packed.")
    if _extra(extras, PATH_EXTRA, raw) not in (None, _extra(row.extra, PATH_EXTRA, raw)):
        raise _two_ways(f"{name} in it has two names.")
    if not later or (crc, packed, size) != (0, 0, 0):
        size, packed = _widened((size, packed), extras, raw) if NOT_YET in (size, packed) else (size, packed)
        if (not later or (size, packed) != (0, 0)) and (crc, packed, size) != (row.crc, row.packed, row.size):
            raise _two_ways(f"{name} in it has two sizes, or two checksums.")
    starts = row.offset + LOCAL.size + length + extra
    ends = starts + row.packed
    if ends > table:
        raise _cut()
    if later:
        ends = _after_descriptor(file, ends, row, name)
    if row.method not in (STORED, DEFLATED):
        how = METHODS.get(row.method, f"method {row.method}")
        raise ArchiveWrong(
            f"{name} in it is packed in a way that is not read here ({how}).", now="Pack it as ZIP does."
        )
    if row.method == STORED and row.packed != row.size:
        raise _two_ways(f"{name} in it has two sizes.")
    is_folder = name.endswith("/")
    if is_folder and row.size:
        raise _two_ways(f"The folder {name} in it holds data, as a file does.")
    if not is_folder and (row.dos_folder or stat.S_ISDIR(row.mode)):
        raise _two_ways(f"{name} in it is a folder to some, and a file to others.")
    day = (1980 + (row.date >> 9), row.date >> 5 & 15, row.date & 31)
    made = Entry(
        name,
        raw,
        row.size,
        row.packed,
        row.method,
        row.crc,
        starts,
        row.mode,
        bool(row.flags & ENCRYPTED),
        day,
        guessed,
    )
    return made, ends


def _after_descriptor(file: BinaryIO, at: int, row: _Row, name: str) -> int:
    """Where a member ends whose sizes follow it. Four forms are in use; each says the same three numbers."""
    file.seek(at)
    found = file.read(24)
    for form in ("<4x3L", "<4xL2Q", "<3L", "<L2Q"):
        told = struct.Struct(form)
        if form.startswith("<4x") and not found.startswith(b"PK\x07\x08"):
            continue
        if len(found) >= told.size and told.unpack_from(found) == (row.crc, row.packed, row.size):
            return at + told.size
    raise _two_ways(f"{name} in it is followed by another size or checksum.")


def _name(row: _Row) -> tuple[str, bool]:
    """A member's name, and whether the archive does not say how it is written."""
    shown = _shown(row.raw)
    if b"\0" in row.raw:
        raise _two_ways(f"The name {shown} holds a null character, at which some end it.")
    try:
        plain = row.raw.decode()
    except UnicodeDecodeError:
        plain = None
    told = _extra(row.extra, PATH_EXTRA, row.raw)
    if told is not None:
        if len(told) < 5 or told[0] != 1 or int.from_bytes(told[1:5], "little") != zlib.crc32(row.raw):
            raise _two_ways(f"{shown} in it has a second name, which is not of it.")
        try:
            second = told[5:].decode()
        except UnicodeDecodeError as error:
            raise _two_ways(f"{shown} in it has a second name that cannot be read.") from error
        if "\0" in second or (second != plain and (row.flags & UTF8 or row.raw.isascii())):
            raise _two_ways(f"{shown} in it has two names.")
        return second, False
    if plain is None:
        raise _two_ways(f"The name {shown} is written in letters that two unpackers read differently.")
    return plain, not row.flags & UTF8 and not row.raw.isascii()


def _shown(raw: bytes) -> str:
    return f"“{raw.decode('utf-8', 'replace')[:80]}”"


def _two_ways(what: str) -> ArchiveWrong:
    return ArchiveWrong(
        what, "Two programs would read this archive differently.", "Pack it anew, or get it again from its source."
    )


def _cut() -> ArchiveWrong:
    return ArchiveWrong("It is no ZIP archive, or was cut short.", now="Get it again from its source.")


def _other(head: bytes) -> ArchiveWrong | None:
    """By its first bytes, what else it is."""
    told = next((what for mark, what in OTHERS if head.startswith(mark)), "")
    told = told or ("a tar archive" if head[257:262] == b"ustar" else "")
    if not told:
        return None
    return ArchiveWrong(f"It is {told}.", "Read are ZIP archives.", "Unpack it, and pack its files as a ZIP.")
