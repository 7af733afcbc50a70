"""SVG to ``Drawing``: shapes in mm with y up, true to the size the file states, with a report.

Brought in: paths and basic shapes, nested transforms, groups (as layers), ``use`` and ``symbol``, ``switch``, styles,
both fill rules, strokes as lines, text as outlines, clips applied. Pictures are handed over for tracing. Reported:
masks, which are not applied, and damaged elements. A bad element costs that element only.
"""

from __future__ import annotations

import base64
import binascii
from collections import Counter
from collections.abc import Iterator
from pathlib import Path as FilePath
from typing import NamedTuple

import msgspec
import numpy as np

from archimetra.artwork.clip import clipped
from archimetra.artwork.drawing import (
    LARGEST_MM,
    Drawing,
    DrawnLayer,
    DrawnPicture,
    DrawnShape,
    Scale,
    transformed,
)
from archimetra.artwork.report import ReportLine, Topic, counted, decide, left_out, mended, read, unit_entry
from archimetra.artwork.svg_paths import (
    MM_PER,
    PX_PER_INCH,
    circle_path,
    parse_length,
    parse_numbers,
    parse_path,
    parse_transform,
    rectangle_path,
)
from archimetra.artwork.svg_style import INHERITED, StyleSheet
from archimetra.artwork.svg_text import lay_out
from archimetra.artwork.svg_tree import MAX_BYTES, Node, read_tree, too_large
from archimetra.artwork.svg_units import Density, density_of
from archimetra.base.errors import ArtworkError
from archimetra.base.findings import Severity
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.nodes import closed_straight
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.refit import FINE_MM
from archimetra.geometry.region import EMPTY, Region, intersect, region_of, unite

MAX_SHAPES = 500_000  # after `use` has been followed; a small file can ask for billions
MAX_USE_DEPTH = 40
LEAST_HUE = 70  # of 255, between the strongest and the weakest of red, green and blue
MOST_CLIPPED = 20_000  # shapes a clip's edge runs through: each is an overlay of areas
MAX_COPIED = 200_000  # elements visited as copies, whether they draw anything or not
MOST_LAYERS, MOST_GROUPS = 200, 40  # groups marked as layers; groups only taken for layers
JOIN_MM = 0.001  # ends this near are one point written twice

_SHAPES = ("path", "rect", "circle", "ellipse", "line", "polyline", "polygon")
_SILENT = (
    "defs", "style", "title", "desc", "metadata", "namedview", "script", "clipPath", "mask", "linearGradient",
    "radialGradient", "pattern", "marker", "filter", "symbol", "font", "animate", "animateTransform", "set", "view",
)  # fmt: skip


def read_svg_file(path: FilePath) -> Drawing:
    """The drawing in a file. Raises ArtworkError where nothing can be brought in."""
    return read_svg(artwork_bytes(path), name=path.name)


def artwork_bytes(path: FilePath) -> bytes:
    """The file's bytes; a file larger than the reader takes is refused before it costs memory. Raises ArtworkError."""
    try:
        if path.exists() and not path.is_file():
            raise ArtworkError(f"{path.name} is not a file, so it holds no drawing. Choose a file.")
        size = path.stat().st_size
        if size > MAX_BYTES:
            raise ArtworkError(too_large(path.name, size))
        return path.read_bytes()
    except OSError as error:
        raise ArtworkError(
            f"{path.name} could not be read: {error.strerror}. Check that it is there and readable."
        ) from error


def read_svg(data: bytes, *, name: str) -> Drawing:
    """The drawing in SVG bytes; ``name`` is the file's name, for the report and the drawing's own name."""
    root = read_tree(data, name)
    return _Reader(root, name).read()


class _Page(NamedTuple):
    to_px: Affine  # file units to px, y down
    size_px: tuple[float, float] | None
    unit_px: float  # one file unit in px
    mm_per_px: float
    scale: Scale


class _State(NamedTuple):
    to_page: Affine
    style: dict[str, str]
    layer: int
    clip: Region | None = None  # what a clip around this element lets through, in mm


class _Reader:
    def __init__(self, root: Node, name: str) -> None:
        self._root = root
        self._name = name
        self._report: list[ReportLine] = []
        self._layers: list[str] = []
        self._shapes: list[DrawnShape] = []
        self._left_out: Counter[str] = Counter()
        self._pictures: list[DrawnPicture] = []
        self._clipped: list[tuple[float, float]] = []
        self._texts: list[tuple[float, float]] = []
        self._stood_in: dict[str, list[tuple[float, float]]] = {}
        self._density = Density(PX_PER_INCH, "")
        self._first_line: dict[str, int] = {}
        self._by_id: dict[str, Node] = {}
        self._using: list[Node] = []
        self._copied = 0
        self._half_open: list[tuple[float, float]] = []
        self._colours: dict[int, set[str]] = {}  # what each layer's shapes are painted in
        styles: list[str] = []
        for node in _walk(root):
            id_ = node.attributes.get("id")
            if id_ is not None:
                self._by_id.setdefault(id_, node)
            if node.tag == "style":
                styles.append(node.text)
        self._sheet = StyleSheet(styles, root)

    def read(self) -> Drawing:
        page = self._page()
        y_up = Affine(page.mm_per_px, 0.0, 0.0, -page.mm_per_px, 0.0, 0.0)
        if page.size_px is not None:
            y_up = y_up.then(Affine.shift(0.0, page.size_px[1] * page.mm_per_px))
        layer_nodes = self._layer_nodes()
        start = _State(page.to_px.then(y_up), {}, -1)
        self._visit_children(self._root, self._styled(self._root, start), layer_nodes)
        shapes = self._shapes
        if not shapes and not self._pictures:
            raise ArtworkError(self._nothing_to_cut())
        self._summarise(page)
        if page.size_px is None and shapes:
            shapes = self._moved_to_origin(shapes)
        page_mm = None if page.size_px is None else tuple(side * page.mm_per_px for side in page.size_px)
        return Drawing(
            name=self._name.rsplit(".", 1)[0],
            layers=tuple(DrawnLayer(name, self._colour_of(k)) for k, name in enumerate(self._layers)),
            shapes=tuple(shapes),
            scale=page.scale,
            page_mm=(page_mm[0], page_mm[1]) if page_mm else None,
            report=tuple(self._report),
            pictures=tuple(self._pictures),
        )

    # ---- page and unit

    def _page(self) -> _Page:
        root = self._root.attributes
        view = self._view_box(self._root)
        width, height = self._side("width"), self._side("height")
        size_px: tuple[float, float] | None = None
        if width and height:
            size_px = (width[0], height[0])
        elif view and (width or height):
            ratio = view[3] / view[2]
            size_px = (width[0], width[0] * ratio) if width else (height[0] / ratio, height[0])  # type: ignore[index]
        elif view:
            size_px = (view[2], view[3])
        to_px = IDENTITY
        unit_px = 1.0
        if view and size_px:
            to_px = _fit(view, size_px, root.get("preserveAspectRatio", ""))
            unit_px = (abs(to_px.determinant)) ** 0.5
        stated = width or height
        if size_px is not None and not (stated and stated[1] not in ("", "px")):
            self._density = density_of(*size_px)
        mm_per_px = 25.4 / self._density.per_inch
        return _Page(to_px, size_px, unit_px, mm_per_px, self._scale(stated, unit_px * mm_per_px, view))

    def _scale(
        self, stated: tuple[float, str] | None, mm_per_unit: float, view: tuple[float, float, float, float] | None
    ) -> Scale:
        if stated and stated[1] not in ("", "px"):
            reason = f"The file states its size in {stated[1]}; that was taken as it stands."
            return Scale(unit=stated[1], mm_per_unit=mm_per_unit, reason=reason, is_certain=True)
        per_inch, evidence = self._density
        if evidence:
            reason = f"The page is {evidence} with pixels at {per_inch:g} to the inch; that was taken. Check the size."
        elif stated:
            reason = "The file states its size in pixels, which are 96 to the inch in SVG. Check the size."
        elif view:
            reason = "The file states no size; its units were taken for pixels, 96 to the inch. Check the size."
        else:
            reason = "The file states no size and no unit; pixels, 96 to the inch, were assumed. Check the size."
        return Scale(unit=f"px ({per_inch:g} per inch)", mm_per_unit=mm_per_unit, reason=reason, is_certain=False)

    def _side(self, name: str) -> tuple[float, str] | None:
        text = self._root.attributes.get(name)
        if text is None:
            return None
        try:
            value, unit = parse_length(text)
        except ValueError:
            self._note(
                "svg-size", Severity.CAUTION, f"The page's {name} '{text}' is not a length and was ignored.", self._root
            )
            return None
        if unit == "%" or value <= 0:
            return None
        return value * (MM_PER[unit] / MM_PER["px"] if unit else 1.0), unit

    def _view_box(self, node: Node) -> tuple[float, float, float, float] | None:
        text = node.attributes.get("viewBox")
        if text is None:
            return None
        try:
            x, y, width, height = parse_numbers(text)
        except ValueError:
            self._note("svg-viewbox", Severity.CAUTION, f"The viewBox '{text}' is damaged and was ignored.", node)
            return None
        return (x, y, width, height) if width > 0 and height > 0 else None

    # ---- layers

    def _layer_nodes(self) -> dict[int, int]:
        """Which groups are layers: those marked as such, else the groups at the top (below a lone wrapper)."""
        marked = [node for node in _walk(self._root) if node.tag == "g" and node.attributes.get("groupmode") == "layer"]
        top = self._root
        while True:
            drawn = [child for child in top.children if child.tag in (*_SHAPES, "g", "use", "svg")]
            if len(drawn) == 1 and drawn[0].tag == "g" and any(c.tag == "g" for c in drawn[0].children):
                top = drawn[0]
            else:
                break
        groups = marked or [child for child in top.children if child.tag == "g"]
        most = MOST_LAYERS if marked else MOST_GROUPS
        if len(groups) > most:
            self._note(
                "svg-layers",
                Severity.NOTE,
                f"{len(groups):,} groups are more than layers are good for; all shapes came in on one layer.",
                groups[most],
            )
            return {}
        numbers: dict[int, int] = {}
        for node in groups:
            label = node.attributes.get("label") or node.attributes.get("id") or f"Group {len(numbers) + 1}"
            numbers[id(node)] = self._layer(label)
        return numbers

    def _layer(self, name: str) -> int:
        if name not in self._layers:
            self._layers.append(name)
        return self._layers.index(name)

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

    # ---- walking

    def _styled(self, node: Node, state: _State) -> _State:
        own = self._sheet.properties_of(node)
        style = state.style
        changed = {key: value for key, value in own.items() if key in INHERITED and value != "inherit"}
        if changed:
            style = {**style, **changed}
        to_page = state.to_page
        transform = own.get("transform")
        if transform and transform != "none":
            to_page = parse_transform(transform).then(to_page)
        return state._replace(style=style, to_page=to_page)

    def _visit_children(self, node: Node, state: _State, layers: dict[int, int]) -> None:
        for child in node.children:
            self._visit(child, state, layers)

    def _visit(self, node: Node, state: _State, layers: dict[int, int]) -> None:
        tag = node.tag
        if self._using:
            self._copied += 1
            if self._copied > MAX_COPIED:
                raise ArtworkError(
                    f"{self._name} asks for more than {MAX_COPIED:,} copies of its elements. Draw fewer, or split the drawing."
                )
        if node.is_foreign or tag in _SILENT:
            return
        if tag == "flowRoot":
            self._leave_out("text", node)
        elif tag in ("g", "a", "svg", "switch", "use", "text", "image", *_SHAPES):
            own = self._sheet.properties_of(node)
            if own.get("display") == "none":
                self._leave_out("hidden", node)
                return
            try:
                inner = self._styled(node, state)
            except ValueError as error:
                self._note("svg-transform", Severity.CAUTION, f"An element was left out: {error}.", node)
                return
            if own.get("mask", "none") != "none":
                self._leave_out("mask", node)
            if own.get("clip-path", "none") != "none":
                inner = self._with_clip(own["clip-path"], node, inner)
            if tag in _SHAPES:
                self._shape(node, inner)
            elif tag == "text":
                self._text(node, inner)
            elif tag == "image":
                self._picture(node, inner)
            else:
                inner = inner._replace(layer=layers.get(id(node), inner.layer))
                self._container(node, inner, layers)
        else:
            self._leave_out(f"<{tag}>", node)

    def _container(self, node: Node, state: _State, layers: dict[int, int]) -> None:
        if node.tag == "use":
            self._use(node, state, layers)
        elif node.tag == "svg" and node is not self._root:
            self._nested_page(node, state, layers)
        elif node.tag == "switch":
            chosen = next((child for child in node.children if _is_for_us(child)), None)
            if chosen is not None:
                self._visit(chosen, state, layers)
        else:
            self._visit_children(node, state, layers)

    def _use(self, node: Node, state: _State, layers: dict[int, int]) -> None:
        link = node.attributes.get("href", "")
        target = self._by_id.get(link[1:]) if link.startswith("#") else None
        if target is None:
            self._note("svg-use", Severity.CAUTION, f"A copy of '{link}' was left out: there is no such element.", node)
            return
        if target in self._using or len(self._using) >= MAX_USE_DEPTH:
            self._note("svg-use-loop", Severity.CAUTION, f"A copy of '{link}' was left out: it contains itself.", node)
            return
        x, y = self._number(node, "x"), self._number(node, "y")
        placed = state._replace(to_page=Affine.shift(x, y).then(state.to_page))
        self._using.append(target)
        if target.tag == "symbol":
            try:
                self._nested_page(target, self._styled(target, placed), layers, size_of=node)
            except ValueError as error:
                self._note("svg-transform", Severity.CAUTION, f"An element was left out: {error}.", target)
        else:
            self._visit(target, placed, layers)
        self._using.pop()

    def _nested_page(self, node: Node, state: _State, layers: dict[int, int], *, size_of: Node | None = None) -> None:
        holder = size_of or node
        m = IDENTITY if size_of else Affine.shift(self._number(node, "x"), self._number(node, "y"))
        view = self._view_box(node)
        width, height = self._number(holder, "width"), self._number(holder, "height")
        if view and width > 0 and height > 0:
            m = _fit(view, (width, height), node.attributes.get("preserveAspectRatio", "")).then(m)
        elif view:
            m = Affine.shift(-view[0], -view[1]).then(m)
        self._visit_children(node, state._replace(to_page=m.then(state.to_page)), layers)

    # ---- shapes

    def _shape(self, node: Node, state: _State) -> None:
        if len(self._shapes) >= MAX_SHAPES:
            raise ArtworkError(f"{self._name} draws more than {MAX_SHAPES:,} shapes. Split the drawing.")
        style = state.style
        if style.get("visibility") in ("hidden", "collapse"):
            self._leave_out("hidden", node)
            return
        is_filled = style.get("fill", "black") not in ("none", "transparent") and node.tag != "line"
        has_stroke = style.get("stroke", "none") not in ("none", "transparent")
        if not is_filled and not has_stroke:
            # drawing programs leave unpainted page frames behind; nobody sees them, so nobody means to cut them
            self._leave_out("unpainted", node)
            return
        try:
            paths = transformed(self._outlines(node), state.to_page)
            paths = tuple(self._closed(path, node, is_area=is_filled and not has_stroke) for path in paths)
            if is_filled and has_stroke:
                self._half_open += [
                    (float(path.nodes[0, 0]), float(path.nodes[0, 1]))
                    for path in paths
                    if not path.closed and len(path) > 1
                ]
        except ValueError as error:
            self._note("svg-damaged", Severity.CAUTION, f"A {node.tag} was left out: {error}.", node)
            return
        if not paths:
            self._leave_out("empty", node)
            return
        rule = FillRule.EVENODD if style.get("fill-rule") == "evenodd" else FillRule.NONZERO
        self._add(node, state, paths, rule, is_filled=is_filled, has_stroke=has_stroke)

    def _add(
        self, node: Node, state: _State, paths: tuple[Path, ...], rule: FillRule, *, is_filled: bool, has_stroke: bool,
        name: str = "",
    ) -> None:  # fmt: skip
        """One more shape, clipped if it is."""
        if max(float(np.abs(path.nodes).max()) for path in paths) > LARGEST_MM:
            self._note(
                "svg-far",
                Severity.CAUTION,
                f"A {node.tag} was left out: it lies more than {LARGEST_MM / 1000:g} m away.",
                node,
            )
            return
        if state.clip is not None:
            left = clipped(paths, state.clip, fill_rule=rule, is_filled=is_filled)
            if left is not None:
                box = bounds_of(paths) or (0.0, 0.0, 0.0, 0.0)
                if len(self._clipped) >= MOST_CLIPPED:
                    raise ArtworkError(
                        f"In {self._name} more than {MOST_CLIPPED:,} shapes are cut by clips. Have the drawing program cut them "
                        "(its boolean operations do), then export again."
                    )
                self._clipped.append(((box[0] + box[2]) / 2, (box[1] + box[3]) / 2))
                paths, rule = left, FillRule.EVENODD if is_filled else rule
            if not paths:
                return
        if state.layer < 0:
            state = state._replace(layer=self._layer("Artwork"))
        self._colours.setdefault(state.layer, set()).add(state.style.get("stroke" if has_stroke else "fill", ""))
        self._shapes.append(
            DrawnShape(
                name=name or node.attributes.get("label") or node.attributes.get("id") or node.tag,
                layer=state.layer,
                paths=paths,
                fill_rule=rule,
                is_filled=is_filled,
                stroke_width=self._stroke_mm(state.style, state.to_page) if has_stroke else None,
                line=node.line,
                key=self._key(node),
            )
        )

    def _key(self, node: Node) -> str:
        """The element's own id where it has one and is there once, else its number among the unnamed."""
        id_ = node.attributes.get("id") if not self._using else None
        return f"#{id_}" if id_ else f"{node.tag}{len(self._shapes)}"

    # ---- clips, text, pictures

    def _with_clip(self, link: str, node: Node, state: _State) -> _State:
        """The state with a clip added; a clip that cannot be followed is told and not applied."""
        target = self._by_id.get(link.strip().removeprefix("url(").rstrip(")").strip("'\" ").lstrip("#"))
        if target is None or target.tag != "clipPath" or target in self._using:
            self._leave_out("clip-path", node)
            return state
        frame = state.to_page
        if target.attributes.get("clipPathUnits") == "objectBoundingBox":
            box = self._box_of(node, state)
            if box is None:
                self._leave_out("clip-path", node)
                return state
            frame = Affine(box[2] - box[0], 0.0, 0.0, box[3] - box[1], box[0], box[1]).then(frame)
        self._using.append(target)
        try:
            inside = self._clip_region(target, self._styled(target, _State(frame, {}, -1)))
        except ValueError:
            self._leave_out("clip-path", node)
            return state
        finally:
            self._using.pop()
        if state.clip is not None:
            inside = intersect(state.clip, inside)
        return state._replace(clip=inside)

    def _clip_region(self, target: Node, state: _State) -> Region:
        """The area the children of a clip cover together, mm."""
        parts: list[Region] = []
        for child in target.children:
            node, inner = child, self._styled(child, state)
            if child.tag == "use":
                found = self._by_id.get(child.attributes.get("href", "").lstrip("#"))
                if found is None:
                    continue
                shift = Affine.shift(self._number(child, "x"), self._number(child, "y"))
                node, inner = found, self._styled(found, inner._replace(to_page=shift.then(inner.to_page)))
            if node.tag in _SHAPES:
                outlines = transformed(self._outlines(node), inner.to_page)
                rule = FillRule.EVENODD if inner.style.get("clip-rule") == "evenodd" else FillRule.NONZERO
                closed = [path if path.closed else closed_straight(path) for path in outlines if len(path) > 1]
                parts.append(region_of(closed, rule, chord_tolerance_mm=FINE_MM))
        return unite(parts) if parts else EMPTY

    def _box_of(self, node: Node, state: _State) -> tuple[float, float, float, float] | None:
        """The bounding box of one shape in its own units; None for groups, whose box nobody states."""
        return bounds_of(self._outlines(node)) if node.tag in _SHAPES else None

    def _text(self, node: Node, state: _State) -> None:
        style = state.style
        if style.get("visibility") in ("hidden", "collapse"):
            self._leave_out("hidden", node)
            return

        def style_of(child: Node, around: dict[str, str]) -> dict[str, str]:
            own = self._sheet.properties_of(child)
            return {**around, **{key: value for key, value in own.items() if value != "inherit"}}

        try:
            laid = lay_out(node, style, style_of, self._by_id)
        except ValueError as error:
            self._note("svg-text", Severity.CAUTION, f"A text was left out: {error}", node)
            return
        if not laid.paths:
            self._leave_out("empty", node)
            return
        paths = transformed(laid.paths, state.to_page)
        x0, y0, _, _ = bounds_of(paths) or (0.0, 0.0, 0.0, 0.0)
        self._texts.append((x0, y0))
        for words in laid.stood_in:
            self._stood_in.setdefault(words, []).append((x0, y0))
        if laid.missing:
            self._note("svg-letters", Severity.CAUTION, f"The font has no letter for '{laid.missing}'.", node)
        self._add(node, state, paths, FillRule.NONZERO, is_filled=True, has_stroke=False, name=laid.words[:40])

    def _picture(self, node: Node, state: _State) -> None:
        """A picture inside the file, kept for tracing; one that is only linked is told."""
        head, comma, body = node.attributes.get("href", "").strip().partition(",")
        if not comma or not head.startswith("data:image/") or not head.endswith(";base64"):
            self._leave_out("linked picture", node)
            return
        try:
            data = base64.b64decode("".join(body.split()), validate=True)
        except binascii.Error:
            self._note("svg-picture", Severity.CAUTION, "A picture was left out: its data is damaged.", node)
            return
        width, height = self._number(node, "width"), self._number(node, "height")
        if width <= 0 or height <= 0:
            self._leave_out("empty", node)
            return
        x, y = self._number(node, "x"), self._number(node, "y")
        name = node.attributes.get("id") or f"picture {len(self._pictures) + 1}"
        at = Affine(width, 0.0, 0.0, -height, x, y + height).then(state.to_page)  # unit square, y up
        self._pictures.append(DrawnPicture(name, data, at))

    def _closed(self, path: Path, node: Node, *, is_area: bool) -> Path:
        """The path closed where its ends meet within a thousandth, or where it is an area, which SVG closes itself."""
        if path.closed or len(path) < 2:
            return path
        gap = float(np.hypot(*(path.nodes[-1] - path.nodes[0])))
        if gap > JOIN_MM and not is_area:
            return path
        nodes = path.nodes.copy()
        if gap <= JOIN_MM:
            nodes[-1] = nodes[0]
            return Path(nodes, path.kinds, path.params, closed=True)
        self._leave_out("straight close", node)
        return closed_straight(path)

    def _outlines(self, node: Node) -> list[Path]:
        """The node's own outlines in file units; ValueError with a reason where it is damaged."""
        a = node.attributes
        match node.tag:
            case "path":
                return parse_path(a.get("d", ""))
            case "rect":
                width, height = self._number(node, "width", strict=True), self._number(node, "height", strict=True)
                rx, ry = self._number(node, "rx", strict=True), self._number(node, "ry", strict=True)
                rx, ry = (rx or ry, ry or rx)
                if width < 0 or height < 0:
                    raise ValueError("its size is negative")
                x, y = self._number(node, "x", strict=True), self._number(node, "y", strict=True)
                return [rectangle_path(x, y, width, height, rx, ry)] if width and height else []
            case "circle" | "ellipse":
                x, y = self._number(node, "cx", strict=True), self._number(node, "cy", strict=True)
                r = self._number(node, "r", strict=True)
                rx = r if node.tag == "circle" else self._number(node, "rx", strict=True)
                ry = r if node.tag == "circle" else self._number(node, "ry", strict=True)
                if rx < 0 or ry < 0:
                    raise ValueError("its radius is negative")
                return [circle_path(x, y, rx, ry)] if rx and ry else []
            case "line":
                ends = [
                    (self._number(node, "x1", strict=True), self._number(node, "y1", strict=True)),
                    (self._number(node, "x2", strict=True), self._number(node, "y2", strict=True)),
                ]
                return [Path.polyline(ends, closed=False)] if ends[0] != ends[1] else []
            case _:
                numbers = parse_numbers(a.get("points", ""))
                if len(numbers) % 2:
                    raise ValueError("its points have an odd number of coordinates")
                points = np.array(numbers).reshape(-1, 2)
                if len(np.unique(points, axis=0)) < 2:
                    return []
                return [Path.polyline(points, closed=node.tag == "polygon")]

    def _number(self, node: Node, name: str, *, strict: bool = False) -> float:
        """A length attribute in file units, 0 where absent; damaged ones raise (strict) or count as 0."""
        text = node.attributes.get(name)
        if text is None:
            return 0.0
        try:
            value, unit = parse_length(text)
        except ValueError as error:
            if text.strip() == "auto" or not strict:
                return 0.0
            raise ValueError(f"its {name} {error}") from error
        if unit == "%":
            return value / 100 * self._percent_base(name)
        return value * (MM_PER[unit] / MM_PER["px"] if unit else 1.0)

    def _percent_base(self, name: str) -> float:
        view = self._view_box(self._root)
        width, height = (view[2], view[3]) if view else (100.0, 100.0)
        if name in ("x", "cx", "x1", "x2", "width", "rx"):
            return width
        if name in ("y", "cy", "y1", "y2", "height", "ry"):
            return height
        return float(np.hypot(width, height) / np.sqrt(2))

    def _stroke_mm(self, style: dict[str, str], to_page: Affine) -> float:
        try:
            value, unit = parse_length(style.get("stroke-width", "1"))
        except ValueError:
            value, unit = 1.0, ""
        px = value * (MM_PER.get(unit, MM_PER["px"]) / MM_PER["px"] if unit else 1.0)
        return float(px * abs(to_page.determinant) ** 0.5)

    # ---- report

    def _note(self, code: str, severity: Severity, sentence: str, node: Node) -> None:
        topic = Topic.READ if severity is Severity.NOTE else Topic.LEFT_OUT
        self._report.append(ReportLine(topic, code, severity, sentence, place=f"line {node.line}"))

    def _leave_out(self, what: str, node: Node) -> None:
        self._left_out[what] += 1
        self._first_line.setdefault(what, node.line)

    def _summarise(self, page: _Page) -> None:
        head = [unit_entry(page.scale.reason, is_certain=page.scale.is_certain)]
        for what, count in self._left_out.items():
            head.append(_loss(what, count, f"first at line {self._first_line[what]}"))
        if self._clipped:
            words = f"{counted(len(self._clipped), 'shape')} cut back to the clip around {_it(self._clipped)}."
            head.append(mended("svg-clipped", words, self._clipped))
        if self._texts:
            words = f"{counted(len(self._texts), 'text')} turned into outlines."
            head.append(mended("svg-text-outlines", words, self._texts))
        if self._half_open:
            count = len(self._half_open)
            words = (
                f"{counted(count, 'open line')} {'is' if count == 1 else 'are'} filled as well as stroked, and came in as "
                f"{'a line' if count == 1 else 'lines'}. Where the filled area is meant, close {_it(self._half_open)} (Mend)."
            )
            head.append(decide("svg-open-filled", words, self._half_open))
        for words, places in self._stood_in.items():
            head.append(
                left_out("svg-font", f"The font {words} is not on this machine; check the text.", places=places)
            )
        if self._pictures:
            count = len(self._pictures)
            words = f"{counted(count, 'picture')} inside the drawing can be traced once the rest has landed."
            head.append(read("svg-picture", words))
        for selector in dict.fromkeys(self._sheet.not_understood):
            head.append(left_out("svg-style", f"The style rule '{selector}' was not understood and not applied."))
        self._report[:0] = head

    def _nothing_to_cut(self) -> str:
        if self._left_out:
            seen = ", ".join(f"{count} {what}" for what, count in self._left_out.most_common(4))
            return f"{self._name} holds nothing that can be cut ({seen}). Look at the drawing, then export it again."
        if self._report:
            return f"{self._name} holds nothing that can be cut. {self._report[0].text()}"
        return f"{self._name} holds no shapes. Draw something in it and export it again."

    def _moved_to_origin(self, shapes: list[DrawnShape]) -> list[DrawnShape]:
        """Shapes, pictures and the report's places shifted so that the shapes' lower left corner is 0, 0."""
        corners = np.array([path.bounds()[:2] for shape in shapes for path in shape.paths]).min(axis=0)
        m = Affine.shift(-float(corners[0]), -float(corners[1]))
        self._pictures = [msgspec.structs.replace(p, at=p.at.then(m)) for p in self._pictures]
        self._report = [
            msgspec.structs.replace(e, places=tuple(m.point(*spot) for spot in e.places)) for e in self._report
        ]
        return [msgspec.structs.replace(shape, paths=transformed(shape.paths, m)) for shape in shapes]


def _is_for_us(node: Node) -> bool:
    """Whether a child of ``switch`` is one this program takes: no extensions, English or no language asked for."""
    if node.is_foreign or node.tag == "foreignObject" or node.attributes.get("requiredExtensions", "").strip():
        return False
    language = node.attributes.get("systemLanguage")
    return language is None or any(part.strip().lower().startswith("en") for part in language.split(","))


def _it(places: list[tuple[float, float]]) -> str:
    return "it" if len(places) == 1 else "them"


def _loss(what: str, count: int, place: str) -> ReportLine:
    is_one = count == 1
    was = "was" if is_one else "were"
    table: dict[str, tuple[str, bool, str]] = {
        "text": ("svg-text", False, f"{counted(count, 'flowing text')} of an old kind not brought in. Turn it into outlines in the drawing."),
        "linked picture": ("svg-picture", False, f"{counted(count, 'picture')} not brought in: the file only points at {'it' if is_one else 'them'}. Embed pictures to trace them."),
        "hidden": ("svg-hidden", True, f"{counted(count, 'hidden element')} left out."),
        "unpainted": ("svg-unpainted", True, f"{counted(count, 'shape')} without fill and stroke left out."),
        "straight close": ("svg-closed", True, f"{counted(count, 'filled outline')} {was} open and closed with a straight line, as SVG fills it."),
        "empty": ("svg-empty", True, f"{counted(count, 'shape')} without extent left out."),
        "clip-path": ("svg-clip", False, f"{counted(count, 'clip')} not applied: what it clips came in whole."),
        "mask": ("svg-mask", False, f"{counted(count, 'mask')} not applied."),
    }  # fmt: skip
    if what in table:
        code, is_harmless, sentence = table[what]
        return left_out(code, sentence, place=place, is_harmless=is_harmless)
    return left_out("svg-unknown", f"{counted(count, f'{what} element')} not brought in.", place=place)


def _walk(root: Node) -> Iterator[Node]:
    stack = [root]
    while stack:
        node = stack.pop()
        yield node
        stack.extend(reversed(node.children))


def _fit(view: tuple[float, float, float, float], size: tuple[float, float], aspect: str) -> Affine:
    """A viewBox laid into a viewport, as preserveAspectRatio says (default: whole and centred)."""
    x, y, width, height = view
    sx, sy = size[0] / width, size[1] / height
    words = aspect.split()
    align = words[0] if words else "xMidYMid"
    if align == "none":
        return Affine(sx, 0.0, 0.0, sy, -x * sx, -y * sy)
    s = max(sx, sy) if "slice" in words else min(sx, sy)
    share = {"xMin": 0.0, "xMid": 0.5, "xMax": 1.0}.get(align[:4], 0.5)
    share_y = {"YMin": 0.0, "YMid": 0.5, "YMax": 1.0}.get(align[4:], 0.5)
    return Affine(s, 0.0, 0.0, s, (size[0] - width * s) * share - x * s, (size[1] - height * s) * share_y - y * s)
