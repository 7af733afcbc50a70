"""SVG bytes as a tree of elements with line numbers, within firm bounds.

Why not a ready-made XML tree: findings name lines, and a file from anywhere must not be able to
fill the memory. Internal entities that stand for plain text are replaced (drawing programs use them
for namespace names); an entity made of entities, or one fetched from elsewhere, is refused.
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from pyexpat import ErrorString, ExpatError, ParserCreate

from archimetra.base.errors import ArtworkError

MAX_BYTES = 80_000_000
MAX_ELEMENTS = 1_500_000
MAX_DEPTH = 400
MAX_ENTITY_LENGTH = 10_000
_TEXT_TAGS = frozenset(("text", "tspan", "textPath", "a"))


class Node:
    """One element: tag and attribute names without their namespace prefix."""

    __slots__ = ("attributes", "children", "is_foreign", "line", "parent", "pieces", "tag", "text")

    def __init__(self, tag: str, attributes: dict[str, str], line: int, *, is_foreign: bool) -> None:
        self.tag = tag
        self.attributes = attributes
        self.line = line
        self.children: list[Node] = []
        self.parent: Node | None = None
        self.text = ""
        self.pieces: list[str | Node] = []  # text and children as they follow each other, kept for text elements only
        self.is_foreign = is_foreign  # an element of another vocabulary than SVG


def read_tree(data: bytes, name: str) -> Node:
    """The root element. Raises ArtworkError with a sentence for anything that is not a bounded, well-formed SVG."""
    if data[:2] == b"\x1f\x8b":
        data = _gunzipped(data, name)
    if len(data) > MAX_BYTES:
        raise ArtworkError(too_large(name, len(data)))
    if not data.strip():
        raise ArtworkError(f"{name} is empty. Export the drawing again.")
    if b"<" not in data[:4096] and not data.startswith((b"\xff\xfe", b"\xfe\xff")):
        raise ArtworkError(f"{name} is not an SVG file: it does not start like one. Export the drawing as SVG.")
    return _TreeBuilder(name).build(data)


def too_large(name: str, size: int) -> str:
    """The sentence that refuses a file of ``size`` bytes."""
    return (
        f"{name} holds {size / 1e6:.0f} MB; the limit is {MAX_BYTES / 1e6:.0f} MB. "
        "Leave out pictures or parts you do not cut, or split the drawing."
    )


def _gunzipped(data: bytes, name: str) -> bytes:
    try:
        unpacker = zlib.decompressobj(wbits=31)
        out = unpacker.decompress(data, MAX_BYTES + 1)
    except zlib.error as error:
        raise ArtworkError(f"{name} is packed, and its packing is damaged. Export the drawing again.") from error
    if not unpacker.eof and len(out) <= MAX_BYTES:
        raise ArtworkError(f"{name} is packed and ends too early. Copy or export it again.")
    return out


class _TreeBuilder:
    def __init__(self, name: str) -> None:
        self._name = name
        self._stack: list[Node] = []
        self._root: Node | None = None
        self._count = 0
        self._parser = ParserCreate()
        self._parser.buffer_text = True
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        self._parser.CharacterDataHandler = self._text
        self._parser.EntityDeclHandler = self._entity

    def build(self, data: bytes) -> Node:
        try:
            self._parser.Parse(data, True)
        except ExpatError as error:
            if self._count == 0:
                raise ArtworkError(
                    f"{self._name} is not an SVG file (line {error.lineno}: {ErrorString(error.code)}). "
                    "Export the drawing as SVG."
                ) from error
            raise ArtworkError(
                f"{self._name} breaks off or is damaged at line {error.lineno}, column {error.offset + 1} "
                f"({ErrorString(error.code)}). Copy or export it again."
            ) from error
        if self._root is None or self._root.tag != "svg":
            tag = self._root.tag if self._root else "nothing"
            raise ArtworkError(f"{self._name} holds <{tag}> where an SVG drawing holds <svg>. Export it as SVG.")
        return self._root

    def _start(self, tag: str, attributes: dict[str, str]) -> None:
        self._count += 1
        if self._count > MAX_ELEMENTS:
            raise ArtworkError(f"{self._name} holds more than {MAX_ELEMENTS:,} elements. Split the drawing.")
        if len(self._stack) >= MAX_DEPTH:
            raise ArtworkError(
                f"{self._name} nests groups more than {MAX_DEPTH} deep at line {self._parser.CurrentLineNumber}. "
                "Ungroup the drawing and export it again."
            )
        prefix, _, local = tag.rpartition(":")
        plain = {key.rpartition(":")[2]: value for key, value in attributes.items()}
        node = Node(local, plain, self._parser.CurrentLineNumber, is_foreign=prefix not in ("", "svg"))
        if self._stack:
            node.parent = self._stack[-1]
            self._stack[-1].children.append(node)
            if self._stack[-1].tag in _TEXT_TAGS:
                self._stack[-1].pieces.append(node)
        else:
            self._root = node
        self._stack.append(node)

    def _end(self, _tag: str) -> None:
        self._stack.pop()

    def _text(self, text: str) -> None:
        if self._stack:
            self._stack[-1].text += text
            if self._stack[-1].tag in _TEXT_TAGS:
                self._stack[-1].pieces.append(text)

    def _entity(
        self, entity: str, _is_parameter: bool, value: str | None, _base: str | None, system: str | None, *_: object
    ) -> None:
        if system is not None or value is None:
            return  # fetched from elsewhere: never followed; a use of it is an error of its own
        if "&" in value or len(value) > MAX_ENTITY_LENGTH:
            raise ArtworkError(
                f"{self._name} defines the entity '{entity}' in terms of others or at great length, as files made "
                "to fill the memory do. It was not opened. Export the drawing again from its program."
            )


def walk(root: Node) -> Iterator[Node]:
    """An element and all below it, in the order of the file."""
    stack = [root]
    while stack:
        node = stack.pop()
        yield node
        stack.extend(reversed(node.children))
