"""Traced outlines lie where the ink is, at the size the picture states."""

from __future__ import annotations

import io
from math import pi

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageDraw

from archimetra.artwork.trace import TraceSettings, open_picture, toned, trace
from archimetra.base.errors import ArtworkError
from archimetra.geometry.fill import FillRule
from archimetra.geometry.region import region_of
from shapes import sentence_of


def file_of(pixels: np.ndarray, kind: str = "PNG", **options) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels.astype(np.uint8)).save(out, kind, **options)
    return out.getvalue()


def disc(size: int = 300, radius: float = 100, hole: float = 40, ink: int = 20, paper: int = 235) -> np.ndarray:
    y, x = np.mgrid[0:size, 0:size] + 0.5
    away = np.hypot(x - size / 2, y - size / 2)
    return np.where((away < radius) & (away > hole), ink, paper)


def picture(pixels: np.ndarray, dpi: float = 254.0):
    return open_picture(file_of(pixels, dpi=(dpi, dpi)), name="p.png")


def area(drawing) -> float:
    return region_of([p for s in drawing.shapes for p in s.paths], FillRule.EVENODD, chord_tolerance_mm=0.001).area


class TestTracing:
    @pytest.mark.parametrize("smoothness", [0, 1, 3, 6, 10])
    def test_a_ring_is_as_large_and_round_as_it_was(self, smoothness):
        drawing = trace(picture(disc()), TraceSettings(smoothness=smoothness), name="ring.png")
        assert area(drawing) == pytest.approx(pi * (10**2 - 4**2), rel=0.02)
        assert drawing.bounds() == pytest.approx((5, 5, 25, 25), abs=0.09)
        assert drawing.page_mm == pytest.approx((30, 30))

    @pytest.mark.parametrize("kind", ["PNG", "JPEG", "BMP", "WEBP"])
    def test_every_kind_of_picture(self, kind):
        options = {"quality": 95} if kind in ("JPEG", "WEBP") else {}
        data = file_of(disc(), kind, **options)
        drawing = trace(open_picture(data, name="p"), TraceSettings(), name="p")
        assert area(drawing) * (96 / 25.4) ** 2 == pytest.approx(pi * (100**2 - 40**2), rel=0.02)

    def test_ink_chosen_by_tone(self):
        pixels = np.full((200, 300), 255)
        pixels[20:180, 20:100] = 10
        pixels[20:180, 110:190] = 90
        pixels[20:180, 200:280] = 170
        p = picture(pixels)
        tones = toned(p, TraceSettings(tones=4, smoothness=0))
        assert tones.colours[:, 0].tolist() == pytest.approx([10, 90, 170, 255], abs=3)
        assert tones.shares.sum() == pytest.approx(1)
        for ink, parts, left in (((0,), 1, 2), ((1,), 1, 11), ((0, 2), 2, 2), ((0, 1, 2), 3, 2)):
            drawing = trace(p, TraceSettings(tones=4, ink=ink, smoothness=0), name="p")
            assert len(drawing.shapes) == parts
            assert area(drawing) == pytest.approx(parts * 16 * 8, rel=0.01)
            assert drawing.bounds()[0] == pytest.approx(left, abs=0.05)

    def test_paper_as_ink_has_a_hole_where_the_ink_is(self):
        drawing = trace(picture(disc(hole=0)), TraceSettings(ink=(1,)), name="p")
        assert area(drawing) == pytest.approx(900 - 100 * pi, rel=0.01)

    def test_ink_that_runs_off_the_picture_ends_at_its_edge(self):
        pixels = np.full((100, 100), 255)
        pixels[:, :50] = 0
        assert trace(picture(pixels), TraceSettings(smoothness=0), name="p").bounds() == pytest.approx((0, 0, 5, 10))

    def test_specks_are_dropped_by_size_and_corners_kept_by_angle(self):
        pixels = np.full((200, 200), 255)
        pixels[50:150, 50:150] = 0
        for k in range(8):
            pixels[10:13, 10 + 20 * k : 13 + 20 * k] = 0
        fine = trace(picture(pixels), TraceSettings(speck_px=2, smoothness=0), name="p")
        coarse = trace(picture(pixels), TraceSettings(speck_px=6, smoothness=0), name="p")
        assert (len(fine.shapes), len(coarse.shapes)) == (9, 1)
        square = trace(picture(pixels), TraceSettings(speck_px=6, corner_degrees=60), name="p")
        assert area(square) == pytest.approx(100, abs=0.6)

    def test_transparent_paper_is_white(self):
        rgba = np.zeros((120, 120, 4))
        rgba[30:90, 30:90] = (0, 0, 0, 255)
        drawing = trace(open_picture(file_of(rgba), name="p"), TraceSettings(smoothness=0), name="p")
        assert len(drawing.shapes) == 1

    @settings(max_examples=20, deadline=None)
    @given(seed=st.integers(0, 999), tones=st.integers(2, 8), smoothness=st.floats(0, 10))
    def test_any_picture_gives_outlines_within_it_or_a_sentence(self, seed, tones, smoothness):
        rng = np.random.default_rng(seed)
        small = rng.integers(0, 255, (int(rng.integers(2, 9)), int(rng.integers(2, 9))))
        pixels = np.asarray(Image.fromarray(small.astype(np.uint8)).resize((90, 70), Image.Resampling.BICUBIC))
        how = TraceSettings(tones=tones, smoothness=smoothness)
        told = sentence_of(ArtworkError, lambda: trace(picture(pixels), how, name="p"))
        if told:
            assert told.endswith(".")
            return
        drawing = trace(picture(pixels), how, name="p")
        x0, y0, x1, y1 = drawing.bounds()
        assert x0 > -0.2
        assert y0 > -0.2
        assert x1 < 9.2
        assert y1 < 7.2
        assert area(drawing) <= 63 * 1.05


class TestSize:
    def test_the_stated_resolution_rules_and_without_one_it_is_told(self):
        stated = picture(disc(), dpi=300)
        assert stated.mm_per_px == pytest.approx(25.4 / 300, rel=1e-3)
        assert "300" in stated.reason
        plain = open_picture(file_of(disc()), name="p")
        assert plain.mm_per_px == pytest.approx(25.4 / 96)
        assert "states no size" in plain.reason


class TestBadPictures:
    def test_one_tone_is_a_sentence(self):
        told = sentence_of(
            ArtworkError, lambda: trace(picture(np.full((50, 50), 128)), TraceSettings(), name="grey.png")
        )
        assert told == "grey.png is of one tone throughout; there is nothing to trace in it."
        several = TraceSettings(tones=5)
        assert "one tone" in sentence_of(
            ArtworkError, lambda: trace(picture(np.full((50, 50), 128)), several, name="grey.png")
        )

    @pytest.mark.parametrize("ink", [(), (0, 1)])
    def test_no_ink_and_only_ink_are_sentences(self, ink):
        assert "ink" in sentence_of(ArtworkError, lambda: trace(picture(disc()), TraceSettings(ink=ink), name="p"))

    @pytest.mark.parametrize(
        "data",
        [
            b"",
            b"\x89PNG\r\n\x1a\n",
            b"nothing",
            file_of(disc())[:400],
            file_of(disc(), "JPEG")[:300],
            bytes(range(256)) * 9,
        ],
    )
    def test_damaged_files_are_sentences(self, data):
        told = sentence_of(ArtworkError, lambda: trace(open_picture(data, name="p.png"), TraceSettings(), name="p.png"))
        assert told.startswith("p.png")

    def test_a_bomb_is_refused_by_its_size_before_it_is_unpacked(self):
        import struct
        import zlib

        def chunk(kind: bytes, body: bytes) -> bytes:
            return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

        head = struct.pack(">IIBBBBB", 60000, 60000, 8, 0, 0, 0, 0)
        data = (
            b"\x89PNG\r\n\x1a\n"
            + chunk(b"IHDR", head)
            + chunk(b"IDAT", zlib.compress(b"\0" * 1000))
            + chunk(b"IEND", b"")
        )
        assert "million pixels" in sentence_of(ArtworkError, lambda: open_picture(data, name="p.png"))

    @pytest.mark.parametrize(
        "fields",
        [{"tones": 1}, {"tones": 9}, {"ink": (2,)}, {"smoothness": 11}, {"speck_px": -1}, {"corner_degrees": 200}],
    )
    def test_settings_out_of_limits_are_refused(self, fields):
        assert sentence_of(ValueError, lambda: TraceSettings(**fields))


@pytest.mark.parametrize("dots", [(300, 150), (150, 300), (200, 200), (300, 299)])
def test_a_picture_with_two_resolutions_is_as_large_as_both_say(dots):
    """A square of an inch on paper of two, whatever its pixels."""
    from io import BytesIO

    from PIL import Image, ImageDraw

    image = Image.new("L", (2 * dots[0], 2 * dots[1]), 255)
    ImageDraw.Draw(image).rectangle((dots[0] // 2, dots[1] // 2, 3 * dots[0] // 2 - 1, 3 * dots[1] // 2 - 1), fill=0)
    out = BytesIO()
    image.save(out, "PNG", dpi=dots)
    drawing = trace(open_picture(out.getvalue(), name="a.png"), TraceSettings(), name="a.png")
    x0, y0, x1, y1 = drawing.bounds()
    assert (x1 - x0, y1 - y0) == (pytest.approx(25.4, abs=0.2), pytest.approx(25.4, abs=0.2))


def covered(draw, side: int, fine: int = 16) -> tuple[np.ndarray, float, float]:
    """A small picture of ink drawn fine and averaged down: its pixels, and the ink's true area and outline length in pixels."""
    big = Image.new("L", (side * fine, side * fine), 255)
    draw(ImageDraw.Draw(big), fine)
    ink = np.asarray(big) < 128
    edges = (ink[1:] != ink[:-1]).sum() + (ink[:, 1:] != ink[:, :-1]).sum()
    return np.asarray(big.resize((side, side), Image.Resampling.BOX)), ink.sum() / fine**2, edges / fine * np.pi / 4


class TestFatness:
    """Small ink is as wide as it was: measured against the ink that was averaged into the picture's grey edges."""

    @pytest.mark.parametrize("smoothness", [0, 1, 3])
    @pytest.mark.parametrize("radius", [5.0, 8.3, 14.6, 30.0])
    def test_discs(self, radius, smoothness):
        middle = radius * 1.5 + 0.3

        def draw(pen, fine):
            pen.ellipse(
                [
                    (middle - radius) * fine,
                    (middle - radius) * fine,
                    (middle + radius) * fine,
                    (middle + radius) * fine,
                ],
                fill=0,
            )

        pixels, true, length = covered(draw, int(radius * 3 + 2))
        drawing = trace(picture(pixels, 25.4), TraceSettings(smoothness=smoothness), name="disc.png")
        assert abs(area(drawing) - true) / length < 0.15

    @pytest.mark.parametrize("smoothness", [0, 3])
    def test_strokes_crossing_at_any_angle(self, smoothness):
        for degrees in (0, 17, 45, 71):
            a = np.radians(degrees)

            def draw(pen, fine, a=a):
                for turn in (a, a + np.pi / 2):
                    d = np.array((np.cos(turn), np.sin(turn))) * 16
                    pen.line([*((24 - d) * fine), *((24 + d) * fine)], fill=0, width=4 * fine)

            pixels, true, length = covered(draw, 48)
            drawing = trace(picture(pixels, 25.4), TraceSettings(smoothness=smoothness), name="cross.png")
            assert abs(area(drawing) - true) / length < 0.165

    def test_a_diagonal_of_one_pixel_stays_one_line(self):
        pixels = np.full((60, 60), 255)
        pixels[np.arange(10, 50), np.arange(10, 50)] = 0
        drawing = trace(picture(pixels, 25.4), TraceSettings(smoothness=0), name="line.png")
        assert len(drawing.shapes) == 1
        x0, y0, x1, y1 = drawing.bounds()
        assert (x1 - x0, y1 - y0) == pytest.approx((40, 40), abs=1.0)
