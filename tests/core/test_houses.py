"""Buildings: closed bodies, façades that keep their cells, roofs that cover their plan."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from shapely import Polygon, box, points, union_all

from plough.core.build.building import BuildingParameters, made_of, storeys
from plough.core.errors import ParameterError
from plough.core.house.body import RoofRule, covered_of
from plough.core.house.forms import Form
from plough.core.house.kits import KITS
from plough.core.house.pieces import PieceParameters, form_of
from plough.core.house.plan import Ring, moved, pulled
from plough.core.house.raised import Raised
from plough.core.house.roof import area_of
from plough.core.kinds import Product, make
from plough.core.parameters import build, describe
from tests.depth import examples

BODIES = ("long", "ell", "tee", "court", "round")
ROOFS = ("gable", "hip", "half", "shed", "mansard", "flat")
WING = {"id": "a", "edge": "w0", "at": 0.2, "wide": 4, "deep": 2.5, "storeys": 1}


def raise_(values: dict[str, Any], seed: int = 1, detail: int = 0) -> Raised:
    return made_of(build(BuildingParameters, values), seed, detail)[0]


def solids(made: Raised) -> dict[str, trimesh.Trimesh]:
    """The bodies of a building that are to be closed, as meshes of another library."""
    mesh = made.soup.mesh({})
    faces = mesh.positions[mesh.indices].astype(float)
    out = {}
    for name, rows in made.soup.runs().items():
        if not name.startswith("pieces"):
            corners = faces[rows].reshape(-1, 3)
            body = trimesh.Trimesh(corners, np.arange(len(corners)).reshape(-1, 3))
            body.merge_vertices(digits_vertex=4)
            out[name] = body
    return out


def closed(made: Raised) -> None:
    for name, body in solids(made).items():
        for part in body.split(only_watertight=False) if "roof" in name else [body]:
            assert part.is_watertight and part.is_winding_consistent, name
            assert part.volume > 0, name


@pytest.mark.parametrize("kit", KITS)
@pytest.mark.parametrize("body", BODIES)
def test_every_body_of_every_kit_is_closed_and_faces_outwards(body: str, kit: str) -> None:
    for roof in ROOFS:
        values = {"body": body, "kit": kit, "roof": roof, "long": 14, "storeys": 2, "dormers": 2}
        made = raise_(values)
        closed(made)
        assert not made.why


@pytest.mark.parametrize(
    "own",
    [
        {"setback": 0.8, "storeys": 4, "from_storey": 2},
        {"jetty": 0.4, "storeys": 2},
        {"wings": [WING], "storeys": 2},
        {"wings": [WING, {**WING, "id": "b", "edge": "w2", "storeys": 2}], "storeys": 3},
        {"faces": [{"id": "w0-1", "out": 0.9}, {"id": "w1-0", "out": -0.6}], "storeys": 2},
        {"body": "ell", "wings": [{**WING, "edge": "w1", "at": 1}], "roof": "half"},
        {"body": "round", "long": 16, "storeys": 2, "faces": [{"id": "w1-0", "out": 1.0}]},
        {
            "body": "round",
            "storeys": 4,
            "jetty": 0.14068404732981465,
            "wings": [{**WING, "edge": "w2", "wide": 4.0353, "deep": 4.92719}],
            "faces": [{"id": "w3-0", "out": 2}],
        },
        {"setback": 1e-5, "storeys": 2, "parapet": 1e-9, "roof": "flat", "wings": [WING]},
    ],
    ids=[
        "set back",
        "standing out",
        "wing",
        "two wings",
        "pulled",
        "ell and wing",
        "round",
        "slanted",
        "tiny",
    ],
)
def test_what_is_built_on_is_closed_too(own: dict[str, Any]) -> None:
    for kit in KITS:
        closed(raise_({"long": 12, "kit": kit, **own}))


@pytest.mark.parametrize(
    ("own", "posts", "struts"),
    [
        ({"storeys": 2}, 0, 0),
        ({"storeys": 2, "faces": [{"id": "w0-1", "out": 0.1}]}, 0, 0),
        ({"storeys": 2, "faces": [{"id": "w0-1", "out": 1.5}]}, 5, 0),
        ({"storeys": 2, "faces": [{"id": "w0-1", "out": 0.5}]}, 0, 5),
        ({"storeys": 3, "jetty": 0.4, "kit": "flint"}, 0, None),
        ({"storeys": 3, "faces": [{"id": "w1-2", "out": 2}, {"id": "w1-0", "out": 3}]}, 0, None),
    ],
)
def test_what_stands_out_is_carried(own: dict[str, Any], posts: int, struts: int | None) -> None:
    values = build(BuildingParameters, {"long": 9, "wide": 5.4, **own})
    made, rings = made_of(values, 1, 0)
    found = {n: b for n, b in solids(made).items() if n.startswith("support")}
    tall = {n for n, b in found.items() if b.bounds[0, 1] < 0}
    assert len(tall) == posts
    assert struts is None or len(found) - len(tall) == struts
    assert struts is not None or len(found) > len(tall)
    for name, body in found.items():
        assert body.is_watertight and body.volume > 0, name
        number = int(name.split("-")[-1].split()[0])
        storey, below = rings[number], rings[:number]
        assert body.bounds[1, 1] == pytest.approx(storey.low, abs=0.03)
        # beneath what stands out, and in no storey below
        seen = Polygon(np.asarray(body.vertices)[:, [0, 2]] * [1, -1]).convex_hull
        assert Polygon(storey.ring.corners).buffer(0.02).contains(seen)
        for o in below if name in tall else below[-1:]:
            inside = Polygon(o.ring.corners).intersection(seen).area
            assert inside < (1e-9 if name in tall else 0.4 * seen.area)
        if name in tall:
            assert body.bounds[0, 1] == pytest.approx(-values.deep, abs=1e-4)
    assert not [n for n in solids(made_of(values, 1, 2)[0]) if n.startswith("support")]


def test_a_storey_is_as_large_as_its_plan_less_its_openings() -> None:
    full = {"filled": 200}
    values = {"kit": "flint", "long": 11, "wide": 6, "storeys": 2, "lower": full, "above": full}
    made = raise_(values)
    for k, high in ((0, 2.5), (1, 2.4)):
        cut = 0.0
        for face in made.faces:
            if face.storey == k and face.role != "gable":
                for c in made.cells[face.id]:
                    if c.piece is not None and c.piece.open:
                        x0, x1, y0, y1 = c.piece.opening(c.wide, high)
                        cut += (x1 - x0) * (y1 - max(y0, 0.03)) * c.piece.depth
        assert solids(made)[f"storey {k}"].volume == pytest.approx(66 * high - cut, rel=1e-4)
        assert cut > 1


def test_only_the_front_has_a_door_and_it_goes_along() -> None:
    for place, cell in ((0.0, 0), (0.5, 2), (1.0, 4)):
        made = raise_({"door": place, "storeys": 2})
        doors = [
            (f.id, c.number)
            for f in made.faces
            for c in made.cells[f.id]
            if c.piece is not None and c.piece.what == "door"
        ]
        assert doors == [("w0-0", cell)]


def test_a_pulled_face_keeps_its_cells_and_those_of_all_others() -> None:
    values = {"long": 12, "storeys": 3, "kit": "pump", "body": "tee"}
    before = raise_(values)
    after = raise_({**values, "faces": [{"id": "w0-2", "out": 0.7}]})
    kept = [f.id for f in before.faces if f.role != "gable"]  # its roof is another
    assert {f.id for f in after.faces if f.role != "gable"} - set(kept) == {"w0-near-2", "w0-far-2"}
    for name in kept:
        assert after.cells[name] == before.cells[name]
    front = next(f for f in after.faces if f.id == "w0-2")
    assert front.origin[1] == pytest.approx(-2.7 - 0.7)


def of_gables(product: Product) -> dict[str, Any]:
    return {f.id: f for f in product.faces if f.role == "gable"}


@pytest.mark.parametrize("kit", KITS)
@pytest.mark.parametrize("body", ["long", "ell", "tee"])
@pytest.mark.parametrize("roof", ["gable", "half", "shed"])
def test_gables_are_faces_whose_outline_lies_on_the_roof_and_whose_cell_lies_in_it(
    kit: str, body: str, roof: str
) -> None:
    values = {"kit": kit, "body": body, "roof": roof, "long": 14, "storeys": 2, "pitch": 50}
    made = make("building", values, 1)
    found = of_gables(made)
    assert len(found) >= 2
    corners = made.mesh.positions[made.mesh.indices].astype(float).reshape(-1, 3)
    for f in found.values():
        ring = Polygon(f.outline)
        assert ring.is_valid and ring.exterior.is_ccw
        assert ring.bounds == pytest.approx((0, 0, f.wide, f.high))
        for along, up in f.outline:  # a corner of the mesh is there
            east, south = (a + along * w for a, w in zip(f.at, f.way, strict=True))
            assert np.linalg.norm(corners - [east, f.low + up, south], axis=1).min() < 1e-3
        (cell,) = f.cells
        if cell.opening:
            x0, x1, y0, y1 = cell.opening
            assert ring.buffer(-0.2).contains(box(x0, y0, x1, y1))


def test_a_gable_is_filled_by_hand_and_keeps_the_others() -> None:
    values: dict[str, Any] = {"kit": "flint", "body": "tee", "long": 16, "storeys": 2}
    plain = make("building", values, 1)
    first, second = sorted(of_gables(plain))[:2]
    cells = [{"cell": 0, "piece": "sash"}]
    other = make("building", {**values, "faces": [{"id": first, "cells": cells}]}, 1)
    bare = make(
        "building", {**values, "faces": [{"id": first, "cells": [{"cell": 0, "piece": ""}]}]}, 1
    )
    (cell,) = of_gables(other)[first].cells
    assert cell.piece == "sash" and cell.by_hand and cell.opening
    assert of_gables(other)[second] == of_gables(plain)[second]
    assert not of_gables(bare)[first].cells[0].opening
    assert other.counts["openings"] == plain.counts["openings"] == bare.counts["openings"] + 1
    raised = solids(raise_({**values, "faces": [{"id": first, "cells": cells}]}))
    attics = [mesh for name, mesh in raised.items() if name.startswith("attic")]
    assert attics and all(mesh.is_watertight for mesh in attics)


@pytest.mark.parametrize(
    ("own", "field"),
    [({"out": 1}, "out"), ({"splits": [1.0]}, "splits"), ({"role": "upper"}, "role")],
)
def test_a_gable_is_not_pulled_or_split(own: dict[str, Any], field: str) -> None:
    with pytest.raises(ParameterError) as told:
        make("building", {"faces": [{"id": "w1-gable0", **own}]}, 1)
    assert told.value.field == f"faces.0.{field}"


def test_cells_are_split_and_filled_by_hand_and_a_kit_is_swapped_in_place() -> None:
    hand: dict[str, Any] = {
        "id": "w1-0",
        "splits": [1.0, 3.0],
        "cells": [{"cell": 1, "piece": "casement"}],
    }
    made = raise_({"faces": [hand]})
    assert [(c.start, c.end) for c in made.cells["w1-0"]] == [(0, 1), (1, 3), (3, 5.4)]
    assert made.cells["w1-0"][1].name == "casement"
    role = raise_({"faces": [{"id": "w2-0", "role": "front"}]})
    assert any(c.name == "boarded door" for c in role.cells["w2-0"])
    other = raise_({"kit": "flint", "faces": [hand]})
    assert other.cells["w1-0"][1].name in KITS["flint"].pieces, (
        "what it has not is as its role has it"
    )
    hand["cells"][0]["piece"] = "oriel"
    with pytest.raises(ParameterError) as told:
        raise_({"kit": "flint", "faces": [hand]})
    assert told.value.field == "faces.0.cells.0.piece" and "sash" in str(told.value)
    assert [f.id for f in other.faces] == [f.id for f in made.faces]


def test_more_of_a_kind_keeps_the_cells_that_were_filled() -> None:
    names = []
    for filled in (40, 80, 120):
        made = raise_({"long": 40, "front": {"filled": filled, "wide": 1.7}})
        names.append([c.name for c in made.cells["w0-0"]])
    for less, more in ((names[0], names[1]), (names[1], names[2])):
        assert sum(n not in ("panel", "") for n in less) < sum(n not in ("panel", "") for n in more)
        assert all(a == b for a, b in zip(less, more, strict=True) if a not in ("panel", ""))


def test_no_window_is_cut_where_a_lower_roof_lies_before_it() -> None:
    values = {"long": 14, "storeys": 2, "kit": "pump", "wings": [{**WING, "at": 0.5}]}
    plain = raise_({**values, "wings": []})
    made = raise_(values)
    own = build(BuildingParameters, values)
    (lean, _) = covered_of(storeys(own), RoofRule("gable", np.pi / 4, 0.4, 0.25))
    assert lean.storey == 0 and lean.roof is not None
    shut = {c.number for c in made.cells["w0-1"] if not (c.piece and c.piece.open)}
    assert shut and len(shut) < len(plain.cells["w0-1"])
    reach = lean.roof.nodes[:, 0] + 7
    for c in made.cells["w0-1"]:
        assert (c.number in shut) == (c.start < reach.max() and c.end > reach.min())


@pytest.mark.parametrize("roof", [r for r in ROOFS if r != "flat"])
def test_eaves_cover_the_plan_and_stand_out_as_far_as_they_are_to(roof: str) -> None:
    values = {"body": "ell", "roof": roof, "overhang": 0.5, "verge": 0.3, "long": 12}
    p = build(BuildingParameters, values)
    own = storeys(p)
    (c,) = covered_of(own, RoofRule(p.roof, np.radians(p.pitch), p.overhang, p.verge))
    assert c.eaves is not None
    seen = union_all(
        [
            Polygon(c.eaves.nodes[r, :2]).buffer(1e-6)
            for f in c.eaves.faces
            if f.speed > 0
            for r in f.rings
        ]
    )
    plan = Polygon(own[0].ring.corners)
    assert seen.contains(plan)
    assert plan.buffer(0.51, join_style="mitre").contains(seen)
    assert seen.area > plan.buffer(0.29, join_style="mitre").area


def test_a_form_is_the_same_at_any_size_as_if_it_were_drawn_so() -> None:
    for kit in KITS.values():
        for piece in kit.pieces.values():
            form = form_of(piece)
            assert np.isfinite(form.base).all()
            if piece.what == "panel" and piece.brace != "none":
                continue  # a brace is as wide at any size only upright
            for wide, high in ((1.3, 2.2), (3.1, 4.0)):
                exact = _drawn(piece, wide, high)
                assert form.sized(wide, high) == pytest.approx(exact, abs=1e-9)


def _drawn(piece: Any, wide: float, high: float) -> Any:
    from plough.core.house import pieces
    from plough.core.house.forms import Drawing

    drawing = Drawing()
    getattr(pieces, f"_{piece.what}")(piece, drawing, wide, high)
    return drawing.quads.reshape(-1, 4, 3)


def test_forms_face_outwards() -> None:
    for kit in KITS.values():
        for piece in kit.pieces.values():
            quads = form_of(piece).sized(2.0, 2.5)
            for q in quads:
                normal = np.cross(q[1] - q[0], q[2] - q[0])
                assert np.linalg.norm(normal) > 1e-7
    box = Form.of(lambda d, w, h: d.box((0, w), (0, h), (0, 1), "a"))
    corners = box.sized(2, 3)[:, [[0, 1, 2], [0, 2, 3]]].reshape(-1, 3)
    body = trimesh.Trimesh(corners, np.arange(36).reshape(-1, 3))
    body.merge_vertices()
    assert body.is_watertight and body.volume == pytest.approx(6)


def test_edges_are_pulled_and_moved_and_keep_their_names() -> None:
    ring = Ring(np.array([[0.0, 0], [8, 0], [8, 5], [0, 5]]), ("w0", "w1", "w2", "w3"))
    wing = pulled(ring, 0, (2, 5), 3, "a")
    assert wing.names == ("w0", "a-near", "a-front", "a-far", "w0-last", "w1", "w2", "w3")
    assert area_of(wing.corners) == pytest.approx(40 + 9)
    whole = pulled(ring, 1, (0, 5), 2)
    assert whole.names == ("w0", "w1-near", "w1", "w1-far", "w2", "w3")
    assert area_of(whole.corners) == pytest.approx(40 + 10)
    wider = moved(ring, {"w0": 1.0, "w1": 0.0, "w2": 0.5, "w3": 0.0}.__getitem__)
    assert wider.corners == pytest.approx(np.array([[0, -1], [8, -1], [8, 5.5], [0, 5.5]]))


def test_levels_are_lighter_and_lie_within_the_nearest() -> None:
    for kit in KITS:
        values = {"kit": kit, "storeys": 2, "body": "ell", "long": 12, "dormers": 2}
        levels = [make("building", values, 1, k).mesh for k in range(3)]
        counts = [m.triangles for m in levels]
        assert counts[0] > counts[1] > 2 * counts[2], kit
        low, high = levels[0].bounds()
        for m in levels[1:]:
            assert (m.positions >= low - 0.02).all() and (m.positions <= high + 0.02).all()


def test_a_cottage_is_light_enough_near() -> None:
    made = raise_({})
    pieces = sum(len(r) for n, r in made.soup.runs().items() if n.startswith("pieces"))
    whole = made.soup.mesh({}).triangles
    assert whole - pieces < 1000 and 800 <= whole <= 3000


def test_colliders_are_convex_and_fill_the_storeys() -> None:
    product = make("building", {"body": "tee", "storeys": 2, "long": 12, "footing": 0}, 1)
    whole, above = 0.0, 0
    for piece in product.collider.pieces:
        hull = trimesh.convex.convex_hull(piece.astype(float))
        assert len(hull.vertices) == len(np.unique(piece.round(4), axis=0)), (
            "each corner is one of the hull's"
        )
        if piece[:, 1].max() > 4.9 + 1e-3:
            above += 1  # of the roof
            continue
        whole += hull.volume
    assert above >= 1
    plan = 12 * 5.4 + 4.6 * 4.6
    assert whole == pytest.approx(plan * 4.9, rel=1e-3)


def test_what_is_drawn_is_taken_either_way_round_and_must_not_cross_itself() -> None:
    corners = [[-5, 3], [5, 3], [5, -3], [1, -3], [1, 0], [-5, 0]]
    one = raise_({"body": "drawn", "corners": corners})
    two = raise_({"body": "drawn", "corners": corners[::-1]})
    for made in (one, two):
        closed(made)
        assert solids(made)["footing"].volume == pytest.approx(
            Polygon(corners).buffer(0.08, join_style="mitre").area * 1.15, rel=1e-3
        )
    with pytest.raises(ParameterError) as told:
        raise_({"body": "drawn", "corners": [[0, 0], [6, 6], [6, 0], [0, 6]]})
    assert told.value.field == "corners"
    with pytest.raises(ParameterError) as told:
        raise_({"wings": [{**WING, "edge": "north"}]})
    assert told.value.field == "wings.0.edge" and "w2" in str(told.value)


@pytest.mark.parametrize(
    "own",
    [
        {"wings": [WING, {**WING, "edge": "w2"}]},
        {"faces": [{"id": "w0-0", "out": 0.5}, {"id": "w0-0", "out": 0.5}]},
    ],
    ids=["wings", "faces"],
)
def test_what_is_told_twice_is_refused(own: dict[str, Any]) -> None:
    with pytest.raises(ParameterError) as told:
        raise_(own)
    assert told.value.field == f"{next(iter(own))}.1.id" and "twice" in str(told.value)


def test_a_plan_without_a_roof_is_refused_and_says_why(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("plough.core.house.body.roof_over", lambda *_, **__: "it is too intricate")
    with pytest.raises(ParameterError) as told:
        make("building", {"long": 9.1357}, 1)  # a plan that has no roof yet
    assert told.value.field == "roof" and "too intricate" in str(told.value)


ROWS = [
    r
    for r in describe(BuildingParameters)
    if r.control in ("slider", "count") and r.low is not None and "texture" not in r.path
]


@st.composite
def houses(draw: st.DrawFn) -> dict[str, Any]:
    out: dict[str, Any] = {
        "body": draw(st.sampled_from(BODIES)),
        "roof": draw(st.sampled_from(ROOFS)),
        "kit": draw(st.sampled_from(sorted(KITS))),
        "storeys": draw(st.integers(1, 5)),
    }
    for row in draw(st.lists(st.sampled_from(ROWS), max_size=5, unique_by=lambda r: r.path)):
        low, high = row.soft or (row.low, row.high)
        value = draw(st.floats(low, high))
        if "." not in row.path and row.path != "storeys":
            out[row.path] = round(value) if row.control == "count" else value
    if draw(st.booleans()):
        edge = draw(st.sampled_from(["w0", "w1", "w2", "w3"]))
        out["wings"] = [
            {
                "id": "a",
                "edge": edge,
                "at": draw(st.floats(0, 1)),
                "wide": draw(st.floats(1, 8)),
                "deep": draw(st.floats(0.5, 6)),
                "storeys": draw(st.integers(1, 3)),
            }
        ]
    if draw(st.booleans()):
        out["faces"] = [{"id": f"w{draw(st.integers(0, 3))}-0", "out": draw(st.floats(-1, 2))}]
    return out


@settings(max_examples=examples(60), deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(houses(), st.integers(0, 2**32 - 1))
def test_any_building_is_closed_or_refused_with_a_reason(values: dict[str, Any], seed: int) -> None:
    try:
        made = raise_(values, seed)
    except ParameterError as error:
        assert error.field.split(".")[0] in {"setback", "wings", "faces"}
        return
    closed(made)
    plan = Polygon(storeys(build(BuildingParameters, values))[0].ring.corners)
    inside = points([[0.0, 0.0]])
    assert plan.is_valid and len(inside) == 1


@pytest.mark.parametrize("kit", KITS)
def test_no_piece_cuts_another_or_a_built_up_corner(kit: str) -> None:
    """Told by the boxes of what is hung in cells and of what stands between them, seen from before each face."""
    some = 0
    for body in ("long", "ell", "tee"):
        for long in (7.3, 14, 19.1):
            made = raise_({"body": body, "kit": kit, "long": long, "storeys": 2, "chimneys": 0})
            k = KITS[kit]  # type: ignore[index]
            for face in made.faces:
                spans = []
                for c in made.cells[face.id]:
                    if isinstance(c.piece, PieceParameters) and c.piece.open:
                        across = form_of(c.piece).sized(c.wide, c.high)[..., 0] + c.left
                        spans.append((float(across.min()), float(across.max())))
                        assert c.start - 1e-9 <= spans[-1][0] and spans[-1][1] <= c.end + 1e-9
                corner = {"none": 0.0, "post": 1.25 * k.posts, "quoins": 0.44}[k.corner]
                ring = storeys(
                    build(BuildingParameters, {"body": body, "long": long, "storeys": 2})
                )
                at = ring[face.storey].ring.edge(face.edge)
                goes_out = [turn(ring[face.storey].ring, at + e) for e in (0, 1)]
                low = corner if goes_out[0] > 0.5 else 0.0
                high = face.wide - (corner if goes_out[1] > 0.5 else 0.0)
                assert all(low <= a and b <= high for a, b in spans), face.id
                posts = [c.end for c in made.cells[face.id][:-1]] if k.posts else []
                for a, b in spans:
                    assert all(b <= p - k.posts / 2 or p + k.posts / 2 <= a for p in posts), face.id
                some += len(spans)
    assert some > 60


def turn(ring: Ring, k: int) -> float:
    """The sine by which a ring turns to the left at a corner."""
    at = ring.corners[np.array([k - 1, k, k + 1]) % len(ring)]
    come, go = at[1] - at[0], at[2] - at[1]
    return float((come[0] * go[1] - come[1] * go[0]) / np.hypot(*come) / np.hypot(*go))


@pytest.mark.parametrize("kit", KITS)
@pytest.mark.parametrize("body", BODIES)
def test_a_cornice_runs_closed_round_the_top_of_the_walls(body: str, kit: str) -> None:
    values = {"body": body, "kit": kit, "storeys": 2, "cornice": 0.4, "long": 12}
    plain, made = raise_({**values, "cornice": 0}), raise_(values)
    closed(made)
    rounds = {n: b for n, b in solids(made).items() if n.startswith("cornice")}
    assert len(rounds) == 3 and not any(n.startswith("cornice") for n in solids(plain))
    top = storeys(build(BuildingParameters, values))[-1]
    around = float(top.ring.lengths.sum())
    spread = []
    for name in sorted(rounds):
        body_ = rounds[name]
        low, high = body_.bounds[:, 1]
        assert top.high - 0.41 < low < high < top.high
        # a ring: as much of it as its section, all the way round, and what the corners add
        section = body_.volume / around / (high - low)
        spread.append(section)
    assert spread == sorted(spread), "each stands out over the one below"
    assert 0.3 * 0.4 < spread[-1] < 1.2 * 0.4
