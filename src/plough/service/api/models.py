"""What travels over the API."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BaseModel, ConfigDict, Field

from plough.core.parameters import Row
from plough.core.scene.adjust import Change, Chosen
from plough.core.scene.document import LayerGame, Settings, Shadow

Version = Annotated[int, Field(ge=1, description="The version that the edit was made against.")]


SeedNumber = Annotated[int, Field(ge=0, le=2**32 - 1)]


class In(BaseModel):
    """Base of what is sent to the service: unknown fields are refused."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class FieldFault(BaseModel):
    """One wrong field."""

    field: str
    message: str
    limit: str = ""


class Problem(BaseModel):
    """An error, after RFC 9457."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    errors: list[FieldFault] = []
    current: Any = Field(None, description="With 409: the present state of the scene.")


class SignIn(In):
    """Name and password."""

    model_config = ConfigDict(
        json_schema_extra={"examples": [{"name": "sedge", "password": "water-mint"}]}
    )
    name: str = Field(min_length=1, max_length=40)
    password: str = Field(min_length=1, max_length=200)


class AccountOut(BaseModel):
    """Who is signed in."""

    name: str


class StillOut(BaseModel):
    """What a viewpoint showed when a release was baked."""

    viewpoint: str = Field(description="Its id.")
    name: str
    picture: str = Field(description="Address of a JPEG.")


class ReleaseOut(BaseModel):
    """A bake and how far it is."""

    number: int
    state: str = Field(description="queued, running, stopping, done, failed or cancelled")
    done: int = Field(description="Parts done.")
    known: int = Field(description="Parts known.")
    part: str
    bytes: int
    error: str
    author: str
    created: datetime
    finished: datetime | None
    manifest: dict[str, Any] | None
    stills: list[StillOut]
    notes: str = Field(description="What people wrote on it.")
    pinned: bool = Field(description="Whether it is kept from being deleted.")


class PartOut(BaseModel):
    """One part of a bake."""

    name: str
    state: str = Field(description="waiting, made, or there: as it was made before.")
    seconds: float = Field(description="That it took.")
    place: str = Field(description="Who made it.")


class ReleaseEdit(In):
    """What is noted on a release; what is left out stays as it is."""

    model_config = ConfigDict(json_schema_extra={"examples": [{"notes": "For the review."}]})
    notes: str | None = Field(None, max_length=4000)
    pinned: bool | None = None


class ValueChangeOut(BaseModel):
    """A value that is another; null where it was left to its default."""

    path: str
    before: Any
    after: Any


_CHANGE = "same, values, result (its values are the same, what it came to is not), added or removed"


class LayerChangeOut(BaseModel):
    """What became of a layer from one release to the other."""

    id: str
    name: str
    kind: str
    change: str = Field(description=_CHANGE)
    values: list[ValueChangeOut]
    before: int = Field(description="Placements.")
    after: int
    added: int
    removed: int
    moved: int
    altered: int = Field(description="Turned, of another size or variant, in the same place.")


class AssetChangeOut(BaseModel):
    """What became of an asset."""

    id: str
    name: str
    change: str = Field(description=_CHANGE)
    values: list[ValueChangeOut]
    before: int = Field(description="Triangles of the nearest level, over its variants.")
    after: int


class WeightChangeOut(BaseModel):
    """A count or a size, before and after."""

    what: str
    before: int
    after: int


class ComparedOut(BaseModel):
    """What differs between two releases."""

    before: int = Field(description="The release's number.")
    after: int
    layers: list[LayerChangeOut]
    assets: list[AssetChangeOut]
    weight: list[WeightChangeOut]
    added: list[tuple[float, float, float]] = Field(
        description="Places in metres, of each layer's placements; of very many an even share."
    )
    removed: list[tuple[float, float, float]]
    moved: list[tuple[float, float, float, float, float, float]] = Field(description="From and to.")


class SceneCard(BaseModel):
    """A scene in the list."""

    id: str
    name: str
    role: str
    members: list[str]
    layers: int
    updated: datetime
    picture: str | None
    release: ReleaseOut | None


class LayerOut(BaseModel):
    """A layer with all its parameters."""

    id: str
    kind: str
    name: str
    hidden: bool
    locked: bool
    shadow: Shadow
    parameters: dict[str, Any]
    notes: dict[str, str]
    game: LayerGame
    version: int


class AssetOut(BaseModel):
    """An asset with all its parameters."""

    id: str
    kind: str
    name: str
    parameters: dict[str, Any]
    seeds: list[int]
    tags: list[str]
    images: dict[str, str]
    notes: dict[str, str]
    version: int


class SceneOut(BaseModel):
    """A scene, whole."""

    id: str
    name: str
    role: str
    version: int
    edits: int = Field(description="Number of the last edit.")
    settings: Settings
    layers: list[LayerOut]
    assets: list[AssetOut]
    members: list[MemberOut]
    undo: str | None = Field(description="What undo would take back.")
    redo: str | None
    note: str | None = Field(None, description="What an undo could not put back.")
    created_id: str | None = Field(None, description="Id of what the request made.")


class MemberOut(BaseModel):
    """Who is in a scene."""

    name: str
    role: str


class MemberIn(In):
    """Somebody to let in, or whose role changes."""

    name: str = Field(min_length=1, max_length=40)
    role: str = Field(pattern="^(owner|editor|viewer)$")


class NewScene(In):
    """A scene from nothing, from the demo, or from a document."""

    name: str = Field(min_length=1, max_length=80)
    start: str = Field(
        "empty", pattern="^(empty|demo)$", description="`empty` ground, or a copy of the `demo`."
    )
    document: dict[str, Any] | None = Field(
        None, description="A scene document; takes the place of `start`."
    )


class SceneEdit(In):
    """Changes of the scene's own fields."""

    version: Version
    name: str | None = Field(None, min_length=1, max_length=80)
    settings: dict[str, Any] | None = Field(None, description="Only the parts that change.")


class NewLayer(In):
    """A layer to add."""

    kind: str = Field(max_length=40)
    name: str = Field(min_length=1, max_length=80)
    parameters: dict[str, Any] = {}
    shadow: Shadow = "casts"
    notes: dict[str, str] = {}
    game: LayerGame | None = None
    before: str | None = Field(
        None, description="Id of the layer it goes in front of; none: just before the bake."
    )


NOTED = "Notes for the game, key to value; replaces all."


class LayerEdit(In):
    """Changes of a layer: only what is given changes."""

    version: Version
    name: str | None = Field(None, min_length=1, max_length=80)
    hidden: bool | None = None
    locked: bool | None = Field(None, description="A locked layer only takes being unlocked.")
    shadow: Shadow | None = None
    game: LayerGame | None = Field(None, description="What it is in the game; replaces all.")
    parameters: dict[str, Any] | None = Field(None, description="Dotted names to values.")
    notes: dict[str, str] | None = Field(None, description=NOTED)


class LayerMove(In):
    """A new place in the order."""

    version: Version
    before: str | None = Field(
        description="Id of the layer it goes in front of; null: just before the bake."
    )


class NewAsset(In):
    """An asset to add."""

    kind: str = Field(max_length=40)
    name: str = Field(min_length=1, max_length=80)
    parameters: dict[str, Any] = {}
    seeds: list[int] = [1]
    tags: list[str] = []
    images: dict[str, str] = {}
    notes: dict[str, str] = {}


class AssetEdit(In):
    """Changes of an asset: only what is given changes."""

    version: Version
    name: str | None = Field(None, min_length=1, max_length=80)
    parameters: dict[str, Any] | None = Field(None, description="Dotted names to values.")
    seeds: list[int] | None = None
    tags: list[str] | None = None
    images: dict[str, str] | None = Field(
        None, description="Images of one's own: `slot.map` to the hash of a picture; replaces all."
    )
    notes: dict[str, str] | None = Field(None, description=NOTED)


class EditOut(BaseModel):
    """One line of the edit log."""

    number: int
    author: str
    at: datetime
    kind: str
    title: str
    target: str
    target_id: str


class WeightOut(BaseModel):
    """What something weighs."""

    triangles: int = Field(
        description="All around the viewpoint, at the levels of detail that the distances ask for."
    )
    triangles_near: int = Field(description="If everything were seen from close by.")
    instances: int
    draw_calls: int
    bytes: int


class LevelOut(BaseModel):
    """A mesh at one level of detail."""

    mesh: str = Field(
        description="Address of the GLB the view draws it with, which is made when it is first asked for."
        " For an impostor that is the card that faces the eye."
    )
    triangles: int = Field(description="As the level is baked.")
    bytes: int = Field(description="As the level is baked.")
    switch_distance: float | None = Field(
        description="Metres up to which it is shown, for size 100 %; null for the last."
    )


class LampOut(BaseModel):
    """A lamp that an asset carries."""

    position: tuple[float, float, float] = Field(description="Metres, in the asset's axes.")
    color: tuple[float, float, float] = Field(description="Linear, the greatest 1.")
    lumens: float
    radius: float = Field(description="Metres, of the globe that glows; 0 for none.")
    reach: float = Field(description="Metres at which its light is too dim to be told.")


class CardOut(BaseModel):
    """A card that faces the eye: pictures from all sides above, on one sheet."""

    albedo: str = Field(description="Address of the pictures, sRGB and alpha.")
    normal: str = Field(description="Address of their normals, in the asset's axes.")
    translucency: float
    grid: int = Field(description="Pictures a side.")
    pixels: int = Field(description="A side of each picture.")
    centre: tuple[float, float, float] = Field(description="Metres, of what is shown.")
    half: tuple[float, float] = Field(
        description="Metres that a picture shows to each side, and up and down."
    )
    depth: float = Field(description="Metres from the middle to the nearest and the farthest.")


class StopOut(BaseModel):
    """What of a thing stops somebody who walks, seen from above."""

    ring: list[tuple[float, float]] = Field(
        description="Corners of a convex outline, metres along its own first and third axis."
    )
    round: float = Field(description="Metres about that.")


class VariantOut(BaseModel):
    """One seed of an asset in a layer."""

    asset: str
    name: str
    seed: int
    count: int
    height: float
    canopy_radius: float
    hard: bool = Field(description="Whether others can be set down on its faces.")
    lamps: list[LampOut]
    stops: list[StopOut] = Field(description="What of it is in the way of one who walks.")
    card: CardOut | None = Field(
        description="What the last level's mesh holds, once it has been made, so that it need not be fetched."
    )
    levels: list[LevelOut]


class FindingOut(BaseModel):
    """One thing that is wrong."""

    code: str
    text: str
    severity: str
    place: tuple[float, float, float] | None = None


class TroubleFinding(FindingOut):
    """One thing that is wrong, and what can be done about it."""

    id: str = Field(description="The same as long as the same is amiss with the same.")
    layer: str = Field(description="Empty: of the scene as a whole.")
    thing: str = Field(description="Id of the placement that it is about; empty: of none.")
    mend: str = Field(description="What an edit would do about it; empty: only the person can.")


class AmountOut(BaseModel):
    """How many findings of one kind a layer has, listed or not."""

    layer: str
    code: str
    count: int


class TroubleOut(BaseModel):
    """What is wrong in a scene."""

    edits: int = Field(description="Number of the last edit that it knows of.")
    findings: list[TroubleFinding] = Field(
        description="Of one kind in one layer the worst first, 100 at most."
    )
    amounts: list[AmountOut]
    count: int
    left: int = Field(description="Those that somebody has left as they are.")


class MendIn(In):
    """Findings to put right."""

    findings: list[str] = Field(min_length=1, max_length=200, description="Their ids.")


class MendOut(BaseModel):
    """An edit that puts findings right: of a layer, or of an asset."""

    layer: str
    asset: str
    parameters: dict[str, Any] = Field(description="Dotted names to values.")
    game: LayerGame | None = Field(description="What the layer is in the game, whole.")


class CoverOut(BaseModel):
    """What ground of a class looks like seen close; the images repeat."""

    name: str
    metres: float = Field(description="Metres of ground that one repeat covers.")
    tone: str = Field(description="What the image comes to from far away, sRGB.")
    albedo: str = Field(description="Address of the image, sRGB.")
    normal: str = Field(description="Address of its normals, green up.")


class ClassOut(BaseModel):
    """A class of ground."""

    key: str = Field(description="By which rules refer to it.")
    name: str
    cover: int = Field(description="Row of `covers`: what it looks like.")
    tint: str = Field(description="By which its colour is multiplied, sRGB.")


class SquareOut(BaseModel):
    """A square of a splat map."""

    x: int = Field(description="Squares east of the first.")
    z: int = Field(description="Squares south of it.")
    data: str = Field(
        description="Hash of bytes (images, texels, texels, 4): the shares of the classes, four in each image, which add up to 255; rows along z."
    )


class SplatOut(BaseModel):
    """Where which class lies, by squares, without the surfaces of paths."""

    east: float = Field(description="Metres, of the north-west corner of the first square.")
    south: float
    side: float = Field(description="Metres a side of a square.")
    across: int = Field(description="Squares from west to east.")
    down: int = Field(description="Squares from north to south.")
    texels: int = Field(description="A side of a square.")
    squares: list[SquareOut]


class SurfaceOut(BaseModel):
    """What things stand on, as heights over a square."""

    heights: str = Field(
        description="Hash of samples x samples float32 heights in metres, little-endian, rows along z."
    )
    samples: int
    size: float = Field(description="Metres a side; the middle lies at the origin.")
    covers: list[CoverOut] = Field(description="What the classes of ground look like.")
    classes: list[ClassOut] = Field(description="In their order.")
    splat: SplatOut
    mesh: str = Field("", description="Address of the triangles it is made of, where it is.")
    bare: bool = Field(False, description="Whether these are dressed by the classes of ground.")


class CurveOut(BaseModel):
    """A line on the map."""

    line: str = Field(
        description="Hash of n points, float32 little-endian: east and south in metres."
    )
    length: float = Field(description="Metres.")
    width: float = Field(description="Metres.")


class RegionOut(BaseModel):
    """An outline on the map, with holes."""

    rings: list[list[tuple[float, float]]] = Field(
        description="Corners of the outline and then of each hole, east and south in metres."
    )
    area: float = Field(description="Square metres.")


class SolidLevelOut(BaseModel):
    """A solid for farther away."""

    mesh: str = Field(description="Address of a GLB.")
    triangles: int
    switch_distance: float = Field(description="Metres from its bounds from which on it serves.")


class SolidOut(BaseModel):
    """A mesh with a place of its own."""

    name: str
    mesh: str = Field(description="Address of a GLB.")
    finish: str = Field(description="What the view may dress it as.")
    triangles: int
    coarser: list[SolidLevelOut] = Field([], description="Nearest first; none of drafts.")


class TileOut(BaseModel):
    """What stands in one square of 64 m."""

    x: int = Field(description="Tiles east of the origin.")
    z: int = Field(description="Tiles south of the origin.")
    count: int
    data: str = Field(
        description="Hash of a little-endian buffer of n placements, one array after the other: position 3 float32 in metres, rotation 4 float32 (quaternion xyzw), scale 3 float32, variant uint32 (row of `variants`), id uint64."
    )


class PlacementsOut(BaseModel):
    """What a layer places, by tile."""

    count: int
    share: float = Field(
        description="Of all that would stand; less than 1 while a layer is being tried out."
    )
    variants: list[VariantOut]
    tiles: list[TileOut]
    spin: tuple[float, float, float] = Field(
        description="Degrees a second that each turns about its own axes x, y and z."
    )


class LayerView(BaseModel):
    """What a layer came to, as facets."""

    id: str
    key: str = Field(description="Changes when, and only when, the result does.")
    weight: WeightOut
    findings: list[FindingOut]
    surface: SurfaceOut | None = None
    curves: list[CurveOut] = []
    regions: list[RegionOut] = []
    placements: PlacementsOut | None = None
    solids: list[SolidOut] = []


class EvaluationOut(BaseModel):
    """What a scene came to."""

    edits: int
    layers: list[LayerView]
    total: WeightOut
    target: WeightOut = Field(
        description="What the chosen profile bears; `triangles_near` is not limited."
    )


class AdjustIn(In):
    """Chosen placements of a layer, and what is done to all of them."""

    things: Chosen = Field(description="Ids of placements.")
    change: Change


class AdjustOut(BaseModel):
    """The edit of the layer that a change comes to."""

    parameters: dict[str, Any] = Field(description="Dotted names to values.")
    told: str = Field(description="What could not be done; empty: all was.")


class GatherIn(In):
    """Chosen placements of a layer that become one asset."""

    things: Chosen = Field(description="Ids of placements.")


class GatherOut(BaseModel):
    """What makes a group of placements."""

    kind: str = Field(description="Of the asset.")
    parameters: dict[str, Any] = Field(description="Of the asset.")
    placed: dict[str, Any] = Field(description="How it is set down, but for the asset's id.")
    layer: dict[str, Any] = Field(
        description="Parameters that take them out of their layer: dotted names to values."
    )


class Draft(In):
    """A layer with parameters that are not kept."""

    layer: str
    parameters: dict[str, Any] = Field(
        {}, description="Dotted names to values; the others stay as they are."
    )
    adjust: AdjustIn | None = Field(None, description="Placements of it that are changed, besides.")
    client: str = Field(max_length=40, description="One for each window.")
    serial: int = Field(
        ge=0, description="Growing; a draft with a higher one ends those before it."
    )
    eye: tuple[float, float, float] = (0.0, 2.0, 0.0)
    light: bool = Field(
        False, description="Of very much that the layer would place, a part is enough."
    )


class PackIn(In):
    """Blobs wanted together."""

    names: list[Annotated[str, Field(pattern=r"^[0-9a-f]{40}$")]] = Field(max_length=2000)


class MakeAsset(In):
    """An asset to be made, not kept."""

    model_config = ConfigDict(
        json_schema_extra={
            "examples": [{"kind": "tree", "parameters": {"height": 9}, "seed": 7, "detail": 0}]
        }
    )
    kind: str = Field(max_length=40)
    parameters: dict[str, Any] = {}
    seed: int = Field(1, ge=0, le=2**32 - 1)
    detail: int = Field(0, ge=0, le=8, description="0 nearest; 3 is a card drawn from the nearest.")
    images: dict[str, str] = Field({}, description="Images of one's own: `slot.map` to a hash.")
    scene: str | None = Field(
        None, max_length=24, description="The scene whose assets the recipe may borrow leaves from."
    )


class KindOut(BaseModel):
    """A kind of asset or layer, with its parameters."""

    name: str
    title: str
    summary: str
    parameters: list[Row]
    place: str = Field("middle", description="Of a layer: first, middle or last.")
    gives: list[str] = Field([], description="Of a layer: the facets that its results hold.")
    levels: int = Field(0, description="Of an asset: levels of detail, the impostor included.")
    seeded: bool = Field(True, description="Of an asset: whether seeds make it differ.")
    parts: Literal["", "stand", "fuse", "heap", "cover", "fill"] = Field(
        "", description="Of an asset: what it does with its parts, if it has any."
    )
    fills: bool = Field(False, description="Of an asset: whether buildings draw it in their walls.")
    slow: bool = Field(
        False,
        description="Of an asset: whether it may take seconds: `/api/make/told` tells how far it is.",
    )
    told: dict[str, dict[str, tuple[str, str]]] = Field(
        {},
        description="Of an asset: by group or section, the counts told beside it, and words for one and for more.",
    )


class LooseOut(BaseModel):
    """A layer whose placements are set down one by one."""

    kind: str
    parameters: dict[str, Any]


class LinesOut(BaseModel):
    """What was made of a file of lines and areas."""

    layers: list[str] = Field(description="Names of the layers that were added.")
    told: list[str] = Field(description="What was left out or made simpler, and why.")


class MeasureOut(BaseModel):
    """What a condition can be set on."""

    name: str
    title: str
    unit: str
    low: float = Field(description="An end of a span that lies here is open.")
    high: float
    soft: tuple[float, float]
    step: float
    between: tuple[float, float] = Field(description="To begin with.")
    fade: float = Field(description="To begin with.")
    to: str = Field(
        description="The facet of the layers that it measures from, or `class` or `viewpoint`."
    )
    ground: bool = Field(description="Whether a class of ground can hang on it.")
    help: str


class KindsOut(BaseModel):
    """All kinds."""

    assets: list[KindOut]
    layers: list[KindOut]
    settings: dict[str, list[Row]] = Field(
        description="What is set by numbers besides: `sky`, each `viewpoint`, `condition`, `class` of ground, and each asset of a `mix`."
    )
    measures: list[MeasureOut] = Field(description="What conditions can be set on.")


class GainOut(BaseModel):
    """A layer of which less is kept at the scene's profile, and what that saves."""

    layer: str
    name: str
    share: float = Field(description="Per cent of its placements that would be kept.")
    saves: WeightOut


class GainsOut(BaseModel):
    """What could give way where a scene is too heavy for its profile."""

    over: dict[str, int] = Field(description="By how much, of what is over.")
    field: str = Field(
        description="Of a layer's `game`, that says how much of it is kept at the profile; empty where all is."
    )
    gains: list[GainOut]


class NamesOut(BaseModel):
    """What levels would be called by a pattern."""

    names: list[str] = Field(description="Of the first ten.")
    total: int


class ProfileOut(BaseModel):
    """A target profile."""

    name: str
    title: str
    triangles: int
    instances: int
    draw_calls: int
    bytes: int
    texture: int = Field(description="Pixels a side at most; 0 for as they are drawn.")


PROBLEMS: dict[int | str, dict[str, Any]] = {
    401: {"model": Problem, "description": "Not signed in."},
    403: {"model": Problem, "description": "The role does not allow it."},
    404: {"model": Problem, "description": "There is no such thing, or it is not shared with you."},
    409: {"model": Problem, "description": "Changed meanwhile; `current` holds the present state."},
    422: {
        "model": Problem,
        "description": "A field is unknown, of the wrong type or out of its limits; `errors` names it.",
    },
}
