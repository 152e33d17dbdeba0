"""Piles: things dropped on the ground and on each other, and settled by a physics library; afterwards none stands into another."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from plough.core.arrays import Float64, Int64, UInt64
from plough.core.ground.surface import Sampled
from plough.core.place.apart import push_apart
from plough.core.place.bodies import Shapes
from plough.core.place.placements import Placements
from plough.core.rng import bits_array, stream, symmetric_array, uniform_array

MOST_IN_PILE = 400
ROLL = 6.0  #: metres that things are thought to roll on, at most
_STEP = 1.0 / 60.0  # seconds
_SKIN = 0.0015  # metres that bodies keep from each other while they fall
_LEAST_STEPS, _MOST_STEPS = 200, 2000
_LEVELS = 12  # that they are let go in, at most: a column would fall for long and land hard
_DRAG, _ROLLING = 3.0, 8.0  # a second: they are let down rather than hurled, and do not roll far
_CALM = 0.75  # of all steps, from which on they are slowed down
_CELL = 0.25  # metres between the places where the ground is asked
_AFTER = 8  # times that they are pushed apart and lifted off the ground, at most
_DENSITY = 2600.0  # kilograms a cubic metre; among alike it does not matter
_ID, _FAR, _SPIN = stream("pile.id"), stream("pile.far"), stream("pile.spin")
_TURNS = tuple(stream(f"pile.turn {k}") for k in range(3))
GOLDEN = math.pi * (3.0 - math.sqrt(5.0))


@dataclass(frozen=True, slots=True)
class Pile:
    """What is dropped at one place."""

    seed: int  #: of the layer, 64 bits
    number: int  #: of the place
    at: tuple[float, float]  #: metres east and south
    count: int
    radius: float  #: metres in which they are dropped
    friction: float


def ids_of(pile: Pile) -> UInt64:
    """(n,) the stable id of each."""
    k = np.arange(pile.count, dtype=np.uint64)
    return bits_array(pile.seed, _ID, k + np.uint64(pile.number * MOST_IN_PILE))


def begun(pile: Pile, ids: UInt64, reach: Float64, ground: float) -> tuple[Float64, Float64]:
    """Places (n, 3) over the ground from which things fall, none in another, and how each is turned (n, 4).

    Args:
        reach: (n,) metres from the foot of each to its farthest corner.
        ground: metres of the ground beneath.
    """
    size = 2.1 * float(reach.max(initial=0.01))
    least = math.sqrt(len(ids) / _LEVELS / 0.55)
    radius = max(pile.radius, 0.5 * size * max(1.0, least))
    each = max(1, int(0.55 * (2.0 * radius / size) ** 2))
    k = np.arange(len(ids))
    level, place = k // each, k % each
    far = np.sqrt((place + 0.5) / each) * max(0.0, radius - 0.25 * size)
    way = place * GOLDEN + level * 1.7 + 2 * math.pi * uniform_array(pile.seed, _FAR, ids[:1])
    x, z = pile.at[0] + far * np.cos(way), pile.at[1] + far * np.sin(way)
    y = ground + size * (0.6 + level) + 0.15 * size * symmetric_array(pile.seed, _SPIN, ids)
    u, v, w = (uniform_array(pile.seed, s, ids) for s in _TURNS)
    # evenly over all turns (Shoemake 1992)
    a, b = np.sqrt(1.0 - u), np.sqrt(u)
    turn = np.stack(
        [
            a * np.sin(2 * math.pi * v),
            a * np.cos(2 * math.pi * v),
            b * np.sin(2 * math.pi * w),
            b * np.cos(2 * math.pi * w),
        ],
        axis=1,
    )
    return np.stack([x, y, z], axis=1), turn


def settled_pile(
    pile: Pile,
    placed: Placements,
    shapes: Shapes,
    surface: Sampled,
    check: Callable[[], None] = lambda: None,
    told: Callable[[float, Callable[[], Placements]], None] = lambda _share, _so_far: None,
) -> Placements:
    """`placed`, fallen and at rest.

    Args:
        placed: where they begin.
        shapes: the bodies of its variants.
        check: called at every step; may raise to stop.
        told: called at every step with the share of them that are done, and what gives them where they are.
    """
    import rapier3d as physics  # takes a while; only those wait who drop something

    world = physics.PhysicsWorld(gravity=(0.0, -9.81, 0.0))
    world.integration_parameters.dt = _STEP
    world.integration_parameters.num_solver_iterations = 4
    corners, faces = _ground(pile, placed, surface)
    world.add_collider(
        physics.Collider.trimesh(corners, faces).friction(pile.friction).contact_skin(_SKIN)
    )
    handles = []
    for k in range(placed.count):
        at = placed.position[k].astype(float)
        body = physics.RigidBody.dynamic(translation=tuple(at)).can_sleep(False)
        body = body.linear_damping(_DRAG).angular_damping(_ROLLING)
        made = world.add_body(body)
        x, y, z, w = placed.rotation[k].tolist()
        world.rigid_bodies[made].rotation = physics.Quaternion(w, x, y, z)
        for b in range(shapes.first[placed.variant[k]], shapes.first[placed.variant[k] + 1]):
            own = shapes.points[shapes.starts[b] : shapes.starts[b + 1]] * placed.scale[k]
            about = float(shapes.round[b] * max(placed.scale[k, 0], placed.scale[k, 2]))
            hull = _collider(physics, own, about)
            hull = hull.friction(pile.friction).density(_DENSITY).contact_skin(_SKIN)
            world.add_collider(hull, made)
        handles.append(made)
    high = float(np.ptp(placed.position[:, 1]))
    fall = math.sqrt(2.0 * high / 9.81) + high * _DRAG / 9.81
    steps = min(_MOST_STEPS, _LEAST_STEPS + round(1.5 * fall / _STEP))

    def fallen() -> Placements:
        position, rotation = np.empty((placed.count, 3)), np.empty((placed.count, 4))
        for k, made in enumerate(handles):
            pose = world.rigid_bodies[made].position
            position[k] = [pose.translation.x, pose.translation.y, pose.translation.z]
            q = pose.rotation
            rotation[k] = [q.i, q.j, q.k, q.w]
        return replace(
            placed, position=position.astype(np.float32), rotation=rotation.astype(np.float32)
        )

    for step in range(steps):
        check()
        told(step / steps, fallen)
        slow = max(0.0, step / steps - _CALM) / (1.0 - _CALM)
        if slow:
            for made in handles:
                stone = world.rigid_bodies[made]
                stone.linear_damping = _DRAG + 30.0 * slow
                stone.angular_damping = _ROLLING + 30.0 * slow
        world.step()
    rest = fallen()
    east, south = (np.ascontiguousarray(rest.position[:, c], np.float64) for c in (0, 2))
    on_map = surface.sample(east, south).hit

    def clearing() -> None:
        check()
        told(1.0, fallen)

    return cleared(rest.taken(on_map), shapes, surface, clearing)


def _collider(physics: Any, points: Float64, about: float) -> Any:
    """A convex body of the library: the hull of `points` (k, 3), or a rod, and so many metres about it."""
    if about and len(points) == 2:
        return physics.Collider.capsule_from_endpoints(*(tuple(p) for p in points.tolist()), about)
    if about:
        return physics.Collider.round_convex_hull(points.astype(np.float32), about)
    try:
        return physics.Collider.convex_hull(points.astype(np.float32))
    except physics.MeshConversionError:  # too thin to be a body
        return physics.Collider.ball(0.5 * float(np.ptp(points, axis=0).max(initial=1e-3)))


def set_about(
    pile: Pile,
    placed: Placements,
    shapes: Shapes,
    surface: Sampled,
    check: Callable[[], None] = lambda: None,
) -> Placements:
    """`placed`, spread on the ground within the pile's radius, none of them in another."""
    k = np.arange(placed.count)
    far = pile.radius * np.sqrt((k + 0.5) / max(1, placed.count))
    way = k * GOLDEN + 2 * math.pi * uniform_array(pile.seed, _FAR, placed.ids[:1])
    at = np.stack([pile.at[0] + far * np.cos(way), pile.at[1] + far * np.sin(way)], axis=1)

    def ground(off: Float64) -> Float64:
        found = surface.sample(*(np.ascontiguousarray((at + off)[:, c]) for c in (0, 1)))
        return np.where(found.hit, found.position[:, 1], 0.0)

    begin = ground(np.zeros_like(at))
    position = np.stack([at[:, 0], begin, at[:, 1]], axis=1)
    stood = shapes.stood(replace(placed, position=position.astype(np.float32)))
    free = np.ones(placed.count, bool)
    apart = push_apart(stood, placed.count, free, True, lambda off: ground(off) - begin, check)
    return replace(placed, position=(position + apart.by).astype(np.float32))


def cleared(
    placed: Placements, shapes: Shapes, surface: Sampled, check: Callable[[], None]
) -> Placements:
    """`placed`, moved a little so that none stands into another nor into the ground."""
    position = placed.position.astype(np.float64)
    free = np.ones(placed.count, bool)
    for _ in range(_AFTER):
        now = replace(placed, position=position.astype(np.float32))
        by = push_apart(shapes.stood(now), placed.count, free, check=check).by
        position = position + by
        now = replace(placed, position=position.astype(np.float32))
        deep = _sunk(shapes, now, surface)
        position[:, 1] += np.maximum(deep, 0.0)
        if deep.max(initial=0.0) < 1e-4:
            break
    return replace(placed, position=position.astype(np.float32))


def _sunk(shapes: Shapes, placed: Placements, surface: Sampled) -> Float64:
    """(n,) metres by which the deepest corner of each lies below the ground; less than 0 above it."""
    stood = shapes.stood(placed)
    x, y, z = (np.ascontiguousarray(c) for c in stood.points.T)
    count = np.diff(stood.starts)
    under = surface.sample(x, z)
    foot = y - np.repeat(stood.round, count)
    deep = np.where(under.hit, under.position[:, 1] - foot, -np.inf)
    owner = np.repeat(stood.thing, count)
    out = np.full(placed.count, -np.inf)
    np.maximum.at(out, owner, deep)
    return out


def about_pile(pile: Pile, placed: Placements) -> float:
    """Metres east, west, north and south of a pile's place in which the ground is asked for those that begin as `placed`."""
    off = np.abs(placed.position[:, [0, 2]] - np.array(pile.at)).max(initial=0.0)
    return max(pile.radius, float(off)) + ROLL + 0.5 * float(np.ptp(placed.position[:, 1]))


def _ground(pile: Pile, placed: Placements, surface: Sampled) -> tuple[Float64, Int64]:
    """The ground about a pile as triangles: (v, 3) metres and (t, 3)."""
    far = about_pile(pile, placed)
    n = int(min(160, max(12, math.ceil(2.0 * far / _CELL))))
    line = np.linspace(-far, far, n + 1)
    x, z = (g.ravel() for g in np.meshgrid(pile.at[0] + line, pile.at[1] + line))
    found = surface.sample(x, z)
    y = np.where(found.hit, found.position[:, 1], -1000.0)
    i, j = (g.ravel() for g in np.meshgrid(np.arange(n), np.arange(n), indexing="ij"))
    a = i * (n + 1) + j
    faces = np.concatenate(
        [np.stack([a, a + n + 1, a + 1], 1), np.stack([a + 1, a + n + 1, a + n + 2], 1)]
    )
    there = found.hit[faces].all(axis=1)
    corners: Float64 = np.stack([x, y, z], axis=1).astype(np.float32)
    return corners, faces[there].astype(np.uint32)
