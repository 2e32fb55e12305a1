"""Lines out of bytes: whatever the encoding, with colours taken out and rubbish made visible, and never too long.

A line ends at a line feed, with or without a carriage return before it, as every tool counts lines.
"""

from __future__ import annotations

import codecs
import re

LONGEST_LINE = 8_000
"""Characters of a line that are kept: a longer one is data that somebody printed."""

LONGEST_LEFT = 32 * LONGEST_LINE
"""Characters that are held of a line whose end has not come, uncleaned."""

CUT = "…"

ENOUGH = 4
"""Bytes by which the encoding can be told."""

_COLOURS = re.compile(r"\x1b(?:\[[0-?]*[ -/]*[@-~]|\][^\x07\x1b\n]{0,400}(?:\x07|\x1b\\)|[^\[\]\n])?")
_RUBBISH = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f]+")
_CONTROLS = bytes({*range(32), 127} - {9, 10})
_MARKS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))


class Lines:
    """Bytes in by `feed`, whole lines out as one text that ends with a line end; `end` gives what was left of one."""

    def __init__(self) -> None:
        self._decoder: codecs.IncrementalDecoder | None = None
        self._is_wide = self._is_odd = False
        self._left = ""
        self._early = b""

    def feed(self, data: bytes) -> str:
        if self._decoder is None:
            data = self._early + data
            if len(data) < ENOUGH:
                self._early = data
                return ""
            data = self._begin(data)
        return self._split(data, final=False)

    def end(self) -> tuple[str, str]:
        """Whole lines that were held back, and what stands behind the last line end: a line that was cut off."""
        data = self._begin(self._early) if self._decoder is None else b""
        whole = self._split(data, final=True)
        return whole, _cut(_clean(self._left) if self._is_odd else self._left)

    def _begin(self, data: bytes) -> bytes:
        mark, encoding = next((one for one in _MARKS if data.startswith(one[0])), (b"", ""))
        # Without a mark, wide characters are told by the nulls beside plain letters.
        start = data[:4_000]
        for name, nulls in (("utf-16-le", start[1::2]), ("utf-16-be", start[0::2])):
            if not encoding and nulls.count(0) > len(start) * 0.4:
                encoding = name
        self._is_wide = encoding.startswith("utf-16")
        self._decoder = codecs.getincrementaldecoder(encoding or "utf-8")(errors="replace")
        return data[len(mark) :]

    def _split(self, data: bytes, final: bool) -> str:
        assert self._decoder is not None
        text = self._left + self._decoder.decode(data, final)
        # Deleting bytes is far quicker than looking for them, and most logs have none of these.
        self._is_odd |= self._is_wide or b"\xc2" in data or len(data.translate(None, _CONTROLS)) < len(data)
        whole, end, self._left = text.rpartition("\n")
        # Colours and line ends may be cut in two: only whole lines are cleaned.
        if self._is_odd:
            whole = _clean(whole)
            self._is_odd = self._is_wide or bool(_RUBBISH.search(self._left))
        self._left = self._left[:LONGEST_LEFT]
        if _may_be_long(whole):
            whole = "\n".join(map(_cut, whole.split("\n")))
        return whole + end


def _may_be_long(text: str) -> bool:
    """Whether a stretch of half the longest line holds no line end: a longer line would have one."""
    step = LONGEST_LINE // 2
    return any(text.find("\n", at, at + step) < 0 for at in range(0, len(text) - step, step))


def _cut(line: str) -> str:
    return line if len(line) <= LONGEST_LINE else f"{line[:LONGEST_LINE]}{CUT}"


def _clean(text: str) -> str:
    """Carriage returns before a line end go, others part words; however much nobody can read is one sign."""
    text = _COLOURS.sub("", f"{text}\n".replace("\r\n", "\n").replace("\r", " "))
    return _RUBBISH.sub("\ufffd", text)[:-1]
