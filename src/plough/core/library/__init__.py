"""The library: what assets come to, over the cache: products, levels of detail, impostors, pictures, facts."""

from plough.core.library.library import Facts, Library
from plough.core.library.references import Resolved, resolve
from plough.core.library.variants import Variant, variant_of

__all__ = ["Facts", "Library", "Resolved", "Variant", "resolve", "variant_of"]
