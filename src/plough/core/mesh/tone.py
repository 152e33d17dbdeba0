"""How light becomes a picture: the tone curve that the view has, too."""

from __future__ import annotations

import numpy as np

from plough.core.arrays import Float64
from plough.core.kernels import kernel

_TO_WIDE = np.array(
    [[0.6274, 0.3293, 0.0433], [0.0691, 0.9195, 0.0113], [0.0164, 0.0880, 0.8956]]
)  #: linear sRGB to the primaries of Rec. 2020
_INSET = np.array(
    [
        [0.856627153315983, 0.0951212405381588, 0.0482516061458583],
        [0.137318972929847, 0.761241990602591, 0.101439036467562],
        [0.11189821299995, 0.0767994186031903, 0.811302368396859],
    ]
)
_OUTSET = np.array(
    [
        [1.1271005818144368, -0.11060664309660323, -0.016493938717834573],
        [-0.1413297634984383, 1.157823702216272, -0.016493938717834257],
        [-0.14132976349843826, -0.11060664309660294, 1.2519364065950405],
    ]
)
_INTO = _INSET @ _TO_WIDE
_BACK = np.linalg.inv(_TO_WIDE)
_LOWEST, _HIGHEST = -12.47393, 4.026069  #: powers of two that the curve spans
_SATURATION, _CONTRAST = 1.22, 0.32


@kernel
def _times(m: Float64, v: Float64) -> Float64:
    out = np.empty(3)
    for k in range(3):
        out[k] = m[k, 0] * v[0] + m[k, 1] * v[1] + m[k, 2] * v[2]
    return out


@kernel
def print_light(light: Float64) -> Float64:
    """(3,) sRGB, 0 to 1, of linear `light` (3,) that is exposed already.

    Method: AgX (Sobotka 2022) with a polynomial for its curve, then a little more saturation and contrast.
    """
    wide = _times(_INTO, light)
    for k in range(3):
        x = (np.log2(max(wide[k], 1e-10)) - _LOWEST) / (_HIGHEST - _LOWEST)
        x = min(1.0, max(0.0, x))
        y = ((((15.5 * x - 40.14) * x + 31.96) * x - 6.868) * x + 0.4298) * x + 0.1191
        wide[k] = y * x - 0.00232
    toned = _times(_OUTSET, wide)
    for k in range(3):
        toned[k] = max(0.0, toned[k]) ** 2.2
    out = _times(_BACK, toned)
    for k in range(3):
        out[k] = min(1.0, max(0.0, out[k]))
    grey = 0.2126 * out[0] + 0.7152 * out[1] + 0.0722 * out[2]
    for k in range(3):
        v = max(0.0, grey + (out[k] - grey) * _SATURATION)
        v = 12.92 * v if v < 0.0031308 else 1.055 * v**0.41666 - 0.055
        out[k] = v + _CONTRAST * (v * v * (3.0 - 2.0 * v) - v)
    return out
