"""What all that is laid along a line has in common: the line itself, the openings in it, and what can be wrong with both."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Any, Literal, Protocol

import numpy as np
from pydantic import Field, ValidationInfo, field_validator

from plough.core.errors import ParameterError
from plough.core.ground.paths import Curve
from plough.core.hashing import key_of
from plough.core.lay.gates import GateName
from plough.core.lay.openings import MOST_CROSSINGS, Found, apart, crossings, nearest, shared
from plough.core.lay.rule import Head, Opening
from plough.core.lay.run import Bends, Span, run_curve, spans_of
from plough.core.parameters import (
    Id,
    Parameters,
    Point,
    Seed,
    choice,
    flag,
    number,
    points,
    seeded,
)
from plough.core.scene.facets import Finding
from plough.core.scene.inputs import Inputs

MOST_OPENINGS = 60
_NARROWEST = 0.15  # metres of half an opening, at least
_TIGHT = 0.9  # of its half thickness that a bend leaves of a face

HEADS = {"open": "Open to the sky", "lintel": "Under a lintel", "arch": "Under an arch"}


class RunOpening(Parameters):
    """A way through that no path asks for."""

    id: Id
    at: Point = Field(description="East and south, in metres; it is where the line is nearest.")
    width: float = Field(1.2, ge=0.3, le=12, description="Metres.")
    height: float = Field(2.0, ge=0.3, le=8, description="Metres clear under its lintel or arch.")
    head: Head = "open"


class RunParameters(Parameters):
    """A line to lay something along."""

    seed: Seed = seeded()
    closed: bool = flag(
        False, "Closed", group="Course", help="It goes on from its last point to its first."
    )
    bends: Bends = choice(
        "round",
        "At its points",
        {"round": "It bends", "sharp": "It turns, with corners"},
        group="Course",
    )
    points: Annotated[tuple[Point, ...], Field(min_length=2, max_length=400)] = points(
        "Points", least=2, group="Course"
    )

    @field_validator("points")
    @classmethod
    def _sound(cls, points: tuple[Point, ...], info: ValidationInfo) -> tuple[Point, ...]:
        closed = bool(info.data.get("closed"))
        if closed and len(points) < 3:
            raise ValueError("a closed line takes 3 points or more")
        try:
            run_curve(points, info.data.get("bends", "round"), closed, 1.0)
        except ParameterError as error:
            raise ValueError(error.message) from None
        return points

    @property
    def length(self) -> float:
        """About how many metres long it is."""
        line = np.array([*self.points, *self.points[: int(self.closed)]])
        return 1.1 * float(np.hypot(*np.diff(line, axis=0).T).sum())


def beside(default: float = 0.2) -> Any:
    """Field of how much wider than a path an opening is."""
    return number(
        default,
        "Wider than the path",
        (-5, 10),
        soft=(0, 2),
        unit="m",
        step=0.05,
        group="Openings",
    )


def clear() -> Any:
    """Field of how high an opening is under what is over it."""
    return number(2.0, "Clear height", (0.3, 8), soft=(1, 3), unit="m", step=0.05, group="Openings")


def gate(default: GateName = "none") -> Any:
    """Field of what hangs in openings."""
    return choice(
        default,
        "Gate",
        {"none": "None", "bars": "Of bars", "boards": "Of boards"},
        group="Openings",
    )


def ajar() -> Any:
    """Field of how far gates stand open."""
    return number(
        25,
        "Standing open",
        (-170, 170),
        soft=(-100, 100),
        unit="°",
        step=1,
        group="Openings",
        help="To the left of the line; to its right below 0.",
    )


def own_openings() -> Any:
    """Field of openings where no path crosses."""
    return Field(
        (),
        max_length=MOST_OPENINGS,
        title="Others",
        description="Openings where no path crosses.",
        json_schema_extra={"control": "openings", "unit": "", "group": "Openings"},
    )


def named_apart(openings: Sequence[RunOpening]) -> None:
    """Raises ValueError where two openings have the same id."""
    if len({o.id for o in openings}) < len(openings):
        raise ValueError("openings: two have the same id")


class Opened(Protocol):
    """Parameters of a run with openings."""

    @property
    def closed(self) -> bool: ...
    @property
    def crossed(self) -> Literal["none", "open", "lintel", "arch"]: ...
    @property
    def beside(self) -> float: ...
    @property
    def openings(self) -> tuple[RunOpening, ...]: ...


def own_curve(inputs: Inputs) -> Curve:
    """The line of the layer that is being worked out."""
    curve = inputs.trace()
    assert isinstance(curve, Curve)
    return curve


def own_spans(bends: Bends, inputs: Inputs) -> list[Span]:
    """The spans of the layer's line, on the ground."""
    curve, surface = own_curve(inputs), inputs.surface()
    return inputs.kept(
        key_of("spans", curve.key, bends, surface.key),
        lambda: spans_of(curve, bends, surface),
        lambda found: 200 * len(curve.line),
    )


def _as_is(_span: int, opening: Opening) -> Opening:
    return opening


def openings_of(
    p: Opened,
    spans: list[Span],
    inputs: Inputs,
    clear: float = 2.0,
    snap: Callable[[int, Opening], Opening] = _as_is,
    tells: bool = True,
) -> list[list[Opening]]:
    """The openings of each span and of its surroundings: where paths cross it, and its own.

    Args:
        p: parameters of the run.
        spans: of it.
        inputs: of the layer.
        clear: metres that an opening is high where a path crosses.
        snap: moves the sides of an opening of a span.
        tells: whether the person is told what has no room.
    """
    found: list[Found] = []
    if p.crossed != "none":
        ways = crossings(spans, inputs.walked())
        if len(ways) > MOST_CROSSINGS and tells:
            text = f"paths cross it more than {MOST_CROSSINGS} times; the rest stays closed"
            inputs.find("crossed-often", text)
        for c in ways[:MOST_CROSSINGS]:
            half = max(_NARROWEST, 0.5 * (c.width + p.beside))
            found.append((c.span, Opening(c.id, c.at - half, c.at + half, clear, p.crossed)))
    for own in p.openings:
        k, s = nearest(spans, own.at)
        half = 0.5 * own.width
        found.append((k, Opening(own.id, s - half, s + half, own.height, own.head)))
    kept, lost = apart(spans, p.closed, [(k, snap(k, o)) for k, o in found])
    if lost and tells:
        k, o = lost[0]
        x, z = spans[k].place(0.5 * (o.start + o.end))
        many = "an opening" if len(lost) == 1 else f"{len(lost)} openings, one"
        text = f"{many} near ({x:.1f}, {z:.1f}) has no room between it and another; move one"
        inputs.find("opening-lost", text)
    return shared(spans, kept)


def tight(spans: list[Span], closed: bool, thickness: float, inputs: Inputs) -> list[Finding]:
    """Where a run bends too tightly for its thickness."""
    out = []
    for k, s in enumerate(spans):
        if s.ends and (closed or k + 1 < len(spans)):
            x, z = s.own[-1]
            text = f"it turns back on itself near ({x:.1f}, {z:.1f}); move a point"
            place = (float(x), s.height(s.length), float(z))
            out.append(Finding("tight-bend", text, layer=inputs.layer_id, place=place))
        own = (s.at >= 0.0) & (s.at <= s.length)
        left = np.minimum(*(np.hypot(*x[own].T) for x in (s.right, s.left)))
        row = int(left.argmin())
        if left[row] < _TIGHT or 0.5 * thickness * s.bend_with_knots > _TIGHT:
            x, z = s.own[row]
            text = f"it bends more tightly than it is thick near ({x:.1f}, {z:.1f}); move a point, or make it thinner"
            place = (float(x), s.height(float(s.at[own][row])), float(z))
            out.append(Finding("tight-bend", text, layer=inputs.layer_id, place=place))
    return out


def into_itself(spans: list[Span], closed: bool, thickness: float, inputs: Inputs) -> list[Finding]:
    """Where one part of a run stands in another."""
    from shapely import LineString, STRtree, shortest_line

    lines = [LineString(s.own) for s in spans]
    n, out = len(lines), []
    for a, b in STRtree(lines).query(lines, predicate="dwithin", distance=thickness).T.tolist():
        if b - a < 2 or (closed and b - a == n - 1):
            continue
        (x, z), _ = shortest_line(lines[a], lines[b]).coords
        text = f"it runs into itself near ({x:.1f}, {z:.1f}); move a point, or make it thinner"
        place = (x, float(spans[a].ground.mean()), z)
        out.append(Finding("into-itself", text, layer=inputs.layer_id, place=place))
    return out
