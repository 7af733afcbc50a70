"""SVG to ``Drawing``: shapes in mm with y up, true to the size the file states, with a report.

Brought in: paths and basic shapes, nested transforms, groups (as layers), ``use`` and ``symbol``, ``switch``, styles,
both fill rules, strokes as lines, text as outlines, clips applied. Pictures are handed over for tracing. Reported:
masks, which are not applied, and damaged elements. A bad element costs that element only.
"""

from __future__ import annotations

import base64
import binascii
from pathlib import Path as FilePath
from typing import NamedTuple

import msgspec
import numpy as np

from archimetra.artwork.clip import clipped
from archimetra.artwork.drawing import (
    LARGEST_MM,
    Drawing,
    DrawnPicture,
    DrawnShape,
    transformed,
)
from archimetra.artwork.report import ReportLine
from archimetra.artwork.svg_layers import Layers
from archimetra.artwork.svg_page import fit, page_of, view_box
from archimetra.artwork.svg_paths import parse_transform
from archimetra.artwork.svg_report import Notes
from archimetra.artwork.svg_shapes import SHAPES, PercentOf, number, outlines, stroke_mm
from archimetra.artwork.svg_style import INHERITED, StyleSheet
from archimetra.artwork.svg_text import lay_out
from archimetra.artwork.svg_tree import MAX_BYTES, Node, read_tree, too_large, walk
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.nodes import closed_straight
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.refit import FINE_MM
from archimetra.geometry.region import EMPTY, Region, intersect, region_of, unite

MAX_SHAPES = 500_000  # after `use` has been followed; a small file can ask for billions
MAX_USE_DEPTH = 40
MOST_CLIPPED = 20_000  # shapes a clip's edge runs through: each is an overlay of areas
MAX_COPIED = 200_000  # elements visited as copies, whether they draw anything or not
JOIN_MM = 0.001  # ends this near are one point written twice

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


class _State(NamedTuple):
    to_page: Affine
    style: dict[str, str]
    layer: int
    clip: Region | None = None  # what a clip around this element lets through, in mm


class _Reader:
    def __init__(self, root: Node, name: str) -> None:
        self._root = root
        self._name = name
        self._layers = Layers()
        self._shapes: list[DrawnShape] = []
        self._notes = Notes()
        self._percent = PercentOf()
        self._pictures: list[DrawnPicture] = []
        self._by_id: dict[str, Node] = {}
        self._using: list[Node] = []
        self._copied = 0
        styles: list[str] = []
        for node in walk(root):
            id_ = node.attributes.get("id")
            if id_ is not None:
                self._by_id.setdefault(id_, node)
            if node.tag == "style":
                styles.append(node.text)
        self._sheet = StyleSheet(styles, root)

    def read(self) -> Drawing:
        page = page_of(self._root, self._notes.caution)
        self._percent = page.percent
        y_up = Affine(page.mm_per_px, 0.0, 0.0, -page.mm_per_px, 0.0, 0.0)
        if page.size_px is not None:
            y_up = y_up.then(Affine.shift(0.0, page.size_px[1] * page.mm_per_px))
        layer_nodes = self._layers.mark(self._root, self._notes)
        start = _State(page.to_px.then(y_up), {}, -1)
        self._visit_children(self._root, self._styled(self._root, start), layer_nodes)
        shapes = self._shapes
        if not shapes and not self._pictures:
            raise ArtworkError(self._notes.nothing_to_cut(self._name))
        report = self._notes.report(page.scale, len(self._pictures), self._sheet.not_understood)
        if page.size_px is None and shapes:
            shapes, report = self._moved_to_origin(shapes, report)
        page_mm = None if page.size_px is None else tuple(side * page.mm_per_px for side in page.size_px)
        return Drawing(
            name=self._name.rsplit(".", 1)[0],
            layers=self._layers.drawn(),
            shapes=tuple(shapes),
            scale=page.scale,
            page_mm=(page_mm[0], page_mm[1]) if page_mm else None,
            report=tuple(report),
            pictures=tuple(self._pictures),
        )

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
            self._notes.leave_out("text", node)
        elif tag in ("g", "a", "svg", "switch", "use", "text", "image", *SHAPES):
            own = self._sheet.properties_of(node)
            if own.get("display") == "none":
                self._notes.leave_out("hidden", node)
                return
            try:
                inner = self._styled(node, state)
            except ValueError as error:
                self._notes.caution("svg-transform", f"An element was left out: {error}.", node)
                return
            if own.get("mask", "none") != "none":
                self._notes.leave_out("mask", node)
            if own.get("clip-path", "none") != "none":
                inner = self._with_clip(own["clip-path"], node, inner)
            if tag in SHAPES:
                self._shape(node, inner)
            elif tag == "text":
                self._text(node, inner)
            elif tag == "image":
                self._picture(node, inner)
            else:
                inner = inner._replace(layer=layers.get(id(node), inner.layer))
                self._container(node, inner, layers)
        else:
            self._notes.leave_out(f"<{tag}>", node)

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
            self._notes.caution("svg-use", f"A copy of '{link}' was left out: there is no such element.", node)
            return
        if target in self._using or len(self._using) >= MAX_USE_DEPTH:
            self._notes.caution("svg-use-loop", f"A copy of '{link}' was left out: it contains itself.", node)
            return
        x, y = number(node, "x", self._percent), number(node, "y", self._percent)
        placed = state._replace(to_page=Affine.shift(x, y).then(state.to_page))
        self._using.append(target)
        if target.tag == "symbol":
            try:
                self._nested_page(target, self._styled(target, placed), layers, size_of=node)
            except ValueError as error:
                self._notes.caution("svg-transform", f"An element was left out: {error}.", target)
        else:
            self._visit(target, placed, layers)
        self._using.pop()

    def _nested_page(self, node: Node, state: _State, layers: dict[int, int], *, size_of: Node | None = None) -> None:
        holder = size_of or node
        m = IDENTITY if size_of else Affine.shift(number(node, "x", self._percent), number(node, "y", self._percent))
        view = view_box(node, self._notes.caution)
        width, height = number(holder, "width", self._percent), number(holder, "height", self._percent)
        if view and width > 0 and height > 0:
            m = fit(view, (width, height), node.attributes.get("preserveAspectRatio", "")).then(m)
        elif view:
            m = Affine.shift(-view[0], -view[1]).then(m)
        self._visit_children(node, state._replace(to_page=m.then(state.to_page)), layers)

    # ---- shapes

    def _shape(self, node: Node, state: _State) -> None:
        if len(self._shapes) >= MAX_SHAPES:
            raise ArtworkError(f"{self._name} draws more than {MAX_SHAPES:,} shapes. Split the drawing.")
        style = state.style
        if style.get("visibility") in ("hidden", "collapse"):
            self._notes.leave_out("hidden", node)
            return
        is_filled = style.get("fill", "black") not in ("none", "transparent") and node.tag != "line"
        has_stroke = style.get("stroke", "none") not in ("none", "transparent")
        if not is_filled and not has_stroke:
            # drawing programs leave unpainted page frames behind; nobody sees them, so nobody means to cut them
            self._notes.leave_out("unpainted", node)
            return
        try:
            paths = transformed(outlines(node, self._percent), state.to_page)
            paths = tuple(self._closed(path, node, is_area=is_filled and not has_stroke) for path in paths)
            if is_filled and has_stroke:
                self._notes.half_open += [
                    (float(path.nodes[0, 0]), float(path.nodes[0, 1]))
                    for path in paths
                    if not path.closed and len(path) > 1
                ]
        except ValueError as error:
            self._notes.caution("svg-damaged", f"A {node.tag} was left out: {error}.", node)
            return
        if not paths:
            self._notes.leave_out("empty", node)
            return
        rule = FillRule.EVENODD if style.get("fill-rule") == "evenodd" else FillRule.NONZERO
        self._add(node, state, paths, rule, is_filled=is_filled, has_stroke=has_stroke)

    def _add(
        self, node: Node, state: _State, paths: tuple[Path, ...], rule: FillRule, *, is_filled: bool, has_stroke: bool,
        name: str = "",
    ) -> None:  # fmt: skip
        """One more shape, clipped if it is."""
        if max(float(np.abs(path.nodes).max()) for path in paths) > LARGEST_MM:
            self._notes.caution(
                "svg-far",
                f"A {node.tag} was left out: it lies more than {LARGEST_MM / 1000:g} m away.",
                node,
            )
            return
        if state.clip is not None:
            left = clipped(paths, state.clip, fill_rule=rule, is_filled=is_filled)
            if left is not None:
                box = bounds_of(paths) or (0.0, 0.0, 0.0, 0.0)
                if len(self._notes.clipped) >= MOST_CLIPPED:
                    raise ArtworkError(
                        f"In {self._name} more than {MOST_CLIPPED:,} shapes are cut by clips. Have the drawing program cut them "
                        "(its boolean operations do), then export again."
                    )
                self._notes.clipped.append(((box[0] + box[2]) / 2, (box[1] + box[3]) / 2))
                paths, rule = left, FillRule.EVENODD if is_filled else rule
            if not paths:
                return
        if state.layer < 0:
            state = state._replace(layer=self._layers.number("Artwork"))
        self._layers.paint(state.layer, state.style.get("stroke" if has_stroke else "fill", ""))
        self._shapes.append(
            DrawnShape(
                name=name or node.attributes.get("label") or node.attributes.get("id") or node.tag,
                layer=state.layer,
                paths=paths,
                fill_rule=rule,
                is_filled=is_filled,
                stroke_width=stroke_mm(state.style, state.to_page) if has_stroke else None,
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
            self._notes.leave_out("clip-path", node)
            return state
        frame = state.to_page
        if target.attributes.get("clipPathUnits") == "objectBoundingBox":
            box = self._box_of(node, state)
            if box is None:
                self._notes.leave_out("clip-path", node)
                return state
            frame = Affine(box[2] - box[0], 0.0, 0.0, box[3] - box[1], box[0], box[1]).then(frame)
        self._using.append(target)
        try:
            inside = self._clip_region(target, self._styled(target, _State(frame, {}, -1)))
        except ValueError:
            self._notes.leave_out("clip-path", node)
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
                shift = Affine.shift(number(child, "x", self._percent), number(child, "y", self._percent))
                node, inner = found, self._styled(found, inner._replace(to_page=shift.then(inner.to_page)))
            if node.tag in SHAPES:
                placed = transformed(outlines(node, self._percent), inner.to_page)
                rule = FillRule.EVENODD if inner.style.get("clip-rule") == "evenodd" else FillRule.NONZERO
                closed = [path if path.closed else closed_straight(path) for path in placed if len(path) > 1]
                parts.append(region_of(closed, rule, chord_tolerance_mm=FINE_MM))
        return unite(parts) if parts else EMPTY

    def _box_of(self, node: Node, state: _State) -> tuple[float, float, float, float] | None:
        """The bounding box of one shape in its own units; None for groups, whose box nobody states."""
        return bounds_of(outlines(node, self._percent)) if node.tag in SHAPES else None

    def _text(self, node: Node, state: _State) -> None:
        style = state.style
        if style.get("visibility") in ("hidden", "collapse"):
            self._notes.leave_out("hidden", node)
            return

        def style_of(child: Node, around: dict[str, str]) -> dict[str, str]:
            own = self._sheet.properties_of(child)
            return {**around, **{key: value for key, value in own.items() if value != "inherit"}}

        try:
            laid = lay_out(node, style, style_of, self._by_id)
        except ValueError as error:
            self._notes.caution("svg-text", f"A text was left out: {error}", node)
            return
        if not laid.paths:
            self._notes.leave_out("empty", node)
            return
        paths = transformed(laid.paths, state.to_page)
        x0, y0, _, _ = bounds_of(paths) or (0.0, 0.0, 0.0, 0.0)
        self._notes.texts.append((x0, y0))
        for words in laid.stood_in:
            self._notes.stood_in.setdefault(words, []).append((x0, y0))
        if laid.missing:
            self._notes.caution("svg-letters", f"The font has no letter for '{laid.missing}'.", node)
        self._add(node, state, paths, FillRule.NONZERO, is_filled=True, has_stroke=False, name=laid.words[:40])

    def _picture(self, node: Node, state: _State) -> None:
        """A picture inside the file, kept for tracing; one that is only linked is told."""
        head, comma, body = node.attributes.get("href", "").strip().partition(",")
        if not comma or not head.startswith("data:image/") or not head.endswith(";base64"):
            self._notes.leave_out("linked picture", node)
            return
        try:
            data = base64.b64decode("".join(body.split()), validate=True)
        except binascii.Error:
            self._notes.caution("svg-picture", "A picture was left out: its data is damaged.", node)
            return
        width, height = number(node, "width", self._percent), number(node, "height", self._percent)
        if width <= 0 or height <= 0:
            self._notes.leave_out("empty", node)
            return
        x, y = number(node, "x", self._percent), number(node, "y", self._percent)
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
        self._notes.leave_out("straight close", node)
        return closed_straight(path)

    def _moved_to_origin(
        self, shapes: list[DrawnShape], report: list[ReportLine]
    ) -> tuple[list[DrawnShape], list[ReportLine]]:
        """Shapes, pictures and the report's places shifted so that the shapes' lower left corner is 0, 0."""
        corners = np.array([path.bounds()[:2] for shape in shapes for path in shape.paths]).min(axis=0)
        m = Affine.shift(-float(corners[0]), -float(corners[1]))
        self._pictures = [msgspec.structs.replace(p, at=p.at.then(m)) for p in self._pictures]
        told = [msgspec.structs.replace(e, places=tuple(m.point(*spot) for spot in e.places)) for e in report]
        return [msgspec.structs.replace(shape, paths=transformed(shape.paths, m)) for shape in shapes], told


def _is_for_us(node: Node) -> bool:
    """Whether a child of ``switch`` is one this program takes: no extensions, English or no language asked for."""
    if node.is_foreign or node.tag == "foreignObject" or node.attributes.get("requiredExtensions", "").strip():
        return False
    language = node.attributes.get("systemLanguage")
    return language is None or any(part.strip().lower().startswith("en") for part in language.split(","))
