"""The scene document: a short, readable JSON from which everything is computed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import orjson
from pydantic import Field, ValidationError

from plough.core.errors import DocumentError
from plough.core.kinds import get_kind
from plough.core.parameters import Parameters, Seed, build, fault
from plough.core.scene.layers import Id, Layer

VERSION = 1
Profile = Literal["phone", "console", "high-end"]


class Viewpoint(Parameters):
    """A kept camera."""

    id: Id
    name: str = Field(min_length=1, max_length=60)
    eye: tuple[float, float, float]
    target: tuple[float, float, float]


class Sun(Parameters):
    """The direction of the light."""

    azimuth: float = Field(215, ge=0, le=360, description="Degrees clockwise from north (-z) to where the sun stands.")
    elevation: float = Field(34, ge=0, le=90, description="Degrees above the horizon.")


class Wind(Parameters):
    """What moves the leaves."""

    azimuth: float = Field(250, ge=0, le=360, description="Degrees clockwise from north (-z) to where the wind comes from.")
    speed: float = Field(4, ge=0, le=30, description="Metres a second.")


class Settings(Parameters):
    """What belongs to the scene as a whole."""

    sun: Sun = Sun()
    wind: Wind = Wind()
    profile: Profile = "console"
    viewpoints: tuple[Viewpoint, ...] = Field((), max_length=40)


Tag = Annotated[str, Field(pattern=r"^[^\s,][^,]{0,29}$")]


Slot = Annotated[str, Field(pattern=r"^[a-z ]{1,20}\.(albedo|normal|surface)$")]
Hash = Annotated[str, Field(pattern=r"^[0-9a-f]{16,64}$")]


class Asset(Parameters):
    """What can be placed: a kind, its parameters and the seeds kept as variants."""

    id: Id
    name: str = Field(min_length=1, max_length=80)
    kind: str = Field(max_length=40)
    parameters: dict[str, Any] = Field(default_factory=dict)
    seeds: tuple[Seed, ...] = Field((1,), min_length=1, max_length=24)
    tags: tuple[Tag, ...] = Field((), max_length=20)
    images: dict[Slot, Hash] = Field(default_factory=dict, max_length=24, description="Images of one's own: `slot.map` to a hash.")


class SceneDocument(Parameters):
    """A scene."""

    version: int = VERSION
    name: str = Field(min_length=1, max_length=80)
    settings: Settings = Settings()
    assets: tuple[Asset, ...] = Field((), max_length=500)
    layers: tuple[Layer, ...] = Field(min_length=2, max_length=500)


def check_asset(asset: Asset, where: str) -> None:
    """Raises `ParameterError` when kind or parameters are not known; `where` begins the field's path."""
    build(get_kind(asset.kind).parameters, asset.parameters, f"{where}.parameters")


def resolved(asset: Asset, assets: Mapping[str, Asset]) -> tuple[dict[str, Any], list[str]]:
    """The asset's parameters with what it borrows from other assets put in, and a note on each that is missing.

    A field `X_asset` that holds an asset's id lends that asset's parameters to the section `X` beside it.
    """
    return lent(asset.parameters, assets)


def lent(values: Mapping[str, Any], assets: Mapping[str, Asset]) -> tuple[dict[str, Any], list[str]]:
    """`resolved`, for plain values."""
    out: dict[str, Any] = dict(values)
    notes: list[str] = []
    for name, value in values.items():
        if isinstance(value, Mapping):
            out[name], more = lent(value, assets)
            notes += more
    for name, value in values.items():
        if not name.endswith("_asset") or not isinstance(value, str) or not value:
            continue
        target = name.removesuffix("_asset")
        found = assets.get(value)
        if found is None or found.kind != target:
            notes.append(f"the {target} {value!r} is missing")
        else:
            out[target] = found.parameters
    return out, notes


def read_document(data: bytes | Mapping[str, Any]) -> SceneDocument:
    """The document in `data` (JSON, or plain values).

    Raises:
        DocumentError: it is not JSON, of a newer version, or its layers are not in a possible order.
        ParameterError: a field is unknown or out of its limits.
    """
    if isinstance(data, bytes):
        try:
            values = orjson.loads(data)
        except orjson.JSONDecodeError as error:
            raise DocumentError(f"this is not JSON: {error}") from None
    else:
        values = data
    if not isinstance(values, Mapping) or "layers" not in values:
        raise DocumentError("this is not a scene document: it has no field 'layers'")
    version = values.get("version")
    if not isinstance(version, int) or version < 1:
        raise DocumentError(f"version: a whole number from 1 to {VERSION} is needed (got {version!r})")
    if version > VERSION:
        raise DocumentError(f"version: the scene was written by a newer Plough (version {version}; this one reads up to {VERSION})")
    try:
        document = SceneDocument.model_validate(values)
    except ValidationError as error:
        raise fault(error) from None
    check_order(document)
    for place, asset in enumerate(document.assets):
        check_asset(asset, f"assets.{place}")
    return document


def check_order(document: SceneDocument) -> None:
    """Raises `DocumentError` unless Ground comes first, Bake last, both once, and all ids differ."""
    kinds = [layer.kind for layer in document.layers]
    if kinds[0] != "ground" or kinds.count("ground") != 1:
        raise DocumentError("layers: the first layer, and only that, must be of the kind 'ground'")
    if kinds[-1] != "bake" or kinds.count("bake") != 1:
        raise DocumentError("layers: the last layer, and only that, must be of the kind 'bake'")
    for name, ids in (("layers", [x.id for x in document.layers]), ("assets", [x.id for x in document.assets])):
        twice = {i for i in ids if ids.count(i) > 1}
        if twice:
            raise DocumentError(f"{name}: the id {sorted(twice)[0]!r} is used more than once")


def write_document(document: SceneDocument) -> bytes:
    """`document` as indented JSON."""
    return orjson.dumps(document.model_dump(mode="json"), option=orjson.OPT_INDENT_2)
