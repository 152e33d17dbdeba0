"""Meshes and heights as they travel, each made once and kept under its key."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import asdict
from typing import Any, Literal

import orjson

from plough.core.bake.ground_file import heights_of
from plough.core.cache import Cache
from plough.core.formats.glb import mesh_glb
from plough.core.ground import Surface
from plough.core.ground.cover import METRES, CoverName, cover_material
from plough.core.ground.splat import shares_of_mesh, splat_squares
from plough.core.hashing import digest
from plough.core.kinds import get_kind
from plough.core.library import Library, Variant
from plough.core.mesh.material import Material
from plough.core.scene.evaluation import Evaluation
from plough.core.scene.facets import Ground, Solid
from plough.service.results import Results

_SHOWN = ("albedo", "normal")  #: images of a card that the view draws it with


Detail = int | Literal["dome"]  #: a level of detail, or the card that faces the eye


def drawn(library: Library, variant: Variant) -> list[Detail]:
    """What the view draws a variant with, nearest first: its levels, the last an impostor that is right from above, too."""
    levels = get_kind(variant.kind).levels
    if library.shelled(variant):
        return [*range(levels + 1)]
    return [*range(levels), "dome"] if library.levels_of(variant) > levels else [*range(levels)]


def level_glb(
    results: Results, library: Library, variant: Variant, detail: Detail, keep: bool = True
) -> str:
    """The hash of one level of detail as GLB."""

    def make() -> dict[str, bytes]:
        images = results.images(keep)
        if detail != "dome":
            product = library.level(variant, detail)
            return {"glb": mesh_glb(product.mesh, product.materials, variant.label, images)}
        product = library.dome(variant)
        (material,) = product.materials.values()
        assert material.dome is not None
        maps, layout = images(material), asdict(material.dome)
        card = {**layout, "translucency": material.translucency, **{k: maps[k] for k in _SHOWN}}
        glb = mesh_glb(product.mesh, product.materials, variant.label, images)
        return {"glb": glb, "card": orjson.dumps(card)}

    return results.result(_level_key(variant, detail), make, keep)["glb"]


def _level_key(variant: Variant, detail: Detail) -> str:
    return f"card {variant.key}" if detail == "dome" else f"glb {variant.key} {detail}"


def card_of(results: Results, variant: Variant) -> dict[str, Any] | None:
    """How the card that faces the eye is drawn, if it has been made: its layout, and addresses of its images."""
    names = results.known(_level_key(variant, "dome"))
    data = results.get(names["card"]) if names else None
    return orjson.loads(data) if data else None


def solid_glb(
    results: Results, solid: Solid, cache: Cache, keep: bool = True, detail: int = 0
) -> str:
    """The hash of a level of a solid as GLB."""
    images = results.images(keep)

    def make() -> dict[str, bytes]:
        mesh = solid.level(detail, cache)
        return {"glb": mesh_glb(mesh, solid.materials, solid.name, images)}

    name = f"solid {solid.key} {detail}" if detail else f"solid {solid.key}"
    return results.result(name, make, keep)["glb"]


def surface_heights(
    results: Results, surface: Surface, keep: bool = True
) -> tuple[str, int, float]:
    """The hash of a surface's heights over a square about the origin, the samples a side, and its size in metres."""
    heights, spacing = heights_of(surface)
    names = results.result(
        f"surface {surface.key}", lambda: {"heights": heights.astype("<f4").tobytes()}, keep
    )
    return names["heights"], len(heights), spacing * (len(heights) - 1)


def surface_glb(results: Results, ground: Ground, keep: bool = True) -> str:
    """The hash of the triangles that a surface is made of as GLB, with the shares of classes where these dress it; empty where it is made of heights."""
    own = ground.surface.own
    if own is None:
        return ""
    images = results.images(keep)
    materials = own.materials or {p.material: Material(p.material) for p in own.mesh.parts}
    shares = None if own.materials else shares_of_mesh(ground.cover, own.mesh, paths=False)
    dress = repr(materials) if shares is None else digest(shares.tobytes())

    def make() -> dict[str, bytes]:
        return {"glb": mesh_glb(own.mesh, materials, "ground", images, shares=shares)}

    return results.result(f"ground {ground.surface.key} {dress}", make, keep)["glb"]


def cover_images(
    results: Results, names: Iterable[CoverName] = tuple(METRES), keep: bool = True
) -> dict[CoverName, dict[str, str]]:
    """Addresses of the images of what classes of ground look like."""
    images = results.images(keep)
    return {name: {k: str(v) for k, v in images(cover_material(name)).items()} for name in names}


def prepare(
    results: Results,
    library: Library,
    evaluation: Evaluation,
    say: Callable[[int, int], None],
    stop: Callable[[], bool] = lambda: False,
) -> None:
    """Make and keep all that an opening of the scene asks for.

    Args:
        say: called with how much is done, and of how much.
        stop: called between two steps; True ends the work.
    """
    steps: list[Callable[[], object]] = []
    for output in (r.output for r in evaluation.layers):
        if output.surface is not None:
            steps.append(lambda: surface_heights(results, evaluation.surface))
            steps.append(lambda: surface_glb(results, evaluation.ground))
            steps.append(lambda: cover_images(results, evaluation.ground.cover.looks))
            steps.append(
                lambda: splat_squares(evaluation.ground.cover, evaluation.surface, library.cache)
            )
        steps += [
            lambda s=s, d=d: solid_glb(results, s, library.cache, True, d)  # type: ignore[misc]
            for s in output.solids
            for d in range(1 + len(s.coarser))
        ]
        for v in output.placements.variants if output.placements else ():
            # coarse levels first: they show a useful picture soonest
            steps += [
                lambda v=v, d=d: level_glb(results, library, v, d)  # type: ignore[misc]
                for d in reversed(drawn(library, v))
            ]
    for done, step in enumerate(steps):
        if stop():
            return
        step()
        say(done + 1, len(steps))
