"""Trials: what several values of a number would come to."""

from __future__ import annotations

from typing import Any, Literal

from fastapi import APIRouter
from pydantic import BaseModel, Field

from plough.core.errors import ParameterError
from plough.core.scene.trials import trials_of
from plough.core.scene.weight import weigh_layer
from plough.service import documents
from plough.service.accounts import scene_for
from plough.service.api.context import Ctx, Me, Session
from plough.service.api.evaluation import changed, layer_of, weight_out
from plough.service.api.models import PROBLEMS, In, WeightOut

router = APIRouter(prefix="/api", tags=["evaluation"], responses=PROBLEMS)


class TrialsIn(In):
    """A number of a layer that is to be tried."""

    layer: str
    path: str = Field(
        max_length=200, description="Of the number; `list#element.field` for that of an element."
    )
    count: Literal[3, 5] = 5
    eye: tuple[float, float, float] = (0.0, 2.0, 0.0)


class TrialOut(BaseModel):
    """What a layer would come to with one value."""

    value: Any
    parameters: dict[str, Any] = Field(description="What a draft, or an edit, sets for it.")
    now: bool = Field(description="Whether it is so at present.")
    placements: int | None = None
    weight: WeightOut | None = None
    findings: list[str] = []
    error: str = Field("", description="Why it cannot be: a limit that it would break.")


class TrialsOut(BaseModel):
    """A number, tried."""

    title: str
    unit: str
    step: float | None
    trials: list[TrialOut]


@router.post("/scenes/{scene_id}/trials")
def trials(scene_id: str, body: TrialsIn, db: Session, me: Me, ctx: Ctx) -> TrialsOut:
    """Several values of one number of a layer, with what the layer would come to; nothing is kept."""
    document = documents.document_of(db, scene_for(db, me, scene_id))
    db.commit()
    layer = layer_of(document, body.layer)
    row, found = trials_of(layer.kind, layer.parameters, body.path, body.count)
    out = []
    for trial in found:
        told = TrialOut(value=trial.value, parameters=trial.parameters, now=trial.now)
        try:
            drafted = changed(document, layer, trial.parameters)
            result = ctx.evaluator.evaluate(drafted, until=layer.id).layer(layer.id)
        except ParameterError as error:
            out.append(told.model_copy(update={"error": str(error)}))
            continue
        placed = result.output.placements
        weight = weigh_layer(result.output, ctx.library, body.eye)
        more = {
            "placements": None if placed is None else placed.count,
            "weight": weight_out(weight),
            "findings": [f.text for f in result.output.findings],
        }
        out.append(told.model_copy(update=more))
    return TrialsOut(title=row.title, unit=row.unit, step=row.step, trials=out)
