"""XML, through expat with entities off. Text of leaf elements and attributes are the values.

An element that stands several times under one name is numbered: `wagon[2]`. Names are as they are written, with their
prefixes. A document type is read over; a file that declares entities, or uses any but the five that need no
declaration, is not read.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from xml.parsers import expat

from .base import MAX_DEPTH, Key, Span, Splice, Value, after_line, line_end, line_start, newline_at, stuck

_START_TAG = re.compile(r"""<([^\s/>]+)((?:\s+[^\s=]+\s*=\s*(?:"[^"]*"|'[^']*'))*)\s*(/?)>""")
_ATTRIBUTE = re.compile(r"""\s+([^\s=]+)\s*=\s*("[^"]*"|'[^']*')""")
_PIECE = re.compile(r"<!--.*?-->|<\?.*?\?>|<!\[CDATA\[.*?\]\]>|[^<]+", re.DOTALL)
_COMMENT = re.compile(r"<!--.*?-->|<!\[CDATA\[.*?\]\]>|<\?.*?\?>", re.DOTALL)
_NAME = re.compile(r"[^\W\d][\w.-]*(?::[^\W\d][\w.-]*)?")
_CHARACTER = re.compile(r"[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
CDATA = "<![CDATA["


@dataclass(slots=True)
class _Element:
    """`start` to `end`: with its tags; `inside`: between them."""

    tag: str
    start: int
    end: int = 0
    inside: Span = (0, 0)
    closes_itself: bool = False
    attributes: dict[str, str] = field(default_factory=dict)
    children: list[_Element] = field(default_factory=list)
    text: list[str] = field(default_factory=list)
    is_mixed: bool = False
    """Comments, or text that is kept apart, stand between its tags: then blanks around its text are none of it."""

    @property
    def value(self) -> str:
        text = "".join(self.text)
        return text.strip() if self.is_mixed else text

    @property
    def is_value(self) -> bool:
        """Whether its text says anything: beside attributes, blanks alone do not."""
        if self.children or not self.attributes or self.value.strip():
            return not self.children
        return not self.closes_itself and not self.value

    def named(self) -> dict[str, _Element]:
        """Child elements by name, numbered where a name stands several times."""
        counts: dict[str, int] = {}
        for one in self.children:
            counts[one.tag] = counts.get(one.tag, 0) + 1
        seen: dict[str, int] = {}
        found = {}
        for one in self.children:
            seen[one.tag] = seen.get(one.tag, 0) + 1
            found[one.tag if counts[one.tag] == 1 else f"{one.tag}[{seen[one.tag]}]"] = one
        return found


class XmlSettings:
    def __init__(self, text: str) -> None:
        self._text = text
        self._root = _read(text)
        self.values: dict[Key, Value] = {}
        self._elements: dict[Key, _Element] = {}
        self._gather(self._root, ())

    def _gather(self, element: _Element, above: Key) -> None:
        self._elements[above] = element
        for name, value in element.attributes.items():
            self.values[(*above, f"@{name}")] = value
        for name, child in element.named().items():
            self._gather(child, (*above, name))
        if above and element.is_value:
            self.values[above] = element.value

    @cached_property
    def places(self) -> dict[Key, Span]:
        found = {}
        for key in self.values:
            if key[-1].startswith("@"):
                start, end = self._attribute(key).span(2)
                found[key] = (start + 1, end - 1)
            else:
                found[key] = self._held(self._elements[key]) or self._elements[key].inside
        return found

    @cached_property
    def comments(self) -> list[Span]:
        return [found.span() for found in _COMMENT.finditer(self._text) if found[0].startswith("<!--")]

    def splices(self, sets: Mapping[Key, Value], removes: Collection[Key]) -> list[Splice]:
        gone, needed = set(removes), {key[:depth] for key in sets for depth in range(len(key))}
        vanished = self._vanished(gone, needed) if gone else set()
        found = self._without(gone, vanished)
        new: dict[Key, list[tuple[Key, str]]] = {}
        for key, value in sets.items():
            if not isinstance(value, str) or _CHARACTER.search(value):
                raise stuck(key, "This format holds text, and no characters that control something.")
            element = self._elements.get(key)
            if key not in gone and (key in self.values or (element and key and not element.children)):
                found.append(self._set(key, value))
            else:
                holder = self._holder(key, gone)
                new.setdefault(holder, []).append((key[len(holder) :], value))
        for holder, those in new.items():
            children = self._elements[holder].named().items()
            left = [one for name, one in children if (*holder, name) not in vanished]
            found += self._added(self._elements[holder], left, those)
        return found

    def _set(self, key: Key, value: str) -> Splice:
        if key[-1].startswith("@"):
            start, end = self._attribute(key).span(2)
            return Splice(start, end, _quoted(value, self._text[start]))
        element = self._elements[key]
        if element.closes_itself:
            close = self._text.rindex("/", element.start, element.end)
            head = self._text[element.start : close].rstrip()
            return Splice(element.start, element.end, f"{head}>{_escaped(value)}</{element.tag}>")
        held = self._held(element)
        if held is None:
            raise stuck(key, "Its text stands in several pieces, with comments between them.")
        if self._text.startswith(CDATA, held[0]) and "]]>" not in value and "\r" not in value:
            return Splice(*held, f"{CDATA}{value}]]>")
        return Splice(*held, _escaped(value))

    def _held(self, element: _Element) -> Span | None:
        """Where the one piece of text between an element's tags stands; None where there are several."""
        if not element.is_mixed:
            return element.inside
        pieces = []
        for piece in _PIECE.finditer(self._text, *element.inside):
            if not piece[0].startswith(("<!--", "<?")) and (text := piece[0].strip()):
                start = piece.start() + piece[0].index(text)
                pieces.append((start, start + len(text)))
        if len(pieces) > 1:
            return None
        return pieces[0] if pieces else (element.inside[1], element.inside[1])

    def _attribute(self, key: Key) -> re.Match[str]:
        """An attribute with the blanks before it; its value with the quotes is the second group."""
        element, wanted = self._elements[key[:-1]], key[-1][1:]
        tag = _START_TAG.match(self._text, element.start)
        for found in _ATTRIBUTE.finditer(self._text, *tag.span(2)) if tag else ():
            if found[1] == wanted:
                return found
        raise stuck(key, "Where it stands is not understood.")

    def _vanished(self, gone: set[Key], needed: set[Key]) -> set[Key]:
        """Elements of which nothing is left: they go as a whole, unless something new comes into them."""
        found = set[Key]()
        for path in sorted(self._elements, key=len, reverse=True):
            element = self._elements[path]
            parts = [(*path, f"@{name}") for name in element.attributes] + ([path] if path in self.values else [])
            inner = [(*path, name) for name in element.named()] if element.children else []
            is_bare = gone.issuperset(parts) and found.issuperset(inner)
            if path and (parts or inner) and is_bare and path not in needed:
                found.add(path)
        return found

    def _without(self, gone: set[Key], vanished: set[Key]) -> list[Splice]:
        found = [self._without_element(path) for path in vanished if path[:-1] not in vanished]
        for key in gone:
            if key[-1].startswith("@"):
                if key[:-1] not in vanished:
                    found.append(Splice(*self._attribute(key).span(), ""))
            elif key not in vanished:
                # Beside attributes that stay: closed at once, it says nothing.
                element = self._elements[key]
                found.append(Splice(element.inside[0] - 1, element.end, "/>"))
        return found

    def _without_element(self, path: Key) -> Splice:
        element = self._elements[path]
        line, after = line_start(self._text, element.start), line_end(self._text, element.end)
        if self._text[line : element.start].strip() or self._text[element.end : after].strip():
            return Splice(element.start, element.end, "")
        return Splice(line, after_line(self._text, element.end), "")

    def _holder(self, key: Key, gone: set[Key]) -> Key:
        """The element that is there already and that a new value goes into."""
        for name in key:
            if not _NAME.fullmatch(name.removeprefix("@").split("[")[0]):
                raise stuck(key, f"“{name}” is no name that this format allows.")
            prefix, colon, _ = name.removeprefix("@").partition(":")
            if colon and f"xmlns:{prefix}=" not in self._text and prefix != "xml":
                raise stuck(key, f"“{prefix}:” is not declared in this file.")
        depth = len(key) - 1
        while depth and (key[:depth] not in self._elements or key[:depth] in gone):
            depth -= 1
        is_value = key[:depth] in self.values and self._elements[key[:depth]].value.strip()
        if depth and is_value and not key[depth].startswith("@"):
            raise stuck(key, f"“{key[depth - 1]}” is a value in this file, and holds no others.")
        if key in self._elements and key not in gone:
            raise stuck(key, "This element holds others, not a value.")
        return key[:depth]

    def _added(self, element: _Element, left: list[_Element], new: list[tuple[Key, str]]) -> list[Splice]:
        """New attributes into an element's tag, new elements after its last one."""
        inner: dict[str, list[tuple[Key, str]]] = {}
        marks = ""
        for key, value in new:
            if key[0].startswith("@"):
                marks += f" {key[0][1:]}={_quoted(value, chr(34))}"
            else:
                inner.setdefault(key[0], []).append((key[1:], value))
        found = []
        tag = _START_TAG.match(self._text, element.start)
        if tag is None:
            raise stuck(new[0][0], "Where it would stand is not understood.")
        if marks:
            found.append(Splice(tag.end(2), tag.end(2), marks))
        if not inner:
            return found
        written = [_element(name, those) for name, those in inner.items()]
        if tag[3]:
            return [*found, Splice(tag.end(2), tag.end(), f">{''.join(written)}</{element.tag}>")]
        last = left[-1] if left else None
        line = line_start(self._text, last.start) if last else 0
        indent = self._text[line : last.start] if last else ""
        if last and not indent.strip() and line > element.inside[0]:
            lead = newline_at(self._text, line - 1) + indent
            return [*found, Splice(last.end, last.end, "".join(lead + one for one in written))]
        at = last.end if last else element.inside[0]
        return [*found, Splice(at, at, "".join(written))]


def _element(name: str, those: list[tuple[Key, str]]) -> str:
    marks, inside, inner = "", "", dict[str, list[tuple[Key, str]]]()
    for key, value in those:
        if not key:
            inside += _escaped(value)
        elif key[0].startswith("@"):
            marks += f" {key[0][1:]}={_quoted(value, chr(34))}"
        else:
            inner.setdefault(key[0], []).append((key[1:], value))
    inside += "".join(_element(one, below) for one, below in inner.items())
    tag = name.split("[")[0]
    # One that is closed at once says nothing beside its attributes; one without any has to say something.
    says_nothing = not inside and all(key for key, _ in those)
    return f"<{tag}{marks}/>" if says_nothing else f"<{tag}{marks}>{inside}</{tag}>"


def _escaped(text: str) -> str:
    return _coded(text, {"&": "&amp;", "<": "&lt;", ">": "&gt;", "\r": "&#13;"})


def _quoted(text: str, quote: str) -> str:
    """An attribute's value, in the quotes that it had; blanks other than spaces would come back as spaces."""
    codes = {"&": "&amp;", "<": "&lt;", "\r": "&#13;", "\n": "&#10;", "\t": "&#9;"}
    return quote + _coded(text, {**codes, quote: "&quot;" if quote == '"' else "&apos;"}) + quote


def _coded(text: str, codes: Mapping[str, str]) -> str:
    return text.translate({ord(letter): code for letter, code in codes.items()})


def _read(text: str) -> _Element:
    """The tree of a file. Raises ValueError and expat's errors."""
    builder = _Builder(text)
    parser = expat.ParserCreate("utf-8")
    parser.buffer_text = True
    parser.specified_attributes = True
    parser.StartElementHandler = lambda tag, attributes: builder.opens(tag, attributes, parser.CurrentByteIndex)
    parser.EndElementHandler = lambda tag: builder.closes(parser.CurrentByteIndex)
    parser.CharacterDataHandler = builder.says
    parser.CommentHandler = parser.StartCdataSectionHandler = builder.mixes
    parser.ProcessingInstructionHandler = builder.mixes
    parser.EntityDeclHandler = parser.SkippedEntityHandler = _no_entities
    parser.Parse(builder.data, True)
    return builder.root


def _no_entities(*_: object) -> None:
    raise ValueError("it declares entities, or uses some that are declared elsewhere")


class _Builder:
    def __init__(self, text: str) -> None:
        self._text = text
        self.data = text.encode()
        self._is_ascii = len(self.data) == len(text)
        self._known = (0, 0)
        self._open: list[_Element] = []
        self.root = _Element("", 0)

    def opens(self, tag: str, attributes: dict[str, str], at: int) -> None:
        if len(self._open) > MAX_DEPTH:
            raise ValueError("it is nested too deeply")
        start = self._place(at)
        element = _Element(tag, start, attributes=attributes)
        match = _START_TAG.match(self._text, start)
        if match is None:
            raise ValueError(f"the element “{tag[:60]}” is not understood")
        element.closes_itself = bool(match[3])
        element.inside = (match.end(), match.end())
        if self._open:
            self._open[-1].children.append(element)
        else:
            self.root = element
        self._open.append(element)

    def closes(self, at: int) -> None:
        element = self._open.pop()
        if element.closes_itself:
            element.end = element.inside[0]
            return
        start = self._place(at)
        element.inside = (element.inside[0], start)
        element.end = self._text.index(">", start) + 1

    def says(self, text: str) -> None:
        if self._open:
            self._open[-1].text.append(text)

    def mixes(self, *_: object) -> None:
        if self._open:
            self._open[-1].is_mixed = True

    def _place(self, at: int) -> int:
        """The place in the text of a byte; they come in order."""
        if self._is_ascii:
            return at
        byte, place = self._known
        self._known = (at, place + len(self.data[byte:at].decode("utf-8", "replace")))
        return self._known[1]
