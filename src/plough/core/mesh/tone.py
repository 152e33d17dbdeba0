"""How light becomes a picture: the tone curve that the view has, too."""

from __future__ import annotations

import math

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
def _times(m: Float64, a: float, b: float, c: float) -> tuple[float, float, float]:
    return (
        m[0, 0] * a + m[0, 1] * b + m[0, 2] * c,
        m[1, 0] * a + m[1, 1] * b + m[1, 2] * c,
        m[2, 0] * a + m[2, 1] * b + m[2, 2] * c,
    )


@kernel
def _curve(light: float) -> float:
    x = (math.log2(max(light, 1e-10)) - _LOWEST) / (_HIGHEST - _LOWEST)
    x = min(1.0, max(0.0, x))
    y = ((((15.5 * x - 40.14) * x + 31.96) * x - 6.868) * x + 0.4298) * x + 0.1191
    return y * x - 0.00232


@kernel
def _shown(linear: float, grey: float) -> float:
    v = max(0.0, grey + (linear - grey) * _SATURATION)
    v = 12.92 * v if v < 0.0031308 else 1.055 * v**0.41666 - 0.055
    return v + _CONTRAST * (v * v * (3.0 - 2.0 * v) - v)


@kernel
def print_light(red: float, green: float, blue: float) -> tuple[float, float, float]:
    """sRGB, 0 to 1, of linear light that is exposed already.

    Method: AgX (Sobotka 2022) with a polynomial for its curve, then a little more saturation and contrast.
    """
    a, b, c = _times(_INTO, red, green, blue)
    a, b, c = _times(_OUTSET, _curve(a), _curve(b), _curve(c))
    a, b, c = _times(_BACK, max(0.0, a) ** 2.2, max(0.0, b) ** 2.2, max(0.0, c) ** 2.2)
    a, b, c = min(1.0, max(0.0, a)), min(1.0, max(0.0, b)), min(1.0, max(0.0, c))
    grey = 0.2126 * a + 0.7152 * b + 0.0722 * c
    return _shown(a, grey), _shown(b, grey), _shown(c, grey)
