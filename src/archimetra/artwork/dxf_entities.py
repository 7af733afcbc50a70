"""DXF entities as outlines in the drawing's units, blocks followed.

Each kind of entity is one method named after it. What an entity gives goes into a ``Content``.
"""

from __future__ import annotations

from collections.abc import Iterable
from math import atan2, cos, degrees, pi, radians, sin, tan
from typing import Any

import numpy as np

from archimetra.artwork.drawing import DrawnLayer
from archimetra.artwork.dxf_content import Content, Whole
from archimetra.artwork.dxf_left import Left
from archimetra.artwork.dxf_shapes import bulged_path, curve_path, finite, hatch_outlines, plane_of, spot_of
from archimetra.artwork.fonts import Font, font_like
from archimetra.artwork.report import ReportLine
from archimetra.artwork.text import set_in, wrapped
from archimetra.artwork.text_form import Align, TextForm
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.path import Path

MAX_THINGS = 500_000  # after blocks have been followed; a small file can ask for billions
MAX_DEPTH = 40
CURVE_MM = 0.002  # how closely curves that are neither arcs nor cubics are followed
_SET_AT = 20.0  # cap height texts are set at before they are scaled


class Converter:
    """Turns entities into content; remembers what was left out and why."""

    def __init__(self, document: Any, name: str, *, mm_per_unit: float) -> None:
        self._document = document
        self._name = name
        self._curve = CURVE_MM / mm_per_unit
        self._left = Left()
        self._blocks: dict[str, Content] = {}
        self._open: list[str] = []
        self._layer_numbers: dict[str, int] = {}
        self._order = 0
        self.to_drawing = IDENTITY  # set when the drawing's place is known; places are mapped by it

    # ---- layers

    def layer(self, name: str) -> int:
        return self._layer_numbers.setdefault(name or "0", len(self._layer_numbers))

    def layers(self) -> tuple[DrawnLayer, ...]:
        out = []
        for name in self._layer_numbers:
            colour, is_shown = "", True
            if name in self._document.layers:
                layer = self._document.layers.get(name)
                colour = "#{:02x}{:02x}{:02x}".format(*layer.rgb) if layer.rgb else _indexed(layer.color)
                is_shown = not (layer.is_off() or layer.is_frozen())
            out.append(DrawnLayer(name, colour, is_shown))
        return tuple(out)

    # ---- walking

    def content_of(self, entities: Iterable[Any]) -> Content:
        """What a layout draws. Raises ArtworkError where its blocks unfold to more than ``MAX_THINGS``."""
        if self._unfolded(entities, {}, 0) > MAX_THINGS:
            raise ArtworkError(
                f"{self._name} draws more than {MAX_THINGS:,} things once its blocks are followed. Split the drawing."
            )
        out = Content()
        self._walk(entities, out, is_block=False)
        for _ in range(out.drop_unsound()):
            self._left.add("damaged LINE")
        return out

    def _unfolded(self, entities: Iterable[Any], known: dict[str, int], depth: int) -> int:
        """How many things entities are once blocks are followed, counted without drawing any."""
        total = 0
        for entity in entities:
            if entity.dxftype() != "INSERT":
                total += 1
                continue
            d = entity.dxf.__dict__
            name = str(d.get("name", ""))
            if name not in known:
                known[name] = 0  # within itself a block counts for nothing
                block = self._document.blocks.get(name) if depth < MAX_DEPTH else None
                known[name] = self._unfolded(block, known, depth + 1) if block is not None else 0
            total += known[name] * max(int(d.get("column_count", 1)), 1) * max(int(d.get("row_count", 1)), 1)
        return total

    def _walk(self, entities: Iterable[Any], out: Content, *, is_block: bool) -> None:
        methods: dict[str, Any] = {}
        for entity in entities:
            kind = entity.dxftype()
            values = entity.dxf.__dict__
            if values.get("invisible", 0):
                self._left.add(f"invisible {kind}")
                continue
            if kind not in methods:
                methods[kind] = getattr(self, f"_{kind.lower()}", None)
            draw = methods[kind]
            if draw is None:
                self._left.add(kind, spot_of(values))
                continue
            layer = values.get("layer", "0")
            if is_block and layer == "0":
                layer = ""
            self._order += 1
            try:
                draw(entity, values, out, layer, str(values.get("handle", self._order)))
            except (ValueError, KeyError, TypeError, AttributeError, IndexError, ZeroDivisionError, OverflowError):
                self._left.add(f"damaged {kind}", spot_of(values))

    # ---- lines, arcs, curves

    def _line(self, _e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        a, b = d["start"], d["end"]
        # world coordinates: a line has no plane of its own
        out.add_row((a.x, a.y, b.x, b.y, 0.0), layer, key, self._order)

    def _arc(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        r, a0, a1 = float(d["radius"]), float(d.get("start_angle", 0.0)), float(d.get("end_angle", 360.0))
        finite(r, a0, a1)
        sweep = (a1 - a0) % 360.0 or 360.0
        m, c = plane_of(e, d), d["center"]
        if sweep > 359.999999:
            self._whole(out, Path.circle((c.x, c.y), r).transform(m), layer, key, "circle")
            return
        parts = 2 if sweep > 180 else 1
        angles = [radians(a0 + sweep * k / parts) for k in range(parts + 1)]
        bulge = tan(radians(sweep) / parts / 4)
        points = [(c.x + r * cos(a), c.y + r * sin(a)) for a in angles]
        if m is not IDENTITY:
            piece = Path.arcs(np.array(points), np.full(parts, bulge), closed=False).transform(m)
            out.add_path(piece, layer, key, self._order)
        elif parts == 1:
            out.add_row(finite(*points[0], *points[1], bulge), layer, key, self._order)
        else:
            out.add_path(Path.arcs(np.array(points), np.full(parts, bulge), closed=False), layer, key, self._order)

    def _circle(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        c, r = d["center"], float(d["radius"])
        if not r > 0:
            raise ValueError("a circle without radius")
        self._whole(out, Path.circle((c.x, c.y), r).transform(plane_of(e, d)), layer, key, "circle")

    def _ellipse(self, _e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        c, major, ratio = d["center"], d["major_axis"], float(d["ratio"])
        t0, t1 = float(d.get("start_param", 0.0)), float(d.get("end_param", 2 * pi))
        normal = d.get("extrusion")
        minor = (-major.y, major.x)
        if normal is not None and normal.z < 0:
            minor = (major.y, -major.x)
        m = Affine(major.x, major.y, minor[0] * ratio, minor[1] * ratio, c.x, c.y)
        sweep = (t1 - t0) % (2 * pi) or 2 * pi
        if sweep > 2 * pi - 1e-9:
            self._whole(out, Path.circle((0.0, 0.0), 1.0).transform(m), layer, key, "ellipse")
            return
        parts = 4
        angles = t0 + sweep * np.arange(parts + 1) / parts
        unit = Path.arcs(
            np.column_stack((np.cos(angles), np.sin(angles))), np.full(parts, tan(sweep / 16)), closed=False
        )
        out.add_path(unit.transform(m), layer, key, self._order)

    def _spline(self, e: Any, _d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        path = curve_path(e.construction_tool(), self._curve)
        self._open_or_closed(out, path, layer, key, "spline")

    _helix = _spline

    # ---- polylines

    def _lwpolyline(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        rows = np.array(e.lwpoints.values, dtype=np.float64).reshape(-1, 5)
        if rows[:, 2:4].any() or d.get("const_width", 0.0):
            self._left.add("line width", (float(rows[0, 0]), float(rows[0, 1])))
        self._bulged(out, rows[:, :2], rows[:, 4], bool(d.get("flags", 0) & 1), plane_of(e, d), layer, key)

    def _polyline(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        if e.is_poly_face_mesh or e.is_polygon_mesh:
            self._left.add("mesh")
            return
        # flag 16 marks the control points of a spline: only the curve through them is drawn
        vertices = [v.dxf for v in e.vertices if not v.dxf.get("flags", 0) & 16]
        points = np.array([(v.location.x, v.location.y) for v in vertices]).reshape(-1, 2)
        bulges = np.array([float(v.get("bulge", 0.0)) for v in vertices])
        m = plane_of(e, d) if e.is_2d_polyline else IDENTITY
        self._bulged(out, points, bulges, bool(e.is_closed), m, layer, key)

    def _bulged(
        self, out: Content, points: Any, bulges: Any, is_closed: bool, m: Affine, layer: str, key: str
    ) -> None:  # fmt: skip
        path = bulged_path(points, bulges, is_closed=is_closed)
        if path is None:
            self._left.add("empty polyline")
            return
        self._open_or_closed(out, path.transform(m), layer, key, "polyline")

    # ---- areas

    def _solid(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        corners = [d[name] for name in ("vtx0", "vtx1", "vtx3", "vtx2") if name in d]  # the last two are crossed
        points = list(dict.fromkeys((c.x, c.y) for c in corners))
        if len(points) < 3:
            raise ValueError("fewer than three corners")
        self._whole(
            out, Path.polyline(points, closed=True).transform(plane_of(e, d)), layer, key, "solid", is_filled=True
        )

    _trace = _solid

    def _3dface(self, _e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        points = list(dict.fromkeys((d[n].x, d[n].y) for n in ("vtx0", "vtx1", "vtx2", "vtx3") if n in d))
        if len(points) < 3:
            raise ValueError("fewer than three corners")
        self._whole(out, Path.polyline(points, closed=True), layer, key, "face")

    def _hatch(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        m = plane_of(e, d)
        paths: list[Path] = []
        for boundary in e.paths:
            if hasattr(boundary, "vertices"):
                rows = np.array([(v[0], v[1], v[2] if len(v) > 2 else 0.0) for v in boundary.vertices]).reshape(-1, 3)
                ring = bulged_path(rows[:, :2], rows[:, 2], is_closed=True)
                if ring is not None:
                    paths.append(ring)
            else:
                paths.extend(hatch_outlines(boundary, self._curve))
        closed = tuple(path.transform(m) for path in paths if path.closed)
        if not closed:
            raise ValueError("no closed boundary")
        out.shapes.append(Whole("hatch", layer, closed, True, key, self._order))

    _mpolygon = _hatch

    # ---- text

    def _text(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        height = float(d.get("height", 0.0))
        text = e.plain_text().strip()
        if not text or not height > 0:
            return
        at: Any = d["insert"]
        halign, valign = int(d.get("halign", 0)), int(d.get("valign", 0))
        if (halign or valign) and d.get("align_point") is not None and halign not in (3, 5):
            at = d["align_point"]
        align = {1: Align.CENTRE, 4: Align.CENTRE, 2: Align.RIGHT}.get(halign, Align.LEFT)
        drop = {1: 0.0, 2: -height / 2, 3: -height}.get(valign, -height / 2 if halign == 4 else 0.0)
        squeeze = Affine(
            float(d.get("width", 1.0)) or 1.0, 0.0, tan(radians(float(d.get("oblique", 0.0)))), 1.0, 0.0, drop
        )
        if int(d.get("text_generation_flag", 0)) & 2:
            squeeze = squeeze.then(Affine.scale(-1.0, 1.0))
        turn = Affine.turn(float(d.get("rotation", 0.0))).then(Affine.shift(at.x, at.y))
        form = TextForm(text=text, cap_height=_SET_AT, align=align)
        grow = Affine.scale(height / _SET_AT)  # the drawing's units may be anything
        self._set(out, form, grow.then(squeeze).then(turn).then(plane_of(e, d)), d, layer, key)

    _attrib = _text

    def _attdef(self, _e: Any, d: dict[str, Any], _out: Content, _layer: str, _key: str) -> None:
        self._left.add("ATTDEF", spot_of(d))

    def _mtext(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        height = float(d.get("char_height", 0.0))
        text = e.plain_text().strip("\n")
        if not text.strip() or not height > 0:
            return
        if float(d.get("width", 0.0)) > 0:
            text = wrapped(text, self._font_of(d)[0], width_mm=float(d["width"]) / height * _SET_AT, cap_height=_SET_AT)
        point = int(d.get("attachment_point", 1))
        align = (Align.LEFT, Align.CENTRE, Align.RIGHT)[(point - 1) % 3]
        spacing = float(d.get("line_spacing_factor", 1.0)) * 5 / 3 * height
        lines = text.count("\n")
        row = (point - 1) // 3
        drop = (-height, -height / 2 + lines * spacing / 2, lines * spacing)[row]
        angle = float(d.get("rotation", 0.0))
        direction = d.get("text_direction")
        if direction is not None:
            angle = degrees(atan2(direction.y, direction.x))
        at = d["insert"]
        m = Affine.shift(0.0, drop).then(Affine.turn(angle)).then(Affine.shift(at.x, at.y)).then(plane_of(e, d))
        for number, line in enumerate(text.split("\n")):  # line by line: the file says how far apart they stand
            if line.strip():
                form = TextForm(text=line.strip(), cap_height=_SET_AT, align=align)
                own = Affine.scale(height / _SET_AT).then(Affine.shift(0.0, -number * spacing))
                self._set(out, form, own.then(m), d, layer, f"{key}.{number}")

    def _set(self, out: Content, form: TextForm, m: Affine, d: dict[str, Any], layer: str, key: str) -> None:
        font, is_named, wanted = self._font_of(d)
        spot = m.point(0.0, 0.0)
        if not is_named:
            self._left.stood_in(wanted, font.name, spot)
        try:
            paths = set_in(form, font).paths
        except ArtworkError:
            self._left.add("empty text", spot)
            return
        self._left.add("text", spot)
        placed = tuple(path.transform(m) for path in paths)
        out.shapes.append(Whole(form.text[:40], layer, placed, True, key, self._order))

    def _font_of(self, d: dict[str, Any]) -> tuple[Font, bool, str]:
        """The font of a text's style, whether it is the one the file names, and that name."""
        style = d.get("style", "Standard")
        file = self._document.styles.get(style).dxf.font if style in self._document.styles else ""
        family = file.rsplit(".", 1)[0]
        font, is_named = font_like(family or "sans-serif", is_bold="bold" in file.lower())
        return font, is_named, file or style

    # ---- blocks

    def _insert(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        name = d["name"]
        block = self._block(name)
        at: Any = d["insert"]
        sx, sy = float(d.get("xscale", 1.0)), float(d.get("yscale", 1.0))
        base = self._document.blocks.get(name).block.dxf.base_point
        turn = Affine.turn(float(d.get("rotation", 0.0)))
        plane = plane_of(e, d)
        columns, rows = max(int(d.get("column_count", 1)), 1), max(int(d.get("row_count", 1)), 1)
        if block.count * columns * rows + out.count > MAX_THINGS:
            raise ArtworkError(
                f"{self._name} draws more than {MAX_THINGS:,} things once its blocks are followed. Split the drawing."
            )
        for i in range(columns):
            for j in range(rows):
                step = Affine.shift(i * float(d.get("column_spacing", 0.0)), j * float(d.get("row_spacing", 0.0)))
                m = Affine.shift(-base.x, -base.y).then(Affine.scale(sx, sy)).then(step).then(turn)
                m = m.then(Affine.shift(at.x, at.y)).then(plane)
                finite(m.a, m.b, m.c, m.d, m.e, m.f)
                if m.determinant == 0:
                    raise ValueError("a copy without extent")
                block.mapped_into(out, m, layer, f"{key}.{i}.{j}" if columns * rows > 1 else key, self._order)
        self._walk(e.attribs, out, is_block=False)

    def _block(self, name: str) -> Content:
        """The content of a block, worked out once. A block that contains itself draws nothing there."""
        key = name.casefold()
        if key in self._open or len(self._open) >= MAX_DEPTH:
            self._left.add("block that contains itself")
            return Content()
        if key not in self._blocks:
            layout = self._document.blocks.get(name)
            if layout is None:
                self._left.add("missing block")
                return Content()
            self._open.append(key)
            content = Content()
            order = self._order
            self._walk(layout, content, is_block=True)
            self._order = order
            self._open.pop()
            for _ in range(content.drop_unsound()):
                self._left.add("damaged LINE")
            self._blocks[key] = content
        return self._blocks[key]

    # ---- keeping account

    def _whole(
        self, out: Content, path: Path, layer: str, key: str, name: str, *, is_filled: bool = False
    ) -> None:  # fmt: skip
        out.shapes.append(Whole(name, layer, (path,), is_filled, key, self._order))

    def _open_or_closed(self, out: Content, path: Path, layer: str, key: str, name: str) -> None:
        if path.closed:
            self._whole(out, path, layer, key, name)
        elif len(path) > 1 and np.array_equal(path.nodes[0], path.nodes[-1]):
            self._whole(out, Path(path.nodes, path.kinds, path.params, closed=True), layer, key, name)
        else:
            out.add_path(path, layer, key, self._order)

    def why_empty(self) -> str:
        """A sentence saying what there was instead of something to cut."""
        return self._left.why_empty()

    def report(self) -> list[ReportLine]:
        """What was left out or changed, with places in the finished drawing."""
        return self._left.report(self.to_drawing)


def _indexed(number: int) -> str:
    """A colour of the drawing's palette; white on black paper is ink, which is '' here."""
    from ezdxf.colors import aci2rgb

    number = abs(int(number))
    return "" if number in (0, 7, 255, 256) or number > 256 else "#{:02x}{:02x}{:02x}".format(*aci2rgb(number))
