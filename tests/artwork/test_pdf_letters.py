"""Letters of a PDF are those the page shows, whatever characters the file says they are: compared with the page's raster."""

from __future__ import annotations

import io
from importlib.resources import files

import numpy as np
import pypdfium2
import pytest
from fontTools.ttLib import TTFont
from PIL import Image, ImageDraw

from archimetra.artwork.pdf import read_pdf
from pdfs import pdf, stream

SCALE = 8.0  # pixels a mm


def font_bytes(*, cff: bool = False) -> tuple[bytes, TTFont]:
    folder = files("archimetra.artwork").joinpath("fonts")
    names = sorted(f.name for f in folder.iterdir() if f.name.endswith((".ttf", ".otf")))
    for name in names:
        data = folder.joinpath(name).read_bytes()
        font = TTFont(io.BytesIO(data))
        if ("CFF " in font) == cff:
            return data, font
    pytest.skip("no such font is shipped")


def to_unicode(pairs: dict[int, str], width: int) -> bytes:
    rows = [f"<{code:0{2 * width}X}> <{''.join(f'{ord(c):04X}' for c in text)}>" for code, text in pairs.items()]
    return (
        f"begincmap 1 begincodespacerange <{'00' * width}> <{'FF' * width}> endcodespacerange "
        f"{len(rows)} beginbfchar {' '.join(rows)} endbfchar endcmap"
    ).encode()


def wide_font(text: str, says: str | None) -> tuple[str, tuple]:
    """A composite font with codes that are glyph numbers; ``says``: the character every code claims to be, None: no map."""
    data, font = font_bytes()
    cmap = font.getBestCmap()
    glyphs = [font.getGlyphID(cmap[ord(c)]) for c in text]
    widths = " ".join(
        f"{g} [{font['hmtx'].metrics[font.getGlyphName(g)][0] * 1000 // font['head'].unitsPerEm}]" for g in set(glyphs)
    )
    objects = (
        f"<< /Type /Font /Subtype /Type0 /BaseFont /ABCDEF+Own /Encoding /Identity-H /DescendantFonts [101 0 R] "
        f"{'/ToUnicode 104 0 R' if says is not None else ''} >>",
        f"<< /Type /Font /Subtype /CIDFontType2 /BaseFont /ABCDEF+Own /CIDSystemInfo << /Registry (Adobe) /Ordering (Identity) "
        f"/Supplement 0 >> /FontDescriptor 102 0 R /CIDToGIDMap /Identity /DW 600 /W [{widths}] >>",
        "<< /Type /FontDescriptor /FontName /ABCDEF+Own /Flags 4 /FontBBox [-200 -300 1200 1000] /ItalicAngle 0 /Ascent 900 "
        "/Descent -200 /CapHeight 700 /StemV 80 /FontFile2 103 0 R >>",
        stream(data, f"/Length1 {len(data)}"),
        stream(to_unicode({g: says for g in set(glyphs)}, 2) if says is not None else b""),
    )
    codes = "".join(f"{g:04X}" for g in glyphs)
    return f"BT /F2 40 Tf 20 40 Td <{codes}> Tj ET", objects


def simple_font(text: str, says: str) -> tuple[str, tuple]:
    data, font = font_bytes()
    differences = " ".join(f"/{font.getBestCmap()[ord(c)]}" for c in text)
    objects = (
        f"<< /Type /Font /Subtype /TrueType /BaseFont /ABCDEF+One /FirstChar 65 /LastChar {64 + len(text)} "
        f"/Widths [{' '.join(['600'] * len(text))}] /FontDescriptor 101 0 R /ToUnicode 103 0 R "
        f"/Encoding << /Type /Encoding /BaseEncoding /WinAnsiEncoding /Differences [65 {differences}] >> >>",
        "<< /Type /FontDescriptor /FontName /ABCDEF+One /Flags 32 /FontBBox [-200 -300 1200 1000] /ItalicAngle 0 /Ascent 900 "
        "/Descent -200 /CapHeight 700 /StemV 80 /FontFile2 102 0 R >>",
        stream(data, f"/Length1 {len(data)}"),
        stream(to_unicode({65 + k: says for k in range(len(text))}, 1)),
    )
    codes = "".join(f"{65 + k:02X}" for k in range(len(text)))
    return f"BT /F2 40 Tf 20 40 Td <{codes}> Tj ET", objects


def drawn_font(matrix: str = "0.001 0 0 0.001 0 0", unit: float = 1000.0) -> tuple[str, tuple]:
    """A Type 3 font whose two letters, a frame and a triangle, both claim to be an l."""
    u = unit
    frame = f"{0.6 * u} 0 0 0 {0.6 * u} {0.7 * u} d1 0 0 {0.5 * u} {0.7 * u} re {0.1 * u} {0.1 * u} {0.3 * u} {0.5 * u} re f*"
    triangle = f"{0.6 * u} 0 d0 0 0 m {0.5 * u} 0 l {0.25 * u} {0.7 * u} l f"
    objects = (
        f"<< /Type /Font /Subtype /Type3 /FontBBox [0 0 {u} {u}] /FontMatrix [{matrix}] /CharProcs << /a 101 0 R /b 102 0 R >> "
        f"/Encoding << /Type /Encoding /Differences [97 /a /b] >> /FirstChar 97 /LastChar 98 /Widths [{0.6 * u} {0.6 * u}] "
        "/Resources << >> /ToUnicode 103 0 R >>",
        stream(frame.encode()),
        stream(triangle.encode()),
        stream(to_unicode({97: "l", 98: "l"}, 1)),
    )
    return "BT /F2 40 Tf 20 40 Td (abba) Tj ET", objects


def masks(data: bytes) -> tuple[np.ndarray, np.ndarray]:
    """What the page shows and what the drawing holds, as black and white pictures of one size."""
    document = pypdfium2.PdfDocument(data)
    page = document[0]
    shown = np.asarray(page.render(scale=SCALE * 25.4 / 72, grayscale=True).to_pil()) < 128
    page.close()
    document.close()
    height = shown.shape[0]
    ours = np.zeros(shown.shape, np.int32)
    for shape in read_pdf(data, name="letters.pdf").shapes:
        inside = np.zeros(shown.shape, np.int32)
        for path in shape.paths:
            points = path.flatten(0.005) * SCALE
            picture = Image.new("1", (shown.shape[1], height))
            ImageDraw.Draw(picture).polygon([(x - 0.5, height - y - 0.5) for x, y in points], fill=1)
            area = 0.5 * np.sum(points[:-1, 0] * points[1:, 1] - points[1:, 0] * points[:-1, 1])
            even = shape.fill_rule == "evenodd"
            inside += np.asarray(picture) * (1 if even else int(np.sign(area)))
        ours |= (inside % 2 if shape.fill_rule == "evenodd" else (inside != 0)).astype(np.int32)
    return shown, ours.astype(bool)


def difference(data: bytes) -> float:
    """Pixels that differ, in parts of those inked, edges aside."""
    shown, ours = masks(data)
    assert shown.sum() > 300
    wrong = shown ^ ours
    # a pixel on an edge may fall either way: count only what is wrong over 3 x 3
    core = wrong[:-2, :-2] & wrong[1:-1, 1:-1] & wrong[2:, 2:] & wrong[:-2, 2:] & wrong[2:, :-2]
    return float(core.sum()) / float(shown.sum())


RESOURCES = "/Font << /F2 100 0 R >>"


def page_of(made: tuple[str, tuple]) -> bytes:
    content, objects = made
    return pdf(content, objects=objects, resources=RESOURCES).replace(b"/Font << /F1 3 0 R >>", b"", 1)


@pytest.mark.parametrize("says", ["o", " ", "ffi", "\u202e", "\u00ad", None])
@pytest.mark.parametrize("text", ["oab", "Quay e", "1l|I"])
def test_codes_that_claim_one_character_give_the_glyphs_the_page_shows(text, says):
    assert difference(page_of(wide_font(text, says))) < 0.002


@pytest.mark.parametrize("says", ["a", " ", "\u0000"])
def test_so_do_codes_of_a_simple_font(says):
    assert difference(page_of(simple_font("Gull7", says))) < 0.002


@pytest.mark.parametrize(
    ("matrix", "unit"), [("0.001 0 0 0.001 0 0", 1000.0), ("1 0 0 1 0 0", 1.0), ("0.001 0 0.0002 0.001 0 0", 1000.0)]
)
def test_letters_that_are_drawings_come_as_drawn(matrix, unit):
    data = page_of(drawn_font(matrix, unit))
    assert difference(data) < 0.002
    drawing = read_pdf(data, name="a.pdf")
    assert drawing.pages == 1
    assert "letter without outline" not in str(drawing.report)


def test_inside_a_form_and_on_a_later_page():
    content, objects = wide_font("oab", "o")
    form = stream(
        content.encode(),
        "/Type /XObject /Subtype /Form /BBox [0 0 300 300] /Matrix [0.5 0 0 0.5 10 10] /Resources << /Font << /F2 100 0 R >> >>",
    )
    data = pdf("0 0 5 5 re f", "/X1 Do", objects=(*objects, form), resources="/XObject << /X1 105 0 R >>")
    second = read_pdf(data, name="a.pdf", page=2)
    letters = [s for s in second.shapes if s.is_filled]
    plain = read_pdf(page_of(wide_font("oab", "o")), name="a.pdf")
    assert len(letters) == len(plain.shapes)
    assert sum(len(s.paths) for s in letters) == sum(len(s.paths) for s in plain.shapes)


def test_the_words_keep_what_the_file_says_they_are():
    content, objects = wide_font("oab", "o")
    assert [s.name for s in read_pdf(page_of((content, objects)), name="a.pdf").shapes] == ["ooo"]


def test_a_page_that_cannot_be_opened_is_a_sentence():
    from archimetra.base.errors import ArtworkError

    data = pdf("0 0 5 5 re f", "0 0 5 5 re f").replace(b"/Kids [10 0 R 12 0 R]", b"/Kids [10 0 R 77 0 R]")
    with pytest.raises(ArtworkError, match=r"half\.pdf"):
        read_pdf(data, name="half.pdf", page=2)
