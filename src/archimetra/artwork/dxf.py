"""DXF to ``Drawing``: ASCII or binary, R12 to current, with the library's recovery where the file is damaged.

Loose lines and arcs are joined, doubles dropped and told (``assemble``). Model space is read; paper space is told. Blocks
are followed wherever they are inserted: turned, scaled, mirrored, in rows and columns.
"""

from __future__ import annotations

import io
import logging
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np

from archimetra.artwork.assemble import assemble
from archimetra.artwork.drawing import LARGEST_MM, Drawing, DrawnShape, Scale, moved
from archimetra.artwork.dxf_content import Content
from archimetra.artwork.dxf_entities import Converter
from archimetra.artwork.mend import drop_doubles, tidy
from archimetra.artwork.report import ReportLine, counted, left_out, mended, unit_entry
from archimetra.base.collecting import without_collecting
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import FloatArray
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import bounds_of, transform_together
from archimetra.geometry.pieces import Pieces
from archimetra.geometry.segments import Kind

if TYPE_CHECKING:
    from ezdxf.document import Drawing as Document

BINARY = b"AutoCAD Binary DXF\r\n\x1a\x00"
# $INSUNITS: name and mm
UNITS: dict[int, tuple[str, float]] = {
    1: ("in", 25.4), 2: ("ft", 304.8), 4: ("mm", 1.0), 5: ("cm", 10.0), 6: ("m", 1000.0), 8: ("microinch", 25.4e-6),
    9: ("mil", 0.0254), 10: ("yd", 914.4), 13: ("µm", 0.001), 14: ("dm", 100.0), 21: ("US ft", 1200 / 3937 * 1000),
}  # fmt: skip
_LARGEST_PLAUSIBLE_INCHES = 100.0


def read_dxf(data: bytes, *, name: str) -> Drawing:
    """The drawing in DXF bytes. Raises ArtworkError with a sentence where nothing of it can be brought in."""
    document, faults = _document(data, name)
    scale = _scale(document)
    is_imperial = _number(document.header.get("$MEASUREMENT", 1)) == 0
    converter = Converter(document, name, mm_per_unit=max(scale.mm_per_unit, 25.4 if is_imperial else 0.0))
    with without_collecting():
        content = converter.content_of(document.modelspace())
        scale = _plausible(scale, content, is_imperial=is_imperial)
        drawing = _drawing(content, converter, document, name, scale)
    report = [unit_entry(scale.reason, is_certain=scale.is_certain)]
    if faults:
        words = f"{counted(faults, 'fault')} in the file's structure {'was' if faults == 1 else 'were'} repaired on reading."
        report.append(mended("dxf-recovered", words))
    paper = sum(len(layout) for layout in document.layouts if layout.name != "Model")
    if paper > len(document.layouts) - 1:  # an empty sheet holds its own viewport
        words = f"Paper space was left out ({counted(paper, 'thing')}): it holds sheets to print, not parts."
        report.append(left_out("dxf-paper", words, is_harmless=True))
    return msgspec.structs.replace(drawing, report=(*report, *converter.report(), *drawing.report))


# ---- loading


def _document(data: bytes, name: str) -> tuple[Document, int]:
    """The parsed file and how many faults were repaired."""
    import ezdxf
    from ezdxf import recover
    from ezdxf.document import Drawing as Document
    from ezdxf.lldxf.const import DXFError
    from ezdxf.lldxf.tagger import binary_tags_loader

    logging.getLogger("ezdxf").setLevel(logging.CRITICAL)  # what matters of it is in our report
    if not data.strip():
        raise ArtworkError(f"{name} is empty. Export the drawing again.")
    if data[:4] == b"AC10" and data[4:6].isdigit():
        raise ArtworkError(f"{name} is a DWG file under another name. Save it as DXF in its own program first.")
    try:
        with without_collecting():
            if data.startswith(BINARY):
                return Document.load(binary_tags_loader(data, errors="surrogateescape")), 0
            return ezdxf.read(io.StringIO(_decoded(data))), 0
    except (
        DXFError,
        OSError,
        ValueError,
        KeyError,
        TypeError,
        AttributeError,
        IndexError,
        OverflowError,
        AssertionError,
    ):
        pass  # not as it should be: the library's recovery reads what can be read
    try:
        document, auditor = recover.read(io.BytesIO(data))
    except (DXFError, OSError, ValueError, KeyError, TypeError, AttributeError, IndexError, OverflowError,
            AssertionError, RecursionError) as error:  # fmt: skip
        raise ArtworkError(
            f"{name} is not a DXF file, or too damaged to read. Open it in its own program and export it again."
        ) from error
    return document, max(1, len(auditor.errors) + len(auditor.fixes))


def _decoded(data: bytes) -> str:
    """The text of an ASCII file: UTF-8 from 2007 on, before that the code page its header names."""
    from ezdxf.tools.codepage import toencoding

    head = data[:4000].decode("latin-1").replace("\r", "")
    encoding = "utf-8"
    version = _header(head, "$ACADVER")
    if version < "AC1021":
        encoding = toencoding(_header(head, "$DWGCODEPAGE") or "ANSI_1252")
    return data.decode(encoding, errors="surrogateescape").replace("\r\n", "\n")


def _header(head: str, name: str) -> str:
    _, found, rest = head.partition(name + "\n")
    lines = rest.split("\n", 2)
    return lines[1].strip() if found and len(lines) > 1 else ""


# ---- scale


def _scale(document: Document) -> Scale:
    code = _number(document.header.get("$INSUNITS", 0))
    if code in UNITS:
        unit, mm = UNITS[code]
        return Scale(unit, mm, f"The file states its unit: {unit}.", True)
    return Scale("mm", 1.0, "The file states no unit; millimetres were assumed. Check the size.", False)


WIDEST_PLAUSIBLE_MM = 10_000.0  # few sheets and fewer machines are ten metres long


def _plausible(scale: Scale, content: Content, *, is_imperial: bool) -> Scale:
    """The stated unit, unless it makes the drawing larger than anything on a router and millimetres do not: templates
    state metres where nobody thought of it. Without a unit, imperial measure and a size that fits inches speak for them."""
    widest = _widest(content)
    if not scale.is_certain and is_imperial and 0 < widest <= _LARGEST_PLAUSIBLE_INCHES:
        reason = "The file states no unit, but that it is drawn in imperial measure, and its size fits inches. Check the size."
        return Scale("in", 25.4, reason, False)
    if widest * scale.mm_per_unit <= LARGEST_MM or widest > LARGEST_MM:
        if scale.is_certain and widest * scale.mm_per_unit > WIDEST_PLAUSIBLE_MM:
            reason = (
                f"The file states its unit, {scale.unit}, which makes it {widest * scale.mm_per_unit / 1000:,.0f} m wide. "
                "Is that so? Check the size."
            )
            return Scale(scale.unit, scale.mm_per_unit, reason, False)
        return scale
    reason = (
        f"The file states {scale.unit}, which would make it {widest * scale.mm_per_unit / 1000:,.0f} m wide; millimetres "
        "were taken. Check the size."
    )
    return Scale("mm", 1.0, reason, False)


def _widest(content: Content) -> float:
    """The larger extent in the file's units."""
    around = content.boxes()
    return float((around[:, 2:].max(axis=0) - around[:, :2].min(axis=0)).max()) if len(around) else 0.0


def _number(value: Any) -> int:
    try:
        return int(value)
    except (TypeError, ValueError):
        return 0


# ---- from content to shapes


def _drawing(content: Content, converter: Converter, document: Document, name: str, scale: Scale) -> Drawing:
    report: list[ReportLine] = []
    content = _without_far(content, name, scale, report)
    mm = Affine.scale(scale.mm_per_unit)
    loose = content.loose()
    loose = Pieces(mm.apply(loose.p), mm.apply(loose.q), loose.kinds, _scaled(loose, scale.mm_per_unit), loose.first)
    layer_names: dict[str, int] = {}
    groups = np.array([layer_names.setdefault(layer, len(layer_names)) for layer in content.loose_layers()], np.int64)
    found = assemble(loose, groups)
    report.extend(found.entries)
    shapes: list[tuple[int, DrawnShape]] = []
    keys, orders = content.loose_keys(), content.loose_orders()
    by_group = list(layer_names)
    for path, members in zip(found.paths, found.members, strict=True):
        first = int(members.min())
        word = "outline" if path.closed else "line"
        layer = converter.layer(by_group[groups[first]])
        shape = DrawnShape(word, layer, (path,), FillRule.NONZERO, path.closed, None, 0, keys[first])
        shapes.append((orders[first], shape))
    whole_paths = iter(transform_together([path for whole in content.shapes for path in whole.paths], mm))
    for whole in content.shapes:
        paths = tuple(next(whole_paths) for _ in whole.paths)
        layer = converter.layer(whole.layer)
        shape = DrawnShape(whole.name, layer, paths, FillRule.EVENODD, whole.is_filled, None, 0, whole.key)
        shapes.append((whole.order, shape))
    shapes.sort(key=lambda row: row[0])
    done = tidy([shape for _, shape in shapes])
    report.extend(done.entries)
    done = drop_doubles(done.shapes)
    report.extend(done.entries)
    if not done.shapes:
        raise ArtworkError(f"{name} holds nothing that can be cut. {converter.why_empty()}")
    box = bounds_of([path for shape in done.shapes for path in shape.paths])
    assert box is not None
    to_origin = Affine.shift(-box[0], -box[1])
    drawing = moved(
        Drawing(name.rsplit(".", 1)[0], converter.layers(), tuple(done.shapes), scale, None, tuple(report)), to_origin
    )
    converter.to_drawing = mm.then(to_origin)
    return drawing


def _scaled(loose: Pieces, factor: float) -> FloatArray:
    params = loose.params.copy()
    params[loose.kinds == Kind.CUBIC] *= factor
    return params


def _without_far(content: Content, name: str, scale: Scale, report: list[ReportLine]) -> Content:
    """Things so far from all the rest that only damage puts them there, left out and told."""
    every = content.boxes() * scale.mm_per_unit
    if not len(every):
        return content
    extent = every[:, 2:].max(axis=0) - every[:, :2].min(axis=0)
    if extent.max() <= LARGEST_MM:
        return content
    middle = np.median((every[:, :2] + every[:, 2:]) / 2, axis=0)
    far = np.abs(np.hstack((every[:, :2] - middle, every[:, 2:] - middle))).max(axis=1) > LARGEST_MM / 2
    if far.sum() * 2 > len(far):
        raise ArtworkError(
            f"{name} would be {extent.max() / 1e6:,.3g} km wide in {scale.unit}. Export it in a smaller unit, or "
            "remove what lies far from the parts."
        )
    words = f"{counted(int(far.sum()), 'thing')} more than {LARGEST_MM / 2000:g} m from all the rest left out."
    report.append(left_out("dxf-far", words))
    count = content.loose().number
    return content.without(far[:count], far[count:])
