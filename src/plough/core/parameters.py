"""Parameter models: one declaration that is validation, schema, sheet, command-line options and reference page.

A model is a Pydantic model whose fields carry title, unit, soft and hard limits, step, group and help. `describe` flattens it for the
browser and the reference; `build` makes a model from plain values and turns every fault into a `ParameterError` that names the field.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cache
from typing import Annotated, Any, TypeVar

import numpy as np
from annotated_types import Ge, Le, MaxLen
from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    TypeAdapter,
    ValidationError,
    model_validator,
)
from pydantic.fields import FieldInfo

from plough.core.arrays import Float64
from plough.core.errors import ParameterError
from plough.core.matters import Conditions, acts_of, conditions_of


class Parameters(BaseModel):
    """Base of all parameter models: immutable, unknown fields and non-finite numbers refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    @model_validator(mode="before")
    @classmethod
    def _over_defaults(cls, values: Any) -> Any:
        """A nested model that is given in part keeps the defaults of its place, not of its type."""
        nested = _nested_in(cls)
        if not nested or not isinstance(values, Mapping):
            return values
        merged = dict(values)
        for name, default in nested.items():
            if isinstance(merged.get(name), Mapping):
                merged[name] = {**default.model_dump(), **merged[name]}
        return merged


@cache
def _nested_in(model: type[Parameters]) -> dict[str, Parameters]:
    """The nested models that stand in a model by default."""
    fields = model.model_fields.items()
    return {n: f.default for n, f in fields if isinstance(f.default, Parameters)}


M = TypeVar("M", bound=BaseModel)


def _ordered(pair: tuple[float, float]) -> tuple[float, float]:
    if pair[0] > pair[1]:
        raise ValueError(f"the first value {pair[0]:g} must not exceed the second {pair[1]:g}")
    return pair


def _knots(knots: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
    xs = [x for x, _ in knots]
    if any(b - a < 1e-3 for a, b in zip(xs, xs[1:], strict=False)):
        raise ValueError("knots must run from left to right, at least 0.001 apart")
    return knots


Share = Annotated[float, Field(ge=0, le=1)]
Span = Annotated[tuple[float, float], AfterValidator(_ordered)]
Knots = Annotated[
    tuple[tuple[Share, Share], ...], Field(min_length=2, max_length=12), AfterValidator(_knots)
]
Numeral = BeforeValidator(lambda v: str(v) if isinstance(v, int) and not isinstance(v, bool) else v)
"""For choices among numbers: takes 512 as well as "512"."""
Seed = Annotated[int, Field(ge=0, le=2**32 - 1)]
Id = Annotated[str, Field(min_length=1, max_length=64, pattern=r"^[A-Za-z0-9_-]+$")]
Coordinate = Annotated[float, Field(ge=-4096, le=4096)]
Point = tuple[Coordinate, Coordinate]
"""East and south of the middle of the map, in metres."""


def knot(*own: tuple[str, float, float]) -> AfterValidator:
    """Of a point on the map as a tuple of numbers: east and south, and all or none of those that it may have of its own, each with its limits."""
    limits = (("east", -4096.0, 4096.0), ("south", -4096.0, 4096.0), *own)
    named = " and ".join(name for name, _, _ in own)

    def checked(point: tuple[float, ...]) -> tuple[float, ...]:
        if len(point) not in (2, len(limits)):
            raise ValueError(
                f"a point has 2 numbers, or {len(limits)} with its own {named} (got {len(point)})"
            )
        for value, (name, low, high) in zip(point, limits, strict=False):
            if not low <= value <= high:
                raise ValueError(f"{name}: {value:g} is not from {low:g} to {high:g}")
        return point

    return AfterValidator(checked)


_Part = Annotated[float, Field(ge=-2, le=2)]
Up = tuple[_Part, _Part]
WHICH_IS_UP = "East and south parts of the direction that is up for it; longer than 1 it goes on beyond level, and 2 is upside down."
Color = Annotated[str, Field(pattern=r"^#[0-9a-fA-F]{6}$")]


def _extra(
    control: str,
    unit: str,
    soft: tuple[float, float] | None,
    step: float | None,
    group: str,
    **more: object,
) -> dict[str, Any]:
    extra: dict[str, Any] = {"control": control, "unit": unit, "group": group, **more}
    if soft is not None:
        extra["soft"] = list(soft)
    if step is not None:
        extra["step"] = step
    return extra


def number(
    default: float,
    title: str,
    hard: tuple[float, float],
    *,
    soft: tuple[float, float] | None = None,
    unit: str = "",
    step: float = 0.01,
    group: str = "",
    help: str = "",
    control: str = "slider",
) -> Any:
    """A number within `hard`; the slider spans `soft` (by default the hard limits)."""
    extra = _extra(control, unit, soft or hard, step, group)
    return Field(
        default, title=title, ge=hard[0], le=hard[1], description=help, json_schema_extra=extra
    )


def count(
    default: int,
    title: str,
    hard: tuple[int, int],
    *,
    soft: tuple[int, int] | None = None,
    unit: str = "",
    group: str = "",
    help: str = "",
) -> Any:
    """A whole number within `hard`."""
    return number(
        default, title, hard, soft=soft, unit=unit, step=1, group=group, help=help, control="count"
    )


def span(
    default: tuple[float, float],
    title: str,
    hard: tuple[float, float],
    *,
    soft: tuple[float, float] | None = None,
    unit: str = "",
    step: float = 0.01,
    group: str = "",
    help: str = "",
) -> Any:
    """A range (low, high) whose ends lie within `hard`; the field's type is `Span`."""
    extra = _extra("span", unit, soft or hard, step, group, hard=list(hard))
    return Field(default, title=title, description=help, json_schema_extra=extra)


def within(low: float, high: float) -> Any:
    """The type of a span whose ends lie within [low, high]."""
    end = Annotated[float, Field(ge=low, le=high)]
    return Annotated[tuple[end, end], AfterValidator(_ordered)]


def curve(
    default: tuple[tuple[float, float], ...],
    title: str,
    *,
    group: str = "",
    help: str = "",
    handle: dict[str, str] | None = None,
) -> Any:
    """A profile over [0, 1] by knots; the field's type is `Knots`."""
    more = {"handle": handle} if handle else {}
    extra = _extra("curve", "", None, None, group, **more)
    return Field(default, title=title, description=help, json_schema_extra=extra)


def choice(
    default: str, title: str, options: Mapping[str, str], *, group: str = "", help: str = ""
) -> Any:
    """One of `options` (value to label); the field's type is a `Literal` of the values."""
    return Field(
        default,
        title=title,
        description=help,
        json_schema_extra=_extra("choice", "", None, None, group, options=dict(options)),
    )


def flag(default: bool, title: str, *, group: str = "", help: str = "") -> Any:
    """On or off."""
    return Field(
        default,
        title=title,
        description=help,
        json_schema_extra=_extra("flag", "", None, None, group),
    )


def color(default: str, title: str, group: str = "", help: str = "") -> Any:
    """An sRGB colour as ``#rrggbb``; the field's type is `Color`."""
    return Field(
        default,
        title=title,
        description=help,
        json_schema_extra=_extra("color", "", None, None, group),
    )


def parse_color(text: str) -> tuple[float, float, float]:
    """sRGB of ``#rrggbb``, each 0 to 1."""
    return (int(text[1:3], 16) / 255, int(text[3:5], 16) / 255, int(text[5:7], 16) / 255)


def linear(text: str) -> tuple[float, float, float]:
    """The light of an sRGB colour ``#rrggbb``, each 0 to 1."""
    r, g, b = (c**2.2 for c in parse_color(text))
    return r, g, b


def text(
    default: str,
    title: str,
    *,
    most: int = 80,
    group: str = "",
    help: str = "",
    control: str = "text",
) -> Any:
    """A line of text."""
    return Field(
        default,
        title=title,
        max_length=most,
        description=help,
        json_schema_extra=_extra(control, "", None, None, group),
    )


def reference(
    default: Any, title: str, to: str, *, group: str = "", help: str = "", lends: str = ""
) -> Any:
    """The id, or ids, of other things in the scene.

    Args:
        to: a facet that a layer gives (curve, region), `thing` for those that place or make things, or an asset kind.
        lends: the field beside it that the parameters of the asset named stand in for.
    """
    more = {"to": to, **({"lends": lends} if lends else {})}
    extra = _extra("reference", "", None, None, group, **more)
    return Field(default, title=title, description=help, json_schema_extra=extra)


def seeded(title: str = "Seed", *, group: str = "", help: str = "") -> Any:
    """What random choices begin with; the field's type is `Seed`."""
    extra = _extra("seed", "", None, None, group)
    return Field(1, title=title, description=help or None, json_schema_extra=extra)


def points(
    title: str,
    *,
    least: int,
    closed: bool = False,
    group: str = "",
    own: tuple[tuple[str, str, float], ...] = (),
) -> Any:
    """Knots on the map, at least `least` of them, drawn as an open line or a closed outline.

    Args:
        own: name, unit and limit of the numbers that a knot may have besides; 0 is that of the whole.
    """
    help_ = "East and south, in metres."
    if own:
        help_ += f" A point may have its own {' and '.join(name for name, _, _ in own)}."
    more = {"own": [list(o) for o in own]} if own else {}
    extra = _extra("points", "m", None, None, group, closed=closed, least=least, **more)
    return Field(title=title, description=help_, json_schema_extra=extra)


def rings(title: str, *, group: str = "") -> Any:
    """Closed outlines on the map, each of at least three corners."""
    help_ = "Corners of each, east and south, in metres."
    extra = _extra("rings", "m", None, None, group, closed=True, least=3)
    return Field((), title=title, description=help_, json_schema_extra=extra)


COLUMNS = 16  #: radii in each row of `Sections`


def _sections(rows: tuple[tuple[float, ...], ...]) -> tuple[tuple[float, ...], ...]:
    if len(rows) == 1:
        raise ValueError("a form has at least two rows of radii")
    for k, row in enumerate(rows):
        if len(row) != COLUMNS:
            raise ValueError(f"row {k} of a form has {len(row)} radii; it needs {COLUMNS}")
    if rows and max(max(row) for row in rows) <= 0:
        raise ValueError("a form needs a radius above 0")
    return rows


_Radius = Annotated[float, Field(ge=0, le=3)]
Sections = Annotated[
    tuple[tuple[_Radius, ...], ...], Field(max_length=48), AfterValidator(_sections)
]
"""A body about the vertical: rows from foot to top, each with `COLUMNS` radii once round, in half widths."""


def sections(title: str, *, group: str = "", help: str = "") -> Any:
    """A body measured from a mesh; the field's type is `Sections`."""
    return Field(
        (), title=title, description=help, json_schema_extra=_extra("form", "", None, None, group)
    )


def form_of(rows: tuple[tuple[float, ...], ...]) -> Float64 | None:
    """(rows, `COLUMNS`) radii, or None where there are none."""
    return np.array(rows, np.float64) if rows else None


def section(default: Parameters, title: str, group: str) -> Any:
    """A nested model."""
    return Field(default, title=title, json_schema_extra={"group": group})


def fault(error: ValidationError, prefix: str = "") -> ParameterError:
    """The first fault of a Pydantic error, as a `ParameterError` that names field, limit and value."""
    first = error.errors(include_url=False)[0]
    path = ".".join(
        str(p) for p in first["loc"] if not (isinstance(p, str) and p.startswith("function-"))
    )
    field = f"{prefix}.{path}".strip(".") if path else prefix or "document"
    context = first.get("ctx", {})
    limit = ", ".join(
        f"{k} {context[k]}"
        for k in ("ge", "gt", "le", "lt", "max_length", "min_length", "expected")
        if k in context
    )
    if first["type"] == "extra_forbidden":
        return ParameterError(field, "there is no such field", value=first["input"])
    message = first["msg"].removeprefix("Value error, ")
    value = first["input"]
    shown = repr(value) if len(repr(value)) <= 80 else repr(value)[:77] + "…"
    return ParameterError(
        field, f"{message[0].lower()}{message[1:]} (got {shown})", limit=limit, value=value
    )


def build(model: type[M], values: Mapping[str, Any], prefix: str = "") -> M:
    """`model` from plain values.

    Raises:
        ParameterError: a field is unknown, has the wrong type or lies outside its limits.
    """
    try:
        return model.model_validate(dict(values))
    except ValidationError as error:
        raise fault(error, prefix) from None


def allows(model: type[BaseModel], name: str, value: Any) -> bool:
    """Whether `value` by itself is possible for the field `name` of `model`."""
    field = model.model_fields[name]
    try:
        adapter: TypeAdapter[Any] = TypeAdapter(Annotated[field.annotation, field])  # type: ignore[arg-type]
        adapter.validate_python(value)
    except ValidationError:
        return False
    return True


def _limits(field: FieldInfo) -> tuple[float | None, float | None]:
    low = next((float(m.ge) for m in field.metadata if isinstance(m, Ge)), None)  # type: ignore[arg-type]
    high = next((float(m.le) for m in field.metadata if isinstance(m, Le)), None)  # type: ignore[arg-type]
    return low, high


class Row(BaseModel):
    """One field of a parameter model, as it is told to those who know no model."""

    model_config = ConfigDict(frozen=True)

    path: str
    title: str
    group: str
    section: str
    control: str
    unit: str
    low: float | None
    high: float | None
    soft: tuple[float, float] | None
    step: float | None
    options: dict[str, str] | None
    to: str | None = Field(description="Of a reference: a facet, or an asset kind.")
    closed: bool | None = Field(description="Of points: whether they are an outline.")
    least: int | None = Field(description="Of points: how many at least.")
    most: int | None = Field(description="Of a list: how many at most.")
    own: list[tuple[str, str, float]] | None = Field(
        description="Of points: name, unit and limit of what each may have of its own besides."
    )
    handle: dict[str, str] | None = Field(description="How it is dragged in the view.")
    when: Conditions = Field(description="It matters when at least one test of each clause holds.")
    acts: tuple[str, ...] = Field(description="The elements it acts on; none: the whole.")
    default: Any
    help: str


def _most(field: FieldInfo) -> int | None:
    return next((m.max_length for m in field.metadata if isinstance(m, MaxLen)), None)


def describe(model: type[BaseModel]) -> list[Row]:
    """Every field of `model` as a row.

    Rows follow the model's `stages`, where it names the order of its groups. Nested models are flattened: their rows are put in the nested model's group, under its title or their own group's name as `section`.
    """
    rows = list(_rows(model, "", "", ""))
    stages: tuple[str, ...] = getattr(model, "stages", ())
    return sorted(rows, key=lambda row: stages.index(row.group)) if stages else rows


def _rows(model: type[BaseModel], prefix: str, group: str, section_title: str) -> Iterator[Row]:
    for name, field in model.model_fields.items():
        extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
        if isinstance(field.default, BaseModel):
            yield from _nested(model, name, field, group or str(extra.get("group")), prefix)
        elif extra:
            own = group or str(extra.get("group"))
            yield Row(
                path=prefix + name,
                title=field.title or name,
                group=own,
                section=str(extra.get("group") or section_title) if prefix else "",
                when=conditions_of(model, name, prefix),
                acts=acts_of(model, name, own),
                **_facts(field, extra),
            )


def _nested(
    model: type[BaseModel], name: str, field: FieldInfo, group: str, prefix: str
) -> Iterator[Row]:
    """The rows of a nested model, with what `model` says of them and the defaults of their place."""
    values = field.default.model_dump(mode="json")
    for row in _rows(type(field.default), f"{prefix}{name}.", group, field.title or name):
        path = row.path.removeprefix(prefix)
        default: Any = values
        for part in path.split(".")[1:]:
            default = default[part]
        yield row.model_copy(
            update={
                "default": default,
                "when": row.when + conditions_of(model, path, prefix),
                "acts": acts_of(model, path, group) or row.acts,
            }
        )


def _facts(field: FieldInfo, extra: Mapping[str, Any]) -> dict[str, Any]:
    low, high = extra.get("hard") or _limits(field)
    default = None if field.is_required() else field.default
    return {
        "control": extra.get("control", "text"),
        "unit": extra.get("unit", ""),
        "low": low,
        "high": high,
        "most": _most(field),
        "default": list(default) if isinstance(default, tuple) else default,
        "help": field.description or "",
        **{
            k: extra.get(k)
            for k in ("soft", "step", "options", "to", "closed", "least", "own", "handle")
        },
    }


def with_values(values: Mapping[str, Any], settings: Mapping[str, Any]) -> dict[str, Any]:
    """A deep copy of `values` in which each dotted path of `settings` is set."""
    out: dict[str, Any] = {
        k: with_values(v, {}) if isinstance(v, Mapping) else v for k, v in values.items()
    }
    for path, value in settings.items():
        place = out
        *parents, last = path.split(".")
        for parent in parents:
            place = place.setdefault(parent, {})
            if not isinstance(place, dict):
                raise ParameterError(path, "there is no such field")
        place[last] = value
    return out


def with_nested(values: Mapping[str, Any], others: Mapping[str, Any]) -> dict[str, Any]:
    """A deep copy of `values` in which the leaves of `others` take the place of theirs."""
    out = with_values(values, {})
    for name, value in others.items():
        within = out.get(name)
        if isinstance(value, Mapping) and isinstance(within, Mapping):
            out[name] = with_nested(within, value)
        else:
            out[name] = with_values(value, {}) if isinstance(value, Mapping) else value
    return out
