"""Growth as an animation: one mesh of fixed topology and its shapes at younger ages."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from plough.core.arrays import Float64
from plough.core.errors import TooLargeError
from plough.core.formats.glb import GlbBuilder, Images
from plough.core.grow.age import aged
from plough.core.grow.covering import materials
from plough.core.grow.fullness import thinned
from plough.core.grow.habit import TreeParameters
from plough.core.grow.tree import assemble, grow
from plough.core.mesh.value import Mesh

MOST_VALUES = 6_000_000  #: vertices times shapes: about 150 MB of film


def shapes(
    p: TreeParameters, seed: int, ages: Float64, check: Callable[[int], None] | None = None
) -> list[Mesh]:
    """The tree at each of `ages`, all with the same triangles.

    Args:
        check: called with the number of shapes done; may raise to stop.

    Raises:
        TooLargeError: the film would have more than `MOST_VALUES` vertices.
    """
    p = thinned(p, p.fullness)[0]
    orders = grow(p, seed)
    out: list[Mesh] = []
    for age in ages:
        q = p.model_copy(update={"age": float(age)})
        out.append(assemble(q, seed, aged(orders, float(age), fixed=True), 0, orders)[0])
        if out[0].vertices * len(ages) > MOST_VALUES:
            raise TooLargeError(
                "fullness",
                f"the film would have {out[0].vertices * len(ages):,} vertices; the limit is {MOST_VALUES:,}: lower the fullness or the shapes",
            )
        if check is not None:
            check(len(out))
    return out


def film_glb(
    p: TreeParameters,
    seed: int,
    steps: int,
    seconds: float,
    images: Images,
    check: Callable[[int], None] | None = None,
) -> bytes:
    """Growth from a sapling to the tree's age, as a GLB with one animation of `seconds`.

    Args:
        steps: morph targets, each the shape at one age.
    """
    last = max(p.age, 0.1)
    ages = np.linspace(0.05, last, steps + 1)
    told = shapes(p, seed, ages, check)
    # the grown tree is the mesh itself, so that a viewer without animation shows it
    base, younger = told[-1], told[:-1]
    builder = GlbBuilder(images)
    q = thinned(p, p.fullness)[0]
    slots = materials(q)
    mesh = builder.add_mesh(
        base, {part.material: slots[part.material] for part in base.parts}, "growth", shapes=younger
    )
    node = builder.add_node("growth", mesh, extras={"ages": [round(float(a), 3) for a in ages]})
    weights = np.eye(steps + 1)[:, :steps]
    builder.add_animation("growth", node, np.linspace(0.0, seconds, steps + 1), weights)
    return builder.finish([node])
