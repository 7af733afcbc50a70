"""DXF entities as outlines in the drawing's units, blocks followed.

Each kind of entity is one method named after it. What an entity gives goes into a ``Content``: loose open pieces as plain
numbers (there may be hundreds of thousands), closed outlines as shapes.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from math import atan2, cos, degrees, isfinite, pi, radians, sin, tan
from typing import Any, NamedTuple

import numpy as np

from archimetra.artwork.drawing import DrawnLayer
from archimetra.artwork.fonts import Font, font_like
from archimetra.artwork.report import ReportLine, counted, left_out, mended
from archimetra.artwork.text import set_in, wrapped
from archimetra.artwork.text_form import Align, TextForm
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.arcfit import fit_arcs
from archimetra.geometry.arrays import BoolArray, FloatArray
from archimetra.geometry.joining import join
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.pieces import Pieces, pieces_of, taken
from archimetra.geometry.segments import Kind, boxes

MAX_THINGS = 500_000  # after blocks have been followed; a small file can ask for billions
MAX_DEPTH = 40
CURVE_MM = 0.002  # how closely curves that are neither arcs nor cubics are followed
_FEW = 40
_SET_AT = 20.0  # cap height texts are set at before they are scaled
HATCH_JOIN = 1e-3  # edges of a hatch's boundary meet within this share of its size


class Whole(NamedTuple):
    """A closed outline, or several that belong together. ``layer`` is '' for the layer of whoever inserts it."""

    name: str
    layer: str
    paths: tuple[Path, ...]
    is_filled: bool
    key: str
    order: int


class Content:
    """What a layout or a block draws."""

    def __init__(self) -> None:
        self._rows: list[tuple[float, float, float, float, float]] = []  # lines and arcs: begin, end, bulge
        self._row_of: list[tuple[str, str, int]] = []  # layer, key, order
        self._paths: list[Path] = []  # open pieces of several segments
        self._path_of: list[tuple[str, str, int]] = []
        self.shapes: list[Whole] = []
        self._loose: Pieces | None = None
        self._boxes: FloatArray | None = None

    @property
    def count(self) -> int:
        return len(self._rows) + len(self._paths) + len(self.shapes)

    def add_row(self, row: tuple[float, float, float, float, float], layer: str, key: str, order: int) -> None:
        self._rows.append(row)
        self._row_of.append((layer, key, order))

    def add_path(self, path: Path, layer: str, key: str, order: int) -> None:
        self._paths.append(path)
        self._path_of.append((layer, key, order))

    def drop_unsound(self) -> int:
        """Rows with places that are no numbers taken out; how many there were."""
        rows = np.array(self._rows, dtype=np.float64).reshape(-1, 5)
        unsound = np.unique(np.flatnonzero(~np.isfinite(rows)) // 5)
        sound = np.ones(len(rows), dtype=bool)
        sound[unsound] = False
        if len(unsound):
            self._rows = [row for row, keep in zip(self._rows, sound.tolist(), strict=True) if keep]
            self._row_of = [of for of, keep in zip(self._row_of, sound.tolist(), strict=True) if keep]
        return len(unsound)

    def boxes(self) -> FloatArray:
        """The box (n, 4) of every loose piece, then of every shape, in the file's units. Found once."""
        if self._boxes is None:
            loose = self.loose()
            around = np.zeros((0, 4))
            if loose.number:
                each, first = boxes(loose.segments()), loose.first[:-1]
                low, high = np.minimum.reduceat(each[:, :2], first), np.maximum.reduceat(each[:, 2:], first)
                around = np.hstack((low, high))
            bounds_of([path for shape in self.shapes for path in shape.paths])  # finds all boxes in one go
            whole = np.array([bounds_of(shape.paths) for shape in self.shapes]).reshape(-1, 4)
            self._boxes = np.vstack((around, whole))
        return self._boxes

    def loose(self) -> Pieces:
        """All open pieces: the rows first, then the paths."""
        if self._loose is None:
            rows = np.array(self._rows, dtype=np.float64).reshape(-1, 5)
            params = np.zeros((len(rows), 4))
            params[:, 0] = rows[:, 4]
            kinds = np.where(rows[:, 4] == 0, Kind.LINE, Kind.ARC).astype(np.uint8)
            more = pieces_of(self._paths)
            first = np.concatenate((np.arange(len(rows)), more.first + len(rows))).astype(np.int64)
            self._loose = Pieces(
                np.vstack((rows[:, 0:2], more.p)),
                np.vstack((rows[:, 2:4], more.q)),
                np.concatenate((kinds, more.kinds)),
                np.vstack((params, more.params)),
                first,
            )
        return self._loose

    def loose_layers(self) -> list[str]:
        return [of[0] for of in (*self._row_of, *self._path_of)]

    def loose_keys(self) -> list[str]:
        return [of[1] for of in (*self._row_of, *self._path_of)]

    def loose_orders(self) -> list[int]:
        return [of[2] for of in (*self._row_of, *self._path_of)]

    def without(self, loose: BoolArray, shapes: BoolArray) -> Content:
        """The content less the pieces and shapes marked."""
        out = Content()
        keep = np.flatnonzero(~loose)
        of = [*self._row_of, *self._path_of]
        pieces = taken(self.loose(), keep, np.zeros(len(keep), dtype=bool))
        for k, n in enumerate(keep.tolist()):
            out.add_path(pieces.path(k), *of[n])
        out.shapes = [shape for shape, far in zip(self.shapes, shapes, strict=True) if not far]
        return out

    def mapped_into(self, out: Content, m: Affine, layer: str, key: str, order: int) -> None:
        """Everything here put into ``out``, mapped; what has no layer of its own goes on ``layer``."""
        if self._rows and m.is_similarity:
            rows = np.array(self._rows)
            p, q = m.apply(rows[:, 0:2]), m.apply(rows[:, 2:4])
            bulge = rows[:, 4] * (-1.0 if m.determinant < 0 else 1.0) + 0.0  # no line keeps a minus nought
            for row, (own, own_key, _) in zip(np.column_stack((p, q, bulge)).tolist(), self._row_of, strict=True):
                out.add_row(tuple(row), own or layer, f"{key}/{own_key}", order)
            paths, path_of = self._paths, self._path_of
        else:  # arcs squeezed unevenly are no arcs any more
            paths = [self.loose().path(k) for k in range(self.loose().number)]
            path_of = [*self._row_of, *self._path_of]
        for path, (own, own_key, _) in zip(paths, path_of, strict=True):
            out.add_path(path.transform(m), own or layer, f"{key}/{own_key}", order)
        for shape in self.shapes:
            out.shapes.append(
                shape._replace(
                    layer=shape.layer or layer,
                    paths=tuple(path.transform(m) for path in shape.paths),
                    key=f"{key}/{shape.key}",
                    order=order,
                )
            )


class Converter:
    """Turns entities into content; remembers what was left out and why."""

    def __init__(self, document: Any, name: str, *, mm_per_unit: float) -> None:
        self._document = document
        self._name = name
        self._curve = CURVE_MM / mm_per_unit
        self._left: Counter[str] = Counter()
        self._places: dict[str, list[tuple[float, float]]] = {}
        self._stood_in: dict[str, list[tuple[float, float]]] = {}
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
            self._leave("damaged LINE", None)
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
                self._leave(f"invisible {kind}", None)
                continue
            if kind not in methods:
                methods[kind] = getattr(self, f"_{kind.lower()}", None)
            draw = methods[kind]
            if draw is None:
                self._leave(kind, _spot(values))
                continue
            layer = values.get("layer", "0")
            if is_block and layer == "0":
                layer = ""
            self._order += 1
            try:
                draw(entity, values, out, layer, str(values.get("handle", self._order)))
            except (ValueError, KeyError, TypeError, AttributeError, IndexError, ZeroDivisionError, OverflowError):
                self._leave(f"damaged {kind}", _spot(values))

    # ---- lines, arcs, curves

    def _line(self, _e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        a, b = d["start"], d["end"]
        # world coordinates: a line has no plane of its own
        out.add_row((a.x, a.y, b.x, b.y, 0.0), layer, key, self._order)

    def _arc(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        r, a0, a1 = float(d["radius"]), float(d.get("start_angle", 0.0)), float(d.get("end_angle", 360.0))
        _finite(r, a0, a1)
        sweep = (a1 - a0) % 360.0 or 360.0
        m, c = _plane(e, d), d["center"]
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
            out.add_row(_finite(*points[0], *points[1], bulge), layer, key, self._order)
        else:
            out.add_path(Path.arcs(np.array(points), np.full(parts, bulge), closed=False), layer, key, self._order)

    def _circle(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        c, r = d["center"], float(d["radius"])
        if not r > 0:
            raise ValueError("a circle without radius")
        self._whole(out, Path.circle((c.x, c.y), r).transform(_plane(e, d)), layer, key, "circle")

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
        path = self._curve_path(e.construction_tool())
        self._open_or_closed(out, path, layer, key, "spline")

    _helix = _spline

    def _curve_path(self, spline: Any) -> Path:
        """A B-spline exactly where it is a chain of cubics, else within ``CURVE_MM``."""
        if spline.is_rational or spline.degree > 3 or not spline.is_clamped:
            points = np.array([(p.x, p.y) for p in spline.flattening(self._curve, segments=8)])
            return fit_arcs(points, tolerance_mm=2 * self._curve, closed=False)
        nodes: list[Any] = []
        params: list[Any] = []
        for bezier in spline.bezier_decomposition():
            c = np.array([(p.x, p.y) for p in bezier])
            if len(c) == 2:
                c = np.array([c[0], c[0] + (c[1] - c[0]) / 3, c[1] - (c[1] - c[0]) / 3, c[1]])
            elif len(c) == 3:
                c = np.array([c[0], c[0] + 2 / 3 * (c[1] - c[0]), c[2] + 2 / 3 * (c[1] - c[2]), c[2]])
            if not nodes:
                nodes.append(c[0])
            nodes.append(c[3])
            params.append((*c[1], *c[2]))
        kinds = np.full(len(params), Kind.CUBIC, np.uint8)
        return Path(np.array(nodes), kinds, np.array(params), closed=False)

    # ---- polylines

    def _lwpolyline(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        rows = np.array(e.lwpoints.values, dtype=np.float64).reshape(-1, 5)
        if rows[:, 2:4].any() or d.get("const_width", 0.0):
            self._leave("line width", _at(rows[0, :2]))
        self._bulged(out, rows[:, :2], rows[:, 4], bool(d.get("flags", 0) & 1), _plane(e, d), layer, key)

    def _polyline(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        if e.is_poly_face_mesh or e.is_polygon_mesh:
            self._leave("mesh", None)
            return
        # flag 16 marks the control points of a spline: only the curve through them is drawn
        vertices = [v.dxf for v in e.vertices if not v.dxf.get("flags", 0) & 16]
        points = np.array([(v.location.x, v.location.y) for v in vertices]).reshape(-1, 2)
        bulges = np.array([float(v.get("bulge", 0.0)) for v in vertices])
        m = _plane(e, d) if e.is_2d_polyline else IDENTITY
        self._bulged(out, points, bulges, bool(e.is_closed), m, layer, key)

    def _bulged(
        self, out: Content, points: Any, bulges: Any, is_closed: bool, m: Affine, layer: str, key: str
    ) -> None:  # fmt: skip
        path = bulged_path(points, bulges, is_closed=is_closed)
        if path is None:
            self._leave("empty polyline", None)
            return
        self._open_or_closed(out, path.transform(m), layer, key, "polyline")

    # ---- areas

    def _solid(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        corners = [d[name] for name in ("vtx0", "vtx1", "vtx3", "vtx2") if name in d]  # the last two are crossed
        points = list(dict.fromkeys((c.x, c.y) for c in corners))
        if len(points) < 3:
            raise ValueError("fewer than three corners")
        self._whole(
            out, Path.polyline(points, closed=True).transform(_plane(e, d)), layer, key, "solid", is_filled=True
        )

    _trace = _solid

    def _3dface(self, _e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        points = list(dict.fromkeys((d[n].x, d[n].y) for n in ("vtx0", "vtx1", "vtx2", "vtx3") if n in d))
        if len(points) < 3:
            raise ValueError("fewer than three corners")
        self._whole(out, Path.polyline(points, closed=True), layer, key, "face")

    def _hatch(self, e: Any, d: dict[str, Any], out: Content, layer: str, key: str) -> None:
        m = _plane(e, d)
        paths: list[Path] = []
        for boundary in e.paths:
            if hasattr(boundary, "vertices"):
                rows = np.array([(v[0], v[1], v[2] if len(v) > 2 else 0.0) for v in boundary.vertices]).reshape(-1, 3)
                ring = bulged_path(rows[:, :2], rows[:, 2], is_closed=True)
                if ring is not None:
                    paths.append(ring)
            else:
                paths.extend(self._edges(boundary))
        closed = tuple(path.transform(m) for path in paths if path.closed)
        if not closed:
            raise ValueError("no closed boundary")
        out.shapes.append(Whole("hatch", layer, closed, True, key, self._order))

    _mpolygon = _hatch

    def _edges(self, boundary: Any) -> list[Path]:
        """The edges of a boundary joined, in whatever order and direction they come."""
        pieces: list[Path] = []
        for edge in boundary.edges:
            kind = type(edge).__name__
            if kind == "LineEdge":
                a, b = edge.start, edge.end
                if a != b:
                    pieces.append(Path.polyline([(a.x, a.y), (b.x, b.y)], closed=False))
            elif kind == "ArcEdge":
                sweep = (edge.end_angle - edge.start_angle) % 360.0 or 360.0
                angles = [radians(edge.start_angle + sweep * k / 2) for k in range(3)]
                points = [(edge.center.x + edge.radius * cos(a), edge.center.y + edge.radius * sin(a)) for a in angles]
                if sweep > 359.999:
                    points[2] = points[0]
                pieces.append(Path.arcs(np.array(points), np.full(2, tan(radians(sweep) / 8)), closed=sweep > 359.999))
            else:
                tool = edge.construction_tool()
                if kind == "EllipseEdge":
                    flat = np.array([(p.x, p.y) for p in tool.flattening(self._curve)])
                    pieces.append(fit_arcs(flat, tolerance_mm=2 * self._curve, closed=False))
                else:
                    pieces.append(self._curve_path(tool))
        whole = [path for path in pieces if path.closed]
        loose = [path for path in pieces if not path.closed and path.length() > 0]
        if loose:
            box = bounds_of(loose) or (0.0, 0.0, 0.0, 0.0)
            near = HATCH_JOIN * max(box[2] - box[0], box[3] - box[1])
            whole.extend(join(pieces_of(loose), tolerance_mm=near).chains)
        return whole

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
        self._set(out, form, grow.then(squeeze).then(turn).then(_plane(e, d)), d, layer, key)

    _attrib = _text

    def _attdef(self, _e: Any, d: dict[str, Any], _out: Content, _layer: str, _key: str) -> None:
        self._leave("ATTDEF", _spot(d))

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
        m = Affine.shift(0.0, drop).then(Affine.turn(angle)).then(Affine.shift(at.x, at.y)).then(_plane(e, d))
        for number, line in enumerate(text.split("\n")):  # line by line: the file says how far apart they stand
            if line.strip():
                form = TextForm(text=line.strip(), cap_height=_SET_AT, align=align)
                own = Affine.scale(height / _SET_AT).then(Affine.shift(0.0, -number * spacing))
                self._set(out, form, own.then(m), d, layer, f"{key}.{number}")

    def _set(self, out: Content, form: TextForm, m: Affine, d: dict[str, Any], layer: str, key: str) -> None:
        font, is_named, wanted = self._font_of(d)
        spot = m.point(0.0, 0.0)
        if not is_named:
            self._stood_in.setdefault(f"'{wanted}' ({font.name} stood in)", []).append(spot)
        try:
            paths = set_in(form, font).paths
        except ArtworkError:
            self._leave("empty text", spot)
            return
        self._left["text"] += 1
        self._places.setdefault("text", []).append(spot)
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
        plane = _plane(e, d)
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
                _finite(m.a, m.b, m.c, m.d, m.e, m.f)
                if m.determinant == 0:
                    raise ValueError("a copy without extent")
                block.mapped_into(out, m, layer, f"{key}.{i}.{j}" if columns * rows > 1 else key, self._order)
        self._walk(e.attribs, out, is_block=False)

    def _block(self, name: str) -> Content:
        """The content of a block, worked out once. A block that contains itself draws nothing there."""
        key = name.casefold()
        if key in self._open or len(self._open) >= MAX_DEPTH:
            self._leave("block that contains itself", None)
            return Content()
        if key not in self._blocks:
            layout = self._document.blocks.get(name)
            if layout is None:
                self._leave("missing block", None)
                return Content()
            self._open.append(key)
            content = Content()
            order = self._order
            self._walk(layout, content, is_block=True)
            self._order = order
            self._open.pop()
            for _ in range(content.drop_unsound()):
                self._leave("damaged LINE", None)
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

    def _leave(self, what: str, spot: tuple[float, float] | None) -> None:
        self._left[what] += 1
        if spot is not None:
            self._places.setdefault(what, []).append(spot)

    def why_empty(self) -> str:
        """A sentence saying what there was instead of something to cut."""
        if not self._left:
            return "Its model space is empty. Draw something in it, or look whether the parts lie in paper space."
        seen = ", ".join(f"{count} {what}" for what, count in self._left.most_common(4))
        return f"Left out: {seen}."

    def report(self) -> list[ReportLine]:
        """What was left out or changed, with places in the finished drawing."""
        out = []
        for what, count in self._left.items():
            places = [self.to_drawing.point(*spot) for spot in self._places.get(what, [])]
            out.append(_entry(what, count, places))
        for words, places in self._stood_in.items():
            places = [self.to_drawing.point(*spot) for spot in places]
            out.append(left_out("dxf-font", f"The font {words} is not on this machine; check the text.", places=places))
        return out


def bulged_path(points: Any, bulges: Any, *, is_closed: bool) -> Path | None:
    """A polyline with bulges; points repeated in place dropped; None where fewer than two different ones are left. Arcs of more than
    half a circle come as two: the ends of a nearly full one may lie so close that closing it would leave nothing of it."""
    points, bulges = np.asarray(points, dtype=np.float64), np.asarray(bulges, dtype=np.float64)
    if len(bulges) and np.abs(bulges).max() > 1.0 and np.isfinite(points).all() and np.isfinite(bulges).all():
        points, bulges = _halved(points, bulges, is_closed=is_closed)
    if 2 < len(points) < _FEW:  # most polylines: without arrays it is three times as quick
        rows = points.tolist()
        ring = [*rows, rows[0]] if is_closed else rows
        if all(a != b for a, b in zip(ring[:-1], ring[1:], strict=True)):
            return Path.arcs(np.array(ring), bulges if is_closed else bulges[:-1], closed=is_closed)
    if not (np.isfinite(points).all() and np.isfinite(bulges).all()):
        raise ValueError("a place that is no number")
    if is_closed and len(points):
        points, bulges = np.vstack((points, points[:1])), np.append(bulges, 0.0)
    if len(points) < 2:
        return None
    keep = (np.diff(points, axis=0) != 0).any(axis=1)
    if not keep.any():
        return None
    nodes = np.vstack((points[:-1][keep], points[-1:]))
    if is_closed and keep.sum() < 2 and not bulges[:-1][keep].any():
        return None
    return Path.arcs(nodes, bulges[:-1][keep], closed=is_closed)


def _halved(points: Any, bulges: Any, *, is_closed: bool) -> tuple[Any, Any]:
    """Points and bulges with arcs of more than half a circle cut in their middle: the sagitta is half the chord times the bulge."""
    out, half = [], list[float]()
    count = len(points)
    for k in range(count):
        out.append(points[k])
        wide = abs(bulges[k]) > 1.0 and (k + 1 < count or is_closed)
        if wide:
            d = points[(k + 1) % count] - points[k]
            out.append((points[k] + points[(k + 1) % count]) / 2 + np.array((d[1], -d[0])) * bulges[k] / 2)
            half += [float(np.tan(np.arctan(bulges[k]) / 2))] * 2
        else:
            half.append(float(bulges[k]))
    return np.array(out), np.array(half)


def _plane(entity: Any, d: dict[str, Any]) -> Affine:
    """From the entity's own plane to the board, seen from above. Plain drawings lie in it already."""
    normal = d.get("extrusion")
    if normal is None or (normal.x == 0 and normal.y == 0 and normal.z > 0):
        return IDENTITY
    if normal.x == 0 and normal.y == 0:
        return Affine(a=-1.0)  # seen from behind: x runs the other way
    ocs = entity.ocs()
    level = float(d.get("elevation", 0.0)) if not hasattr(d.get("elevation"), "z") else d["elevation"].z
    o, x, y = (ocs.to_wcs(p) for p in ((0, 0, level), (1, 0, level), (0, 1, level)))
    m = Affine(x.x - o.x, x.y - o.y, y.x - o.x, y.y - o.y, o.x, o.y)
    if abs(m.determinant) < 1e-6:
        raise ValueError("it stands on edge")
    return m


def _finite(*values: float) -> Any:
    if not all(isfinite(value) for value in values):
        raise ValueError("a place that is no number")
    return values


def _spot(values: dict[str, Any]) -> tuple[float, float] | None:
    for name in ("insert", "location", "center", "start", "defpoint"):
        at = values.get(name)
        if at is not None and isfinite(at.x) and isfinite(at.y):
            return float(at.x), float(at.y)
    return None


def _at(point: Any) -> tuple[float, float]:
    return float(point[0]), float(point[1])


def _indexed(number: int) -> str:
    """A colour of the drawing's palette; white on black paper is ink, which is '' here."""
    from ezdxf.colors import aci2rgb

    number = abs(int(number))
    return "" if number in (0, 7, 255, 256) or number > 256 else "#{:02x}{:02x}{:02x}".format(*aci2rgb(number))


def _entry(what: str, count: int, places: list[tuple[float, float]]) -> ReportLine:
    table = {
        "text": (True, f"{counted(count, 'text')} turned into outlines."),
        "POINT": (False, f"{counted(count, 'point')} left out: a point has no outline. Draw circles where holes go."),
        "DIMENSION": (True, f"{counted(count, 'dimension')} left out."),
        "line width": (True, f"{counted(count, 'polyline')} drawn with a width came in as their middle lines."),
        "mesh": (False, f"{counted(count, 'mesh', 'meshes')} left out: only flat drawings can be cut."),
        "block that contains itself": (False, "A block that contains itself was left out there."),
        "missing block": (False, f"{counted(count, 'copy', 'copies')} of blocks that are not in the file left out."),
        "ATTDEF": (True, f"{counted(count, 'attribute definition')} left out."),
        "empty polyline": (True, f"{counted(count, 'polyline')} without extent left out."),
        "empty text": (False, f"{counted(count, 'text')} left out: the font has none of its letters."),
    }
    is_harmless, sentence = table.get(what, (what.startswith("invisible"), f"{counted(count, what)} left out."))
    if what == "text":
        return mended("dxf-text", sentence, places)
    return left_out(f"dxf-{what.lower().replace(' ', '-')}", sentence, places=places, is_harmless=is_harmless)
