"""Names for the array types that signatures use.

For type checkers only: at run time they stand for anything, so that modules which merely name them do not
load numpy. What the first window imports keeps to that (``app.run``).
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    FloatArray = NDArray[np.float64]
    IntArray = NDArray[np.int64]
    ByteArray = NDArray[np.uint8]
    BoolArray = NDArray[np.bool_]
    AnyArray = NDArray[Any]
else:
    FloatArray = IntArray = ByteArray = BoolArray = AnyArray = Any


def frozen(array: AnyArray) -> AnyArray:
    """The same array, made read-only (a frozen type does not reach inside an array)."""
    array.setflags(write=False)
    return array
