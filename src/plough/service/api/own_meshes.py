"""Meshes of one's own: read apart, looked at, kept."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import asdict
from threading import BoundedSemaphore
from typing import Any

from fastapi import APIRouter, UploadFile
from fastapi.concurrency import run_in_threadpool
from pydantic import BaseModel, Field
from sqlalchemy import select
from starlette.exceptions import HTTPException

from plough.core.build.report import report
from plough.core.errors import ParameterError, PloughError
from plough.core.formats.meshes import BESIDE, FORMATS, ending
from plough.core.formats.model import pack, unpack
from plough.core.formats.reading import read_apart
from plough.core.scene.registry import get_layer_kind
from plough.core.scene.solid_model import model_of
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.models import PROBLEMS, In
from plough.service.db.tables import Model
from plough.service.errors import NotFound
from plough.service.results import keep_model

router = APIRouter(prefix="/api/bench/meshes", tags=["bench"], responses=PROBLEMS)
MOST_NAMES = 60  #: of nodes that are told
MOST_FILES = 200  #: in one request
_readers = BoundedSemaphore(2)


class FaultOut(BaseModel):
    """What is wrong with a mesh."""

    text: str
    mend: dict[str, Any] = Field(description="Parameters that put it right; none: nothing does.")
    advised: bool = Field(description="Whether that can be done unasked.")


class ModelOut(BaseModel):
    """A file that was read, or why it was not."""

    file: str
    error: str = ""
    hash: str = Field("", description="By which an asset of the kind `mesh` names it: `source`.")
    parameters: dict[str, Any] = Field({}, description="Its unit and upward axis, as it seems.")
    sizes: dict[str, tuple[float, float, float]] = Field(
        {}, description="Metres along the axes of the file, by unit."
    )
    triangles: int = 0
    materials: list[str] = []
    images: int = 0
    nodes: list[str] = []
    colliders: int = 0
    faults: list[FaultOut] = []


class LayerIn(In):
    """A layer that is laid along a line."""

    scene: str = Field(max_length=24)
    layer: str = Field(max_length=40)


class NameOut(BaseModel):
    """What a mesh was called."""

    file: str
    bytes: int = Field(description="As it was read.")


@router.post("", status_code=201)
async def take_meshes(files: list[UploadFile], me: Me, ctx: Ctx) -> list[ModelOut]:
    """Takes in meshes (GLB, OBJ, STL, PLY), several at once; files that an OBJ refers to (MTL, PNG, JPEG) come beside it.

    Each is read in a process of its own, with limits on memory and time. One that cannot be read is told with its reason; the others are kept.
    """
    if len(files) > MOST_FILES:
        raise ParameterError(
            "files", f"{len(files)} files; the limit is {MOST_FILES}", limit=str(MOST_FILES)
        )
    given: dict[str, bytes] = {}
    for file in files:
        name = plain_name(file.filename)
        if name in given:
            raise ParameterError("files", f"two files are called {name}; bring them one by one")
        given[name] = await file.read()
    return await read_given(ctx, me.id, given)


async def read_given(ctx: Ctx, account: int, given: dict[str, bytes]) -> list[ModelOut]:
    """What each mesh among files by name comes to, kept for `account`.

    Raises:
        ParameterError: there is no mesh among them.
        HTTPException: 429, others are being read.
    """
    main = [n for n in given if ending(n) in FORMATS]
    if not main:
        known = ", ".join(FORMATS)
        raise ParameterError(
            "files", f"there is no mesh among them; meshes come as {known}", limit=known
        )
    with reading():
        return await run_in_threadpool(lambda: list(_read(ctx, account, given, main)))


@contextmanager
def reading() -> Iterator[None]:
    """Hold one of the few places where files are read; raises 429 when all are taken."""
    if not _readers.acquire(timeout=0):
        raise HTTPException(
            429, "other files are being read; try again in a few seconds", {"Retry-After": "5"}
        )
    try:
        yield
    finally:
        _readers.release()


def plain_name(name: str | None) -> str:
    """The last part of a file's name, without what does not belong in one."""
    last = re.split(r"[\\/]", name or "")[-1]
    return re.sub(r"[\x00-\x1f]", "", last)[-120:] or "file"


def _read(ctx: Ctx, account: int, given: dict[str, bytes], main: list[str]) -> Iterator[ModelOut]:
    beside = {n: d for n, d in given.items() if ending(n) in BESIDE}
    for name in main:
        try:
            packed = read_apart(name, given[name], beside if ending(name) == "obj" else None)
            found = report(unpack(packed))
        except PloughError as error:
            yield ModelOut(file=name, error=getattr(error, "message", str(error)))
            continue
        with ctx.database.session() as db:
            kept = keep_model(db, account, name, packed)
        told = asdict(found) | {"nodes": found.nodes[:MOST_NAMES]}
        yield ModelOut(file=name, hash=kept, **told)


@router.post("/layer", status_code=201)
def take_layer(body: LayerIn, db: Session, me: Me, ctx: Ctx) -> ModelOut:
    """Takes what a layer lays along a line, as it stands, as a mesh of one's own; the layer stays as it is."""
    scene = scene_for(db, me, body.scene)
    document = documents.document_of(db, scene)
    db.commit()  # nothing of the database is held while computing
    layer = next((x for x in document.layers if x.id == body.layer), None)
    if layer is None:
        raise NotFound(f"there is no layer {body.layer!r}; it may have been removed")
    if not {"curve", "solids"} <= set(get_layer_kind(layer.kind).gives):
        raise ParameterError("layer", "only what is laid along a line is a mesh of its own")
    evaluation = ctx.evaluator.evaluate(document)
    model = model_of(evaluation.layer(layer.id).output.solids, evaluation.surface)
    packed = pack(model)
    with ctx.database.session() as own:
        kept = keep_model(own, me.id, f"{layer.name}.plough", packed)
    parameters = {"source": kept, "unit": "m", "up": "y", "pivot": "own"}
    return ModelOut(
        file=layer.name,
        hash=kept,
        parameters=parameters,
        triangles=model.triangles,
        materials=[c.name for c in model.coverings],
        nodes=[q.name for q in model.pieces[:MOST_NAMES]],
    )


@router.get("/{name}")
def read_mesh(name: str, db: Session, me: Me) -> NameOut:
    """What a mesh that was taken in was called."""
    row = db.execute(select(Model.name, Model.bytes).where(Model.hash == name)).first()
    if row is None:
        raise NotFound(f"there is no mesh {name!r}")
    return NameOut(file=row.name, bytes=row.bytes)
