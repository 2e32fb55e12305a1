"""XML, through lxml with entities and network off. Text of leaf elements and attributes are the values.

An element that stands several times under one name is numbered: `wagon[2]`. Comments, order and blank space between
elements survive; quotes around attributes become double ones when anything is changed.
"""

from __future__ import annotations

import re

from lxml import etree

from .base import Key, Value, stuck


class XmlSettings:
    def __init__(self, text: str) -> None:
        self._original, self._changed = text, False
        parser = etree.XMLParser(
            resolve_entities=False,
            no_network=True,
            load_dtd=False,
            huge_tree=False,
            strip_cdata=False,
            remove_blank_text=False,
        )
        self._root = etree.fromstring(text.encode(), parser)
        if self._root.getroottree().docinfo.doctype:
            raise ValueError("it declares a document type, which settings do not need")

    def values(self) -> dict[Key, Value]:
        return dict(_walk(self._root, ()))

    def set(self, key: Key, value: Value) -> None:
        if not isinstance(value, str):
            raise stuck(key, "This format holds text.")
        self._changed = True
        element = self._root
        for name in key[:-1] if key[-1].startswith("@") else key:
            found = _children(element).get(name)
            if found is None:
                tag = name.split("[")[0]
                last = element[-1] if len(element) else None
                found = etree.SubElement(element, tag)
                if last is not None:
                    found.tail, last.tail = last.tail, element.text
            element = found
        if key[-1].startswith("@"):
            element.set(key[-1][1:], value)
        elif any(isinstance(one.tag, str) for one in element):
            raise stuck(key, "This element holds others, not a value.")
        else:
            element.text = value

    def remove(self, key: Key) -> None:
        self._changed = True
        element = self._root
        for name in key[:-1] if key[-1].startswith("@") else key:
            element = _children(element)[name]
        if key[-1].startswith("@"):
            del element.attrib[key[-1][1:]]
            return
        parent, before = element.getparent(), element.getprevious()
        if parent is None:
            raise stuck(key, "It is the whole file.")
        if element.getnext() is None and before is not None:
            before.tail = element.tail
        parent.remove(element)

    def text(self) -> str:
        if not self._changed:
            return self._original
        start, end = _root_place(self._original)
        text: str = (
            self._original[:start]
            + etree.tostring(self._root, encoding="unicode", with_tail=False)
            + self._original[end:]
        )
        return text.replace("\r\n", "\n").replace("\n", "\r\n") if "\r\n" in self._original else text


def _root_place(text: str) -> tuple[int, int]:
    """Where the root element begins and ends: what stands around it is kept as it is."""
    parts = re.finditer(r"<!--.*?-->|<\?.*?\?>|<", text, re.DOTALL)
    start = next(part.start() for part in parts if part[0] == "<")
    outside = [part.span() for part in re.finditer(r"<!--.*?-->|<\?.*?\?>", text, re.DOTALL)]
    end = len(text)
    while text[:end].rstrip() != text[:end] or any(span[1] == end for span in outside):
        stripped = len(text[:end].rstrip())
        end = stripped if stripped < end else next(span[0] for span in outside if span[1] == end)
    return start, end


def _children(element: etree._Element) -> dict[str, etree._Element]:
    """Child elements by name, numbered where a name stands several times."""
    named = [one for one in element if isinstance(one.tag, str)]
    counts: dict[str, int] = {}
    for one in named:
        counts[str(one.tag)] = counts.get(str(one.tag), 0) + 1
    seen: dict[str, int] = {}
    found = {}
    for one in named:
        tag = str(one.tag)
        seen[tag] = seen.get(tag, 0) + 1
        found[tag if counts[tag] == 1 else f"{tag}[{seen[tag]}]"] = one
    return found


def _walk(element: etree._Element, above: Key) -> list[tuple[Key, Value]]:
    found: list[tuple[Key, Value]] = [((*above, f"@{name}"), value) for name, value in element.attrib.items()]
    children = _children(element)
    for name, child in children.items():
        found += _walk(child, (*above, name))
    if not children and above:
        found.append((above, element.text or ""))
    return found
