"""Pieces of one's own in a building: assets that fill cells beside those of its kit, or in place of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Literal, NamedTuple

import numpy as np
from pydantic import Field
from scipy.spatial.transform import Rotation

from plough.core.build.group import LentPart, part_made, posed, with_own_names
from plough.core.errors import TooLargeError
from plough.core.formats.images import Load
from plough.core.house.kits import ROLES, Kit
from plough.core.house.pieces import Brought, PieceParameters
from plough.core.house.soup import Hung
from plough.core.kinds import Product, get_kind
from plough.core.mesh.material import Material
from plough.core.mirror import mirrored
from plough.core.parameters import build
from plough.core.rng import seed_for, stream, uniform

MOST_OWN = 16  #: of a building
MOST_TRIANGLES = 600_000  #: of all that hangs on a building
_SIDE = stream("house.mirrored")


class OwnPiece(LentPart):
    """An asset that fills cells."""

    name: str = Field(
        "",
        max_length=40,
        description="What it is called; it stands in place of the kit's piece of that name. Nothing: as its asset is.",
    )
    role: Literal["none", "all", "front", "lower", "upper", "gable"] = Field(
        "all", description="Faces that take it by chance; none: where it is put by hand."
    )
    share: float = Field(1.0, ge=0, le=100, description="Against the kit's pieces.")
    fit: Literal["own", "wide", "cell"] = Field(
        "own", description="Its size: its own, as wide as its cell, or as wide and as high."
    )
    mirrored: Literal["never", "always", "chance"] = Field(
        "never", description="Whether its left and right are exchanged."
    )
    cut: bool = Field(
        True, description="Whether the wall is open behind it; a house piece has its own opening."
    )
    wide: float = Field(0.9, ge=0.1, le=20, description="Metres of that opening.")
    high: float = Field(1.2, ge=0.1, le=12)
    sill: float = Field(0.0, ge=0, le=12, description="Metres up from its foot.")
    deep: float = Field(0.2, ge=0.02, le=2, description="Metres back into the wall.")

    @property
    def called(self) -> str:
        """What it is called among the pieces."""
        return self.name or self.asset


class _Thing(NamedTuple):
    """An asset that hangs on a wall."""

    own: OwnPiece
    whole: Product  #: its nearest level


def kit_with(kit: Kit, own: Sequence[OwnPiece], load: Load) -> tuple[Kit, Mapping[str, _Thing]]:
    """A kit with pieces of one's own, and those of them that are not drawn by it, by name; an asset that is not there is left out."""
    pieces: dict[str, PieceParameters | Brought] = dict(kit.pieces)
    things: dict[str, _Thing] = {}
    roles = dict(kit.roles)
    for q in own:
        if not q.lent:
            continue
        found = get_kind(q.lent["kind"])
        if found.fills:
            told = build(found.parameters, q.lent["parameters"], "pieces").model_dump()
            pieces[q.called] = PieceParameters(**{k: told[k] for k in PieceParameters.model_fields})
        else:
            whole = part_made(q, 0, load, "pieces")
            at = whole.mesh.positions
            box = tuple(float(v) for v in (*at.min(axis=0)[:2], *at.max(axis=0)[:2]))
            cut = (q.wide, q.high, q.sill, q.deep) if q.cut else None
            pieces[q.called] = Brought(q.called, box, q.fit, cut)  # type: ignore[arg-type]
            things[q.called] = _Thing(q, whole)
        for role in ROLES:
            if q.role in (role, "all") and q.share > 0:
                rest = tuple(x for x in roles[role].pieces if x[0] != q.called)
                roles[role] = replace(roles[role], pieces=(*rest, (q.called, q.share)))
    return replace(kit, pieces=pieces, roles=roles), things


def hung_up(
    hung: Sequence[Hung],
    things: Mapping[str, _Thing],
    materials: dict[str, Material],
    seed: int,
    detail: int,
    load: Load,
) -> list[Product]:
    """What hangs on a building, each where it does; their materials are added to `materials`.

    Raises:
        TooLargeError: they have too many triangles.
    """
    made: dict[str, Product] = {}
    for name in sorted({h.name for h in hung}):
        q, whole = things[name]
        product = part_made(q, detail, load, "pieces") if detail else whole
        made[name] = with_own_names(product, q.asset, q.seed, materials)
    total = sum(made[h.name].mesh.triangles for h in hung)
    if total > MOST_TRIANGLES:
        raise TooLargeError(
            "pieces",
            f"hang on it with {total:,} triangles; the limit is {MOST_TRIANGLES:,}: choose what has fewer, or fill less",
            limit=f"{MOST_TRIANGLES:,} triangles",
            value=total,
        )
    own = np.uint64(seed_for(seed, "house mirrored"))
    out = []
    for h in hung:
        product, how = made[h.name], things[h.name].own.mirrored
        turned = how == "always" or (
            how == "chance" and uniform(own ^ stream(h.face), _SIDE, np.uint64(h.cell)) < 0.5
        )
        east, north = h.way
        axes = np.array([[east, 0.0, h.out[0]], [0.0, 1.0, 0.0], [-north, 0.0, -h.out[1]]])
        at = np.array([h.origin[0], h.origin[2], -h.origin[1]])
        size = np.array([*h.size, min(h.size)])
        q = Rotation.from_matrix(axes).as_quat()
        out.append(posed(mirrored(product) if turned else product, at, q, size))
    return out
