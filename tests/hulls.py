"""Convex bodies as another library has them: whether they stand into each other, and what holds them up."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import fcl
import numpy as np
from scipy.spatial import ConvexHull


def convex(corners: Any) -> Any:
    """A convex body of another library."""
    hull = ConvexHull(corners)
    used = np.unique(hull.simplices)
    number = np.full(len(corners), -1)
    number[used] = np.arange(len(used))
    faces = []
    for simplex, plane in zip(hull.simplices, hull.equations, strict=True):
        a, b, c = corners[simplex]
        outward = np.dot(np.cross(b - a, c - a), plane[:3]) > 0
        faces.append(number[simplex if outward else simplex[::-1]])
    flat = np.concatenate([[3, *f] for f in faces]).astype(np.int32)
    return fcl.Convex(corners[used], len(faces), flat)


def deepest(bodies: list[Any]) -> float:
    """Metres by which any two stand into each other, as another library has it; 0 where none do."""
    objects = [fcl.CollisionObject(convex(b), fcl.Transform()) for b in bodies]
    worst = 0.0
    for i in range(len(objects)):
        for j in range(i):
            low = np.maximum(bodies[i].min(axis=0), bodies[j].min(axis=0))
            high = np.minimum(bodies[i].max(axis=0), bodies[j].max(axis=0))
            if (low > high).any():
                continue
            result = fcl.CollisionResult()
            request = fcl.CollisionRequest(enable_contact=True, num_max_contacts=10)
            fcl.collide(objects[i], objects[j], request, result)
            for contact in result.contacts:
                worst = max(worst, contact.penetration_depth)
    return worst


def held(bodies: list[Any], ground: Callable[[Any, Any], Any], by: float = 0.03) -> list[bool]:
    """Whether each, let down by so many metres, would be in the ground or in another.

    Args:
        ground: its height at places (x, z).
    """
    objects = [fcl.CollisionObject(convex(b - [0, by, 0]), fcl.Transform()) for b in bodies]
    others = [fcl.CollisionObject(convex(b), fcl.Transform()) for b in bodies]
    out = []
    for k, corners in enumerate(bodies):
        x, y, z = (np.ascontiguousarray(c) for c in corners.T)
        rests = bool((y - by < ground(x, z)).any())
        for j in range(len(bodies)):
            if j != k and not rests:
                result = fcl.CollisionResult()
                rests = bool(fcl.collide(objects[k], others[j], fcl.CollisionRequest(), result))
        out.append(rests)
    return out
