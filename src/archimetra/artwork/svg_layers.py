"""Which groups of an SVG file are layers, and the colour of each."""

from __future__ import annotations

from archimetra.artwork.drawing import DrawnLayer
from archimetra.artwork.svg_report import Notes
from archimetra.artwork.svg_shapes import SHAPES
from archimetra.artwork.svg_tree import Node, walk

LEAST_HUE = 70  # of 255, between the strongest and the weakest of red, green and blue
MOST_LAYERS, MOST_GROUPS = 200, 40  # groups marked as layers; groups only taken for layers


class Layers:
    """The layers met so far, by number."""

    def __init__(self) -> None:
        self._names: list[str] = []
        self._colours: dict[int, set[str]] = {}  # what each layer's shapes are painted in

    def mark(self, root: Node, notes: Notes) -> dict[int, int]:
        """The layer of each group (by ``id`` of the node) that is one: those marked as such, else the groups at the top (below a
        lone wrapper)."""
        marked = [node for node in walk(root) if node.tag == "g" and node.attributes.get("groupmode") == "layer"]
        top = root
        while True:
            drawn = [child for child in top.children if child.tag in (*SHAPES, "g", "use", "svg")]
            if len(drawn) == 1 and drawn[0].tag == "g" and any(c.tag == "g" for c in drawn[0].children):
                top = drawn[0]
            else:
                break
        groups = marked or [child for child in top.children if child.tag == "g"]
        most = MOST_LAYERS if marked else MOST_GROUPS
        if len(groups) > most:
            words = f"{len(groups):,} groups are more than layers are good for; all shapes came in on one layer."
            notes.note("svg-layers", words, groups[most])
            return {}
        numbers: dict[int, int] = {}
        for node in groups:
            label = node.attributes.get("label") or node.attributes.get("id") or f"Group {len(numbers) + 1}"
            numbers[id(node)] = self.number(label)
        return numbers

    def number(self, name: str) -> int:
        """The number of a layer, a new one where there is none of the name."""
        if name not in self._names:
            self._names.append(name)
        return self._names.index(name)

    def paint(self, layer: int, colour: str) -> None:
        """Note what a shape of a layer is painted in."""
        self._colours.setdefault(layer, set()).add(colour)

    def drawn(self) -> tuple[DrawnLayer, ...]:
        return tuple(DrawnLayer(name, self._colour_of(k)) for k, name in enumerate(self._names))

    def _colour_of(self, layer: int) -> str:
        """The colour of a layer all of whose shapes have one, as #rrggbb; '' for several, and for inks and greys: those are
        no choice, and layers would look alike."""
        from PIL import ImageColor

        colours = self._colours.get(layer, set())
        if len(colours) != 1:
            return ""
        try:
            red, green, blue = ImageColor.getrgb(next(iter(colours)))[:3]
        except ValueError:
            return ""
        is_hue = max(red, green, blue) - min(red, green, blue) >= LEAST_HUE
        return f"#{red:02x}{green:02x}{blue:02x}" if is_hue else ""
