"""What is laid along lines: lists of its blocks, and how it is seen from the side."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from fastapi import APIRouter, Query, Response
from pydantic import BaseModel, Field

from plough.core.lay.block_list import Block, Blocks
from plough.core.scene.laid import blocks_of, elevation_of
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.bench import download
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.models import PROBLEMS

router = APIRouter(prefix="/api", tags=["ground"], responses=PROBLEMS)


class GapOut(BaseModel):
    """An opening, seen from the side; metres along the line, and of the map."""

    id: str
    start: float
    end: float
    low: float
    high: float
    path: str = Field(description="The path that asks for it; empty: it was set.")


class ElevationOut(BaseModel):
    """What is laid along a line, seen from one side, unrolled."""

    length: float = Field(description="Metres.")
    knots: list[float] = Field(description="Metres along it of each of its points.")
    ground: list[tuple[float, float]] = Field(description="Metres along it, and of the ground.")
    stones: list[list[int]] = Field(
        description="Of each a tone, 0 to 4, and then its corners: millimetres along, and above `low`."
    )
    low: float = Field(description="Metres of the map.")
    high: float
    gaps: list[GapOut]


@router.get("/scenes/{scene_id}/layers/{layer_id}/elevation")
def read_elevation(
    scene_id: str,
    layer_id: str,
    db: Session,
    me: Me,
    ctx: Ctx,
    face: Annotated[Literal["right", "left"], Query(description="Seen from which side.")] = "right",
) -> ElevationOut:
    """A layer as it is seen from one side, made straight; from the left it runs from right to left."""
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    db.commit()  # nothing of the database is held while computing
    found = elevation_of(ctx.evaluator.evaluate(document), layer_id)
    names = {x.id: x.name for x in document.layers}
    seen = found.seen(1 if face == "right" else -1)
    corners, count, tone = found.corners[seen], found.count[seen], found.tone[seen]
    there = np.arange(corners.shape[1]) < count[:, None]
    heights = np.concatenate([found.ground[:, 1], corners[there][:, 1]])
    low, high = float(heights.min()), float(heights.max())
    flat = np.rint(1000.0 * (corners - [0.0, low])).astype(np.int64)
    return ElevationOut(
        length=found.length,
        knots=found.knots,
        ground=[(float(s), float(y)) for s, y in found.ground],
        stones=[
            [int(t), *own[:n].ravel().tolist()] for t, n, own in zip(tone, count, flat, strict=True)
        ],
        low=low,
        high=high,
        gaps=[
            GapOut(**g._asdict(), path=names.get(g.id.split(" ")[0], "") if " " in g.id else "")
            for g in found.gaps
        ],
    )


class BlocksOut(BaseModel):
    """Some of the blocks of a layer."""

    count: int = Field(description="Of all of them.")
    courses: int
    blocks: list[Block]


@router.get("/scenes/{scene_id}/layers/{layer_id}/blocks")
def read_blocks(
    scene_id: str,
    layer_id: str,
    db: Session,
    me: Me,
    ctx: Ctx,
    first: Annotated[int, Query(ge=0, description="How many are left out before.")] = 0,
    many: Annotated[int, Query(ge=1, le=500)] = 100,
) -> BlocksOut:
    """The blocks of a layer in the order in which they are laid, page by page."""
    found = _blocks(scene_id, layer_id, db, me, ctx)
    courses = int(found.course.max(initial=0))
    return BlocksOut(count=len(found), courses=courses, blocks=found.rows(first, many))


@router.get(
    "/scenes/{scene_id}/layers/{layer_id}/blocks/file",
    response_class=Response,
    responses={200: {"content": {"text/csv": {}, "application/json": {}}}},
)
def read_block_list(
    scene_id: str,
    layer_id: str,
    db: Session,
    me: Me,
    ctx: Ctx,
    form: Annotated[Literal["csv", "json"], Query(alias="format")] = "csv",
) -> Response:
    """All blocks of a layer as a table, or as JSON with the plane of each."""
    found = _blocks(scene_id, layer_id, db, me, ctx)
    if form == "csv":
        return download(found.as_csv().encode(), "blocks.csv", "text/csv")
    return download(found.as_json().encode(), "blocks.json", "application/json")


def _blocks(scene_id: str, layer_id: str, db: Session, me: Me, ctx: Ctx) -> Blocks:
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    db.commit()  # nothing of the database is held while computing
    return blocks_of(ctx.evaluator.evaluate(document), layer_id)
