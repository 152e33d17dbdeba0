"""The scene document: a short, readable JSON from which everything is computed."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal, Protocol, cast, get_args

import orjson
from pydantic import Field, ValidationError, model_validator

from plough.core.errors import DocumentError
from plough.core.ground.conditions import MOST_CONDITIONS, Condition
from plough.core.kinds import get_kind
from plough.core.migrate import VERSION, migrated_document
from plough.core.parameters import (
    Id,
    Numeral,
    Parameters,
    Seed,
    build,
    choice,
    count,
    fault,
    number,
    span,
    within,
)
from plough.core.place.touches import MOST_TOUCHES
from plough.core.scene.registry import all_layer_kinds, get_layer_kind

Tier = Literal["phone", "console", "high-end", "film"]
TIERS: tuple[Tier, ...] = get_args(Tier)
MOST_PROFILES = 12
MOST_LAYERS, MOST_ASSETS, MOST_ORIGINS, MOST_MIXES = 500, 500, 2_000, 60
_A_HASH = re.compile(rb'"([0-9a-f]{40})"')
Tag = Annotated[str, Field(pattern=r"^[^\s,][^,]{0,29}$")]
Slot = Annotated[str, Field(pattern=r"^[a-z ]{1,20}\.(albedo|normal|surface)$")]
Key = Annotated[str, Field(pattern=r"^[A-Za-z_][A-Za-z0-9_.:-]{0,39}$")]
Remark = Annotated[str, Field(pattern=r"^[^\x00-\x1f]{0,200}$")]
Hash = Annotated[str, Field(pattern=r"^[0-9a-f]{16,64}$")]


class Viewpoint(Parameters):
    """A kept camera."""

    id: Id
    name: str = Field(min_length=1, max_length=60)
    eye: tuple[float, float, float]
    target: tuple[float, float, float]
    exposure: float = number(
        0,
        "Exposure",
        (-6, 6),
        soft=(-3, 3),
        unit="stops",
        step=0.1,
        help="More or less than the light asks for.",
    )
    lens: float = number(
        0,
        "Lens",
        (0, 200),
        soft=(0, 60),
        unit="mm",
        step=1,
        help="Its radius: a wide one blurs what is nearer or farther; 0 keeps all sharp.",
    )
    focus: float = number(
        0,
        "Sharp at",
        (0, 5000),
        soft=(0, 60),
        unit="m",
        step=0.1,
        help="How far away; 0: at what it looks at.",
    )


class Sun(Parameters):
    """The direction of the light."""

    azimuth: float = Field(
        215, ge=0, le=360, description="Degrees clockwise from north (-z) to where the sun stands."
    )
    elevation: float = Field(
        34, ge=-18, le=90, description="Degrees above the horizon; below it is dusk, then night."
    )


class Sky(Parameters):
    """What lies before the sun."""

    cover: float = number(0.3, "Clouds", (0, 1), help="0 a clear sky, 1 an overcast one.")
    mist: float = number(0.1, "Mist", (0, 1), help="0 clear air, 1 thick mist.")


class Wind(Parameters):
    """What moves the leaves."""

    azimuth: float = Field(
        250,
        ge=0,
        le=360,
        description="Degrees clockwise from north (-z) to where the wind comes from.",
    )
    speed: float = Field(4, ge=0, le=30, description="Metres a second.")


class MixEntry(Parameters):
    """One asset of a mix."""

    asset: Id = Field(description="An asset, or a mix that is kept in the scene's settings.")
    weight: float = Field(1.0, ge=0, le=1000)
    size: within(5, 1000) = span(  # type: ignore[valid-type]
        (100, 100),
        "Size",
        (5, 1000),
        soft=(30, 200),
        unit="%",
        step=1,
        help="Of its own, besides that of all.",
    )
    seeds: tuple[Seed, ...] = Field(
        (),
        max_length=24,
        title="Seeds",
        description="Of those of the asset, which of them stand; none: all. Not of a mix, whose entries have their own.",
    )
    spacing: float = number(
        0,
        "Apart from its kind",
        (0, 200),
        soft=(0, 20),
        unit="m",
        step=0.1,
        help="Between two of it; between two kinds the mean of theirs. 0: as all.",
    )
    conditions: tuple[Condition, ...] = Field(
        (),
        max_length=MOST_CONDITIONS,
        description="Its weight is multiplied by what they weigh: shares shift from place to place.",
    )


class NamedMix(Parameters):
    """A mix that is kept: a layer's mix names it as it names an asset."""

    id: Id
    name: str = Field(min_length=1, max_length=60)
    entries: tuple[MixEntry, ...] = Field(min_length=1, max_length=32)


class LeftFinding(Parameters):
    """A finding that somebody has looked at and left as it is."""

    id: str = Field(pattern="^[0-9a-f]{16}$")
    text: str = Field("", max_length=300, description="What it said then.")


class OwnProfile(Parameters):
    """A target of one's own: what a frame may weigh, and how it is written."""

    id: Id
    name: str = Field(min_length=1, max_length=60)
    like: Tier = choice(
        "console",
        "Layers are kept as on",
        {
            "phone": "A phone",
            "console": "A console",
            "high-end": "A high-end machine",
            "film": "Film: all of it",
        },
    )
    triangles: int = count(
        2_000_000, "Triangles in a view", (1_000, 2_000_000_000), soft=(1_000, 10_000_000)
    )
    instances: int = count(40_000, "Instances", (100, 50_000_000), soft=(100, 250_000))
    draw_calls: int = count(900, "Draw calls", (10, 1_000_000), soft=(10, 4_000))
    megabytes: int = count(256, "Geometry", (1, 64_000), soft=(1, 2_000), unit="MB")
    texture: Annotated[Literal["drawn", "256", "512", "1024", "2048", "4096"], Numeral] = choice(
        "drawn",
        "Textures at most",
        {
            "drawn": "As they are drawn",
            **{s: f"{s} a side" for s in ("256", "512", "1024", "2048", "4096")},
        },
    )
    packing: Literal["sheet", "plain", "meshopt"] = choice(
        "sheet",
        "Meshes",
        {"sheet": "As the bake says", "plain": "Plain", "meshopt": "Compressed"},
    )
    images: Literal["sheet", "png", "webp"] = choice(
        "sheet", "Images", {"sheet": "As the bake says", "png": "PNG", "webp": "WebP"}
    )
    levels: Literal["sheet", "all", "nearest"] = choice(
        "sheet",
        "Levels of detail",
        {"sheet": "As the bake says", "all": "All", "nearest": "The nearest alone"},
    )


class Settings(Parameters):
    """What belongs to the scene as a whole."""

    sun: Sun = Sun()
    sky: Sky = Sky()
    wind: Wind = Wind()
    profile: Annotated[str, Field(min_length=1, max_length=40)] = "console"
    profiles: tuple[OwnProfile, ...] = Field((), max_length=MOST_PROFILES)
    viewpoints: tuple[Viewpoint, ...] = Field((), max_length=40)
    mixes: tuple[NamedMix, ...] = Field((), max_length=MOST_MIXES)
    left: tuple[LeftFinding, ...] = Field((), max_length=2_000)

    @model_validator(mode="after")
    def _known(self) -> Settings:
        own = [p.id for p in self.profiles]
        for name in own:
            if name in TIERS or own.count(name) > 1:
                raise ValueError(f"profiles: {name!r} is the id of another profile")
        if self.profile not in (*TIERS, *own):
            known = ", ".join((*TIERS, *own))
            raise ValueError(f"profile: there is no profile {self.profile!r}; profiles are {known}")
        return self

    @property
    def own_profile(self) -> OwnProfile | None:
        """The profile of one's own that is chosen."""
        return next((p for p in self.profiles if p.id == self.profile), None)

    @property
    def tier(self) -> Tier:
        """Whose shares of layers are kept."""
        own = self.own_profile
        return own.like if own is not None else cast(Tier, self.profile)


def mix_of() -> Any:
    """The assets that a layer places; the field's type is `tuple[MixEntry, ...]`."""
    return part_mix("What", "What")


def part_mix(title: str, group: str) -> Any:
    """The assets of one part of a layer; the field's type is `tuple[MixEntry, ...]`."""
    extra: dict[str, Any] = {"control": "mix", "unit": "", "group": group, "to": "asset"}
    return Field((), max_length=32, title=title, json_schema_extra=extra)


def mirrored() -> Any:
    """The share of placements that are mirrored, per cent."""
    return number(
        0,
        "Mirrored",
        (0, 100),
        unit="%",
        step=1,
        group="How they stand",
        help="Share of them, left for right.",
    )


def touches_of() -> Any:
    """What was done by hand to single placements of a layer; the field's type is `tuple[Touch, ...]`."""
    return Field(
        (),
        max_length=MOST_TOUCHES,
        title="Touched by hand",
        description="Single placements that were moved, turned, changed or removed; each hangs on the placement's id.",
        json_schema_extra={"control": "touches", "unit": "", "group": "By hand"},
    )


def where() -> Any:
    """Conditions of a layer; the field's type is `tuple[Condition, ...]`."""
    return Field(
        (),
        max_length=MOST_CONDITIONS,
        title="Where",
        description="What a place must be like; each thins out what stands.",
        json_schema_extra={"control": "conditions", "unit": "", "group": "Where"},
    )


def _notes() -> Any:
    return Field(
        default_factory=dict,
        max_length=24,
        description="Notes for the game, key to value: written to nodes and the table, read by nobody else.",
    )


Shadow = Literal["casts", "none", "only"]
"""Whether what a layer places throws shadows, or does nothing else."""


Asked = Literal["own", "yes", "no"]
_ASKED = {"own": "As the asset says", "yes": "Yes", "no": "No"}


def _share(title: str) -> Any:
    return number(
        100,
        title,
        (0, 100),
        unit="%",
        step=1,
        help="Of what the layer places; the last of its fill go first.",
    )


def share_field(tier: Tier) -> str:
    """The field of `LayerGame` that says how much is kept at a tier; empty where all is."""
    return "" if tier == "film" else tier.replace("-", "_")


class LayerGame(Parameters):
    """What a layer is in the game, besides what its assets are."""

    phone: float = _share("Kept on a phone")
    console: float = _share("Kept on a console")
    high_end: float = _share("Kept on a high-end machine")
    colliders: Literal["own", "none"] = choice(
        "own", "Colliders", {"own": "As the asset says", "none": "None"}
    )
    movement: Asked = choice("own", "Blocks movement", _ASKED)
    camera: Asked = choice("own", "Lets the camera through", _ASKED)
    shots: Asked = choice("own", "Blocks shots", _ASKED)

    def kept(self, tier: Tier) -> float:
        """The share that is kept at a tier, 0 to 1; for film all."""
        return 1.0 if tier == "film" else float(getattr(self, share_field(tier))) / 100.0

    def flags(self, own: dict[str, Any]) -> dict[str, Any]:
        """The flags of a collider, with the layer's in their place; `own` is what the asset says."""
        asked = {
            "blocksMovement": self.movement,
            "letsCameraThrough": self.camera,
            "blocksShots": self.shots,
        }
        return own | {name: says == "yes" for name, says in asked.items() if says != "own"}


class Asset(Parameters):
    """What can be placed: a kind, its parameters and the seeds kept as variants."""

    id: Id
    name: str = Field(min_length=1, max_length=80)
    kind: str = Field(max_length=40)
    parameters: dict[str, Any] = Field(default_factory=dict)
    seeds: tuple[Seed, ...] = Field((1,), min_length=1, max_length=24)
    tags: tuple[Tag, ...] = Field((), max_length=20)
    images: dict[Slot, Hash] = Field(
        default_factory=dict,
        max_length=24,
        description="Images of one's own: `slot.map` to a hash.",
    )
    notes: dict[Key, Remark] = _notes()


class Layer(Parameters):
    """One step of a scene: a kind and its parameters."""

    id: Id
    kind: str = Field(max_length=40)
    name: str = Field(min_length=1, max_length=80)
    hidden: bool = False
    locked: bool = Field(False, description="Nobody changes it until it is unlocked.")
    shadow: Shadow = Field(
        "casts", description="`only`: the light sees it, the eye does not; for what it shades."
    )
    parameters: dict[str, Any] = Field(default_factory=dict)
    notes: dict[Key, Remark] = _notes()
    game: LayerGame = LayerGame()


class Origin(Parameters):
    """Where a file came from that was taken from an asset library."""

    file: Hash
    library: str = Field(min_length=1, max_length=120)
    item: str = Field(pattern=r"^[A-Za-z0-9_-]{1,64}$")
    title: str = Field(min_length=1, max_length=120)
    version: str = Field(min_length=1, max_length=40)
    by: str = Field(min_length=1, max_length=120)
    licence: str = Field(min_length=1, max_length=120)


class SceneDocument(Parameters):
    """A scene."""

    version: int = VERSION
    name: str = Field(min_length=1, max_length=80)
    settings: Settings = Settings()
    assets: tuple[Asset, ...] = Field((), max_length=MOST_ASSETS)
    layers: tuple[Layer, ...] = Field(min_length=2, max_length=MOST_LAYERS)
    origins: tuple[Origin, ...] = Field((), max_length=MOST_ORIGINS)


def files_of(values: Any) -> set[str]:
    """The hashes of files that plain values (an asset's images, the parameters of a layer) refer to."""
    return hashes_in(orjson.dumps(values))


def hashes_in(data: bytes) -> set[str]:
    """The hashes of files in JSON."""
    return {found.decode() for found in _A_HASH.findall(data)}


def check_asset(asset: Asset, where: str = "") -> None:
    """Raises `ParameterError` when kind or parameters are not known; `where` begins the field's path."""
    build(get_kind(asset.kind).parameters, asset.parameters, f"{where}parameters")


def check_layer(layer: Layer, where: str = "") -> None:
    """Raises `ParameterError` when kind or parameters are not known; `where` begins the field's path."""
    build(get_layer_kind(layer.kind).parameters, layer.parameters, f"{where}parameters")


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
        message = f"version: a whole number from 1 to {VERSION} is needed (got {version!r})"
        raise DocumentError(message)
    if version > VERSION:
        raise DocumentError(
            f"version: the scene was written by a newer Plough (version {version}; this one reads up to {VERSION})"
        )
    try:
        document = SceneDocument.model_validate(migrated_document(values, version))
    except ValidationError as error:
        raise fault(error) from None
    check_order(document.layers)
    _check_ids("layers", [x.id for x in document.layers])
    _check_ids("assets", [x.id for x in document.assets])
    _check_ids("origins", [x.file for x in document.origins])
    for place, layer in enumerate(document.layers):
        check_layer(layer, f"layers.{place}.")
    for place, asset in enumerate(document.assets):
        check_asset(asset, f"assets.{place}.")
    return document


class Ordered(Protocol):
    """What stands in the order of layers."""

    @property
    def kind(self) -> str: ...


def check_order(layers: Sequence[Ordered]) -> None:
    """Raises `DocumentError` unless one layer that must stand first does, one that must stand last does, and no other."""
    places = [get_layer_kind(layer.kind).place for layer in layers]
    for place, at, word in (("first", 0, "the first layer"), ("last", -1, "the last layer")):
        if places[at] != place or places.count(place) != 1:
            kind = next(k.name for k in all_layer_kinds().values() if k.place == place)
            raise DocumentError(f"layers: {word}, and only that, must be of the kind {kind!r}")


def _check_ids(name: str, ids: Sequence[str]) -> None:
    twice = sorted(i for i, n in Counter(ids).items() if n > 1)
    if twice:
        raise DocumentError(f"{name}: the id {twice[0]!r} is used more than once")


def with_layer(document: SceneDocument, layer: Layer) -> SceneDocument:
    """`document` with one layer replaced by `layer` of the same id."""
    layers = tuple(layer if other.id == layer.id else other for other in document.layers)
    return document.model_copy(update={"layers": layers})


def write_document(document: SceneDocument) -> bytes:
    """`document` as indented JSON."""
    return orjson.dumps(document.model_dump(mode="json"), option=orjson.OPT_INDENT_2)
