"""A recipe as JSON: a kind, its parameters, and the seeds kept."""

from __future__ import annotations

from typing import Any

import orjson
from pydantic import Field, ValidationError

from plough.core.errors import FormatError
from plough.core.kinds import get_kind
from plough.core.migrate import VERSION, migrated_document
from plough.core.parameters import Parameters, Seed, build, fault


class Recipe(Parameters):
    """What an asset is grown from."""

    version: int = VERSION
    kind: str = Field(max_length=40)
    name: str = Field("", max_length=80)
    parameters: dict[str, Any] = Field(default_factory=dict)
    seeds: tuple[Seed, ...] = Field((1,), min_length=1, max_length=24)


def write_recipe(kind: str, name: str, parameters: dict[str, Any], seeds: list[int]) -> bytes:
    """The recipe as indented JSON, with every parameter."""
    whole = build(get_kind(kind).parameters, parameters).model_dump(mode="json")
    return orjson.dumps(
        {"version": VERSION, "kind": kind, "name": name, "parameters": whole, "seeds": list(seeds)},
        option=orjson.OPT_INDENT_2,
    )


def read_recipe(data: bytes) -> Recipe:
    """The recipe in `data`.

    Raises:
        FormatError: it is not JSON, or no recipe.
        ParameterError: the kind or a field is unknown, or a value lies outside its limits.
    """
    try:
        values = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise FormatError(f"this is not JSON: {error}") from None
    if not isinstance(values, dict) or "kind" not in values:
        raise FormatError("this is not a recipe: it has no field 'kind'")
    version = values.get("version", 1)
    if not isinstance(version, int) or not 1 <= version <= VERSION:
        raise FormatError(
            f"version: a whole number from 1 to {VERSION} is needed (got {version!r})"
        )
    try:
        recipe = Recipe.model_validate(migrated_document(values, version))
    except ValidationError as error:
        raise fault(error) from None
    build(get_kind(recipe.kind).parameters, recipe.parameters, "parameters")
    return recipe
