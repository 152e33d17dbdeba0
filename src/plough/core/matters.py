"""When a parameter matters, what it acts on and how it is dragged in the view.

Said once, beside a parameter model, in three class variables; `plough.core.parameters.describe` tells them with each field, and the browser
follows them without knowing any kind:

- ``matters``: field names to the conditions under which these fields do something. All conditions must hold.
- ``acts``: a group's title, or field names, to the elements of a product (its ``ranges``) that they act on.
- ``told``: a group's or section's title to the counts of a product that are told beside it, with words for one and for more.

Field names are patterns (``*`` for any letters) with a space between them; a leading ``-`` takes names out again. A nested model speaks of
its own fields; the model that holds it may speak of them with dotted names.
"""

from __future__ import annotations

from collections.abc import Mapping
from fnmatch import fnmatchcase
from typing import Any

from pydantic import BaseModel, ConfigDict, Field


class Test(BaseModel):
    """A condition on one parameter; exactly one of the three is given."""

    __test__ = False  # not one of pytest's

    model_config = ConfigDict(frozen=True)

    path: str
    among: tuple[str | bool, ...] | None = Field(None, description="It is one of these.")
    above: float | None = Field(None, description="It is more than this.")
    filled: bool | None = Field(None, description="It holds something, or nothing.")

    def holds(self, values: Mapping[str, Any]) -> bool:
        """Whether the nested `values` meet it."""
        value: Any = values
        for name in self.path.split("."):
            value = value[name]
        if self.among is not None:
            return value in self.among
        if self.above is not None:
            return float(value) > self.above
        return bool(value) == self.filled


Clause = tuple[Test, ...]  #: at least one holds; an empty one never does
Conditions = tuple[Clause, ...]  #: all hold
Matters = Mapping[str, Conditions]
Acts = Mapping[str, tuple[str, ...]]
Told = Mapping[str, Mapping[str, tuple[str, str]]]

NEVER: Conditions = ((),)
"""Of a field that something else decides, where its model stands."""


def among(path: str, *values: str | bool) -> Conditions:
    """`path` is one of `values`."""
    return ((Test(path=path, among=values),),)


def above(path: str, limit: float = 0) -> Conditions:
    """`path` is more than `limit`."""
    return ((Test(path=path, above=limit),),)


def filled(path: str, holds: bool = True) -> Conditions:
    """`path` holds something; nothing where `holds` is false."""
    return ((Test(path=path, filled=holds),),)


def either(*conditions: Conditions) -> Conditions:
    """At least one of single conditions."""
    return (tuple(test for clauses in conditions for clause in clauses for test in clause),)


def holds(conditions: Conditions, values: Mapping[str, Any]) -> bool:
    """Whether `values`, a parameter model as nested plain values, meet all `conditions`."""
    return all(any(test.holds(values) for test in clause) for clause in conditions)


def named(patterns: str, name: str) -> bool:
    """Whether `name` is among the names that `patterns` mean."""
    found = False
    for pattern in patterns.split():
        if pattern.startswith("-"):
            found = found and not fnmatchcase(name, pattern[1:])
        else:
            found = found or fnmatchcase(name, pattern)
    return found


def declared(model: type[BaseModel], variable: str) -> dict[str, Any]:
    """A class variable of `model`, joined with those of its bases."""
    out: dict[str, Any] = {}
    for base in reversed(model.__mro__):
        out |= base.__dict__.get(variable, {})
    return out


def conditions_of(model: type[BaseModel], path: str, prefix: str) -> Conditions:
    """What `model`, whose fields begin with `prefix` in the whole, says of its field `path`."""
    out: Conditions = ()
    for base in reversed(model.__mro__):
        for patterns, conditions in base.__dict__.get("matters", {}).items():
            if named(patterns, path):
                out += tuple(
                    tuple(test.model_copy(update={"path": prefix + test.path}) for test in clause)
                    for clause in conditions
                )
    return out


def acts_of(model: type[BaseModel], path: str, group: str) -> tuple[str, ...]:
    """The elements of a product that `model` says its field `path` acts on; none: the whole."""
    table: Acts = declared(model, "acts")
    for patterns, elements in reversed(list(table.items())):
        if named(patterns, path):
            return elements
    return table.get(group, ())
