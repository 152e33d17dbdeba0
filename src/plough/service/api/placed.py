"""Placements in reach: what is wrong with them and what puts it right, and the chosen changed together."""

from __future__ import annotations

from fastapi import APIRouter

from plough.core.scene.adjust import adjust
from plough.core.scene.gather import gather
from plough.core.scene.mend import mend, remedy
from plough.core.scene.trouble import trouble
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.models import (
    PROBLEMS,
    AdjustIn,
    AdjustOut,
    AmountOut,
    GatherIn,
    GatherOut,
    MendIn,
    MendOut,
    TroubleFinding,
    TroubleOut,
)

router = APIRouter(prefix="/api", tags=["trouble"], responses=PROBLEMS)


@router.get("/scenes/{scene_id}/trouble")
def read_trouble(scene_id: str, db: Session, me: Me, ctx: Ctx) -> TroubleOut:
    """What is wrong in a scene: what floats, is buried, intersects, stands outside or in the way, is missing or too heavy."""
    scene = scene_for(db, me, scene_id)
    document, edits = documents.document_of(db, scene), scene.edits
    db.commit()  # nothing of the database is held while computing
    left = [f.id for f in document.settings.left]
    found = trouble(ctx.evaluator.evaluate(document), ctx.library, left)
    return TroubleOut(
        edits=edits,
        findings=[
            TroubleFinding(
                **{n: getattr(f, n) for n in ("id", "code", "text", "severity", "layer", "thing")},
                place=f.place,
                mend=remedy(document, f),
            )
            for f in found.findings
        ],
        amounts=[AmountOut(layer=a.layer, code=a.code, count=a.count) for a in found.amounts],
        count=found.count,
        left=found.left,
    )


@router.post("/scenes/{scene_id}/trouble/mend")
def find_mend(scene_id: str, body: MendIn, db: Session, me: Me, ctx: Ctx) -> list[MendOut]:
    """The edits that put findings right, to be made like any others; nothing is changed by this. 422 where none does, or nothing is amiss any more."""
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    db.commit()
    games = {x.id: x.game for x in document.layers}
    return [
        MendOut(
            layer=m.layer,
            asset=m.asset,
            parameters=m.parameters,
            game=games[m.layer].model_copy(update=m.game) if m.game else None,
        )
        for m in mend(ctx.evaluator, document, body.findings)
    ]


@router.post("/scenes/{scene_id}/layers/{layer_id}/adjust")
def find_adjust(
    scene_id: str, layer_id: str, body: AdjustIn, db: Session, me: Me, ctx: Ctx
) -> AdjustOut:
    """The edit by which chosen placements of a layer are changed, to be made like any other; nothing is changed by this."""
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    db.commit()
    made = adjust(ctx.evaluator, document, layer_id, body.things, body.change)
    return AdjustOut(parameters=made.parameters, told=made.told)


@router.post("/scenes/{scene_id}/layers/{layer_id}/gather")
def find_group(
    scene_id: str, layer_id: str, body: GatherIn, db: Session, me: Me, ctx: Ctx
) -> GatherOut:
    """A group of chosen placements: the asset to add, how it is set down, and what takes them out of their layer; nothing is changed by this."""
    scene = scene_for(db, me, scene_id)
    document = documents.document_of(db, scene)
    db.commit()
    made = gather(ctx.evaluator, document, layer_id, body.things)
    return GatherOut(**{n: getattr(made, n) for n in GatherOut.model_fields})
