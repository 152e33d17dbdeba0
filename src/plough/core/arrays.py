"""Names for the array types used across the core."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Float32 = NDArray[np.float32]
Float64 = NDArray[np.float64]
Int8 = NDArray[np.int8]
Int32 = NDArray[np.int32]
UInt8 = NDArray[np.uint8]
UInt32 = NDArray[np.uint32]
UInt64 = NDArray[np.uint64]
Int64 = NDArray[np.int64]
Bool = NDArray[np.bool_]
