"""Height maps: read as they were written, whatever form they come in; grounds made of them; ways to begin."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, TiffImagePlugin

from plough.core.bake.ground_file import ground_file, heights_of
from plough.core.errors import FormatError, PloughError, TooLargeError
from plough.core.formats.glb_read import read_glb
from plough.core.formats.heights import (
    HeightMap,
    pack_heights,
    read_heights,
    square_of,
    unpack_heights,
    write_png,
    write_raw,
    write_tiff,
)
from plough.core.formats.reading import read_heights_apart
from plough.core.ground import HeightField, TerrainParameters, make_terrain
from plough.core.hashing import digest
from plough.core.library import Library
from plough.core.scene import Evaluation, Evaluator, read_document
from plough.core.scene.registry import begun_with
from plough.core.scene.ways import draw_way, ways_of
from tests.depth import examples


def hills(rows: int = 65, columns: int = 65) -> Any:
    y, x = np.mgrid[0:rows, 0:columns]
    return (9 * np.sin(x / 11.0) + 5 * np.cos(y / 7.0) + 0.05 * x + 40).astype(np.float32)


def tiff(values: Any, **tags: Any) -> bytes:
    directory = TiffImagePlugin.ImageFileDirectory_v2()
    kinds = {"scale": (33550, 12), "tie": (33922, 12), "keys": (34735, 3), "nothing": (42113, 2)}
    for name, value in tags.items():
        if name == "format":
            directory[339] = value
            continue
        tag, kind = kinds[name]
        directory.tagtype[tag] = kind
        directory[tag] = value
    out = io.BytesIO()
    Image.fromarray(values).save(out, "TIFF", tiffinfo=directory)
    return out.getvalue()


def png(values: Any) -> bytes:
    out = io.BytesIO()
    Image.fromarray(values).save(out, "PNG")
    return out.getvalue()


def test_what_is_written_is_read_again() -> None:
    heights = hills()
    found = read_heights("a.tif", write_tiff(heights, 2.5))
    assert found.metres and found.spacing == (2.5, 2.5)
    assert found.values.tobytes() == heights.tobytes()
    for write, name in ((write_png, "a.png"), (write_raw, "a.raw")):
        data, low, high = write(heights)
        found = read_heights(name, data)
        assert not found.metres
        back = low + (high - low) * found.values
        assert np.abs(back - heights).max() <= 0.51 * (high - low) / 65535
    packed = pack_heights(found)
    assert pack_heights(unpack_heights(packed)) == packed
    assert unpack_heights(packed).values.tobytes() == found.values.tobytes()


@pytest.mark.parametrize(
    ("data", "name", "metres", "values"),
    [
        (png(np.uint8([[0, 51], [102, 255]])), "a.png", False, [0, 0.2, 0.4, 1]),
        (png(np.uint16([[0, 13107], [26214, 65535]])), "a.png", False, [0, 0.2, 0.4, 1]),
        (tiff(np.uint16([[0, 13107], [26214, 65535]])), "a.TIF", False, [0, 0.2, 0.4, 1]),
        (tiff(np.uint16([[5, 65531], [0, 300]]), format=2), "a.tif", True, [5, -5, 0, 300]),
        (tiff(np.int32([[5, -5], [0, 90000]])), "a.tiff", True, [5, -5, 0, 90000]),
        (tiff(np.float32([[0.5, -5], [0, 1e4]])), "a.tiff", True, [0.5, -5, 0, 1e4]),
        (png(np.full((2, 2, 3), 51, np.uint8)), "a.png", False, [0.2] * 4),
        (np.uint16([[0, 13107], [26214, 65535]]).tobytes(), "a.r16", False, [0, 0.2, 0.4, 1]),
    ],
)
def test_every_form_is_read_as_what_it_is(
    data: bytes, name: str, metres: bool, values: list[float]
) -> None:
    found = read_heights(name, data)
    assert found.metres is metres
    assert found.values.ravel() == pytest.approx(values, abs=1e-6)


@settings(max_examples=examples(20), deadline=None)
@given(st.integers(0, 2**31), st.booleans())
def test_the_order_of_raw_bytes_is_found(seed: int, other: bool) -> None:
    p = TerrainParameters(size=64, resolution=1, relief=20, feature=30, seed=seed)
    data, *_ = write_raw(make_terrain(p).heights)
    right = read_heights("a.raw", data).values
    if other:
        data = np.frombuffer(data, "<u2").astype(">u2").tobytes()
    assert np.array_equal(read_heights("a.raw", data).values, right)


def test_a_georeferenced_file_tells_its_size() -> None:
    def keys(*pairs: int) -> tuple[int, ...]:
        entries = [v for k in range(0, len(pairs), 2) for v in (pairs[k], 0, 1, pairs[k + 1])]
        return (1, 1, 0, len(pairs) // 2, *entries)

    values = np.zeros((11, 21), np.float32)
    values[0, 0] = 1
    plain = read_heights("a.tif", tiff(values, scale=(5.0, 4.0, 0.0), keys=keys(1024, 1)))
    assert plain.spacing == (5.0, 4.0)
    feet = read_heights(
        "a.tif", tiff(values, scale=(5.0, 4.0, 0.0), keys=keys(1024, 1, 3076, 9002))
    )
    assert feet.spacing == pytest.approx((1.524, 1.2192))
    told = {"scale": (0.001, 0.001, 0.0), "keys": keys(1024, 2), "tie": (0, 0, 0, 7.0, 60.0055, 0)}
    degrees = read_heights("a.tif", tiff(values, **told))
    assert degrees.spacing == pytest.approx((55.66, 111.32), rel=1e-3)
    for wrong in ((0.0, 4.0, 0.0), (np.nan, 4.0, 0.0), (-3.0, 4.0, 0.0)):
        assert read_heights("a.tif", tiff(values, scale=wrong)).spacing is None


def test_samples_that_hold_nothing_take_the_nearest_height() -> None:
    heights = hills()
    holed = heights.copy()
    holed[10:14, 20:24], holed[40, 40] = -9999, np.nan
    found = read_heights("a.tif", tiff(holed, nothing="-9999"))
    assert found.holes == 17
    assert np.abs(found.values - heights).max() < 3.5
    same = holed == heights
    assert np.array_equal(found.values[same], heights[same])
    for odd in (3e38, -32768, np.inf):
        heights[5, 5] = odd
        found = read_heights("a.tif", tiff(heights))
        assert found.holes == 1 and found.values.max() < 60
    with pytest.raises(FormatError, match="empty"):
        read_heights("a.tif", tiff(np.full((4, 4), np.nan, np.float32)))


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [
        ("a.jpg", b"", "png, tif, tiff, raw, r16"),
        ("a", b"", "without ending"),
        ("a.png", b"\x89PNG\r\n\x1a\nbroken", "no PNG or TIFF"),
        ("a.png", png(np.uint8(np.random.default_rng(1).integers(0, 255, (9, 9, 3)))), "colour"),
        ("a.raw", bytes(1234), "no square"),
        ("a.raw", bytes(2), "at least 2 x 2"),
        ("a.png", png(np.zeros((1, 9), np.uint16)), "at least 2 x 2"),
        ("a.png", png(np.zeros((2, 8193), np.uint8)), "8,192"),
        ("a.raw", bytes(2 * 8200**2), "8,192"),
        ("a.tif", png(np.zeros((4, 4), np.uint8))[:40], "no PNG or TIFF"),
    ],
)
def test_a_refusal_says_why(name: str, data: bytes, words: str) -> None:
    with pytest.raises((FormatError, TooLargeError), match=words):
        read_heights(name, data)
    with pytest.raises((FormatError, TooLargeError), match=words):
        read_heights_apart(name, data)


@settings(max_examples=examples(150), deadline=None)
@given(st.data())
def test_damaged_files_are_refused_and_nothing_else(data: st.DataObject) -> None:
    good = data.draw(st.sampled_from([png(np.uint16(hills() * 900)), write_tiff(hills(), 1.0)]))
    broken = bytearray(good[: data.draw(st.integers(1, len(good)))])
    for _ in range(data.draw(st.integers(0, 6))):
        broken[data.draw(st.integers(0, len(broken) - 1))] = data.draw(st.integers(0, 255))
    try:
        found = read_heights("a.tif", bytes(broken))
        assert np.isfinite(found.values).all()
    except PloughError:
        pass


def test_a_square_is_cut_from_the_middle_or_holds_all_of_it() -> None:
    heights = HeightMap(hills(33, 65), True, (2.0, 2.0), (65, 33))
    assert np.array_equal(square_of(heights, 33, False), heights.values[:, 16:49])
    whole = square_of(heights, 65, True)
    assert np.array_equal(whole[16:49], heights.values)
    assert np.array_equal(whole[:16], np.tile(heights.values[0], (16, 1)))
    flipped = square_of(heights, 33, False, (True, False))
    assert np.array_equal(flipped, heights.values[:, 16:49][:, ::-1])
    assert np.array_equal(square_of(heights, 33, False, (False, True)), heights.values[::-1, 16:49])
    # samples that are farther apart one way than the other come to square metres
    long = HeightMap(hills(33, 65), True, (1.0, 2.0), (65, 33))
    assert np.array_equal(square_of(long, 65, False)[::2], long.values)


def test_another_spacing_follows_the_same_hills_and_makes_none() -> None:
    heights = HeightMap(hills(129, 129), True, None, (129, 129))
    for samples in (65, 200, 257, 513):
        made = square_of(heights, samples, False)
        at = np.linspace(0, 128, samples)
        x, y = np.meshgrid(at, at)
        right = 9 * np.sin(x / 11.0) + 5 * np.cos(y / 7.0) + 0.05 * x + 40
        assert np.abs(made - right)[4:-4, 4:-4].max() < (0.06 if samples > 129 else 0.2)
        assert made.min() >= heights.values.min() and made.max() <= heights.values.max()


def test_what_is_larger_than_a_ground_is_made_smaller_when_it_is_read() -> None:
    side = 3001
    y, x = np.mgrid[0:side, 0:side]
    values = np.float32(30 * np.sin(x / 200.0) * np.cos(y / 300.0))
    found = read_heights("a.tif", tiff(values, scale=(1.0, 1.0, 0.0)))
    assert found.size == (side, side)
    assert found.values.shape == (2049, 2049)
    assert found.spacing == pytest.approx((3000 / 2048, 3000 / 2048))
    at = np.arange(2049) * 3000 / 2048
    x, y = np.meshgrid(at, at)
    assert np.abs(found.values - 30 * np.sin(x / 200) * np.cos(y / 300)).max() < 0.01


def scene(parameters: dict[str, Any], data: bytes = b"") -> Evaluation:
    layers = [
        {"id": "g", "kind": "ground", "name": "Ground", "parameters": parameters},
        {"id": "b", "kind": "bake", "name": "Bake"},
    ]
    document = read_document({"version": 2, "name": "Hythe", "layers": layers})

    def load(name: str) -> bytes:
        if not data:
            raise FormatError(f"the file {name} is not here")
        return data

    return Evaluator(Library(load=load)).evaluate(document)


def test_a_ground_made_of_a_height_map_is_that_height_map() -> None:
    packed = read_heights_apart("a.tif", write_tiff(hills(129, 129), 2.0))
    begun = begun_with(unpack_heights(packed), digest(packed))
    assert (begun["size"], begun["resolution"]) == (256, 2.0)
    ground = scene(begun, packed).ground
    surface = ground.surface
    assert isinstance(surface, HeightField)
    assert np.array_equal(surface.heights, hills(129, 129))
    for form in ("tif", "png", "raw"):
        data, _ = ground_file(ground, form)  # type: ignore[arg-type]
        again = read_heights_apart(f"a.{form}", data)
        values = begun_with(unpack_heights(again), digest(again))
        low, high = float(surface.heights.min()), float(surface.heights.max())
        back = scene(
            {**values, "size": 256, "resolution": 2, "heights": [low, high]}, again
        ).surface
        assert np.abs(back.heights - surface.heights).max() <= (high - low) / 65535
    mesh = read_glb(ground_file(ground, "glb")[0], 200_000).pieces[0]
    miss = surface.height(*mesh.positions[:, [0, 2]].T.astype(np.float64)) - mesh.positions[:, 1]
    assert np.abs(miss).max() < 1e-3 and len(mesh.indices) < surface.triangles


def test_shares_are_spread_over_the_range_and_metres_may_be() -> None:
    shares = read_heights_apart("a.png", write_png(hills())[0])
    ground = {"made_from": "heights", "source": digest(shares), "size": 64, "resolution": 1}
    for more in ({}, {"as_told": False}):
        field = scene({**ground, **more, "heights": [-10, 30]}, shares).surface
        assert (field.heights.min(), field.heights.max()) == pytest.approx((-10, 30))
    metres = read_heights_apart("a.tif", write_tiff(hills(), 1.0))
    ground["source"] = digest(metres)
    told = scene(ground, metres).surface
    assert np.array_equal(told.heights, hills())
    spread = scene({**ground, "as_told": False, "heights": [0, 1]}, metres).surface
    assert (spread.heights.min(), spread.heights.max()) == pytest.approx((0, 1))
    heights, spacing = heights_of(spread)
    assert heights.shape == (65, 65) and spacing == 1.0


def test_a_lost_height_map_is_told_and_found_again_when_it_is_there() -> None:
    packed = read_heights_apart("a.tif", write_tiff(hills(), 1.0))
    ground = {"made_from": "heights", "source": digest(packed), "size": 64, "resolution": 1}
    layers = [
        {"id": "g", "kind": "ground", "name": "Ground", "parameters": {**ground, "level": 7}},
        {"id": "b", "kind": "bake", "name": "Bake"},
    ]
    document = read_document({"version": 2, "name": "Hythe", "layers": layers})
    held: dict[str, bytes] = {}

    def load(name: str) -> bytes:
        if name not in held:
            raise FormatError(f"the file {name} is not here")
        return held[name]

    evaluator = Evaluator(Library(load=load))
    first = evaluator.evaluate(document)
    assert [f.code for f in first.layers[0].output.findings] == ["missing-file"]
    assert (first.surface.heights == 7).all()  # type: ignore[attr-defined]
    held[digest(packed)] = packed
    second = evaluator.evaluate(document)
    assert not second.layers[0].output.findings
    assert np.array_equal(second.surface.heights, hills())  # type: ignore[attr-defined]
    assert [f.text for f in scene({**ground, "source": ""}).layers[0].output.findings] == [
        "it has no file yet; choose one"
    ]


def test_a_ground_of_another_size_than_its_file_says_so() -> None:
    packed = read_heights_apart("a.tif", write_tiff(hills(), 200.0))
    begun = begun_with(unpack_heights(packed), digest(packed))
    assert begun["size"] == 4096
    (finding,) = scene(begun, packed).layers[0].output.findings
    assert finding.text == "the file is 12,800 m wide; the ground has 4,096 m"
    near = read_heights_apart("a.tif", write_tiff(hills(), 2.0))
    assert not scene(begun_with(unpack_heights(near), digest(near)), near).layers[0].output.findings


def test_a_stroke_more_reads_no_file_again() -> None:
    packed = read_heights_apart("a.tif", write_tiff(hills(), 1.0))
    read: list[str] = []

    def load(name: str) -> bytes:
        read.append(name)
        return packed

    ground: dict[str, Any] = begun_with(unpack_heights(packed), digest(packed))
    evaluator = Evaluator(Library(load=load))
    for k in range(4):
        strokes = [{"id": "s", "brush": "raise", "radius": 3 + k, "points": [[0, 0]]}]
        layers = [
            {
                "id": "g",
                "kind": "ground",
                "name": "G",
                "parameters": {**ground, "strokes": strokes},
            },
            {"id": "b", "kind": "bake", "name": "Bake"},
        ]
        evaluator.evaluate(read_document({"version": 2, "name": "Hythe", "layers": layers}))
        if k == 0:
            first = len(read)
    assert len(read) == first


def test_ways_to_begin_differ_and_each_is_what_it_says() -> None:
    fields = {
        w.name: scene({**w.parameters, "resolution": 4}).surface.heights  # type: ignore[attr-defined]
        for w in ways_of("ground")
    }
    assert len(fields) == 6 and len({f.tobytes() for f in fields.values()}) == 6
    step = 7.0
    off = np.abs(fields["terraces"] / step - np.rint(fields["terraces"] / step - 0.03))
    assert np.median(off) < 0.1, "most of the ground is tread"
    dunes = fields["dunes"]
    fall = np.diff(dunes, axis=1).ravel()
    steep = fall[np.abs(fall) > np.quantile(np.abs(fall), 0.9)]
    assert not 0.7 < (steep > 0).mean() / (steep < 0).mean() < 1.4, "one side is steeper"
    crater = fields["crater-lake"]
    n = len(crater) // 2
    ring = crater[n, n + 30 : n + 60].max()
    assert crater[n, n] < -20 and ring > crater[n, -8:].max() and ring > 15
    ridges = fields["ridge-and-valley"]
    # along 40° heights change less than across
    along = np.abs(ridges[8:, :-8] - ridges[:-8, 8:]).mean()
    across = np.abs(ridges[8:, 8:] - ridges[:-8, :-8]).mean()
    assert along < 0.75 * across
    picture = draw_way(ways_of("ground")[0], (80, 72))
    assert picture.shape == (72, 80, 3) and len(np.unique(picture)) > 40


@pytest.mark.parametrize("towards", [0, 30, 90, 135, 250])
def test_hills_are_drawn_out_towards_their_azimuth(towards: float) -> None:
    p = TerrainParameters(
        size=512, resolution=2, relief=30, feature=50, stretch=6, stretch_azimuth=towards
    )
    field = make_terrain(p)
    angle = np.radians(towards)
    way = np.array([np.sin(angle), -np.cos(angle)])  # clockwise from north, which is -z
    x, z = np.random.default_rng(2).uniform(-200, 200, (2, 4000))

    def change(dx: float, dz: float) -> float:
        return float(np.abs(field.height(x + 20 * dx, z + 20 * dz) - field.height(x, z)).mean())

    assert change(*way) < 0.45 * change(-way[1], way[0])


def test_the_command_line_reads_a_height_map_and_writes_the_ground(tmp_path: Path) -> None:
    import json
    import subprocess
    import sys

    def plough(*arguments: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "plough", *arguments]
        return subprocess.run(command, capture_output=True, text=True, cwd=tmp_path, check=False)

    (tmp_path / "fen.tif").write_bytes(write_tiff(hills(), 4.0))
    done = plough("heights", "fen.tif", "--files", "files")
    assert done.returncode == 0, done.stderr
    assert "65 x 65" in done.stderr
    ground = json.loads(done.stdout)
    layers = [
        {"id": "g", "kind": "ground", "name": "Ground", "parameters": ground},
        {"id": "b", "kind": "bake", "name": "Bake"},
    ]
    document = {"version": 2, "name": "Hythe", "layers": layers}
    (tmp_path / "scene.json").write_text(json.dumps(document))
    done = plough("ground", "scene.json", "--out", "again.tif", "--files", "files")
    assert done.returncode == 0, done.stderr
    again = read_heights("again.tif", (tmp_path / "again.tif").read_bytes())
    assert np.array_equal(again.values, hills()) and again.spacing == (4.0, 4.0)
    done = plough("ground", "scene.json", "--out", "again.tif")
    assert done.returncode != 0 and "is not here" in done.stderr
    done = plough("ground", "scene.json", "--out", "again.bmp", "--files", "files")
    assert done.returncode != 0 and "png, tif, raw, glb" in done.stderr
