"""Crowns filled by attraction points (space colonisation, Runions, Lane and Prusinkiewicz 2007).

Points are strewn in the crown; each draws the nearest wood towards it and is gone when wood comes close. The wood that results is a
graph of nodes; it is told as orders of limbs, the thickest way onwards being the limb itself, the others its children.
"""

from __future__ import annotations

import math

import numpy as np

from plough.core.arrays import Float32, Float64, Int64
from plough.core.errors import ParameterError
from plough.core.grow.skeleton import Order, fates
from plough.core.kernels import kernel
from plough.core.rng import mix, stream, uniform, uniform_array

MOST_NODES = 60_000
_HIGH, _ROUND, _OUT, _WANDER = (stream(f"crown.{n}") for n in ("high", "round", "out", "wander"))


def crown_points(
    seed: int,
    count: int,
    profile: Float32,
    low: float,
    high: float,
    radius: float,
    shell: float,
    form: Float64 | None = None,
) -> Float64:
    """(count, 3) points in a body of revolution, or in one of any `form`; more points keep the earlier ones.

    Args:
        profile: (n,) radii from the crown's foot to its top, times `radius` metres.
        low, high: metres above the ground.
        shell: 0 fills the body evenly, 1 draws the points to its surface.
        form: (rows, columns) radii from foot to top and once round, in place of the profile.
    """
    if form is not None:
        profile = np.sqrt((form**2).mean(axis=1)).astype(np.float32)
    index = np.arange(count, dtype=np.uint64)
    area = np.concatenate(
        [[0.0], np.cumsum(np.maximum(profile[1:], profile[:-1]).astype(np.float64) ** 2 + 1e-6)]
    )
    height = np.interp(
        uniform_array(seed, _HIGH, index) * area[-1], area, np.linspace(0.0, 1.0, profile.shape[0])
    )
    out = uniform_array(seed, _OUT, index) ** (0.5 / (1.0 + 3.0 * shell))
    reach = np.interp(height, np.linspace(0.0, 1.0, profile.shape[0]), profile) * radius * out
    turn = 2.0 * math.pi * uniform_array(seed, _ROUND, index)
    if form is not None:
        reach = radius_at(form, height, turn) * radius * out
    return np.stack(
        [reach * np.cos(turn), low + (high - low) * height, reach * np.sin(turn)], axis=1
    )


def radius_at(form: Float64, height: Float64, turn: Float64) -> Float64:
    """Radii of a form (rows, columns) at `height` in [0, 1] and `turn` in radians, linear between its numbers."""
    rows, columns = form.shape
    y, x = np.clip(height, 0, 1) * (rows - 1), (turn / (2.0 * math.pi)) % 1.0 * columns
    j, i = np.minimum(y.astype(np.int64), rows - 2), x.astype(np.int64) % columns
    f, e = y - j, x - np.floor(x)
    k = (i + 1) % columns
    return np.asarray(
        (form[j, i] * (1 - e) + form[j, k] * e) * (1 - f)
        + (form[j + 1, i] * (1 - e) + form[j + 1, k] * e) * f
    )


@kernel
def _colonise(
    seed: np.uint64,
    goals: Float64,
    nodes: Float64,
    root: int,
    step: float,
    influence: float,
    kill: float,
    up: float,
    wander: float,
    most: int,
) -> tuple[Float64, Int64, Int64, int]:
    """Places, parents and rounds of birth of all nodes; the first `root` are given."""
    place = np.empty((most, 3))
    parent = np.full(most, -1, np.int64)
    born = np.zeros(most, np.int64)
    place[:root] = nodes
    pull = np.zeros((most, 3))
    drawn = np.zeros(most, np.int64)
    m = goals.shape[0]
    nearest, distance = np.full(m, -1, np.int64), np.full(m, 1e30)
    n, seen, rounds = root, 0, 0
    while n < most and rounds < 600:
        rounds += 1
        for g in range(m):
            if distance[g] < 0.0:
                continue
            for k in range(seen, n):
                d = (
                    (goals[g, 0] - place[k, 0]) ** 2
                    + (goals[g, 1] - place[k, 1]) ** 2
                    + (goals[g, 2] - place[k, 2]) ** 2
                )
                if d < distance[g]:
                    distance[g], nearest[g] = d, k
            if distance[g] < kill * kill:
                distance[g] = -1.0
        seen = n
        active = 0
        for g in range(m):
            if distance[g] < 0.0 or distance[g] > influence * influence:
                continue
            k = nearest[g]
            s = 1.0 / math.sqrt(distance[g])
            for a in range(3):
                pull[k, a] += (goals[g, a] - place[k, a]) * s
            drawn[k] += 1
            active += 1
        if active == 0:
            # nothing within reach: the nearest wood of all sets out for its goal, so that any crown is reached
            best = -1
            for g in range(m):
                if distance[g] >= 0.0 and (best < 0 or distance[g] < distance[best]):
                    best = g
            if best < 0:
                break
            k = nearest[best]
            s = 1.0 / math.sqrt(distance[best])
            for a in range(3):
                pull[k, a] = (goals[best, a] - place[k, a]) * s
            drawn[k] = 1
        grew = False
        for k in range(seen):
            if drawn[k] == 0:
                continue
            dx, dy, dz = pull[k, 0], pull[k, 1], pull[k, 2]
            s = 1.0 / max(1e-9, math.sqrt(dx * dx + dy * dy + dz * dz))
            i = np.uint64(k * 4)
            dx = dx * s + wander * (2.0 * uniform(seed, _WANDER, i) - 1.0)
            dy = dy * s + up + wander * (2.0 * uniform(seed, _WANDER, i + np.uint64(1)) - 1.0)
            dz = dz * s + wander * (2.0 * uniform(seed, _WANDER, i + np.uint64(2)) - 1.0)
            s = step / max(1e-9, math.sqrt(dx * dx + dy * dy + dz * dz))
            pull[k, 0], pull[k, 1], pull[k, 2] = 0.0, 0.0, 0.0
            drawn[k] = 0
            x, y, z = place[k, 0] + dx * s, place[k, 1] + dy * s, place[k, 2] + dz * s
            twice = False
            for c in range(seen, n):
                if parent[c] == k:
                    twice = True
            for c in range(k + 1, seen):
                if (
                    parent[c] == k
                    and (place[c, 0] - x) ** 2 + (place[c, 1] - y) ** 2 + (place[c, 2] - z) ** 2
                    < 0.2 * step * step
                ):
                    twice = True
            if twice or n >= most:
                continue
            place[n, 0], place[n, 1], place[n, 2] = x, y, z
            parent[n], born[n] = k, rounds
            n += 1
            grew = True
        if not grew:
            # two goals hold a node in balance: the nearest of them is given up
            best = -1
            for g in range(m):
                if distance[g] >= 0.0 and (best < 0 or distance[g] < distance[best]):
                    best = g
            if best < 0:
                break
            distance[best] = -1.0
    return place[:n], parent[:n], born[:n], rounds


@kernel
def _weights(parent: Int64, root: int, exponent: float) -> tuple[Float64, Int64]:
    """Pipe-model weight (radius to the power of `exponent`) of each node, and the child through which most of it runs."""
    n = parent.shape[0]
    weight, main = np.zeros(n), np.full(n, -1, np.int64)
    best = np.zeros(n)
    for k in range(n - 1, root - 1, -1):
        if weight[k] == 0.0:
            weight[k] = 1.0
        q = parent[k]
        weight[q] += weight[k]
        if q >= root and weight[k] > best[q]:
            best[q], main[q] = weight[k], k
    return weight, main


def _resample(line: Float64, values: Float64, points: int) -> tuple[Float32, Float32]:
    far = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    at = np.linspace(0.0, far[-1], points)
    course = np.stack([np.interp(at, far, line[:, k]) for k in range(3)], axis=1)
    return course.astype(np.float32), np.interp(at, far, values).astype(np.float32)


def fill_crown(
    seed: int,
    orders: list[Order],
    goals: Float64,
    step: float,
    influence: float,
    kill: float,
    up: float,
    wander: float,
    start: float,
    thinnest: float,
    exponent: float,
    thickness: float,
    points: tuple[int, ...],
    dead: float,
) -> list[Order]:
    """`orders` and the limbs that fill the crown, told as the orders after them.

    Args:
        goals: (m, 3) attraction points, metres.
        step, influence, kill: metres: between two nodes, from which a point draws wood, within which it is reached.
        start: share of the stems below which no limb leaves.
        thickness: of a limb by its parent, at most.
        points: along the limbs of each order to come; what would branch further ends there.

    Raises:
        ParameterError: the steps are so short that the crown would need too many.
    """
    given: list[tuple[int, int, int]] = []  # order, row, point
    roots = []
    for o, order in enumerate(orders):
        n = order.points.shape[1]
        low = int(math.ceil(start * (n - 1))) if o == 0 else max(1, n // 3)
        for whole in np.nonzero(order.broken < 0.5)[0].tolist():
            for k in range(low, n):
                given.append((o, whole, k))
                roots.append(order.points[whole, k])
    nodes = np.array(roots, np.float64)
    place, parent, born, rounds = _colonise(
        np.uint64(seed), goals, nodes, len(nodes), step, influence, kill, up, wander, MOST_NODES
    )
    if place.shape[0] >= MOST_NODES:
        raise ParameterError(
            "crown.step",
            f"the crown would need more than {MOST_NODES:,} steps: lengthen the steps or lower the points",
        )
    weight, main = _weights(parent, len(nodes), exponent)
    children: dict[int, list[int]] = {}
    for k in range(len(nodes), place.shape[0]):
        children.setdefault(int(parent[k]), []).append(k)

    def chain_from(k: int) -> list[int]:
        line = [k]
        while main[line[-1]] >= 0:
            line.append(int(main[line[-1]]))
        return line

    first_depth = len(orders)
    waiting: list[
        tuple[int, int, float, int]
    ] = []  # child, parent's row, along, depth of the parent
    for g, (o, grown, k) in enumerate(given):
        waiting += [(c, grown, k / (orders[o].points.shape[1] - 1), o) for c in children.get(g, [])]
    out = list(orders)
    for depth in range(first_depth, first_depth + len(points)):
        below, waiting = (
            [w for w in waiting if w[3] == depth - 1],
            [w for w in waiting if w[3] != depth - 1],
        )
        last = depth == first_depth + len(points) - 1
        parents = out[-1]
        n = points[depth - first_depth]
        rows: dict[str, list[object]] = {
            name: [] for name in ("points", "radius", "ids", "parent", "at", "birth")
        }
        ordinal: dict[int, int] = {}
        for child, row, along, _ in below:
            nodes_of = chain_from(child)
            x = along * (parents.points.shape[1] - 1)
            p = min(int(x), parents.points.shape[1] - 2)
            f = x - p
            base = parents.points[row, p] * (1 - f) + parents.points[row, p + 1] * f
            line = np.concatenate([[base], place[nodes_of]])
            for _ in range(2):
                line[1:-1] = 0.5 * line[1:-1] + 0.25 * (line[:-2] + line[2:])
            fat = weight[nodes_of] ** (1.0 / exponent) * thinnest
            course, radius = _resample(line, np.concatenate([[fat[0]], fat]), n)
            here = parents.radius[row, p] * (1 - f) + parents.radius[row, p + 1] * f
            radius *= min(1.0, thickness * float(here) / float(radius[0]))
            index = len(rows["ids"])
            ordinal[row] = ordinal.get(row, 0) + 1
            rows["points"].append(course)
            rows["radius"].append(np.maximum(radius, 0.4 * thinnest))
            rows["ids"].append(mix(parents.ids[row] ^ mix(np.uint64(depth * 65536 + ordinal[row]))))
            rows["parent"].append(row)
            rows["at"].append(along)
            rows["birth"].append(0.9 * born[child] / (rounds + 1))
            if not last:
                far = np.concatenate(
                    [[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))]
                )
                for place_, node in enumerate(nodes_of, start=1):
                    waiting += [
                        (c, index, float(far[place_] / far[-1]), depth)
                        for c in children.get(node, [])
                        if c != int(main[node])
                    ]
        if not rows["ids"]:
            break
        parent_rows = np.array(rows["parent"], np.int64)
        ids = np.array(rows["ids"], np.uint64)
        curve = np.array(rows["points"], np.float32)
        vigour, broken = fates(seed, ids, parents.vigour[parent_rows], dead, 0.0)
        first = np.arange(ids.size) if depth == 1 else parents.first[parent_rows]
        length = np.linalg.norm(np.diff(curve, axis=1), axis=2).sum(axis=1).astype(np.float32)
        out.append(
            Order(
                curve,
                np.array(rows["radius"], np.float32),
                length,
                ids,
                parent_rows,
                first,
                np.array(rows["at"], np.float32),
                np.array(rows["birth"], np.float32),
                vigour,
                broken,
                length,
            )
        )
    return out
