"""The part of CSS that decides what is drawn: properties from attributes, style rules and style attributes.

Selectors: ``*``, ``type``, ``.class``, ``#id`` and their combinations in one compound (``path.a.b``),
in lists. Later rules win over earlier ones of the same weight. Rules that look at an element's
neighbours or ancestors are handed back as not understood.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from archimetra.artwork.svg_tree import Node

INHERITED = ("fill", "stroke", "fill-rule", "stroke-width", "visibility", "color")
PROPERTIES = (*INHERITED, "display", "clip-path", "mask", "transform")

_COMMENT = re.compile(r"/\*.*?\*/", re.DOTALL)
_RULE = re.compile(r"([^{}]+)\{([^{}]*)\}")
_COMPOUND = re.compile(r"(\*|[A-Za-z][\w-]*)?((?:[.#][\w-]+)*)$")


class Rule(NamedTuple):
    weight: tuple[int, int, int]
    tag: str
    ids: tuple[str, ...]
    classes: tuple[str, ...]
    properties: dict[str, str]

    def matches(self, node: Node, classes: frozenset[str]) -> bool:
        return (
            self.tag in ("", "*", node.tag)
            and all(id_ == node.attributes.get("id") for id_ in self.ids)
            and all(name in classes for name in self.classes)
        )


class StyleSheet:
    """The rules of a file's style elements."""

    def __init__(self, texts: list[str]) -> None:
        self.not_understood: list[str] = []
        rules: list[Rule] = []
        for text in texts:
            for selectors, body in _RULE.findall(_COMMENT.sub("", text)):
                properties = parse_declarations(body)
                if properties:
                    rules.extend(self._rules(selectors, properties))
        self._rules_by_weight = sorted(rules, key=lambda rule: rule.weight)

    def _rules(self, selectors: str, properties: dict[str, str]) -> list[Rule]:
        rules = []
        for raw in selectors.split(","):
            selector = raw.strip()
            found = _COMPOUND.match(selector)
            if not selector or found is None:
                self.not_understood.append(selector)
                continue
            marks = re.findall(r"([.#])([\w-]+)", found.group(2))
            ids = tuple(name for mark, name in marks if mark == "#")
            classes = tuple(name for mark, name in marks if mark == ".")
            tag = found.group(1) or ""
            rules.append(Rule((len(ids), len(classes), int(tag not in ("", "*"))), tag, ids, classes, properties))
        return rules

    def properties_of(self, node: Node) -> dict[str, str]:
        """The node's own properties: attributes, then rules by weight, then its style attribute."""
        own = {key: node.attributes[key] for key in PROPERTIES if key in node.attributes}
        if self._rules_by_weight:
            classes = frozenset(node.attributes.get("class", "").split())
            for rule in self._rules_by_weight:
                if rule.matches(node, classes):
                    own.update(rule.properties)
        style = node.attributes.get("style")
        if style:
            own.update(parse_declarations(style))
        return own


def parse_declarations(text: str) -> dict[str, str]:
    """``fill:none; stroke:red`` as the properties that matter here."""
    out = {}
    for part in text.split(";"):
        key, colon, value = part.partition(":")
        key = key.strip().lower()
        if colon and key in PROPERTIES:
            out[key] = value.replace("!important", "").strip()
    return out
