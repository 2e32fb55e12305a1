"""Archives that two programs would read differently: each is refused by name. Those of honest writers are read."""

import io
import lzma
import struct
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from convoy_core.outside.inspection import MAX_MEMBERS, refusals_of
from convoy_io import zips
from convoy_io.archives import ArchiveWrong, contents, hashes
from convoy_io.zips import opened

UTF8 = 0x800


@dataclass(frozen=True)
class Made:
    """One member, written by hand: what stands in front of it, and what the table says of it."""

    name: bytes = b"a.txt"
    data: bytes = b"content"
    method: int = 0
    flags: int = 0
    crc: int | None = None
    size: int | None = None
    extra: bytes = b""
    mode: int = 0
    attributes: int = 0
    after: bytes = b""
    table: dict[str, object] = field(default_factory=dict)
    """What the table of contents says differently."""
    lies: int | None = None
    """Where the table says that it lies, when elsewhere."""

    def packed(self) -> bytes:
        if self.method != 8:
            return self.data
        packing = zlib.compressobj(9, zlib.DEFLATED, -15)
        return packing.compress(self.data) + packing.flush()

    def numbers(self) -> tuple[int, int, int]:
        crc = zlib.crc32(self.data) if self.crc is None else self.crc
        return crc, len(self.packed()), len(self.data) if self.size is None else self.size

    def local(self) -> bytes:
        numbers = (0, 0, 0) if self.flags & 8 else self.numbers()
        lengths = (len(self.name), len(self.extra))
        head = zips.LOCAL.pack(b"PK\x03\x04", 20, self.flags, self.method, 0, 33, *numbers, *lengths)
        return head + self.name + self.extra + self.packed() + self.after

    def central(self, offset: int) -> bytes:
        one = replace(self, **{"after": b"", **self.table}) if self.table else self
        head = zips.CENTRAL.pack(
            b"PK\x01\x02", 20, 3 if one.mode else 0, 20, 0, one.flags, one.method, 0, 33, *one.numbers(), len(one.name),
            len(one.extra), 0, 0, 0, one.mode << 16 | one.attributes, offset if self.lies is None else self.lies,
        )  # fmt: skip
        return head + one.name + one.extra


def archive(
    *members: Made, before: bytes = b"", behind: bytes = b"", comment: bytes = b"", count: int | None = None,
    here: int | None = None, gap: bytes = b"", more: bytes = b"", shift: int = 0,
) -> bytes:  # fmt: skip
    body, table = before, b""
    for one in members:
        table += one.central(len(body))
        body += one.local() + gap
    table += more
    count = len(members) if count is None else count
    end = zips.END.pack(
        b"PK\x05\x06", 0, 0, count if here is None else here, count, len(table), len(body) + shift, len(comment)
    )
    return body + table + end + comment + behind


def extra(kind: int, content: bytes) -> bytes:
    return struct.pack("<2H", kind, len(content)) + content


def path_extra(of: bytes, name: str) -> bytes:
    return extra(0x7075, b"\x01" + struct.pack("<L", zlib.crc32(of)) + name.encode())


def descriptor(one: Made, signed: bool = True, **wrong: int) -> bytes:
    crc, packed, size = one.numbers()
    told = struct.pack("<3L", wrong.get("crc", crc), wrong.get("packed", packed), wrong.get("size", size))
    return (b"PK\x07\x08" if signed else b"") + told


A, B = Made(), Made(b"b.txt", b"more " * 50, 8)
LATER = Made(b"c.txt", b"later " * 40, 8, 8)
INNER = archive(Made(b"inner.txt"))

TWO_WAYS: dict[str, bytes] = {
    "a name with a null": archive(Made(b"a.txt\0.png")),
    "another name in front": archive(replace(A, table={"name": b"z.txt"})),
    "another method in front": archive(replace(B, table={"method": 0})),
    "other flags in front": archive(replace(A, table={"flags": UTF8})),
    "another size in front": archive(replace(A, table={"size": 3})),
    "another checksum in front": archive(replace(A, table={"crc": 9})),
    "a member that is not listed": archive(A, gap=Made(b"x.sh").local()),
    "one behind the last": archive(A, B, gap=b"\0" * 30),
    "an archive before it": INNER + archive(A),
    "an archive before it, offsets right": archive(A, before=INNER),
    "an archive behind it": archive(A, behind=INNER),
    "an archive in its comment": archive(A, comment=INNER),
    "a comment that is longer": archive(A, comment=b"x" * 9)[:-4],
    "bytes behind it": archive(A, behind=b"\0"),
    "too few counted": archive(A, B, count=1),
    "too many counted": archive(A, count=2),
    "two counts": archive(A, B, here=1),
    "a table elsewhere": archive(A, shift=4),
    "bytes within the table": archive(A, more=b"\0" * 10),
    "two at one place": archive(A, replace(A, lies=0)),
    "one within another": archive(Made(b"big.bin", Made(b"in").local() + b"xx"), Made(b"in", lies=37)),
    "a folder with data": archive(Made(b"a/", b"data")),
    "a folder without a slash": archive(Made(b"a", b"", attributes=0x10)),
    "a folder by its mode": archive(Made(b"a", b"", mode=0o040755)),
    "stored, and of another size": archive(Made(size=9)),
    "a second name": archive(Made(b"a.txt", extra=path_extra(b"a.txt", "b.txt"))),
    "a second name of another": archive(Made(b"\x81.txt", extra=path_extra(b"x", "b.txt"))),
    "a second name in front only": archive(Made(b"\x81", extra=path_extra(b"\x81", "b"), table={"extra": b""})),
    "letters nobody knows": archive(Made(b"\x81\xff.txt")),
    "said to be UTF-8, and is not": archive(Made(b"\x81\xff.txt", flags=UTF8)),
    "one extra twice": archive(Made(b"\x81", extra=path_extra(b"\x81", "b") * 2)),
    "another descriptor": archive(replace(LATER, after=descriptor(LATER, size=1))),
    "no descriptor": archive(LATER),
    "a large end record that is not there": archive(A, count=0xFFFF),
    "bzip2": archive(Made(method=12)),
    "LZMA": archive(Made(method=14, data=lzma.compress(b"x"))),
}
"""What another program would see in it, and this one did too."""


@pytest.mark.parametrize("name", TWO_WAYS)
def test_what_reads_in_two_ways_is_refused(tmp_path: Path, name: str) -> None:
    place = tmp_path / "made.zip"
    place.write_bytes(TWO_WAYS[name])
    with pytest.raises(ArchiveWrong) as refused:
        contents(place)
    assert refused.value.what and "Error" not in refused.value.sentence()


HOSTILE = {
    "a pipe": (archive(Made(mode=0o010644)), "pipe"),
    "a device": (archive(Made(mode=0o060644)), "device"),
    "a link": (archive(Made(mode=0o120777)), "link"),
    "a file beside its folder": (archive(Made(b"a"), Made(b"a/", b"")), "both a file and a folder"),
    "a file beside its folder, in another case": (archive(Made(b"A"), Made(b"a/", b"")), "both a file and a folder"),
    "a device with a space": (archive(Made(b"nul .txt")), "device"),
    "the console": (archive(Made(b"CONIN$")), "device"),
    "a short name": (archive(Made(b"CONVOY~1/x")), "for short"),
    "another short name": (archive(Made(b"data/LEDGER~2.DAT")), "for short"),
    "many that grow a little less": (archive(*[Made(b"%d" % n, bytes(2**20), 8) for n in range(80)]), "grow"),
}


@pytest.mark.parametrize("name", HOSTILE)
def test_what_no_system_may_place_is_refused(tmp_path: Path, name: str) -> None:
    data, why = HOSTILE[name]
    place = tmp_path / "made.zip"
    place.write_bytes(data)
    assert why in " ".join(one.why for one in refusals_of(contents(place)))


OTHERS = {
    "7z": (b"7z\xbc\xaf\x27\x1c" + bytes(50), "7z"),
    "rar": (b"Rar!\x1a\x07\x01\x00" + bytes(50), "RAR"),
    "tar": (b"name".ljust(257, b"\0") + b"ustar\0" + bytes(300), "tar"),
    "gzip": (b"\x1f\x8b\x08" + bytes(40), "gzip"),
    "a page": (b"<!doctype html><title>Sign in</title>", "sign in"),
    "nothing": (b"", "no ZIP"),
}


@pytest.mark.parametrize("name", OTHERS)
def test_what_is_no_zip_is_named(tmp_path: Path, name: str) -> None:
    data, word = OTHERS[name]
    (tmp_path / "x.zip").write_bytes(data)
    with pytest.raises(ArchiveWrong, match=word):
        contents(tmp_path / "x.zip")


def written(**options: object) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("folder/", "")
        packed.writestr("folder/ä.txt", "ä" * 400)
        packed.writestr("inner.zip", INNER, zipfile.ZIP_STORED)
        with packed.open("streamed.bin", "w", force_zip64=bool(options)) as member:
            member.write(bytes(70_000))
        packed.comment = b"From its maker"
    return out.getvalue()


class Unseekable(io.BytesIO):
    def seekable(self) -> bool:
        return False

    def seek(self, *_: int) -> int:
        raise io.UnsupportedOperation

    def tell(self) -> int:
        raise io.UnsupportedOperation


def streamed() -> bytes:
    out = Unseekable()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("a.txt", "a" * 3000)
        packed.writestr("b.txt", "b")
    return out.getvalue()


HONEST: dict[str, Callable[[], bytes]] = {
    "python": written,
    "python, zip64": lambda: written(wide=True),
    "python, to a pipe": streamed,
    "unicode path extra": lambda: archive(Made(b"\x81.txt", extra=path_extra(b"\x81.txt", "ü.txt"))),
    "UTF-8 that is not said": lambda: archive(Made("ü.txt".encode())),
    "a descriptor without its mark": lambda: archive(replace(LATER, after=descriptor(LATER, signed=False)), A),
    "padding in the extra": lambda: archive(Made(extra=b"\0\0\0")),
    "no members": lambda: archive(),
}


@pytest.mark.parametrize("name", HONEST)
def test_what_honest_writers_write_is_read(tmp_path: Path, name: str) -> None:
    place = tmp_path / "made.zip"
    place.write_bytes(HONEST[name]())
    table = contents(place)
    with zipfile.ZipFile(place) as packed:
        wanted = {zlib.crc32(packed.read(one)): one.file_size for one in packed.infolist() if not one.is_dir()}
    with opened(place) as ours:
        found = {one.crc: sum(map(len, ours.blocks(one))) for one in ours.entries if not one.is_folder}
    assert found == wanted and len(dict(hashes(place, table))) == len([one for one in table if not one.is_folder])
    assert [one.is_guessed for one in table] == ([True] if name.startswith("UTF-8") else [False] * len(table))


@settings(max_examples=400, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(data=st.data())
def test_whatever_is_altered_is_the_same_archive_or_a_plain_refusal(tmp_path: Path, data: st.DataObject) -> None:
    """Bytes changed, cut, or put in: what is still read has the very members, or is refused by our own error."""
    whole = archive(A, B, replace(LATER, after=descriptor(LATER)))
    at = data.draw(st.integers(0, len(whole) - 1))
    how = data.draw(st.sampled_from(["change", "cut", "put in", "drop"]))
    new = data.draw(st.binary(min_size=1, max_size=4))
    spoilt = {
        "change": whole[:at] + new + whole[at + len(new) :],
        "cut": whole[:at],
        "put in": whole[:at] + new + whole[at:],
        "drop": whole[:at] + whole[at + len(new) :],
    }[how]
    place = tmp_path / "made.zip"
    place.write_bytes(spoilt)
    try:
        table = contents(place)
        found = dict(hashes(place, table))
    except ArchiveWrong:
        return
    with zipfile.ZipFile(place) as packed:
        assert len(packed.infolist()) == len(table)
        for name in found:
            assert packed.read(name) in (A.data, B.data, LATER.data)


@pytest.mark.parametrize(
    ("member", "why"),
    [
        (replace(B, size=3), "larger than it says"),
        (replace(B, size=30_000), "damaged"),
        (replace(B, crc=1), "damaged"),
        (Made(b"x", b"no deflate stream", 8), "damaged"),
        (Made(b"x", flags=1), "encrypted"),
    ],
)
def test_a_member_that_lies_is_stopped(tmp_path: Path, member: Made, why: str) -> None:
    place = tmp_path / "made.zip"
    data = archive(member)
    if member.name == b"x" and member.method == 8:
        data = data.replace(member.packed(), b"\xff" * len(member.packed()))
        why = "cannot be unpacked"
    place.write_bytes(data)
    with pytest.raises(ArchiveWrong, match=why):
        dict(hashes(place, contents(place)))


def test_a_table_that_is_too_long_is_refused_before_it_is_read(tmp_path: Path) -> None:
    place = tmp_path / "many.zip"
    with zipfile.ZipFile(place, "w") as packed:
        for number in range(MAX_MEMBERS + 1):
            packed.writestr(zipfile.ZipInfo(f"{number}"), b"")
    with pytest.raises(ArchiveWrong, match="is the most"), opened(place):
        pass
