"""Text is set by its cap height, kerned, along lines and arcs; what a font lacks is told."""

from __future__ import annotations

from math import hypot
from pathlib import Path as FilePath

import numpy as np
import pytest

from archimetra.artwork.faces import face_of
from archimetra.artwork.fonts import Font, font_like, font_named, fonts_in, shipped_fonts, system_fonts
from archimetra.artwork.text import baseline_width, set_in, set_text, wrapped
from archimetra.artwork.text_form import Align, Fit, TextForm
from archimetra.base.errors import ArtworkError
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, bounds_of
from archimetra.geometry.region import region_of
from shapes import sentence_of

OUTLINE = [font for font in shipped_fonts() if not font.is_single_line]
LINES = [font for font in shipped_fonts() if font.is_single_line]


def box(form: TextForm):
    return bounds_of(set_text(form).paths)


class TestFonts:
    def test_every_kind_of_font_is_shipped(self):
        assert {font.kind for font in shipped_fonts()} >= {
            "serif", "sans", "slab", "script", "display", "stencil", "single line",
        }  # fmt: skip
        assert len({font.family for font in OUTLINE}) >= 6

    @pytest.mark.parametrize("font", shipped_fonts(), ids=lambda font: font.name)
    def test_capitals_are_as_high_as_asked_in_every_shipped_font(self, font):
        made = set_in(TextForm(text="H", cap_height=25.0), font)
        x0, y0, x1, y1 = bounds_of(made.paths)
        assert y1 == pytest.approx(25, abs=0.2 if font.is_single_line else 0.01)
        assert abs(y0) < 1.5
        assert x1 > x0
        assert made.is_single_line == font.is_single_line
        assert not made.notes

    @pytest.mark.parametrize("font", OUTLINE, ids=lambda font: font.name)
    def test_letters_of_outline_fonts_are_closed_areas(self, font):
        made = set_in(TextForm(text="Quay tide 8", cap_height=20.0), font)
        assert all(path.closed for path in made.paths)
        assert region_of(made.paths, FillRule.NONZERO).area > 100

    @pytest.mark.parametrize("font", LINES, ids=lambda font: font.name)
    def test_single_line_fonts_know_accents(self, font):
        plain, accent = set_in(TextForm(text="o"), font), set_in(TextForm(text="ö"), font)
        assert len(accent.paths) > len(plain.paths)
        assert not accent.notes
        assert bounds_of(accent.paths)[3] > bounds_of(plain.paths)[3]

    def test_fonts_installed_for_all_or_for_one_person_are_found_and_can_be_set(self, tmp_path, monkeypatch):
        places = {
            "Slip Sans": tmp_path / "all" / "fonts" / "deep" / "a.TTF",
            "Mole Sans": tmp_path / "own" / "fonts" / "b.ttf",
        }
        for family, path in places.items():
            path.parent.mkdir(parents=True)
            renamed(OUTLINE[0], family, path)
        (tmp_path / "all" / "fonts" / "broken.otf").write_bytes(b"OTTO" + bytes(200))
        monkeypatch.setenv("XDG_DATA_DIRS", f"{tmp_path / 'all'}:{tmp_path / 'nowhere'}:")
        monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "own"))
        fonts = system_fonts.__wrapped__()
        assert [font.family for font in fonts] == ["Mole Sans", "Slip Sans"]
        shipped = bounds_of(set_in(TextForm(text="Hamburg"), OUTLINE[0]).paths)
        for font in fonts:
            assert bounds_of(set_in(TextForm(text="Hamburg"), font).paths) == shipped

    def test_fonts_are_matched_by_family_weight_and_slope(self):
        bold, is_named = font_like("'Zilla Slab', serif", is_bold=True)
        assert (bold.name, is_named) == ("Zilla Slab Bold", True)
        stand_in, is_named = font_like("No Such Font")
        assert (stand_in.family, is_named) == ("Alegreya Sans", False)

    def test_files_that_are_no_fonts_are_passed_over(self, tmp_path):
        for name, data in (
            ("a.ttf", b""),
            ("b.otf", b"OTTO" + bytes(200)),
            ("c.ttc", b"ttcf" + bytes(9)),
            ("d.woff", b"x"),
        ):
            (tmp_path / name).write_bytes(data)
            assert list(fonts_in(tmp_path / name)) == []

    def test_a_font_without_outlines_is_a_sentence(self, tmp_path):
        from fontTools.fontBuilder import FontBuilder
        from fontTools.pens.ttGlyphPen import TTGlyphPen

        builder = FontBuilder(1000, isTTF=True)
        builder.setupGlyphOrder([".notdef", "H"])
        builder.setupCharacterMap({72: "H"})
        builder.setupGlyf({name: TTGlyphPen(None).glyph() for name in (".notdef", "H")})
        builder.setupHorizontalMetrics({".notdef": (500, 0), "H": (500, 0)})
        builder.setupHorizontalHeader(ascent=800, descent=-200)
        builder.setupNameTable({"familyName": "Empty", "styleName": "Regular"})
        builder.setupOS2()
        builder.setupPost()
        builder.save(tmp_path / "empty.ttf")
        font = next(iter(fonts_in(tmp_path / "empty.ttf")))
        assert "no outlines" in sentence_of(ArtworkError, lambda: set_in(TextForm(text="H"), font))
        gone = Font("Gone", "Gone", "", str(tmp_path / "gone.ttf"))
        assert "could not be read" in sentence_of(ArtworkError, lambda: set_in(TextForm(text="H"), gone))
        assert "not on this machine" in sentence_of(ArtworkError, lambda: set_text(TextForm(text="H", font="Gone")))


def renamed(font: Font, family: str, path: FilePath) -> None:
    from fontTools.ttLib import TTFont

    file = TTFont(font.path)
    for number, words in ((1, family), (2, "Regular"), (4, family), (16, family), (17, "Regular")):
        file["name"].setName(words, number, 3, 1, 0x409)
        file["name"].setName(words, number, 1, 0, 0)
    file.save(path)


class TestCasesOfSetting:
    @pytest.mark.parametrize("text", ["A\n\nB", "A\n", "\nA", "\n\nA\n\n", "A\r\n\r\nB", " \nA"])
    @pytest.mark.parametrize("fit", list(Fit))
    def test_a_blank_line_is_a_line_without_letters(self, text, fit):
        for font in ("Cinzel Regular", "Line Sans"):
            found = font_named(font) or shipped_fonts()[0]
            made = set_in(TextForm(text=text, fit=fit, fit_width=80.0), found)
            assert made.paths
        assert baseline_width(TextForm(text=text, fit=fit, fit_width=80.0)) > 0

    @pytest.mark.parametrize("words", ["Tide", "VA", "f", "jAj", "A B"])
    @pytest.mark.parametrize("fit", [Fit.SIZE, Fit.SPACING])
    @pytest.mark.parametrize("spacing", [0.0, 2.0])
    def test_the_width_asked_for_is_that_of_the_ink(self, words, fit, spacing):
        for font in shipped_fonts():
            made = set_in(TextForm(text=words, fit=fit, fit_width=150.0, letter_spacing=spacing), font)
            box = bounds_of(made.paths)
            if fit is Fit.SPACING and len(words) == 1:
                assert any("single letter" in note for note in made.notes)
            else:
                assert box[2] - box[0] == pytest.approx(150.0, abs=0.01)

    def test_accents_stay_on_their_letters_when_letters_are_spread_or_bent(self):
        """Typed as letter and accent, or as one: the same outlines, wherever the letters go."""
        for extra in (
            {"letter_spacing": 9.0},
            {"arc_radius": 40.0},
            {"arc_radius": -40.0},
            {"fit": Fit.SPACING, "fit_width": 200.0},
        ):
            for font in shipped_fonts()[:4]:
                apart = set_in(TextForm(text="ae\u0301o\u0308", **extra), font)
                whole = set_in(TextForm(text="aéö", **extra), font)
                assert not apart.notes
                one, two = bounds_of(apart.paths), bounds_of(whole.paths)
                assert one == pytest.approx(two, abs=0.02)

    def test_what_cannot_be_as_asked_is_told(self):
        assert "runs into itself" in " ".join(
            set_text(TextForm(text="round and round we go " * 3, arc_radius=10.0)).notes
        )
        assert not set_text(TextForm(text="abc 123")).notes


class TestSetting:
    def test_pairs_are_kerned_and_letter_spacing_adds_up(self):
        together = baseline_width(TextForm(text="AV"))
        apart = baseline_width(TextForm(text="A")) + baseline_width(TextForm(text="V"))
        assert together < apart - 0.3
        spaced = baseline_width(TextForm(text="HHHH", letter_spacing=2.0))
        assert spaced == pytest.approx(baseline_width(TextForm(text="HHHH")) + 6)

    def test_ligatures_are_used_until_letters_are_spaced(self):
        face = face_of(font_named("Alegreya Sans Regular"))
        assert len(face.shape("ffi", ligatures=True).glyphs) < 3
        assert len(face.shape("ffi", ligatures=False).glyphs) == 3

    def test_alignment_and_lines(self):
        for align, at in ((Align.LEFT, 0.0), (Align.CENTRE, 0.5), (Align.RIGHT, 1.0)):
            width = baseline_width(TextForm(text="HHH"))
            x0, _, x1, _ = box(TextForm(text="HHH", align=align))
            assert (x0 + x1) / 2 == pytest.approx(width * (0.5 - at), abs=0.7)
        one, two = box(TextForm(text="H")), box(TextForm(text="H\nH", line_spacing=1.5))
        face = face_of(font_named(TextForm().font))
        assert one[1] - two[1] == pytest.approx(1.5 * face.line_height * 20 / face.cap_height, abs=0.01)

    def test_fitted_to_a_width_by_size_and_by_spacing(self):
        by_size = TextForm(text="TIDE\nCLOCK", fit=Fit.SIZE, fit_width=120.0)
        assert box(by_size)[2] - box(by_size)[0] == pytest.approx(120)  # the ink, not what the pen moves
        by_spacing = TextForm(text="TIDE", fit=Fit.SPACING, fit_width=200.0)
        assert box(by_spacing)[2] - box(by_spacing)[0] == pytest.approx(200)
        assert box(by_spacing)[3] == pytest.approx(box(TextForm(text="TIDE"))[3])

    @pytest.mark.parametrize("radius", [80.0, -80.0])
    def test_on_an_arc_letters_stand_on_the_circle(self, radius):
        made = set_text(TextForm(text="IIIIIIII", cap_height=10.0, arc_radius=radius, letter_spacing=8.0))
        feet = []
        for path in made.paths:
            away = np.hypot(*path.flatten(0.01).T)
            feet.append(away.min() if radius > 0 else away.max())
        assert feet == pytest.approx([80] * 8, abs=0.15)
        centre = np.mean([path.bounds()[1] for path in made.paths])
        assert (centre > 0) == (radius > 0)

    def test_along_a_path_letters_follow_it(self):
        circle = Path.circle((0, 0), 60)
        made = set_text(TextForm(text="around", cap_height=8.0, along=circle, align=Align.LEFT, lift=2.0))
        nearest = [min(hypot(x, y) for x, y in path.flatten(0.02)) for path in made.paths]
        assert min(nearest) > 40  # on the left of a circle walked counter-clockwise is its inside
        assert max(hypot(*np.array(path.bounds()[:2])) for path in made.paths) < 70
        line = Path.polyline([(0, 0), (30, 0)], closed=False)
        long = set_text(TextForm(text="far too long for this", along=line))
        assert "longer than the line" in long.notes[0]

    def test_a_letter_the_font_lacks_is_told_and_not_drawn(self):
        made = set_text(TextForm(text="H漢字H", font="Cinzel Bold"))
        assert made.notes == ("Cinzel Bold has no '漢', '字'.",)
        assert len(made.paths) == len(set_text(TextForm(text="HH", font="Cinzel Bold")).paths)
        assert "Nothing of this text" in sentence_of(
            ArtworkError, lambda: set_text(TextForm(text="漢", font="Cinzel Bold"))
        )

    def test_wrapping_keeps_every_word_and_the_width(self):
        text = "the quick brown fox jumps over the lazy dog"
        broken = wrapped(text, font_named("Zilla Slab Regular"), width_mm=60.0, cap_height=5.0)
        assert broken.replace("\n", " ") == text
        widths = [
            baseline_width(TextForm(text=t, font="Zilla Slab Regular", cap_height=5.0)) for t in broken.split("\n")
        ]
        assert max(widths) <= 60
        assert len(widths) > 2

    def test_overlapping_script_letters_make_one_area(self):
        made = set_text(TextForm(text="Pull", font="Pacifico Regular"))
        whole = region_of(made.paths, FillRule.NONZERO).area
        parts = sum(abs(path.area()) for path in made.paths)
        assert 0 < whole <= parts + 1e-6
        assert whole > 0.5 * parts
