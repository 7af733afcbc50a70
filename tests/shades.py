"""Colours of pictures, taken apart."""

from __future__ import annotations

import numpy as np


def channels(pixels: np.ndarray) -> np.ndarray:
    """Red, green and blue (..., 3) of 0xffRRGGBB."""
    return np.stack([(pixels >> shift) & 255 for shift in (16, 8, 0)], axis=-1).astype(float)
