"""Colours that must be told apart are: by their distance in CIE L*a*b*."""

from __future__ import annotations

from itertools import combinations

import numpy as np

from archimetra.artwork.svg_layers import LEAST_HUE
from archimetra.job.hues import BIT_HUES
from archimetra.job.shapes import LAYER_COLOURS

JUST_SEEN = 2.3  # of this distance; what is to be told apart at a glance needs many times as much


def lab(colour: str) -> np.ndarray:
    """CIE L*a*b* of an sRGB colour, D65."""
    c = np.array([int(colour[k : k + 2], 16) for k in (1, 3, 5)]) / 255
    c = np.where(c > 0.04045, ((c + 0.055) / 1.055) ** 2.4, c / 12.92)
    xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) @ c
    x, y, z = np.cbrt(xyz / (0.95047, 1.0, 1.08883))
    return np.array([116 * y - 16, 500 * (x - y), 200 * (y - z)])


def test_artwork_never_looks_like_a_bit_s_path():
    for layer in LAYER_COLOURS:
        for bit in BIT_HUES:
            assert np.linalg.norm(lab(layer) - lab(bit)) > 8 * JUST_SEEN, (layer, bit)


def test_layers_are_told_apart_and_come_back_from_a_drawing():
    for one, two in combinations(LAYER_COLOURS, 2):
        assert np.linalg.norm(lab(one) - lab(two)) > 8 * JUST_SEEN, (one, two)
    for colour in LAYER_COLOURS:
        parts = [int(colour[k : k + 2], 16) for k in (1, 3, 5)]
        assert max(parts) - min(parts) >= LEAST_HUE
