"""Pictures to outlines: reduced to a few tones, some of which are ink, and followed by the tracer.

A ``Picture`` is opened within bounds; ``toned`` reduces it; ``trace`` makes a ``Drawing`` of the tones that are ink. Sizes
come from the file's own resolution, or 96 pixels to the inch without one.
"""

from __future__ import annotations

import io
import re
import warnings
from typing import Any, NamedTuple

import numpy as np

from archimetra.artwork.drawing import Drawing, DrawnLayer, DrawnShape, Scale
from archimetra.artwork.report import ReportLine, counted, read, unit_entry
from archimetra.artwork.svg_paths import parse_path, parse_transform
from archimetra.artwork.trace_settings import TraceSettings
from archimetra.base.errors import ArtworkError
from archimetra.geometry.affine import Affine
from archimetra.geometry.arrays import AnyArray, BoolArray, ByteArray, FloatArray
from archimetra.geometry.fill import FillRule
from archimetra.geometry.path import Path, transform_together

MAX_PIXELS = 40_000_000
MAX_BYTES = 80_000_000
SMALLEST_PX = 4
MOST_NODES = 400_000
_SAMPLES = 20_000
_ENOUGH = 400_000  # pixels for a look at the tones
_EVEN = 6  # neighbours this near in tone, of 255, are of one
FINER, FINER_PIXELS = 3, 3_000_000  # pictures are enlarged so many times for tracing, up to this
_ELEMENT = re.compile(r'<path d="([^"]*)" fill="[^"]*" transform="([^"]*)"')


class Picture(NamedTuple):
    """Pixels (h, w, 3) from the top, and how long one is in mm and why."""

    pixels: ByteArray
    mm_per_px: float
    reason: str
    is_certain: bool

    @property
    def size_mm(self) -> tuple[float, float]:
        """Width and height in mm by the resolution it states."""
        height, width = self.pixels.shape[:2]
        return width * self.mm_per_px, height * self.mm_per_px


class Toned(NamedTuple):
    """The tone (h, w) of every pixel, ``finer`` times as many either way as the picture has, the tones' colours (k, 3) from dark
    to light, and their shares of the area."""

    labels: ByteArray
    colours: ByteArray
    shares: FloatArray
    finer: int = 1


def open_picture(data: bytes, *, name: str) -> Picture:
    """The pixels of a PNG, JPEG, BMP or WebP file on white. Raises ArtworkError with a sentence for anything else."""
    from PIL import Image, ImageOps, UnidentifiedImageError

    if not data.strip():
        raise ArtworkError(f"{name} is empty. Save the picture again.")
    if len(data) > MAX_BYTES:
        raise ArtworkError(
            f"{name} holds {len(data) / 1e6:.0f} MB; the limit is {MAX_BYTES / 1e6:.0f} MB. Make it smaller."
        )
    Image.MAX_IMAGE_PIXELS = None  # our own limit is stricter, and says so in a sentence
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "BMP", "WEBP")) as image:
            width, height = image.size
            if width * height > MAX_PIXELS:
                raise ArtworkError(
                    f"{name} holds {width * height / 1e6:.0f} million pixels; the limit is {MAX_PIXELS // 1_000_000}. "
                    "Make the picture smaller: 4 million are plenty to trace."
                )
            if min(width, height) < SMALLEST_PX:
                raise ArtworkError(f"{name} is {width} x {height} pixels: too small to trace.")
            dpi = image.info.get("dpi")
            image.load()
            upright = ImageOps.exif_transpose(image)
            is_turned = upright.size != (width, height)
            dots = _dots(dpi, is_turned=is_turned)
            if dots is not None and abs(dots[0] / dots[1] - 1) > 0.01:
                before = upright.size[0]
                upright = _with_square_pixels(upright, dots)
                dots = (dots[0] * upright.size[0] / before,) * 2
            if upright.mode in ("RGBA", "LA", "PA") or "transparency" in upright.info:
                upright = upright.convert("RGBA")
                ground = Image.new("RGBA", upright.size, "white")
                upright = Image.alpha_composite(ground, upright)
            pixels = np.asarray(upright.convert("RGB"))
    except ArtworkError:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, EOFError) as error:
        raise ArtworkError(
            f"{name} is not a picture that can be read, or it breaks off. Save it again as PNG or JPEG."
        ) from error
    if dots is not None:
        per_inch = max(dots)
        reason = f"The picture states {per_inch:.4g} pixels to the inch. Check the size."
        return Picture(pixels, 25.4 / per_inch, reason, False)
    reason = "The picture states no size; 96 pixels to the inch were assumed. Check the size."
    return Picture(pixels, 25.4 / 96, reason, False)


def _finer(grey: ByteArray, edge: float) -> int:
    """How many times finer a picture of two tones is traced. The tracer cuts the corners of whole pixels; where edges are grey,
    that grey says where between two pixels the ink ends, and in a small picture that is much of a letter. Where they are not, finer
    pixels would only be stairs. (Between more tones than two a grey edge is a tone of its own.)"""
    if grey.size * FINER**2 > FINER_PIXELS:
        return 1
    v = grey.astype(np.int16)
    low, high = int(v.min()), int(v.max())
    is_grey = (v > low + 0.2 * (high - low)) & (v < high - 0.2 * (high - low))
    steps = int(((v[1:] > edge) != (v[:-1] > edge)).sum() + ((v[:, 1:] > edge) != (v[:, :-1] > edge)).sum())
    return FINER if is_grey.sum() > 0.25 * steps else 1


def _dots(dpi: Any, *, is_turned: bool) -> tuple[float, float] | None:
    """Pixels to the inch across and up, where a picture states believable ones."""
    try:
        across, up = float(dpi[0]), float(dpi[1])
    except (TypeError, ValueError, IndexError):
        return None
    if not all(10 <= number <= 10_000 for number in (across, up)) or max(across, up) > 4 * min(across, up):
        return None
    return (up, across) if is_turned else (across, up)


def _with_square_pixels(image: Any, dots: tuple[float, float]) -> Any:
    """A picture whose pixels are longer than wide, or the other way round, at the finer of its resolutions both ways; at the
    coarser one where that would be too large."""
    from PIL import Image

    for wanted in (max(dots), min(dots)):
        size = [max(1, round(side * wanted / own)) for side, own in zip(image.size, dots, strict=True)]
        if size[0] * size[1] <= MAX_PIXELS:
            break
    return image.resize(size, Image.Resampling.BICUBIC)


def toned(picture: Picture, settings: TraceSettings, *, name: str = "The picture") -> Toned:
    """The picture in few tones. Raises ArtworkError where it has only one."""
    from PIL import Image, ImageFilter

    image = Image.fromarray(picture.pixels)
    blur = settings.smoothness / 4
    if settings.tones == 2:
        grey = image.convert("L")
        values = np.asarray(grey)
        if int(values.max()) - int(values.min()) < 8:
            raise ArtworkError(f"{name} is of one tone throughout; there is nothing to trace in it.")
        edge = _edge(values)  # of the picture as it is: blurred, thin ink is all edge
        finer = _finer(values, edge)
        if finer > 1:
            grey = grey.resize([side * finer for side in image.size], Image.Resampling.BICUBIC)
        values = np.asarray(grey)
        if blur >= 0.25:
            values = np.asarray(grey.filter(ImageFilter.GaussianBlur(blur * finer)))
        labels = (values > edge).astype(np.uint8)
        if labels.min() == labels.max():
            raise ArtworkError(f"Nothing of {name} is left once it is smoothed. Smooth less.")
        return _sorted_by_light(labels, picture.pixels, 2, finer)
    if blur >= 0.25:
        image = image.filter(ImageFilter.GaussianBlur(blur))
    colours = _tones_of(np.asarray(image), settings.tones)
    palette = Image.new("P", (1, 1))
    palette.putpalette(colours.ravel().tolist() + colours[-1].tolist() * (256 - len(colours)))
    labels = np.minimum(np.asarray(image.quantize(palette=palette, dither=Image.Dither.NONE)), len(colours) - 1)
    if labels.min() == labels.max():
        raise ArtworkError(f"{name} is of one tone throughout; there is nothing to trace in it.")
    return _sorted_by_light(labels, picture.pixels, settings.tones)


def _tones_of(pixels: ByteArray, count: int) -> ByteArray:
    """The colours (k <= count, 3) that best stand for a picture's, by k-means over a sample of its pixels."""
    from scipy.cluster.vq import kmeans2

    flat = pixels.reshape(-1, 3)
    rng = np.random.default_rng(0)  # the same picture gives the same tones
    some = flat[rng.integers(0, len(flat), min(_SAMPLES, len(flat)))].astype(np.float64)
    different = np.unique(some, axis=0)
    if len(different) <= count:
        return different.round().astype(np.uint8)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # a tone that stays empty is dropped below
        centres, label = kmeans2(some, count, iter=20, minit="++", seed=1)
    return np.asarray(centres[np.unique(label)].round(), dtype=np.uint8)


def _otsu(values: ByteArray) -> int:
    """The threshold that best parts light from dark (Otsu 1979: the largest variance between the two)."""
    count = np.bincount(values.ravel(), minlength=256).astype(np.float64)
    below = np.cumsum(count)
    weight = np.cumsum(count * np.arange(256))
    above = below[-1] - below
    with np.errstate(divide="ignore", invalid="ignore"):
        between = below * above * (weight / below - (weight[-1] - weight) / above) ** 2
    best = np.flatnonzero(between == np.nanmax(between))
    return int((best[0] + best[-1]) // 2)  # the middle of the gap between two clear tones


def _edge(values: ByteArray) -> float:
    """The tone at which an edge between ink and ground lies: half way between the two where they are even, not among the greys
    that edges themselves are made of, which pull a threshold towards the ground. Of several tones of ink the lightest counts, of
    ground the darkest."""
    parted = _otsu(values)
    band = max(1, values.shape[0] * values.shape[1] // _ENOUGH)  # of a large picture bands of three rows show as much
    if band > 3:
        rows = np.arange(0, values.shape[0] - 2, band)
        values = values[(rows[:, None] + np.arange(3)).ravel()]
    v = values.astype(np.int16)
    is_even = np.ones(v.shape, dtype=bool)
    for here, there in (((slice(1, None), slice(None)), (slice(None, -1), slice(None))),
                        ((slice(None), slice(1, None)), (slice(None), slice(None, -1)))):  # fmt: skip
        is_near = np.abs(v[here] - v[there]) <= _EVEN
        is_even[here] &= is_near
        is_even[there] &= is_near
    dark, light = values[is_even & (values <= parted)], values[is_even & (values > parted)]
    ink = np.percentile(dark, 90) if len(dark) else values.min()
    ground = np.percentile(light, 10) if len(light) else values.max()
    return (float(ink) + float(ground)) / 2


def _sorted_by_light(labels: ByteArray, pixels: ByteArray, tones: int, finer: int = 1) -> Toned:
    flat = labels[finer // 2 :: finer, finer // 2 :: finer].ravel()  # one for each pixel
    step = max(1, len(flat) // 500_000)  # a colour needs no more
    some, of = pixels.reshape(-1, 3)[::step], flat[::step]
    count = np.maximum(np.bincount(of, minlength=tones)[:tones], 1)
    colours = np.stack([np.bincount(of, some[:, c], minlength=tones)[:tones] / count for c in range(3)], axis=1)
    shares = np.bincount(flat, minlength=tones)[:tones] / len(flat)
    order = np.argsort(colours @ np.array([0.299, 0.587, 0.114]), kind="stable")
    if (order == np.arange(tones)).all():
        return Toned(labels, colours.round().astype(np.uint8), shares, finer)
    rank = np.empty(tones, np.uint8)
    rank[order] = np.arange(tones)
    return Toned(rank[labels], colours[order].round().astype(np.uint8), shares[order], finer)


def trace(picture: Picture, settings: TraceSettings, *, name: str, tones: Toned | None = None) -> Drawing:
    """The outlines of the tones that are ink, together as one area. Raises ArtworkError where nothing comes of it."""
    tones = toned(picture, settings, name=name) if tones is None else tones
    if not settings.ink:
        raise ArtworkError("No tone is chosen as ink. Choose at least one.")
    if len(set(settings.ink)) == settings.tones:
        raise ArtworkError("Every tone is chosen as ink, so there is nothing around it. Leave at least one out.")
    is_ink = np.zeros(256, dtype=bool)
    is_ink[list(settings.ink)] = True
    mask = is_ink[tones.labels]
    if not mask.any():
        raise ArtworkError(f"{name} has nothing of the tone chosen as ink. Choose another.")
    finer = tones.finer
    if settings.smoothness == 0 and finer == 1:
        mask, finer = _held_together(mask)
    paths = _followed(mask, settings, finer)
    height = mask.shape[0]
    mm = picture.mm_per_px / finer
    up = Affine(mm, 0.0, 0.0, -mm, 0.0, height * mm)
    outlines = [tuple(transform_together(shape, up)) for shape in paths]
    nodes = sum(len(path) for shape in outlines for path in shape)
    if nodes > MOST_NODES:
        raise ArtworkError(
            f"Tracing {name} this way gives {nodes:,} nodes. Drop larger specks, smooth more, or use fewer tones."
        )
    if not outlines:
        raise ArtworkError(f"Nothing of {name} is left to trace: all ink is specks. Drop smaller specks only.")
    shapes = tuple(
        DrawnShape(f"trace {k + 1}", 0, shape, FillRule.EVENODD, True, None, 0, f"trace{k}")
        for k, shape in enumerate(outlines)
    )
    scale = Scale("px", picture.mm_per_px, picture.reason, picture.is_certain)
    report: list[ReportLine] = [unit_entry(scale.reason, is_certain=scale.is_certain)]
    share = float(tones.shares[list(set(settings.ink))].sum())
    words = f"{counted(len(shapes), 'shape')} with {counted(nodes, 'node')} traced; {share:.0%} of the picture is ink."
    report.append(read("traced", words))
    stem = name.rsplit(".", 1)[0]
    return Drawing(stem, (DrawnLayer(stem),), shapes, scale, picture.size_mm, tuple(report))


def _held_together(mask: BoolArray) -> tuple[BoolArray, int]:
    """The ink, and how many times finer it is now: twice where pixels of it touch by corners only, held together by a quarter of a
    pixel at either side. The tracer takes pixels that touch so for pieces, and a thin slanting line for specks."""
    down = mask[:-1, :-1] & mask[1:, 1:] & ~mask[:-1, 1:] & ~mask[1:, :-1]
    up = mask[:-1, 1:] & mask[1:, :-1] & ~mask[:-1, :-1] & ~mask[1:, 1:]
    if not (down.any() or up.any()) or mask.size * 4 > MAX_PIXELS:
        return mask, 1
    fine = mask.repeat(2, axis=0).repeat(2, axis=1)
    fine[1:-1:2, 2::2] |= down
    fine[2::2, 1:-1:2] |= down
    fine[1:-1:2, 1:-1:2] |= up
    fine[2::2, 2::2] |= up
    return fine, 2


def _followed(mask: AnyArray, settings: TraceSettings, finer: int) -> list[list[Path]]:
    """The ink's outlines in pixels from the top left, one list per connected piece with its holes."""
    import vtracer
    from PIL import Image

    # ink that runs off the picture is followed along its rim: a white frame keeps the tracer from losing it
    framed = np.pad(mask, 1)
    out = io.BytesIO()
    Image.fromarray(np.where(framed, np.uint8(0), np.uint8(255))).save(out, "PNG", compress_level=1)
    svg = vtracer.convert_raw_image_to_svg(
        out.getvalue(),
        "png",
        colormode="binary",
        mode="spline" if settings.smoothness > 0 else "polygon",
        filter_speckle=settings.speck_px * finer,
        corner_threshold=round(settings.corner_degrees),
        length_threshold=min((3.5 + settings.smoothness * 0.65) * finer, 10.0),
        splice_threshold=45,
        path_precision=3,
    )
    pieces = []
    back = Affine.shift(-1.0, -1.0)
    for data, place in _ELEMENT.findall(svg):
        outlines = [path for path in parse_path(data) if len(path) > 1]
        if outlines:
            pieces.append(transform_together(outlines, parse_transform(place).then(back)))
    return pieces
