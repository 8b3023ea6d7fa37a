"""Names of the arrays that everything computes with."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float64]
Int = NDArray[np.int64]
Bool = NDArray[np.bool_]
F32 = NDArray[np.float32]
I32 = NDArray[np.int32]
#: Points and ways in a plane.
Complex = NDArray[np.complex128]
#: Pixels: levels of grey or colour, or a mask.
U8 = NDArray[np.uint8]
