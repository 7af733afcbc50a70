"""The part of CSS that decides what is drawn: properties from attributes, style rules and style attributes.

Rules and declarations are read by tinycss2, selectors by cssselect2; here is only what of it matters to a drawing. Selectors neither
understands are handed back.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

import cssselect2
import tinycss2

from archimetra.artwork.svg_tree import Node

INHERITED = (
    "fill", "stroke", "fill-rule", "clip-rule", "stroke-width", "visibility", "color", "font-family", "font-size",
    "font-weight", "font-style", "text-anchor", "letter-spacing",
)  # fmt: skip
PROPERTIES = (*INHERITED, "display", "clip-path", "mask", "transform")
_NOT_PLAIN = frozenset("\\!/@{}[]<")  # what makes declarations more than words, strings and calls between : and ;
_DECLARATION = re.compile(r"""(?:[^;"'()]|"[^"]*"|'[^']*'|\((?:[^"'()]|"[^"]*"|'[^']*')*\))+""")


class Declared(NamedTuple):
    """Properties as declared, and those of them that are important."""

    plain: dict[str, str]
    important: dict[str, str]


class StyleSheet:
    """The rules of a file's style elements."""

    def __init__(self, texts: Iterable[str], root: Node) -> None:
        self.not_understood: list[str] = []
        self._matcher = cssselect2.Matcher()
        self._root = root
        self._elements: dict[int, Any] | None = None
        self._has_rules = False
        for text in texts:
            self._add(tinycss2.parse_stylesheet(text, skip_comments=True, skip_whitespace=True))

    def _add(self, rules: Iterable[Any]) -> None:
        for rule in rules:
            if rule.type == "at-rule" and rule.lower_at_keyword == "media" and rule.content is not None:
                if _is_for_screens(rule.prelude):
                    self._add(tinycss2.parse_rule_list(rule.content, skip_comments=True, skip_whitespace=True))
            elif rule.type == "qualified-rule":
                declared = _declared(rule.content)
                if declared.plain or declared.important:
                    self._add_rule(rule.prelude, declared)

    def _add_rule(self, prelude: Any, declared: Declared) -> None:
        for tokens in _between_commas(prelude):
            try:
                selectors = cssselect2.compile_selector_list(tokens)
            except cssselect2.SelectorError:
                self.not_understood.append(tinycss2.serialize(tokens).strip())
                continue
            for selector in selectors:
                self._matcher.add_selector(selector, declared)
                self._has_rules = True

    def properties_of(self, node: Node) -> dict[str, str]:
        """The node's own properties: attributes, then rules by weight, then its style attribute; what is important over those."""
        own = {key: node.attributes[key] for key in PROPERTIES if key in node.attributes}
        important: dict[str, str] = {}
        if self._has_rules:
            for _, _, pseudo, declared in self._matcher.match(self._element(node)):
                if pseudo is None:
                    own.update(declared.plain)
                    important.update(declared.important)
        style = node.attributes.get("style")
        if style:
            declared = parse_declarations(style)
            own.update(declared.plain)
            important.update(declared.important)
        return own | important if important else own

    def _element(self, node: Node) -> Any:
        if self._elements is None:
            whole = cssselect2.ElementWrapper.from_xml_root(_Seen(self._root))
            self._elements = {id(wrapped.etree_element.node): wrapped for wrapped in whole.iter_subtree()}
        return self._elements[id(node)]


class _Seen:
    """A node as cssselect2 looks at elements."""

    __slots__ = ("attrib", "node", "tag", "text")

    def __init__(self, node: Node) -> None:
        self.node, self.tag, self.attrib, self.text = node, node.tag, node.attributes, node.text

    def __iter__(self) -> Iterator[_Seen]:
        return iter([_Seen(child) for child in self.node.children])

    def get(self, name: str, default: str | None = None) -> str | None:
        return self.attrib.get(name, default)


def parse_declarations(text: str) -> Declared:
    """``fill:none; stroke:red`` as the properties that matter here."""
    if not _NOT_PLAIN.isdisjoint(text) or not _is_balanced(text):
        return _declared(text)
    plain = {}
    is_simple = not any(mark in text for mark in "\"'(")
    for part in text.split(";") if is_simple else _DECLARATION.findall(text):
        key, colon, value = part.partition(":")
        key = key.strip().lower()
        if colon and key in PROPERTIES and value.strip():
            plain[key] = value.strip()
    return Declared(plain, {})


def _is_balanced(text: str) -> bool:
    """Whether strings and calls are ended, as far as counting tells."""
    return text.count("'") % 2 == text.count('"') % 2 == 0 and text.count("(") == text.count(")")


def _declared(content: Any) -> Declared:
    out = Declared({}, {})
    for each in tinycss2.parse_blocks_contents(content, skip_comments=True, skip_whitespace=True):
        if each.type == "declaration" and each.lower_name in PROPERTIES:
            (out.important if each.important else out.plain)[each.lower_name] = tinycss2.serialize(each.value).strip()
    return out


def _between_commas(tokens: Iterable[Any]) -> Iterator[list[Any]]:
    """The selectors of a list one by one: one that is not understood spoils no other."""
    part: list[Any] = []
    for token in tokens:
        if token.type == "literal" and token.value == ",":
            yield part
            part = []
        else:
            part.append(token)
    yield part


def _is_for_screens(prelude: Iterable[Any]) -> bool:
    """Whether a media rule is for what is looked at: it names no medium, or the screen, or all."""
    words = [token.lower_value for token in prelude if token.type == "ident"]
    return not words or (any(word in ("all", "screen") for word in words) and "not" not in words)
