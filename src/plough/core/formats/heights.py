"""Height maps from outside and to it: PNG of 8 or 16 bits, TIFF of 8, 16 or 32 bits, raw 16 bits."""

from __future__ import annotations

import io
import math
from dataclasses import asdict, dataclass
from typing import Any
from zipfile import BadZipFile

import numpy as np
import orjson
from PIL import Image, TiffImagePlugin, UnidentifiedImageError

from plough.core.arrays import Bool, Float32
from plough.core.errors import FormatError, TooLargeError
from plough.core.formats.meshes import ending

HEIGHT_FORMATS = ("png", "tif", "tiff", "raw", "r16")
MOST_SIDE = 8192  #: samples
SOUND = (-20_000.0, 100_000.0)  #: metres; samples beyond hold nothing, whatever marks them as such
MOST_KEPT = 2049  #: samples of the shorter side that are kept, as many as a ground may have
_SCALE, _TIE, _KEYS, _NOTHING = 33550, 33922, 34735, 42113  # tags of georeferenced TIFF
_MODEL, _UNIT, _GEOGRAPHIC = 1024, 3076, 2
_FEET = {9002: 0.3048, 9003: 1200 / 3937}
_DEGREE = 111_320.0  # metres of latitude


@dataclass(frozen=True, eq=False)
class HeightMap:
    """Heights as they came; the first row is the north, the first column the west."""

    values: Float32  #: (h, w) metres, or shares from 0 to 1
    metres: bool  #: whether they are metres
    spacing: (
        tuple[float, float] | None
    )  #: metres between columns and between rows, where it is told
    size: tuple[int, int]  #: columns and rows that the file has
    holes: int = 0  #: samples that held nothing, and take the height of the nearest that does
    told: str = ""  #: what was read, in words


def read_heights(name: str, data: bytes) -> HeightMap:
    """The height map in a file; its name's ending tells the format.

    Raises:
        FormatError: it is of another format, damaged, in colour, or holds nothing.
        TooLargeError: it has more than `MOST_SIDE` samples a side.
    """
    kind = ending(name)
    if kind not in HEIGHT_FORMATS:
        raise FormatError(
            f"{kind or 'a file without ending'} is not read; height maps come as {', '.join(HEIGHT_FORMATS)}"
        )
    return _raw(data) if kind in ("raw", "r16") else _image(data)


def _check_side(width: int, height: int) -> None:
    if max(width, height) > MOST_SIDE:
        raise TooLargeError(
            "heights", f"has {width:,} x {height:,} samples; the limit is {MOST_SIDE:,} a side"
        )
    if min(width, height) < 2:
        raise FormatError(f"has {width} x {height} samples; at least 2 x 2 are needed")


def _raw(data: bytes) -> HeightMap:
    side = math.isqrt(len(data) // 2)
    if side * side * 2 != len(data):
        raise FormatError(
            f"{len(data):,} bytes are no square of 16-bit samples; write it as PNG or TIFF, which tell their size"
        )
    _check_side(side, side)
    both = {o: np.frombuffer(data, f"{o}u2").reshape(side, side) for o in "<>"}
    # read in the wrong order neighbours jump
    rough = {
        o: float(np.abs(np.diff(v.astype(np.float64), axis=1)).mean()) for o, v in both.items()
    }
    order = "<" if rough["<"] <= rough[">"] else ">"
    told = f"16 bits, {'low' if order == '<' else 'high'} byte first"
    return _reduced(both[order].astype(np.float32) / np.float32(65535), False, None, 0, told)


def _image(data: bytes) -> HeightMap:
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "TIFF")) as image:
            _check_side(*image.size)
            values, metres, told = _samples(image)
            spacing = _spacing(image) if image.format == "TIFF" else None
            nothing = _nothing(image, values)
    except FormatError:
        raise
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, KeyError) as error:
        raise FormatError(f"is no PNG or TIFF that can be read ({type(error).__name__})") from None
    except Image.DecompressionBombError:
        raise TooLargeError("heights", f"the limit is {MOST_SIDE:,} samples a side") from None
    if nothing.all():
        raise FormatError("holds no heights: all samples are empty")
    holes = int(nothing.sum())
    if holes:
        from scipy.ndimage import distance_transform_edt

        at = distance_transform_edt(nothing, return_distances=False, return_indices=True)
        values = values[tuple(at)]
    return _reduced(values, metres, spacing, holes, told)


def _samples(image: Image.Image) -> tuple[Float32, bool, str]:
    """(h, w) values, whether they are metres, and what was read in words."""
    if image.mode in ("RGB", "RGBA", "P", "LA"):
        rgb = np.asarray(image.convert("RGB"))
        if (np.ptp(rgb, axis=2) > 0).any():
            raise FormatError("is in colour; a height map is grey")
        return rgb[..., 0].astype(np.float32) / np.float32(255), False, "8 bits"
    if image.mode == "L":
        return np.asarray(image).astype(np.float32) / np.float32(255), False, "8 bits"
    if image.mode.startswith("I;16"):
        values = np.asarray(image).astype(np.float32)
        return values / np.float32(65535), False, "16 bits"
    if image.mode == "F":
        return np.asarray(image).astype(np.float32), True, "32 bits, in metres"
    if image.mode == "I":
        held = np.asarray(image)
        if image.format == "PNG":
            return held.astype(np.float32) / np.float32(65535), False, "16 bits"
        return held.astype(np.float32), True, "whole numbers with sign, in metres"
    raise FormatError(f"is of a form that is not read ({image.mode})")


def _nothing(image: Image.Image, values: Float32) -> Bool:
    """(h, w) where a sample holds nothing."""
    low, high = SOUND
    out = ~((values >= low) & (values <= high))  # no number, too
    if image.format == "TIFF":
        text = str(getattr(image, "tag_v2", {}).get(_NOTHING, "")).strip("\0 ")
        try:
            out |= values == np.float32(text)
        except ValueError:
            return out
    return out


def _spacing(image: Image.Image) -> tuple[float, float] | None:
    """Metres between columns and rows, by the tags of a georeferenced TIFF."""
    tags: Any = getattr(image, "tag_v2", {})
    scale = tags.get(_SCALE)
    if not scale or len(scale) < 2:
        return None
    x, y = float(scale[0]), float(scale[1])
    if not (0 < x < 1e6 and 0 < y < 1e6):
        return None
    keys = list(tags.get(_KEYS, ()))
    told = {keys[k]: keys[k + 3] for k in range(4, len(keys) - 3, 4)}
    if told.get(_MODEL) == _GEOGRAPHIC:
        tie = tags.get(_TIE, ())
        north = float(tie[4]) - y * image.size[1] / 2 if len(tie) >= 6 else 0.0
        return x * _DEGREE * max(0.01, math.cos(math.radians(north))), y * _DEGREE
    unit = _FEET.get(told.get(_UNIT, 0), 1.0)
    return x * unit, y * unit


def _reduced(
    values: Float32, metres: bool, spacing: tuple[float, float] | None, holes: int, told: str
) -> HeightMap:
    h, w = values.shape
    many = min(h, w)
    if many > MOST_KEPT:
        # samples stand at corners: the first and the last stay where they are
        w2, h2 = (1 + round((n - 1) * (MOST_KEPT - 1) / (many - 1)) for n in (w, h))
        values = _resampled(values, (0.0, w - 1.0), (0.0, h - 1.0), (w2, h2))
        if spacing is not None:
            spacing = spacing[0] * (w - 1) / (w2 - 1), spacing[1] * (h - 1) / (h2 - 1)
    return HeightMap(np.ascontiguousarray(values), metres, spacing, (w, h), holes, told)


def _resampled(
    values: Float32, x: tuple[float, float], y: tuple[float, float], size: tuple[int, int]
) -> Float32:
    """`values` at `size` columns and rows evenly between two columns `x` and two rows `y`; beyond the edges they go on level."""
    from scipy.ndimage import gaussian_filter1d, map_coordinates

    for axis, (span, n) in enumerate(((y, size[1]), (x, size[0]))):
        step = abs(span[1] - span[0]) / max(n - 1, 1)
        if step > 1.0001:
            # a slope goes on as a slope beyond the edge
            wide = min(math.ceil(2.0 * step), values.shape[axis] - 1)
            widths = [(wide, wide) if axis == a else (0, 0) for a in (0, 1)]
            padded = np.pad(values, widths, "reflect", reflect_type="odd")
            smooth = gaussian_filter1d(padded, 0.5 * step, axis=axis)
            values = np.take(smooth, np.arange(wide, wide + values.shape[axis]), axis=axis)
    columns, rows = np.linspace(*x, size[0]), np.linspace(*y, size[1])
    if np.array_equal(columns, np.rint(columns)) and np.array_equal(rows, np.rint(rows)):
        held: Float32 = values[
            np.ix_(
                rows.astype(np.int64).clip(0, values.shape[0] - 1),
                columns.astype(np.int64).clip(0, values.shape[1] - 1),
            )
        ]
        return held
    at = np.meshgrid(rows, columns, indexing="ij")
    out = map_coordinates(values, at, np.float32, order=3, mode="nearest")
    clipped: Float32 = out.clip(values.min(), values.max())
    return clipped


def square_of(
    heights: HeightMap, samples: int, whole: bool, mirrored: tuple[bool, bool] = (False, False)
) -> Float32:
    """(samples, samples) values over a square: the largest in the middle or, `whole`, the smallest that holds all of it; it goes on level beyond.

    Args:
        mirrored: west and east changed about, north and south.
    """
    values = heights.values
    if mirrored[0]:
        values = values[:, ::-1]
    if mirrored[1]:
        values = values[::-1]
    h, w = values.shape
    dx, dy = heights.spacing or (1.0, 1.0)
    wide, tall = (w - 1) * dx, (h - 1) * dy
    side = max(wide, tall) if whole else min(wide, tall)
    x = ((wide - side) / 2 / dx, (wide + side) / 2 / dx)
    y = ((tall - side) / 2 / dy, (tall + side) / 2 / dy)
    return np.ascontiguousarray(_resampled(values, x, y, (samples, samples)), np.float32)


def side_of(heights: HeightMap, whole: bool) -> float | None:
    """Metres of the side of that square, where the file tells it."""
    if heights.spacing is None:
        return None
    h, w = heights.values.shape
    wide, tall = (w - 1) * heights.spacing[0], (h - 1) * heights.spacing[1]
    return float(max(wide, tall) if whole else min(wide, tall))


def pack_heights(heights: HeightMap) -> bytes:
    """`heights` as bytes; equal ones give equal bytes."""
    head = {k: v for k, v in asdict(heights).items() if k != "values"}
    out = io.BytesIO()
    np.savez(out, heights=heights.values, head=np.frombuffer(orjson.dumps(head), np.uint8))
    return out.getvalue()


def unpack_heights(data: bytes) -> HeightMap:
    """The height map in `data`. Raises `FormatError` when it holds none."""
    try:
        with np.load(io.BytesIO(data), allow_pickle=False) as held:
            values, head = held["heights"], orjson.loads(held["head"].tobytes())
    except (OSError, ValueError, KeyError, EOFError, BadZipFile) as error:
        raise FormatError(f"this is no height map that was brought in ({error})") from None
    spacing = head.pop("spacing")
    size = tuple(head.pop("size"))
    return HeightMap(values, spacing=tuple(spacing) if spacing else None, size=size, **head)


def write_png(heights: Float32) -> tuple[bytes, float, float]:
    """(n, m) metres as a 16-bit PNG, and the metres that black and white stand for."""
    low, high = float(heights.min()), float(heights.max())
    share = (heights.astype(np.float64) - low) / max(high - low, 1e-9)
    out = io.BytesIO()
    Image.fromarray(np.rint(share * 65535).astype(np.uint16)).save(out, "PNG")
    return out.getvalue(), low, high


def write_raw(heights: Float32) -> tuple[bytes, float, float]:
    """(n, n) metres as raw 16 bits, low byte first, and the metres that the least and the greatest value stand for."""
    low, high = float(heights.min()), float(heights.max())
    share = (heights.astype(np.float64) - low) / max(high - low, 1e-9)
    return np.rint(share * 65535).astype("<u2").tobytes(), low, high


def write_tiff(heights: Float32, spacing: float) -> bytes:
    """(n, m) metres as a TIFF of 32-bit floats that tells its spacing in metres."""
    tags = TiffImagePlugin.ImageFileDirectory_v2()
    tags[_SCALE] = (spacing, spacing, 0.0)
    tags.tagtype[_SCALE] = 12
    h, w = heights.shape
    tags[_TIE] = (0.0, 0.0, 0.0, -spacing * (w - 1) / 2, spacing * (h - 1) / 2, 0.0)
    tags.tagtype[_TIE] = 12
    tags[_KEYS] = (1, 1, 0, 2, _MODEL, 0, 1, 1, _UNIT, 0, 1, 9001)
    tags.tagtype[_KEYS] = 3
    out = io.BytesIO()
    Image.fromarray(heights.astype(np.float32)).save(
        out, "TIFF", compression="tiff_adobe_deflate", tiffinfo=tags
    )
    return out.getvalue()
