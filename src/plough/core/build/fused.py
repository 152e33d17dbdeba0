"""Fused: parts that stand in each other made one closed skin."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal, NamedTuple

import numpy as np

from plough.core.arrays import Float32, Float64, Int64, UInt8
from plough.core.build.group import GroupPart, by_slot, empty, parts_field, standing
from plough.core.build.hulled import HulledParameters, hull_collider
from plough.core.cache import Cache
from plough.core.errors import TooLargeError
from plough.core.formats.images import Load
from plough.core.hashing import key_of
from plough.core.kernels import together
from plough.core.kinds import Product, kind, no_files
from plough.core.matters import Matters, among
from plough.core.mesh.fuse import FuseRule, Skin, coarser, fused
from plough.core.mesh.material import Material, as_bytes
from plough.core.mesh.surface import boxed_coordinates, crease_normals, split_corners
from plough.core.mesh.tangents import with_tangents
from plough.core.mesh.topology import numbered
from plough.core.mesh.value import Mesh, Part, join
from plough.core.parameters import Parameters, choice, count, flag, number, section
from plough.core.progress import part_of, tell
from plough.core.vectors import normals_of, unit

MOST_SOURCE = 1_500_000  #: triangles that are fused
MOST_CELLS = 288  #: of the grid along its longest side
MOST_POINTS = 22_000_000  #: of the grid: a cube at the finest step, grown the most, and some
_STEPS = {"coarse": 64, "medium": 128, "fine": 256}  # cells along the longest side
_LEAST = 8  # cells along the longest side
_SHARES = (0.3, 0.08)  # of the triangles, at the second level and the third
_FEW = 60  # triangles of a skin that is drawn whole at each level
_PARTS = 0.1  # of the work, in which what is fused is made
_ALIKE = (
    0.8  # cosine between the normals of a skin and of its source where they are taken for the same
)
_EACH = 8.0  # metres of texture coordinates that may be a repeat, at most

_skins = Cache(160_000_000)


class FusedParameters(Parameters):
    """One skin over its parts."""

    stages: ClassVar[tuple[str, ...]] = ("Parts", "Grid", "Skin", "Triangles", "Game")
    matters: ClassVar[Matters] = {"cell": among("steps", "own")}

    parts: tuple[GroupPart, ...] = parts_field("What is fused, each where it stands.")
    steps: Literal["coarse", "medium", "fine", "own"] = choice(
        "medium",
        "Resolution",
        {
            "coarse": "Coarse: 64 cells along it",
            "medium": "Medium: 128",
            "fine": "Fine: 256",
            "own": "Cells of one's own size",
        },
        group="Grid",
    )
    cell: float = number(
        4, "Cells", (0.05, 500), soft=(0.5, 30), unit="cm", step=0.1, group="Grid", help="Wide."
    )
    each: bool = flag(
        False,
        "Each part by itself",
        group="Grid",
        help="A skin for each, with cells by its own size, so that small parts get as many as large ones.",
    )
    grow: float = number(
        0.5,
        "Closes gaps",
        (0, 3),
        step=0.1,
        group="Skin",
        help="Cells to each side; the skin is pulled back onto the parts then.",
    )
    thin: bool = flag(
        True, "Thin parts are kept", group="Skin", help="Thinner than a cell; sheets get two sides."
    )
    smooth: int = count(0, "Smoothed", (0, 40), soft=(0, 12), group="Skin", help="Passes.")
    sharp: float = number(
        40,
        "Edges are sharp from",
        (10, 180),
        unit="°",
        step=1,
        group="Skin",
        help="None are at 180.",
    )
    flat: float = number(
        0.4, "Fewer on flat parts", (0, 1), group="Triangles", help="None fewer at 0."
    )
    target: int = count(
        0,
        "At most about",
        (0, 300_000),
        soft=(0, 40_000),
        group="Triangles",
        help="As many as it takes at 0.",
    )
    game: HulledParameters = section(HulledParameters(), "Game", "Game")


class _Source(NamedTuple):
    """The triangles of what is fused."""

    triangles: Float64  #: (t, 3, 3) metres
    slot: Int64  #: (t,) rows of `slots`
    normals: Float64  #: (t, 3, 3) of their corners
    tint: UInt8  #: (t, 4) linear
    dense: Float64  #: (slots,) metres that a repeat of each slot's texture takes
    slots: tuple[str, ...]


def _source(made: list[Product], materials: dict[str, Material]) -> list[_Source]:
    """What each part brings."""
    slots = tuple(materials)
    out = []
    for product in made:
        mesh = product.mesh
        corners = mesh.positions.astype(np.float64)[mesh.indices]
        slot = np.repeat(
            np.array([slots.index(x.material) for x in mesh.parts], np.int64),
            [x.count for x in mesh.parts],
        )
        tint = mesh.tint[mesh.indices].astype(np.float64).mean(axis=1)
        flat = mesh.uv0.astype(np.float64)[mesh.indices]
        side, other = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
        area = np.linalg.norm(np.cross(side, other), axis=1)
        spread = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
        whole, used = (np.bincount(slot, v, len(slots)) for v in (area, spread))
        dense = np.sqrt(whole / np.maximum(used, 1e-12))
        out.append(
            _Source(
                corners,
                slot,
                mesh.normals.astype(np.float64)[mesh.indices],
                np.rint(tint).astype(np.uint8),
                np.minimum(dense, _EACH),
                slots,
            )
        )
    return out


def _together(sources: list[_Source]) -> _Source:
    dense = np.array([s.dense for s in sources])
    known = dense > 0
    mean = np.where(known, dense, 0.0).sum(axis=0) / np.maximum(known.sum(axis=0), 1)
    return _Source(
        np.concatenate([s.triangles for s in sources]),
        np.concatenate([s.slot for s in sources]),
        np.concatenate([s.normals for s in sources]),
        np.concatenate([s.tint for s in sources]),
        mean,
        sources[0].slots,
    )


def _rule(p: FusedParameters, source: _Source, share: float) -> FuseRule:
    """How a source is fused; `share` is that of all triangles that it may have.

    Raises:
        TooLargeError: the grid would be larger than it may be.
    """
    corners = source.triangles.reshape(-1, 3)
    size = np.ptp(corners, axis=0)
    longest = float(size.max())
    cell = longest / _STEPS[p.steps] if p.steps != "own" else min(0.01 * p.cell, longest / _LEAST)
    cell = max(cell, 1e-4)
    margin = 2 * (max(p.grow, 1.0) + 3)
    cells = size / cell + margin
    if cells.max() > MOST_CELLS or float(np.prod(cells)) > MOST_POINTS:
        least = max(
            longest / (MOST_CELLS - margin), (float(np.prod(size)) / MOST_POINTS) ** (1 / 3)
        )
        raise TooLargeError(
            "cell",
            f"would be {cells.max():.0f} cells along it, {np.prod(cells) / 1e6:.1f} million in all; the limit is {MOST_CELLS} and {MOST_POINTS / 1e6:.0f} million: make them {100 * least:.1f} cm wide or more",
            limit=f"{100 * least:.1f} cm",
            value=p.cell,
        )
    target = max(_FEW, round(share * p.target)) if p.target else 0
    return FuseRule(cell, p.grow * cell, p.thin, p.smooth, p.sharp, p.flat, target)


def _mesh(p: FusedParameters, source: _Source, skin: Skin) -> Mesh:
    """A skin with the materials and tints of what is nearest."""
    slot = source.slot[skin.of]
    order = np.argsort(slot, kind="stable")
    faces, slot = skin.faces[order], slot[order]
    corner = faces.reshape(-1)
    flat = normals_of(skin.points, faces)
    normals, uv = together(
        lambda: _shaded(p, source, skin, faces),
        lambda: boxed_coordinates(skin.points[corner], flat, 1.0),
    )
    repeat = np.maximum(source.dense[slot], 0.02)
    uv = (uv / np.repeat(repeat, 3)[:, None]).astype(np.float32)
    # a tint for each point and slot: the mean of what its triangles are nearest to
    tints = source.tint[skin.of][order].astype(np.float64)
    n = len(skin.points)
    many = np.maximum(np.bincount(corner, minlength=n), 1)
    _, of = numbered((corner + n * np.repeat(slot, 3)).astype(np.uint64))
    tint = [np.bincount(of, np.repeat(t, 3)) / np.bincount(of) for t in tints.T]
    own = np.repeat(slot, 3).astype(np.float32)[:, None]
    up = np.bincount(corner, np.repeat(unit(flat)[:, 1], 3), n) / many
    away = skin.away / max(float(skin.away.max()), 1e-9)
    marks = np.stack([away, 0.5 + 0.5 * up, np.zeros(n), np.full(n, 0.5)], axis=1)
    first, indices = split_corners(corner, normals, uv, own)
    vertex = corner[first]
    parts = []
    for k in np.unique(slot).tolist():
        rows = np.nonzero(slot == k)[0]
        parts.append(Part(source.slots[k], int(rows[0]), len(rows)))
    mesh = Mesh(
        skin.points[vertex].astype(np.float32),
        np.ascontiguousarray(normals[first]),
        np.ascontiguousarray(uv[first]),
        indices.astype(np.uint32),
        tuple(parts),
        colors=np.rint(np.stack(tint, axis=1)).astype(np.uint8)[of[first]],
        masks=as_bytes(marks)[vertex],
    )
    return with_tangents(mesh)


def _shaded(p: FusedParameters, source: _Source, skin: Skin, faces: Int64) -> Float32:
    """(3 t, 3) normals of corners: those of the source where it looks the same way, so that what was smooth stays so."""
    own = crease_normals(skin.points, faces, p.sharp)
    if p.smooth:
        return own
    there = unit(np.einsum("ij,ijk->ik", skin.share, source.normals[skin.at])).astype(np.float32)
    theirs = there[faces.reshape(-1)]
    alike = np.einsum("ij,ij->i", own, theirs) > _ALIKE
    return np.where(alike[:, None], theirs, own)


class _Made(NamedTuple):
    """What a recipe comes to."""

    skins: list[tuple[_Source, Skin, float]]  #: and metres of the cells
    materials: dict[str, Material]

    @property
    def nbytes(self) -> int:
        """Bytes of all arrays."""
        arrays = [a for s, k, _ in self.skins for a in (*s[:5], *k[:6])]
        return 1000 + sum(a.nbytes for a in arrays)


def _made(p: FusedParameters, load: Load) -> _Made:
    materials: dict[str, Material] = {}
    with part_of(0.0, _PARTS):
        made = standing(p.parts, materials, 0, load)
    sources = _source(made, materials)
    if not sources:
        return _Made([], {})
    total = sum(len(s.triangles) for s in sources)
    if total > MOST_SOURCE:
        raise TooLargeError(
            "parts",
            f"have {total:,} triangles; the limit is {MOST_SOURCE:,}: fuse fewer, or with less detail",
            limit=f"{MOST_SOURCE:,} triangles",
            value=total,
        )
    if not p.each:
        sources = [_together(sources)]
    rules = [_rule(p, s, len(s.triangles) / total) for s in sources]
    skins: list[tuple[_Source, Skin, float]] = []
    for k, (source, rule) in enumerate(zip(sources, rules, strict=True)):

        def told(share: float, words: str, k: int = k) -> None:
            tell(_PARTS + (0.98 - _PARTS) * (k + share) / len(sources), words)

        skin = fused(source.triangles, rule, told)
        if skin is not None:
            skins.append((source, skin, rule.cell))
    tell(0.98, "Laying on textures")
    return _Made(skins, {n: _opaque(m) for n, m in materials.items()})


def _level(source: _Source, skin: Skin, cell: float, detail: int) -> tuple[_Source, Skin]:
    whole = len(skin.faces)
    for share in _SHARES[:detail]:
        skin = coarser(skin, max(_FEW, round(share * whole)), cell)
    return source, skin


def _faces(skins: list[tuple[_Source, Skin, float]]) -> Int64:
    """Triangles of all skins, over their points one after another."""
    first = np.cumsum([0, *(len(skin.points) for _, skin, _ in skins)])
    return np.concatenate([skin.faces + k for (_, skin, _), k in zip(skins, first, strict=False)])


def _opaque(material: Material) -> Material:
    """A material for a skin: without holes, and seen from outside."""
    return replace(material, cutout=False)


@kind(
    "fused",
    "Fused",
    "One closed skin over parts that stand in each other.",
    FusedParameters,
    seeded=False,
    hard=True,
    fetches=True,
    parts="fuse",
    slow=True,
    version=3,
)
def make(p: FusedParameters, seed: int, detail: int, load: Load = no_files) -> Product:
    """The skin of all parts, or one of each."""
    told = p.model_dump(mode="json", exclude={"game"})
    made = _skins.get(key_of("fused", told), lambda: _made(p, load), lambda m: m.nbytes)
    if not made.skins:
        return empty(p.game)
    at = np.concatenate([skin.points for _, skin, _ in made.skins])
    mesh, collider = together(
        lambda: by_slot(join([_mesh(p, *_level(*s, detail)) for s in made.skins])),
        lambda: hull_collider(p.game, at, None if detail else _faces(made.skins)),
    )
    across = float(np.hypot(at[:, 0], at[:, 2]).max())
    high = float(at[:, 1].max())
    foot = at[at[:, 1] <= 0.15 * high + 1e-6]
    return Product(
        mesh,
        {x.material: made.materials[x.material] for x in mesh.parts},
        float(np.hypot(foot[:, 0], foot[:, 2]).max(initial=0.0)) or across,
        across,
        max(0.01, high),
        collider,
        p.game,
        counts={"triangles": mesh.triangles, "skins": len(made.skins)},
        measures={
            "greatest": max(skin.greatest for _, skin, _ in made.skins),
            "mean": float(
                np.average(
                    [skin.mean for _, skin, _ in made.skins],
                    weights=[len(skin.faces) for _, skin, _ in made.skins],
                )
            ),
            "cell": max(cell for *_, cell in made.skins),
        },
    )
