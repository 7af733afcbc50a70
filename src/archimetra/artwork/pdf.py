"""PDF, and illustration files built on it, to ``Drawing``: the paths of one page, true to size.

Brought in: paths with their transforms, fills and strokes, clips applied, text as the outlines its own fonts give, forms
(pages within the page). Pictures are handed over for tracing. A colour becomes a layer.
"""

from __future__ import annotations

import ctypes
from collections import Counter
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np

from archimetra.artwork.clip import clipped
from archimetra.artwork.drawing import LARGEST_MM, Drawing, DrawnLayer, DrawnPicture, DrawnShape, Scale, transformed
from archimetra.artwork.mend import drop_doubled_outlines, in_turn, join_ends, tidy
from archimetra.artwork.pdf_codes import DrawnLetter, by_code, is_named
from archimetra.artwork.report import ReportLine, counted, left_out, mended, read, unit_entry
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import IDENTITY, Affine
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.refit import FINE_MM
from archimetra.geometry.region import Region, intersect, region_of
from archimetra.geometry.roundness import with_arcs
from archimetra.geometry.segments import Kind

if TYPE_CHECKING:
    import pypdfium2

MM_PER_POINT = 25.4 / 72
MAX_OBJECTS = 500_000
MAX_DEPTH = 20
MAX_PICTURE_PX = 40_000_000
MOST_COLOUR_LAYERS = 24
MOST_CLIPPED = 20_000
_EM_MM = 100.0  # how large letters that are drawings are read: fine against the steps curves are told by
_COLOURS = {
    "Black": (0, 0, 0), "White": (255, 255, 255), "Grey": (128, 128, 128), "Red": (220, 20, 20), "Green": (20, 150, 40),
    "Blue": (20, 40, 220), "Yellow": (250, 220, 20), "Orange": (250, 140, 20), "Cyan": (0, 190, 220),
    "Magenta": (220, 0, 180), "Purple": (120, 30, 160), "Brown": (140, 80, 30), "Pink": (250, 170, 190),
}  # fmt: skip


def read_pdf(data: bytes, *, name: str, page: int = 1) -> Drawing:
    """The drawing on one page (from 1) of PDF bytes. Raises ArtworkError with a sentence where nothing comes of it."""
    import pypdfium2

    document = _document(data, name)
    try:
        pages = len(document)
        if not 1 <= page <= pages:
            raise ArtworkError(f"{name} has {counted(pages, 'page')}; there is no page {page}.")
        try:
            wanted = document[page - 1]
        except pypdfium2.PdfiumError as error:
            raise ArtworkError(
                f"Page {page} of {name} is damaged and cannot be opened. Export the drawing again."
            ) from error
        return _Reader(document, wanted, data, name, page, pages).read()
    finally:
        document.close()


def _document(data: bytes, name: str) -> pypdfium2.PdfDocument:
    import pypdfium2
    from pypdfium2 import raw

    if not data.strip():
        raise ArtworkError(f"{name} is empty. Export the drawing again.")
    try:
        document = pypdfium2.PdfDocument(data)
        if not len(document):
            raise ArtworkError(f"{name} has no pages. Export the drawing again.")
        return document
    except pypdfium2.PdfiumError as error:
        if raw.FPDF_GetLastError() == raw.FPDF_ERR_PASSWORD or "assword" in str(error):
            raise ArtworkError(f"{name} is locked with a password. Save it without one, then bring it in.") from error
        raise ArtworkError(f"{name} is not a PDF, or is damaged. Export the drawing again.") from error


class _Reader:
    def __init__(self, document: Any, page: Any, data: bytes, name: str, number: int, pages: int) -> None:
        from pypdfium2 import raw

        self._raw = raw
        self._document, self._page, self._data = document, page, data
        self._name, self._number, self._pages = name, number, pages
        self._shapes: list[DrawnShape] = []
        self._layers: dict[str, str] = {}
        self._pictures: list[DrawnPicture] = []
        self._left: Counter[str] = Counter()
        self._texts: list[tuple[float, float]] = []
        self._clipped: list[tuple[float, float]] = []
        self._clips: dict[bytes, Region | None] = {}
        self._count = 0
        self._drawn: dict[int, DrawnLetter] = {}
        self._little: dict[int, list[DrawnShape]] = {}
        self._glyphs: dict[tuple[int, int, float], list[Path]] = {}

    def read(self) -> Drawing:
        width, height = self._page.get_size()
        self._size = (width * MM_PER_POINT, height * MM_PER_POINT)
        self._to_mm = self._from_page(width, height)
        for handle in self._objects(self._page.raw, is_form=False):
            self._object(handle, IDENTITY, 0)
        self._text()
        if not self._shapes and not self._pictures:
            raise ArtworkError(self._nothing())
        done = in_turn(self._shapes, (tidy, drop_doubled_outlines, join_ends))
        layers = list(self._layers)
        if len(layers) > MOST_COLOUR_LAYERS:
            done.shapes[:] = [_on_layer(shape, 0) for shape in done.shapes]
            drawn_layers: tuple[DrawnLayer, ...] = (DrawnLayer("Artwork"),)
        else:
            drawn_layers = tuple(DrawnLayer(name, self._layers[name]) for name in layers)
        scale = Scale("pt", MM_PER_POINT, "PDF states sizes in points, 72 to the inch.", True)
        report = [unit_entry(scale.reason, is_certain=True), *self._report(), *done.entries]
        if self._pages > 1:
            report.insert(1, read("pdf-page", f"Page {self._number} of {self._pages} was read."))
        return Drawing(
            name=self._name.rsplit(".", 1)[0],
            layers=drawn_layers,
            shapes=tuple(done.shapes),
            scale=scale,
            page_mm=self._size,
            report=tuple(report),
            pictures=tuple(self._pictures),
            page=self._number,
            pages=self._pages,
        )

    def _from_page(self, width: float, height: float) -> Affine:
        """From the page's own units (its corner anywhere, maybe turned) to mm with the lower left corner at 0, 0."""
        left, bottom, right, top = self._page.get_cropbox()
        shift = Affine.shift(-left, -bottom)
        turn = self._page.get_rotation() % 360
        w, h = right - left, top - bottom
        back = {0: IDENTITY, 90: Affine.shift(0.0, w), 180: Affine.shift(w, h), 270: Affine.shift(h, 0.0)}[turn]
        return shift.then(Affine.turn(-turn)).then(back).then(Affine.scale(MM_PER_POINT))

    # ---- objects

    def _objects(self, holder: Any, *, is_form: bool) -> list[Any]:
        raw = self._raw
        count = raw.FPDFFormObj_CountObjects(holder) if is_form else raw.FPDFPage_CountObjects(holder)
        get = raw.FPDFFormObj_GetObject if is_form else raw.FPDFPage_GetObject
        self._count += max(count, 0)
        if self._count > MAX_OBJECTS:
            raise ArtworkError(f"{self._name} draws more than {MAX_OBJECTS:,} things. Split the drawing.")
        return [get(holder, k) for k in range(max(count, 0))]

    def _object(self, handle: Any, around: Affine, depth: int) -> None:
        raw = self._raw
        kind = raw.FPDFPageObj_GetType(handle)
        if kind == raw.FPDF_PAGEOBJ_FORM:
            if depth >= MAX_DEPTH:
                self._left["form nested too deep"] += 1
                return
            for inner in self._objects(handle, is_form=True):
                self._object(inner, self._matrix(handle).then(around), depth + 1)
        elif kind == raw.FPDF_PAGEOBJ_PATH:
            self._path(handle, around)
        elif kind == raw.FPDF_PAGEOBJ_IMAGE:
            self._picture(handle, around)
        elif kind == raw.FPDF_PAGEOBJ_SHADING:
            self._left["shading"] += 1

    def _matrix(self, handle: Any) -> Affine:
        m = self._raw.FS_MATRIX()
        if not self._raw.FPDFPageObj_GetMatrix(handle, m):
            return IDENTITY
        return Affine(m.a, m.b, m.c, m.d, m.e, m.f)

    def _path(self, handle: Any, around: Affine) -> None:
        raw = self._raw
        mode, has_stroke = ctypes.c_int(), ctypes.c_int()
        raw.FPDFPath_GetDrawMode(handle, mode, has_stroke)
        is_filled, strokes = mode.value != raw.FPDF_FILLMODE_NONE, bool(has_stroke.value)
        if not is_filled and not strokes:
            self._left["unpainted"] += 1
            return
        m = self._matrix(handle).then(around).then(self._to_mm)
        segments = [raw.FPDFPath_GetPathSegment(handle, k) for k in range(max(raw.FPDFPath_CountSegments(handle), 0))]
        try:
            paths = tuple(with_arcs(path) for path in transformed(self._paths(segments, closes=is_filled), m))
        except ValueError:
            self._left["damaged path"] += 1
            return
        if not paths:
            self._left["empty path"] += 1
            return
        colour = self._colour(handle, is_fill=is_filled)
        if is_filled and colour == (255, 255, 255) and not strokes and self._covers_page(paths):
            self._left["white page"] += 1
            return
        rule = FillRule.EVENODD if mode.value == raw.FPDF_FILLMODE_ALTERNATE else FillRule.NONZERO
        width = ctypes.c_float()
        raw.FPDFPageObj_GetStrokeWidth(handle, width)
        stroke = width.value * abs(m.determinant) ** 0.5 if strokes else None
        self._add("area" if is_filled else "line", paths, rule, is_filled, stroke, colour, self._clip(handle, around))

    def _add(
        self,
        name: str,
        paths: tuple[Path, ...],
        rule: FillRule,
        is_filled: bool,
        stroke: float | None,
        colour: tuple[int, int, int],
        clip: Region | None,
        *,
        kind: str = "",
    ) -> None:
        box = bounds_of(paths) or (0.0, 0.0, 0.0, 0.0)
        if max(abs(side) for side in box) > LARGEST_MM:
            self._left["thing far off the page"] += 1
            return
        if clip is not None:
            left = clipped(paths, clip, fill_rule=rule, is_filled=is_filled)
            if left is not None:
                if not left:
                    return
                if len(self._clipped) >= MOST_CLIPPED:
                    raise ArtworkError(
                        f"In {self._name} more than {MOST_CLIPPED:,} shapes are cut by clips. Have the drawing program cut them "
                        "(its boolean operations do), then export again."
                    )
                self._clipped.append(((box[0] + box[2]) / 2, (box[1] + box[3]) / 2))
                paths, rule = left, FillRule.EVENODD if is_filled else rule
        layer = f"{_named(colour)} {'areas' if is_filled else 'lines'}"
        self._layers.setdefault(layer, "#{:02x}{:02x}{:02x}".format(*colour))
        number = list(self._layers).index(layer)
        key = f"{kind or name}{len(self._shapes)}"
        self._shapes.append(DrawnShape(name, number, paths, rule, is_filled, stroke, 0, key))

    def _paths(self, segments: list[Any], *, closes: bool) -> list[Path]:
        raw = self._raw
        out: list[Path] = []
        nodes: list[tuple[float, float]] = []
        kinds: list[int] = []
        params: list[tuple[float, ...]] = []
        handles: list[tuple[float, float]] = []
        x, y = ctypes.c_float(), ctypes.c_float()

        def finish(*, closed: bool) -> None:
            if kinds:
                if closed and nodes[-1] != nodes[0]:
                    nodes.append(nodes[0])
                    kinds.append(Kind.LINE)
                    params.append((0.0,) * 4)
                out.append(Path(np.array(nodes), np.array(kinds, np.uint8), np.array(params), closed=closed))

        for segment in segments:
            raw.FPDFPathSegment_GetPoint(segment, x, y)
            at = (x.value, y.value)
            kind = raw.FPDFPathSegment_GetType(segment)
            if kind == raw.FPDF_SEGMENT_MOVETO:
                finish(closed=closes and len(kinds) > 1)
                nodes, kinds, params, handles = [at], [], [], []
            elif kind == raw.FPDF_SEGMENT_LINETO and nodes:
                if at != nodes[-1]:
                    nodes.append(at)
                    kinds.append(Kind.LINE)
                    params.append((0.0,) * 4)
            elif kind == raw.FPDF_SEGMENT_BEZIERTO and nodes:
                handles.append(at)
                if len(handles) == 3:
                    nodes.append(handles[2])
                    kinds.append(Kind.CUBIC)
                    params.append((*handles[0], *handles[1]))
                    handles = []
            if raw.FPDFPathSegment_GetClose(segment) and nodes:
                start = nodes[0]
                finish(closed=len(kinds) > 1)
                nodes, kinds, params, handles = [start], [], [], []
        finish(closed=closes and len(kinds) > 1)
        return out

    def _clip(self, handle: Any, around: Affine) -> Region | None:
        """The area that all clips around an object let through, mm; None where it is not clipped."""
        raw = self._raw
        clip = raw.FPDFPageObj_GetClipPath(handle)
        count = raw.FPDFClipPath_CountPaths(clip) if clip else 0
        if count <= 0:
            return None
        inside: Region | None = None
        m = around.then(self._to_mm)
        for k in range(count):
            number = max(raw.FPDFClipPath_CountPathSegments(clip, k), 0)
            segments = [raw.FPDFClipPath_GetPathSegment(clip, k, n) for n in range(number)]
            try:
                paths = transformed(self._paths(segments, closes=True), m)
            except ValueError:
                continue
            key = b"".join(path.key() for path in paths)
            if key not in self._clips:
                self._clips[key] = region_of(paths, FillRule.NONZERO, chord_tolerance_mm=FINE_MM) if paths else None
            region = self._clips[key]
            if region is not None:
                inside = region if inside is None else intersect(inside, region)
        return inside

    def _colour(self, handle: Any, *, is_fill: bool) -> tuple[int, int, int]:
        raw = self._raw
        parts = [ctypes.c_uint() for _ in range(4)]
        get = raw.FPDFPageObj_GetFillColor if is_fill else raw.FPDFPageObj_GetStrokeColor
        return (parts[0].value, parts[1].value, parts[2].value) if get(handle, *parts) else (0, 0, 0)

    def _covers_page(self, paths: tuple[Path, ...]) -> bool:
        box = bounds_of(paths) or (0.0, 0.0, 0.0, 0.0)
        width, height = self._size
        return len(paths) == 1 and box[0] <= 0.5 and box[1] <= 0.5 and box[2] >= width - 0.5 and box[3] >= height - 0.5

    # ---- text

    def _text(self) -> None:
        """Letters grouped by the text object they belong to, as the page draws them."""
        raw = self._raw
        page = self._page.get_textpage()
        try:
            if raw.FPDFText_CountChars(page.raw) <= 0:
                return
            words = [
                "".join(chr(raw.FPDFText_GetUnicode(page.raw, k) or 32) for k in letters)
                for _, letters in self._text_objects(page.raw)
            ]
            copy = by_code(self._data, self._number)
            if copy is None:
                self._left["text that could be read by its characters only: compare it with the page"] += 1
                self._letters_of(page.raw, words)
                return
        finally:
            page.close()
        import pypdfium2

        document = pypdfium2.PdfDocument(copy.data)
        try:
            inner = _Reader(document, document[self._number - 1], self._data, self._name, self._number, self._pages)
            inner._to_mm, inner._drawn, inner._size = self._to_mm, copy.drawn, self._size
            inner._shapes, inner._layers, inner._texts, inner._left = (
                self._shapes,
                self._layers,
                self._texts,
                self._left,
            )
            page = inner._page.get_textpage()
            try:
                inner._letters_of(page.raw, words)
            finally:
                page.close()
        finally:
            document.close()

    def _text_objects(self, page: Any) -> list[tuple[Any, list[int]]]:
        """The visible text objects of a page in turn, each with the numbers of its letters."""
        raw = self._raw
        groups: dict[int, tuple[Any, list[int]]] = {}
        for k in range(max(raw.FPDFText_CountChars(page), 0)):
            handle = raw.FPDFText_GetTextObject(page, k)
            if not handle or raw.FPDFText_IsGenerated(page, k) == 1:
                continue
            if raw.FPDFTextObj_GetTextRenderMode(handle) == raw.FPDF_TEXTRENDERMODE_INVISIBLE:
                continue
            key = ctypes.cast(handle, ctypes.c_void_p).value or 0
            groups.setdefault(key, (handle, []))[1].append(k)
        return list(groups.values())

    def _letters_of(self, page: Any, words: list[str]) -> None:
        raw = self._raw
        for k in range(max(raw.FPDFText_CountChars(page), 0)):
            handle = raw.FPDFText_GetTextObject(page, k)
            if handle and raw.FPDFTextObj_GetTextRenderMode(handle) == raw.FPDF_TEXTRENDERMODE_INVISIBLE:
                self._left["invisible text"] += 1
        groups = self._text_objects(page)
        for number, (handle, letters) in enumerate(groups):
            paths: list[Path] = []
            drawn: list[DrawnShape] = []
            for k in letters:
                drawn += self._drawn_letter(page, k)
                paths += self._letter(page, k, handle)
            name = (words[number] if len(words) == len(groups) else "").strip()[:40] or "text"
            colour = self._colour(handle, is_fill=True)
            together = [s for s in drawn if s.is_filled and s.fill_rule is FillRule.NONZERO]
            paths += [path for shape in together for path in shape.paths]
            if paths or drawn:
                box = bounds_of(paths or drawn[0].paths) or (0.0, 0.0, 0.0, 0.0)
                self._texts.append((box[0], box[1]))
            if paths:
                self._add(name, tuple(paths), FillRule.NONZERO, True, None, colour, None, kind="text")
            for shape in drawn:
                if shape not in together:
                    self._add(name, shape.paths, shape.fill_rule, shape.is_filled, shape.stroke_width, colour, None)

    def _letter(self, page: Any, k: int, handle: Any) -> list[Path]:
        raw = self._raw
        code, size = raw.FPDFText_GetUnicode(page, k), float(raw.FPDFText_GetFontSize(page, k))
        if code in self._drawn:
            return []
        font = raw.FPDFTextObj_GetFont(handle)
        key = (ctypes.cast(font, ctypes.c_void_p).value or 0, code, size)
        if key not in self._glyphs:
            glyph = raw.FPDFFont_GetGlyphPath(font, code, size)
            count = max(raw.FPDFGlyphPath_CountGlyphSegments(glyph), 0) if glyph else 0
            segments = [raw.FPDFGlyphPath_GetGlyphPathSegment(glyph, n) for n in range(count)]
            self._glyphs[key] = self._paths(segments, closes=True)
            if not self._glyphs[key] and not is_named(code) and not chr(code or 32).isspace():
                self._left["letter without outline"] += 1
        # the outline comes in em, whatever the size asked for
        place = self._place(page, k, size)
        return list(transformed(self._glyphs[key], place)) if place is not None else []

    def _place(self, page: Any, k: int, size: float) -> Affine | None:
        """From em to mm for a letter of the page."""
        raw = self._raw
        m = raw.FS_MATRIX()
        x, y = ctypes.c_double(), ctypes.c_double()
        if not raw.FPDFText_GetMatrix(page, k, m) or not raw.FPDFText_GetCharOrigin(page, k, x, y):
            return None
        return Affine.scale(size).then(Affine(m.a, m.b, m.c, m.d, x.value, y.value)).then(self._to_mm)

    def _drawn_letter(self, page: Any, k: int) -> list[DrawnShape]:
        """A letter of a Type 3 font: the things its own little page draws, where the letter stands."""
        raw = self._raw
        letter = self._drawn.get(raw.FPDFText_GetUnicode(page, k))
        place = self._place(page, k, float(raw.FPDFText_GetFontSize(page, k))) if letter is not None else None
        if letter is None or place is None:
            return []
        if letter.page not in self._little:
            inner = _Reader(self._document, self._document[letter.page], b"", self._name, 1, 1)
            inner._to_mm, inner._size = letter.to_em.then(Affine.scale(_EM_MM)), (0.0, 0.0)
            for handle in inner._objects(inner._page.raw, is_form=False):
                inner._object(handle, IDENTITY, 0)
            self._little[letter.page] = inner._shapes
            self._left.update(inner._left)
        grown = Affine.scale(1 / _EM_MM).then(place)
        k_ = abs(grown.determinant) ** 0.5
        return [
            msgspec.structs.replace(
                shape, paths=tuple(transformed(shape.paths, grown)),
                stroke_width=shape.stroke_width * k_ if shape.stroke_width is not None else None,
            )
            for shape in self._little[letter.page]
        ]  # fmt: skip

    # ---- pictures

    def _picture(self, handle: Any, around: Affine) -> None:
        import io

        raw = self._raw
        width, height = ctypes.c_uint(), ctypes.c_uint()
        if not raw.FPDFImageObj_GetImagePixelSize(handle, width, height) or not width.value or not height.value:
            self._left["damaged picture"] += 1
            return
        if width.value * height.value > MAX_PICTURE_PX:
            self._left["picture too large to trace"] += 1
            return
        import pypdfium2

        try:
            bitmap = pypdfium2.PdfImage(handle, page=self._page, pdf=self._document).get_bitmap(render=False)
            out = io.BytesIO()
            bitmap.to_pil().convert("RGB").save(out, "PNG", compress_level=1)
        except (pypdfium2.PdfiumError, ValueError, OSError, TypeError, RuntimeError, AssertionError):
            self._left["damaged picture"] += 1
            return
        at = self._matrix(handle).then(around).then(self._to_mm)
        self._pictures.append(DrawnPicture(f"picture {len(self._pictures) + 1}", out.getvalue(), at))

    # ---- report

    def _report(self) -> list[ReportLine]:
        out = []
        if self._texts:
            out.append(mended("pdf-text", f"{counted(len(self._texts), 'text')} turned into outlines.", self._texts))
        if self._clipped:
            words = f"{counted(len(self._clipped), 'shape')} cut back to the clips around them."
            out.append(mended("pdf-clipped", words, self._clipped))
        if self._pictures:
            words = f"{counted(len(self._pictures), 'picture')} on the page can be traced once the rest has landed."
            out.append(read("pdf-picture", words))
        harmless = ("unpainted", "white page", "empty path", "invisible text")
        special = {"white page": "The white background was left out.", "unpainted": ""}
        for what, count in self._left.items():
            sentence = special.get(what) or f"{counted(count, what)} left out."
            out.append(left_out(f"pdf-{what.replace(' ', '-')}", sentence, is_harmless=what in harmless))
        return out

    def _nothing(self) -> str:
        where = f"Page {self._number} of {self._name}" if self._pages > 1 else self._name
        seen = ", ".join(f"{count} {what}" for what, count in self._left.most_common(4))
        more = f" Left out: {seen}." if seen else " Draw something on it, or choose another page."
        return f"{where} holds nothing that can be cut.{more}"


def _named(colour: tuple[int, int, int]) -> str:
    return min(_COLOURS, key=lambda name: sum((a - b) ** 2 for a, b in zip(_COLOURS[name], colour, strict=True)))


def _on_layer(shape: DrawnShape, layer: int) -> DrawnShape:
    return msgspec.structs.replace(shape, layer=layer)
