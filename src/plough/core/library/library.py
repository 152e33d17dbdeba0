"""Products, levels of detail, impostors and pictures of variants, over a cache."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from plough.core.arrays import Float64, UInt8
from plough.core.cache import Cache
from plough.core.errors import FormatError
from plough.core.formats.images import Load, with_images
from plough.core.kinds import Product, get_kind, no_files
from plough.core.lamp import Lamp
from plough.core.library.variants import Variant
from plough.core.mesh.baked import make_shell
from plough.core.mesh.convex import beyond, hull_of
from plough.core.mesh.dome import make_dome
from plough.core.mesh.grid import Skin, skin_of
from plough.core.mesh.impostor import impostor_quads, make_impostor
from plough.core.mesh.material import MapRecipe, Maps, Material, as_bytes
from plough.core.mesh.picture import Frame, draw_picture, frame_of, small
from plough.core.mesh.sheet import Cut, Sheet, SheetRule, cut_for, make_sheet
from plough.core.mesh.silhouette import difference, silhouettes
from plough.core.mesh.unwrap import second_uv
from plough.core.mesh.value import Mesh
from plough.core.mirror import mirrored
from plough.core.parameters import build
from plough.core.place.bodies import Body, Stop, stop_of
from plough.core.place.solid_bodies import hull_body, solid_bodies
from plough.core.progress import telling
from plough.core.sheets import SheetParameters

#: a level is left for the next where the asset covers less than this share of the view's height
SCREEN_COVERAGE = (0.34, 0.14, 0.065)
_ROOTED = 0.1  #: of the height: what of a plant begins below it is its stem
_VIEW_SLOPE = 2.0 * math.tan(math.radians(25.0))  #: height of a 50 degree view, by distance
_LOW, _LOW_SHARE = 0.01, 0.01  #: metres, and of the height, that the lowest part of a thing goes up
_MAPS = 200_000_000  #: bytes of drawn maps that are held
_SMALL = 128  #: pixels a side of the textures that small pictures are drawn with


@dataclass(frozen=True, slots=True)
class Facts:
    """What one level of detail weighs; known without drawing its textures."""

    triangles: int
    vertices: int
    slots: int  #: materials, each a draw call
    bytes: int  #: of the mesh


def switch_distances(size: tuple[float, float], levels: int = 4) -> tuple[float, ...]:
    """Metres at which each of `levels` but the last gives way to the next, for an asset of that `size`: its height and canopy radius.

    What lies flat counts as if it were as high as it reaches to one side.
    """
    return tuple(max(size) / (c * _VIEW_SLOPE) for c in SCREEN_COVERAGE[: levels - 1])


def product_bytes(product: Product) -> int:
    """Bytes that a product holds: its mesh, its collider, and maps that were drawn with it."""
    drawn = sum(getattr(m.maps, "nbytes", 0) for m in product.materials.values())
    pieces = sum(piece.nbytes for piece in product.collider.pieces)
    return product.mesh.nbytes + drawn + pieces + 2_000 + 200 * product.collider.count


_PLAIN = Maps(
    np.full((1, 1, 4), 255, np.uint8),
    np.full((1, 1, 3), (128, 128, 255), np.uint8),
    np.full((1, 1, 3), (255, 255, 0), np.uint8),
)
_NO_SHEET = SheetParameters()
MOST_EDGES = 240  #: of one asset, that are looked at one by one


class Library:
    """What variants come to, each made once."""

    def __init__(self, cache: Cache | None = None, load: Load | None = None) -> None:
        self.cache = cache or Cache()
        self._load = load or no_files
        self._maps = Cache(_MAPS)

    def lost(self, kind: str, parameters: Mapping[str, Any]) -> str:
        """Why an asset cannot be made, in words: it has no file, or its file is not here, or damaged; empty where nothing is amiss."""
        field = get_kind(kind).loads
        if not field:
            return ""
        name = str(parameters.get(field, ""))
        return self.lacks(name) if name else "it has no file"

    def lacks(self, name: str) -> str:
        """Why a file is not here, in words; empty where it is."""
        try:
            # what is here stays here; what is not may come
            self.cache.get(("file", name), lambda: bool(self._load(name)), lambda found: 100)
        except FormatError as error:
            return str(error)
        return ""

    def file(self, name: str) -> bytes:
        """The bytes of a file that somebody brought along. Raises `FormatError` when it is not here."""
        return self._load(name)

    def levels_of(self, variant: Variant) -> int:
        """How many levels of detail there are, the impostor included."""
        kind = get_kind(variant.kind)
        return kind.levels + kind.impostor

    def shelled(self, variant: Variant) -> bool:
        """Whether it has an impostor that is no card: a few faces with its look on them."""

        def make() -> bool:
            kind = get_kind(variant.kind)
            game = getattr(build(kind.parameters, variant.parameters, "parameters"), "game", None)
            return kind.impostor and getattr(game, "impostor", "") == "shell"

        return self.cache.get(("shelled", variant.key), make, lambda _: 200)

    def level(
        self, variant: Variant, detail: int, check: Callable[[], None] | None = None
    ) -> Product:
        """One level of detail, 0 the nearest; an impostor comes after all that the kind makes.

        Args:
            check: called before the work; may raise to stop.
        """
        original = variant.mirror_of
        if original is not None:

            def over() -> Product:
                return mirrored(self.level(original, detail, check))

            return self.cache.get(("product", variant.key, detail), over, product_bytes)
        if detail >= get_kind(variant.kind).levels:
            return self._impostor(variant, check)

        def make() -> Product:
            stop = check or (lambda: None)
            stop()
            kind = get_kind(variant.kind)
            parameters = build(kind.parameters, variant.parameters, "parameters")
            with telling(lambda *_: stop()):
                made = kind.make(parameters, variant.seed, detail, self._load)
            if not variant.images:
                return made
            return replace(
                made, materials=with_images(made.materials, dict(variant.images), self._load)
            )

        return self.cache.get(("product", variant.key, detail), make, product_bytes)

    def levels(self, variant: Variant, check: Callable[[], None] | None = None) -> list[Product]:
        """All levels of detail, nearest first."""
        return [self.level(variant, d, check) for d in range(self.levels_of(variant))]

    def _impostor(self, variant: Variant, check: Callable[[], None] | None = None) -> Product:
        """The asset for the far distance: crossed quads with its own pictures, or a few faces with its look baked on them."""

        def make() -> Product:
            product = self.level(variant, 0, check)
            albedo = {slot: self._albedo(m) for slot, m in product.materials.items()}
            if check is not None:
                check()
            if product.far is not None and self.shelled(variant):
                mesh, materials = make_shell(
                    product.far(),
                    product.mesh,
                    product.materials,
                    self._images(product),
                    variant.key,
                )
                return replace(product, mesh=mesh, materials=materials)
            mesh, materials = make_impostor(
                product.mesh, product.materials, albedo, variant.key, form=product.game.impostor
            )
            return replace(product, mesh=mesh, materials=materials)

        return self.cache.get(("impostor", variant.key), make, product_bytes)

    def dome(self, variant: Variant, check: Callable[[], None] | None = None) -> Product:
        """The asset as one card that faces the eye, drawn from its second level."""

        def make() -> Product:
            kind = get_kind(variant.kind)
            product = self.level(variant, min(1, kind.levels - 1), check)
            albedo = {slot: self._albedo(m) for slot, m in product.materials.items()}
            if check is not None:
                check()
            mesh, materials = make_dome(product.mesh, product.materials, albedo, variant.key)
            return replace(product, mesh=mesh, materials=materials)

        return self.cache.get(("dome", variant.key), make, product_bytes)

    def facts(
        self, variant: Variant, detail: int, check: Callable[[], None] | None = None
    ) -> Facts:
        """What a level weighs; an impostor is not drawn for that."""

        def make() -> Facts:
            if detail >= get_kind(variant.kind).levels:
                product = self.level(variant, 0, check)
                if product.far is not None and self.shelled(variant):
                    far = product.far()
                    return Facts(far.triangles, far.vertices, 1, far.nbytes)
                mesh = impostor_quads(product.mesh, form=product.game.impostor)
                return Facts(mesh.triangles, mesh.vertices, 1, mesh.nbytes)
            product = self.level(variant, detail, check)
            mesh, slots = product.mesh, len(product.materials)
            found = self._cut(variant, check)
            row = detail - (get_kind(variant.kind).levels - len(found[2].levels)) if found else -1
            if found and row >= 0:
                mesh = found[2].meshes[row]
                slots = len(mesh.parts)
            return Facts(mesh.triangles, mesh.vertices, max(1, slots), mesh.nbytes)

        return self.cache.get(("facts", variant.key, detail), make, lambda f: 200)

    def size(
        self, variant: Variant, check: Callable[[], None] | None = None
    ) -> tuple[float, float]:
        """Height and canopy radius in metres."""

        def make() -> tuple[float, float]:
            product = self.level(variant, 0, check)
            return product.height, product.canopy_radius

        return self.cache.get(("size", variant.key), make, lambda s: 200)

    def foot(self, variant: Variant, check: Callable[[], None] | None = None) -> float:
        """Metres about its middle that it rests on: as far as its lowest part reaches."""

        def make() -> float:
            product = self.level(variant, 0, check)
            at = product.mesh.positions
            low = at[at[:, 1] <= max(_LOW, _LOW_SHARE * product.height)]
            return float(np.hypot(low[:, 0], low[:, 2]).max(initial=0.0))

        return self.cache.get(("foot", variant.key), make, lambda s: 200)

    def skin(self, variant: Variant, check: Callable[[], None] | None = None) -> Skin:
        """Its triangles, corners that lie together joined; of those with more than `MOST_EDGES` edges, its convex hull."""

        def make() -> Skin:
            mesh = self.level(variant, 0, check).mesh
            points, of = np.unique(mesh.positions.astype(np.float64), axis=0, return_inverse=True)
            skin = skin_of(points, of.reshape(-1)[mesh.indices.astype(np.int64)])
            if len(skin.edges) > MOST_EDGES:
                from scipy.spatial import ConvexHull

                hull = ConvexHull(points, qhull_options="QJ")
                kept = np.sort(hull.vertices)
                faces = np.searchsorted(kept, hull.simplices).astype(np.int64)
                skin = skin_of(points[kept], faces)
            return skin

        return self.cache.get(("skin", variant.key), make, lambda s: sum(a.nbytes for a in s))

    def plan(self, variant: Variant, check: Callable[[], None] | None = None) -> Float64:
        """(k, 2) metres to its side and to its front: the convex outline of all of it, seen from above."""

        def make() -> Float64:
            from shapely import MultiPoint, get_coordinates

            at = self.level(variant, 0, check).mesh.positions[:, [0, 2]].astype(np.float64)
            return np.asarray(get_coordinates(MultiPoint(at).convex_hull)[:-1])

        return self.cache.get(("plan", variant.key), make, lambda o: o.nbytes)

    def bodies(self, variant: Variant, check: Callable[[], None] | None = None) -> tuple[Body, ...]:
        """Convex bodies that it is taken for: its collider's; where a hard thing has none, its hull, which carries others and stops nothing.

        Of what grows only the bodies that begin at its foot are in each other's way: limbs may cross.
        """

        def make() -> tuple[Body, ...]:
            product = self.level(variant, 0, check)
            hard = get_kind(variant.kind).hard
            found = solid_bodies(product)
            if not found and hard:
                return (hull_body(product),)
            moves, low = product.collider.movement, _ROOTED * product.height
            return tuple(
                b._replace(blocks=moves and (hard or float(b.points[:, 1].min()) <= low))
                for b in found
            )

        return self.cache.get(
            ("bodies", variant.key), make, lambda b: 200 + sum(o.points.nbytes for o in b)
        )

    def stops(self, variant: Variant, check: Callable[[], None] | None = None) -> tuple[Stop, ...]:
        """What of it stops somebody who walks, seen from above."""

        def make() -> tuple[Stop, ...]:
            found = [stop_of(b) for b in self.bodies(variant, check) if b.blocks]
            return tuple(s for s in found if s is not None)

        return self.cache.get(("stops", variant.key), make, lambda s: 200 + 400 * len(s))

    def overhang(
        self, variant: Variant, check: Callable[[], None] | None = None
    ) -> tuple[float, float]:
        """Metres that its bodies reach out of the hull of its mesh, and that the mesh is long."""

        def make() -> tuple[float, float]:
            at = self.level(variant, 0, check).mesh.positions.astype(np.float64)
            hull = hull_of(at)[0]
            far = [beyond(hull, b.points).max() + b.round for b in self.bodies(variant, check)]
            return float(max(far, default=0.0)), float(np.ptp(at, axis=0).max())

        return self.cache.get(("overhang", variant.key), make, lambda o: 200)

    def outline(self, variant: Variant, check: Callable[[], None] | None = None) -> Float64:
        """(k, 3) its corners: those of its points that lie farthest to 26 sides, and of its foot to 8."""

        def make() -> Float64:
            product = self.level(variant, 0, check)
            at = product.mesh.positions
            low = at[at[:, 1] <= max(_LOW, _LOW_SHARE * product.height)]
            sides = np.stack(np.meshgrid(*[[-1.0, 0.0, 1.0]] * 3), axis=-1).reshape(-1, 3)
            flat = sides[sides[:, 1] == 0]
            far = [at[(at @ sides.T).argmax(axis=0)], low[(low @ flat.T).argmax(axis=0)]]
            return np.unique(np.concatenate(far).astype(np.float64), axis=0)

        return self.cache.get(("outline", variant.key), make, lambda o: 200 + o.nbytes)

    def lamps(self, variant: Variant, check: Callable[[], None] | None = None) -> tuple[Lamp, ...]:
        """What light it carries."""
        return self.cache.get(
            ("lamps", variant.key), lambda: self.level(variant, 0, check).lamps, lambda x: 200
        )

    def drawn(self, recipe: MapRecipe) -> Maps:
        """The maps of a recipe; the last ones are held, as who asks for the colour mostly asks for the others, too."""
        return self._maps.get(repr(recipe), recipe.draw, lambda m: m.nbytes)

    def _albedo(self, material: Material) -> UInt8:
        """The albedo image of a material, its plain colour included."""
        recipe = material.maps
        tint = np.append(np.array(material.color, np.float32) ** 0.4545, 1.0)
        if recipe is None:
            return as_bytes(tint.reshape(1, 1, 4))
        drawn = self.cache.get(
            ("albedo", repr(recipe)), lambda: self.drawn(recipe).albedo, lambda a: a.nbytes
        )
        return drawn if (tint == 1.0).all() else as_bytes(drawn * (tint / 255.0))

    def _images(self, product: Product) -> dict[str, Maps]:
        """The drawn images of each slot, plain colours included."""
        out = {}
        for slot, material in product.materials.items():
            drawn = _PLAIN if material.maps is None else self.drawn(material.maps)
            out[slot] = Maps(self._albedo(material), drawn.normal, drawn.surface)
        return out

    def _cut(
        self, variant: Variant, check: Callable[[], None] | None
    ) -> tuple[Product, SheetRule, Cut] | None:
        """The meshes for its sheet of maps, and what it is drawn from."""
        product = self.level(variant, 0, check)
        asked = getattr(product.game, "sheet", _NO_SHEET)
        if asked.size == "none":
            return None
        rule = SheetRule(int(asked.size), asked.triangles, asked.rays)

        def make() -> Cut | None:
            stop = check or (lambda: None)
            last = get_kind(variant.kind).levels - 1
            coarser = self.level(variant, last, check).mesh if asked.levels == "last" else None
            return cut_for(product.mesh, product.materials, coarser, rule, stop)

        cut = self.cache.get(("cut", variant.key), make, lambda c: 200 + (c.nbytes if c else 0))
        return None if cut is None else (product, rule, cut)

    def sheet(
        self, variant: Variant, detail: int, check: Callable[[], None] | None = None
    ) -> Sheet | None:
        """A level with maps of its own; None where none are asked for, or nothing of it goes on a sheet."""
        found = self._cut(variant, check)
        level = detail - (get_kind(variant.kind).levels - len(found[2].levels)) if found else -1
        if found is None or not 0 <= level < len(found[2].levels):
            return None
        product, rule, cut = found

        def make() -> Sheet:
            images = self._images(product)
            stop = check or (lambda: None)
            return make_sheet(cut, product.materials, images, rule, level, variant.key, stop)

        return self.cache.get(("sheet", variant.key, level), make, lambda s: s.nbytes)

    def written(
        self, variant: Variant, detail: int, check: Callable[[], None] | None = None
    ) -> Product:
        """A level as it is written to files: with a sheet of maps, and with second texture coordinates, where the asset asks for them."""
        original = variant.mirror_of
        if original is not None:
            return mirrored(self.written(original, detail, check))
        product = self.level(variant, detail, check)
        sheet = self.sheet(variant, detail, check)
        if sheet is not None:
            product = replace(product, mesh=sheet.mesh, materials=sheet.materials, nodes=())
        if not product.game.second_uv:
            return product

        def make() -> Mesh:
            return replace(product.mesh, uv1=second_uv(product.mesh))

        uv1 = self.cache.get(("written", variant.key, detail), make, lambda m: m.nbytes)
        return replace(product, mesh=uv1)

    def differences(self, variant: Variant, check: Callable[[], None] | None = None) -> list[float]:
        """By how much the silhouette of each level differs from the nearest: share of pixels over eight views."""

        def make() -> list[float]:
            levels = self.levels(variant, check)
            like = levels[0].mesh
            drawn = []
            for level in levels:
                if check is not None:
                    check()
                albedo = {slot: self.small_albedo(m) for slot, m in level.materials.items()}
                drawn.append(silhouettes(level.mesh, level.materials, albedo, like))
            return [difference(drawn[0], other) for other in drawn]

        return self.cache.get(("differences", variant.key), make, lambda d: 200)

    def picture(
        self, variant: Variant, size: tuple[int, int], detail: int = 0, frame: Frame | None = None
    ) -> UInt8:
        """(h, w, 3) a lit picture of the asset; `frame` is its own by default."""
        product = self.level(variant, detail)
        albedo = {slot: self.small_albedo(material) for slot, material in product.materials.items()}
        seen = frame or frame_of([product.mesh], size[0] / size[1])
        return draw_picture(product.mesh, product.materials, albedo, seen, size)

    def small_albedo(self, material: Material) -> UInt8:
        """The albedo at a size that serves small pictures; recipes that have a size are drawn at it."""
        recipe = material.maps
        if recipe is not None and hasattr(recipe, "size"):
            recipe = replace(recipe, size=min(_SMALL, recipe.size))  # type: ignore[type-var]
            material = replace(material, maps=recipe)
        return self.cache.get(
            ("small", repr(recipe), material.color),
            lambda: small(self._albedo(material), _SMALL),
            lambda a: a.nbytes,
        )
