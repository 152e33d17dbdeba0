"""The scene: its document, the kinds of layer, their evaluation, and what it weighs."""

from plough.core.scene.document import SceneDocument, read_document
from plough.core.scene.evaluation import Evaluation, Evaluator

__all__ = ["Evaluation", "Evaluator", "SceneDocument", "read_document"]
