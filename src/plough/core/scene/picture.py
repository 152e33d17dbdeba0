"""A small picture of a whole scene, as a model on paper seen from above and aside, drawn without a graphics card."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from plough.core.arrays import Float32, Int64, UInt8
from plough.core.ground.surface import Samples
from plough.core.library.library import Library
from plough.core.library.variants import Variant
from plough.core.mesh.material import Material
from plough.core.mesh.picture import Frame, draw_picture
from plough.core.mesh.value import Mesh, Part, join
from plough.core.place.placements import Placements
from plough.core.scene.evaluation import Evaluation
from plough.core.scene.facets import TiledPlacements

_PITCH = 0.62  #: radians by which the picture looks down
_SAMPLES = 257  #: of the ground, a side
_MOST = 2_400_000  #: triangles of one layer; beyond, its variants are drawn as cards, and in part
_LIGHT, _PALE = 1.25, 1.6  # of what lies low, and high
_AIR = np.array([0.016, 0.02, 0.026])  # the light that lies over all
_BARE = Material("ground", color=(0.09, 0.11, 0.045))
_WATER = (0.025, 0.06, 0.085)


def draw_scene(
    evaluation: Evaluation, library: Library, size: tuple[int, int], across: float = math.inf
) -> UInt8:
    """(h, w, 3) sRGB picture of all that is shown in a scene, or of `across` metres about its middle; `size` is its width and height in pixels."""
    meshes: list[Mesh] = []
    materials: dict[str, Material] = {}
    albedo: dict[str, UInt8] = {}
    for n, (mesh, slots) in enumerate(_pieces(evaluation, library, across)):
        for slot, material in slots.items():
            materials[f"{n} {slot}"] = material
            albedo[f"{n} {slot}"] = library.small_albedo(material)
        parts = tuple(replace(p, material=f"{n} {p.material}") for p in mesh.parts)
        meshes.append(_plain(replace(mesh, parts=parts)))
    whole = join(meshes)
    reach = min(across / 2, float(np.abs(whole.positions[:, (0, 2)]).max()))
    level = float(np.median(whole.positions[:, 1]))
    half = reach * max(
        0.9, 0.9 * math.sin(_PITCH) * size[0] / size[1]
    )  # its corners may be cut off
    low = float(whole.positions[:, 1].min()) - 0.02 * reach
    frame = Frame(across=0.0, middle=level, half=half, pitch=_PITCH, floor=low)
    return draw_picture(whole, materials, albedo, frame, size)


def _pieces(
    evaluation: Evaluation, library: Library, across: float
) -> Iterator[tuple[Mesh, dict[str, Material]]]:
    for result in evaluation.layers:
        out = result.output
        surface = None if out.surface is None else evaluation.surface
        if surface is not None and surface.own is not None:
            own = surface.own
            yield own.mesh, own.materials or {p.material: _BARE for p in own.mesh.parts}
        elif surface is not None:
            x0, z0, x1, z1 = surface.bounds
            sides = np.linspace(x0, x1, _SAMPLES), np.linspace(z0, z1, _SAMPLES)
            x, z = (a.ravel() for a in np.meshgrid(*sides))
            found = surface.sample(x, z)
            tones = evaluation.ground.cover.weights(found) @ evaluation.ground.cover.tones
            yield _ground(found, tones), {"ground": Material("ground")}
        for solid in out.solids:
            tinted = {s: _dressed(m, solid.finish) for s, m in solid.materials.items()}
            yield solid.mesh, tinted
        if out.placements is not None:
            yield from _standing(out.placements, library, across)


def _dressed(material: Material, finish: str) -> Material:
    return replace(material, maps=None, color=_WATER) if finish == "water" else material


def _ground(at: Samples, tones: Float32) -> Mesh:
    """The ground through `_SAMPLES`² points, row after row, in the light `tones` (n, 3) of what covers it, paler where it is high."""
    position, normal = at.position, at.normal
    high = position[:, 1] - position[:, 1].min()
    dry = np.clip(high / max(1e-6, float(high.max())), 0, 1)[:, None]
    colors = np.full((position.shape[0], 4), 255, np.uint8)
    colors[:, :3] = np.clip(255 * (_AIR + tones * (_LIGHT * (1 - dry) + _PALE * dry)), 0, 255)
    corner = np.arange(_SAMPLES * (_SAMPLES - 1)).reshape(-1, _SAMPLES)[:, :-1].ravel()
    a, b, c, d = corner, corner + 1, corner + _SAMPLES, corner + _SAMPLES + 1
    indices = np.stack([a, c, b, b, c, d], axis=1).reshape(-1, 3).astype(np.uint32)
    return Mesh(
        position.astype(np.float32),
        normal.astype(np.float32),
        np.zeros((position.shape[0], 2), np.float32),
        indices,
        (Part("ground", 0, indices.shape[0]),),
        colors=colors,
    )


def _standing(
    placed: TiledPlacements, library: Library, across: float
) -> Iterator[tuple[Mesh, dict[str, Material]]]:
    """Each variant's instances as one mesh, of the last level that still has the shape or of cards."""
    whole = placed.whole()
    far = np.abs(whole.position[:, [0, 2]]).max(axis=1, initial=0.0)
    whole = whole.taken(far < across)  # the view is aslant: beyond half of it, too
    counts = np.bincount(whole.variant, minlength=len(placed.variants)).tolist()
    used = [v for v, count in enumerate(counts) if count]
    coarse = [library.level(placed.variants[v], _coarse(library, placed.variants[v])) for v in used]
    most = _MOST  # triangles of each
    if sum(p.mesh.triangles * counts[v] for v, p in zip(used, coarse, strict=True)) > _MOST:
        most = _MOST // len(used)
    for v, product in zip(used, coarse, strict=True):
        variant, shown = placed.variants[v], product
        if product.mesh.triangles * counts[v] > most:
            shown = library.level(variant, library.levels_of(variant) - 1)
        rows = np.nonzero(whole.variant == v)[0]
        # of more than can be told apart, so many that the picture stays quick and small
        step = -(-rows.size * shown.mesh.triangles // most)
        yield _instances(shown.mesh, whole, rows[::step]), shown.materials


def _coarse(library: Library, variant: Variant) -> int:
    """The last level of a variant that still has its shape."""
    return max(0, library.levels_of(variant) - 2)


def _instances(mesh: Mesh, placements: Placements, rows: Int64) -> Mesh:
    """`mesh` set up at each of the placements `rows`."""
    place, turn, scale = (
        a[rows] for a in (placements.position, placements.rotation, placements.scale)
    )
    n, v, t = place.shape[0], mesh.vertices, mesh.triangles
    positions = _turned(turn, mesh.positions[None] * scale[:, None]) + place[:, None]
    # all instances of a part follow each other, as parts do
    shift = (np.arange(n, dtype=np.uint32) * v)[:, None, None]
    parts, indices, first = [], [], 0
    for part in mesh.parts:
        corners = (mesh.indices[None, part.first : part.first + part.count] + shift).reshape(-1, 3)
        parts.append(replace(part, first=first, count=corners.shape[0]))
        indices.append(corners)
        first += corners.shape[0]
    assert first == n * t
    return replace(
        _plain(mesh),
        positions=positions.reshape(-1, 3).astype(np.float32),
        normals=_turned(turn, np.repeat(mesh.normals[None], n, axis=0)).reshape(-1, 3),
        uv0=np.tile(mesh.uv0, (n, 1)),
        colors=None if mesh.colors is None else np.tile(mesh.colors, (n, 1)),
        indices=np.concatenate(indices),
        parts=tuple(parts),
    )


def _turned(turn: Float32, vectors: Float32) -> Float32:
    """(n, v, 3) `vectors` turned by (n, 4) unit quaternions, xyzw."""
    axis, real = turn[:, None, :3], turn[:, None, 3:]
    twice = 2 * np.cross(axis, vectors)
    return np.asarray(vectors + real * twice + np.cross(axis, twice), np.float32)


def _plain(mesh: Mesh) -> Mesh:
    """Only what a picture looks at; white where it has no colours."""
    return replace(mesh, tangents=None, uv1=None, wind=None, colors=mesh.tint)
