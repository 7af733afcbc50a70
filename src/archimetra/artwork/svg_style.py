"""The part of CSS that decides what is drawn: properties from attributes, style rules and style attributes.

Selectors: ``*``, ``type``, ``.class``, ``#id``, their combinations in one compound (``path.a.b``), inside others
(``g.cut path``, ``g > path``), in lists. Later rules win over earlier ones of the same weight. Rules that look at an
element's neighbours or attributes are handed back as not understood.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from archimetra.artwork.svg_tree import Node

INHERITED = (
    "fill", "stroke", "fill-rule", "clip-rule", "stroke-width", "visibility", "color", "font-family", "font-size",
    "font-weight", "font-style", "text-anchor", "letter-spacing",
)  # fmt: skip
PROPERTIES = (*INHERITED, "display", "clip-path", "mask", "transform")

_COMMENT = re.compile(r"/\*.*?\*/", re.DOTALL)
_RULE = re.compile(r"([^{}]+)\{([^{}]*)\}")
_COMPOUND = re.compile(r"(\*|[A-Za-z][\w-]*)?((?:[.#][\w-]+)*)$")


class Compound(NamedTuple):
    """What one element must be; ``is_child`` says that the compound before it must match its very parent."""

    tag: str
    ids: tuple[str, ...]
    classes: tuple[str, ...]
    is_child: bool

    def matches(self, node: Node) -> bool:
        if self.tag not in ("", "*", node.tag) or any(id_ != node.attributes.get("id") for id_ in self.ids):
            return False
        if not self.classes:
            return True
        classes = node.attributes.get("class", "").split()
        return all(name in classes for name in self.classes)


class Rule(NamedTuple):
    weight: tuple[int, int, int]
    compounds: tuple[Compound, ...]
    properties: dict[str, str]

    def matches(self, node: Node) -> bool:
        return self.compounds[-1].matches(node) and self._above(node, len(self.compounds) - 1)

    def _above(self, node: Node, k: int) -> bool:
        """Whether the compounds before ``k`` are found among the node's ancestors, in order."""
        if k == 0:
            return True
        parent = node.parent
        while parent is not None:
            if self.compounds[k - 1].matches(parent) and self._above(parent, k - 1):
                return True
            if self.compounds[k].is_child:
                return False
            parent = parent.parent
        return False


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
            compounds = _compounds(raw.strip())
            if compounds is None:
                self.not_understood.append(raw.strip())
                continue
            ids = sum(len(compound.ids) for compound in compounds)
            classes = sum(len(compound.classes) for compound in compounds)
            tags = sum(compound.tag not in ("", "*") for compound in compounds)
            rules.append(Rule((ids, classes, tags), compounds, properties))
        return rules

    def properties_of(self, node: Node) -> dict[str, str]:
        """The node's own properties: attributes, then rules by weight, then its style attribute."""
        own = {key: node.attributes[key] for key in PROPERTIES if key in node.attributes}
        if self._rules_by_weight:
            for rule in self._rules_by_weight:
                if rule.matches(node):
                    own.update(rule.properties)
        style = node.attributes.get("style")
        if style:
            own.update(parse_declarations(style))
        return own


def _compounds(selector: str) -> tuple[Compound, ...] | None:
    """A selector's compounds, outermost first; None where it asks for more than is understood."""
    out = []
    is_child = False
    for word in selector.replace(">", " > ").split():
        if word == ">":
            is_child = True
            continue
        found = _COMPOUND.match(word)
        if found is None:
            return None
        marks = re.findall(r"([.#])([\w-]+)", found.group(2))
        ids = tuple(name for mark, name in marks if mark == "#")
        classes = tuple(name for mark, name in marks if mark == ".")
        out.append(Compound(found.group(1) or "", ids, classes, is_child))
        is_child = False
    return tuple(out) if out and not is_child else None


def parse_declarations(text: str) -> dict[str, str]:
    """``fill:none; stroke:red`` as the properties that matter here."""
    out = {}
    for part in text.split(";"):
        key, colon, value = part.partition(":")
        key = key.strip().lower()
        if colon and key in PROPERTIES:
            out[key] = value.replace("!important", "").strip()
    return out
