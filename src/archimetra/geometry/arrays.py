"""Names for the array types that signatures use."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
ByteArray = NDArray[np.uint8]
BoolArray = NDArray[np.bool_]
AnyArray = NDArray[Any]


def frozen(array: AnyArray) -> AnyArray:
    """The same array, made read-only (a frozen type does not reach inside an array)."""
    array.setflags(write=False)
    return array
