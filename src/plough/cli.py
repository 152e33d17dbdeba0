"""``plough …`` for people and pipelines."""

from __future__ import annotations

import json
import math
import sys
from collections.abc import Callable
from functools import partial
from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from plough.core.errors import FormatError, ParameterError, PloughError

if TYPE_CHECKING:
    from plough.core.library import Library
    from plough.core.scene import Evaluation, SceneDocument

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Grow, place and bake environments for games.",
)
_FORMATS: dict[str, dict[str, Any]] = {
    **{layout: {"layout": layout} for layout in ("whole", "tiles", "tileset")},
    "stage": {"stage": True},
}  #: of a bake, as its own settings
_ATTEMPTS = 5  # at a bake whose cache is damaged
Processes = Annotated[
    int,
    typer.Option(
        min=0,
        max=256,
        envvar="PLOUGH_WORKERS",
        help="Processes that make the parts of bakes; 0 for threads of this one.",
    ),
]
Scheduler = Annotated[
    str,
    typer.Option(
        envvar="PLOUGH_SCHEDULER",
        help="Address of a dask scheduler whose workers make them, such as tcp://host:8786;"
        " they share the folder of --cache, or reach the database.",
    ),
]

Out = Annotated[Path, typer.Option("--out", help="Where to write.")]
Files = Annotated[
    Path | None,
    typer.Option("--files", help="A folder of files by their hash, as `plough mesh` keeps them."),
]


def _value(text: str) -> Any:
    try:
        return json.loads(text)
    except json.JSONDecodeError:
        return text


def _settings(pairs: list[str]) -> dict[str, Any]:
    out = {}
    for pair in pairs:
        name, sign, value = pair.partition("=")
        if not sign or not name:
            raise ParameterError("--set", f"needs NAME=VALUE (got {pair!r})")
        out[name] = _value(value)
    return out


@app.command()
def make(
    kind: Annotated[str, typer.Argument(help="An asset kind; `plough kinds` lists them.")],
    out: Out,
    seed: Annotated[int, typer.Option(min=0, max=2**32 - 1)] = 1,
    set_: Annotated[
        list[str] | None,
        typer.Option(
            "--set", help="NAME=VALUE, such as height=9 or first.count=31; may be repeated."
        ),
    ] = None,
    detail: Annotated[int, typer.Option(min=0, max=2, help="Level of detail, 0 is nearest.")] = 0,
    textures: Annotated[bool, typer.Option(help="Draw and embed the textures.")] = True,
) -> None:
    """Make one asset and write it as GLB."""
    from plough.core.bake.bundle import embedded_images
    from plough.core.cache import Cache
    from plough.core.formats.glb import mesh_glb, no_images
    from plough.core.kinds import make as make_asset
    from plough.core.parameters import with_values

    product = make_asset(kind, with_values({}, _settings(set_ or [])), seed, detail)
    images = embedded_images(Cache()) if textures else no_images
    data = mesh_glb(
        product.mesh,
        product.materials,
        f"{kind}-{seed}",
        images,
        {"counts": product.counts},
        product.lamps,
    )
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_bytes(data)
    counts = ", ".join(f"{v:,} {k}" for k, v in product.counts.items())
    print(
        f"{out}: {product.mesh.triangles:,} triangles, {product.height:.2f} m high, {counts}, {len(data):,} bytes"
    )


@app.command()
def kinds(
    name: Annotated[str | None, typer.Argument(help="Show this kind's parameters.")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="JSON Schema.")] = False,
    reference: Annotated[
        bool, typer.Option(help="Every kind with its parameters, as Markdown.")
    ] = False,
) -> None:
    """List the kinds of asset and layer, or one kind's parameters."""
    from plough.core.kernels import leave_plain

    leave_plain()
    from rich.console import Console
    from rich.table import Table

    from plough.core.kinds import all_kinds
    from plough.core.parameters import describe
    from plough.core.scene.registry import all_layer_kinds

    found: dict[str, Any] = {**all_layer_kinds(), **all_kinds()}
    if reference:
        print(_reference(found))
        return
    console = Console(width=None if sys.stdout.isatty() else 160)
    if name is None:
        table = Table("kind", "of", "what it is", box=None)
        for k in found.values():
            table.add_row(k.name, "asset" if k.name in all_kinds() else "layer", k.summary)
        console.print(table)
        return
    if name not in found:
        raise ParameterError(
            "kind", f"there is no kind {name!r}; known: {', '.join(found)}", value=name
        )
    if as_json:
        print(json.dumps(found[name].parameters.model_json_schema(), indent=2))
        return
    table = Table("name", "what", "unit", "limits", "default", box=None)
    for row in describe(found[name].parameters):
        limits = "" if row.low is None else f"{row.low:g} to {row.high:g}"
        if row.options:
            limits = ", ".join(row.options)
        title = f"{row.section}: {row.title}" if row.section else row.title
        table.add_row(row.path, title, row.unit, limits, _plain(row.default))
    console.print(table)


def _plain(default: Any) -> str:
    """A default in a cell of a table."""
    if isinstance(default, list) and default and hasattr(default[0], "name"):
        return ", ".join(e.name for e in default)
    return str(default)


def _reference(found: dict[str, Any]) -> str:
    from plough.core.ground.classes import GroundClass
    from plough.core.ground.conditions import MEASURES, Condition

    lines = ["# Kinds", "", "Made by `./plough kinds --reference`."]
    for k in found.values():
        lines += ["", f"## {k.title}", "", f"`{k.name}`: {k.summary}", *_rows_of(k.parameters)]
    lines += ["", "## A ground class", *_rows_of(GroundClass)]
    lines += ["", "## A condition", *_rows_of(Condition)]
    lines += ["", "It can be set on:", "", "| name | what | unit | limits | to begin with |"]
    lines.append("|---|---|---|---|---|")
    for name, m in MEASURES.items():
        help_ = f". {m.help}" if m.help else ""
        begun = f"{m.between[0]:g} to {m.between[1]:g}, fading over {m.fade:g}"
        limits = f"{m.limits[0]:g} to {m.limits[1]:g}"
        lines.append(f"| `{name}` | {m.title}{help_} | {m.unit} | {limits} | {begun} |")
    return "\n".join(lines)


def _rows_of(model: Any) -> list[str]:
    from plough.core.parameters import describe

    lines = ["", "| name | what | unit | limits | default |", "|---|---|---|---|---|"]
    for row in describe(model):
        limits = "" if row.low is None else f"{row.low:g} to {row.high:g}"
        if row.options:
            limits = ", ".join(row.options)
        title = f"{row.section}: {row.title}" if row.section else row.title
        help_ = f". {row.help}" if row.help else ""
        lines.append(
            f"| `{row.path}` | {title}{help_} | {row.unit} | {limits} | {_plain(row.default)} |"
        )
    return lines


@app.command()
def presets(
    sheet: Annotated[
        Path | None, typer.Option(help="Draw all of them on one contact sheet, as PNG.")
    ] = None,
    kind: Annotated[str, typer.Option(help="Only those of this kind.")] = "",
    size: Annotated[
        int, typer.Option(min=64, max=1024, help="Pixels a side of each picture.")
    ] = 320,
) -> None:
    """List the recipes to begin with, or draw them."""
    from plough.core.kinds import make as make_asset
    from plough.core.presets import all_presets

    found = [p for p in all_presets() if kind in ("", p.kind)]
    if not found:
        raise ParameterError("--kind", f"there is no preset of the kind {kind!r}", value=kind)
    if sheet is None:
        for p in found:
            print(
                f"{p.name:24} {p.kind:6} {make_asset(p.kind, p.parameters, p.seed).mesh.triangles:>8,} triangles  {p.title}"
            )
        return
    import numpy as np

    from plough.core.formats.images import png
    from plough.core.library import Library, variant_of

    library = Library()
    columns = math.ceil(math.sqrt(len(found) * 1.4))
    rows = math.ceil(len(found) / columns)
    image = np.full((rows * size, columns * size, 3), (228, 231, 222), np.uint8)
    for k, p in enumerate(found):
        r, c = divmod(k, columns)
        variant = variant_of(p.name, p.title, p.kind, p.parameters, p.seed, {})
        picture = library.picture(variant, (size, size))
        image[r * size : (r + 1) * size, c * size : (c + 1) * size] = picture
    sheet.parent.mkdir(parents=True, exist_ok=True)
    sheet.write_bytes(png(image))
    print(f"{sheet}: {len(found)} presets")


scene = typer.Typer(no_args_is_help=True, help="Scene documents.")
app.add_typer(scene, name="scene")


@scene.command("demo")
def scene_demo() -> None:
    """Print the demo scene's document."""
    from plough.core.demo import teasel_fen
    from plough.core.scene.document import write_document

    sys.stdout.write(write_document(teasel_fen()).decode() + "\n")


@scene.command("check")
def scene_check(path: Path) -> None:
    """Read a scene document and say what it holds."""
    from plough.core.scene.document import read_document

    document = read_document(_read(path))
    print(
        f"{path}: {document.name!r}, version {document.version}, {len(document.layers)} layers, {len(document.assets)} assets"
    )


def _read(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise ParameterError(str(path), f"cannot be read: {error.strerror}") from None


def _evaluated(
    path: Path, files: Path | None, asked: Callable[[SceneDocument], SceneDocument] = lambda d: d
) -> tuple[Evaluation, Library]:
    """As `_came_to`. Raises `FormatError` where a file is missing: a pipeline is not to go on without."""
    evaluation, library = _came_to(path, files, asked)
    for finding in (f for layer in evaluation.layers for f in layer.output.findings):
        if finding.code == "missing-file":
            raise FormatError(finding.text)
    return evaluation, library


def _came_to(
    path: Path, files: Path | None, asked: Callable[[SceneDocument], SceneDocument] = lambda d: d
) -> tuple[Evaluation, Library]:
    """What a scene document comes to, and what it was made with; `asked` changes it before."""
    from plough.core.demo import demo_file
    from plough.core.formats.folder import folder_loader
    from plough.core.library import Library
    from plough.core.scene import Evaluator, read_document

    library = Library(load=partial(demo_file, besides=folder_loader(files)) if files else demo_file)
    return Evaluator(library).evaluate(asked(read_document(_read(path)))), library


@app.command()
def mesh(
    files: Annotated[list[Path], typer.Argument(help="GLB, OBJ with MTL and images, STL, PLY.")],
    keep_in: Annotated[Path, typer.Option("--files", help="The folder to keep them in.")],
) -> None:
    """Read meshes of one's own; each is kept, what is wrong with it told, and its asset printed as JSON."""
    from plough.core.build.report import report
    from plough.core.formats.folder import keep
    from plough.core.formats.meshes import BESIDE, FORMATS, ending
    from plough.core.formats.model import unpack
    from plough.core.formats.reading import read_apart
    from plough.core.parameters import with_values

    beside = {f.name: _read(f) for f in files if ending(f.name) in BESIDE}
    for file in (f for f in files if ending(f.name) not in BESIDE):
        if ending(file.name) not in FORMATS:
            known = ", ".join(FORMATS)
            raise ParameterError(file.name, f"is not read; meshes come as {known}", limit=known)
        packed = read_apart(file.name, _read(file), beside)
        found = report(unpack(packed))
        told = dict(found.parameters)
        for fault in found.faults:
            print(f"{file.name}: {fault.text}", file=sys.stderr)
            told |= fault.mend if fault.advised else {}
        parameters = with_values({"source": keep(keep_in, packed)}, told)
        asset = {"kind": "mesh", "name": file.stem, "parameters": parameters, "seeds": [1]}
        print(json.dumps(asset))


@app.command()
def heights(
    file: Annotated[Path, typer.Argument(help="PNG, TIFF, or raw 16 bits.")],
    keep_in: Annotated[Path, typer.Option("--files", help="The folder to keep it in.")],
) -> None:
    """Read a height map; it is kept, and the parameters of a ground that is made from it are printed as JSON."""
    from plough.core.formats.folder import keep
    from plough.core.formats.heights import unpack_heights
    from plough.core.formats.reading import read_heights_apart
    from plough.core.scene.registry import begun_with

    packed = read_heights_apart(file.name, _read(file))
    found = unpack_heights(packed)
    print(f"{file.name}: {found.size[0]} x {found.size[1]}, {found.told}", file=sys.stderr)
    if found.holes:
        print(f"{file.name}: {found.holes:,} samples held nothing", file=sys.stderr)
    print(json.dumps(begun_with(found, keep(keep_in, packed))))


@app.command()
def mask(
    path: Path,
    layer: Annotated[str, typer.Argument(help="The id of a layer that places by rule.")],
    out: Out,
    side: Annotated[int, typer.Option(help="Points a side.")] = 1024,
    files: Files = None,
) -> None:
    """Write where the rule of a layer lets things stand, as an image of 8 bits over the whole ground."""
    from plough.core.scene.masks import mask_of

    evaluation, _ = _evaluated(path, files)
    data = mask_of(evaluation, layer, side)
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_bytes(data)
    print(f"{out}: {len(data):,} bytes")


@app.command()
def blocks(
    path: Path,
    layer: Annotated[str, typer.Argument(help="The id of a layer that is laid of blocks.")],
    out: Out,
    files: Files = None,
) -> None:
    """Write the blocks of a layer in the order in which they are laid: a table (.csv), or with the plane of each (.json)."""
    from plough.core.scene.laid import blocks_of

    evaluation, _ = _evaluated(path, files)
    found = blocks_of(evaluation, layer)
    out.parent.mkdir(parents=True, exist_ok=True)
    text = found.as_json() if out.suffix.lower() == ".json" else found.as_csv()
    out.write_text(text, encoding="utf-8", newline="")
    print(f"{out}: {len(found):,} blocks")


@app.command()
def ground(path: Path, out: Out, files: Files = None) -> None:
    """Write a scene's ground: a height map (.png of 16 bits, .tif of floats, .raw of 16 bits), a mesh (.glb) or splat maps (.zip)."""
    from plough.core.bake.bundle import embedded_images
    from plough.core.bake.ground_file import MEDIA, ground_file

    form = out.suffix[1:].lower()
    if form not in MEDIA:
        known = ", ".join(MEDIA)
        raise ParameterError("--out", f"ends in {out.suffix!r}; it may end in {known}", limit=known)
    evaluation, library = _evaluated(path, files)
    images = embedded_images(library.cache)
    data, told = ground_file(evaluation.ground, form, images)
    out.parent.mkdir(parents=True, exist_ok=True)
    out.write_bytes(data)
    print(f"{out}: {told}, {len(data):,} bytes")


@app.command()
def findings(
    path: Path,
    files: Files = None,
    as_json: Annotated[bool, typer.Option("--json", help="One JSON object for each.")] = False,
) -> None:
    """Print what is wrong in a scene; the exit code is 1 where anything is."""
    from plough.core.scene.trouble import trouble

    evaluation, library = _came_to(path, files)
    found = trouble(evaluation, library, [f.id for f in evaluation.document.settings.left])
    names = {r.layer.id: r.layer.name for r in evaluation.layers}
    for finding in found.findings:
        at = finding.place
        where = f" at ({at[0]:.1f}, {at[1]:.1f}, {at[2]:.1f})" if at else ""
        told = {"layer": finding.layer, "code": finding.code, "text": finding.text, "place": at}
        line = f"{names.get(finding.layer, 'the scene')}: {finding.text}{where} [{finding.code}]"
        print(json.dumps(told) if as_json else line)
    if not as_json:
        more = found.count - len(found.findings)
        left = f"; {found.left:,} left as they are" if found.left else ""
        print(f"{found.count:,} found{f', {more:,} of them not listed' if more else ''}{left}")
    if found.count:
        raise typer.Exit(1)


@app.command()
def geojson(
    path: Annotated[Path, typer.Argument(help="A scene document.")],
    out: Out,
    read: Annotated[
        Path | None, typer.Option(help="A GeoJSON file whose lines and polygons become layers.")
    ] = None,
    degrees: Annotated[bool, typer.Option(help="Its coordinates are degrees.")] = False,
) -> None:
    """Write a scene's paths and areas as GeoJSON; with --read, the scene document with those of a file as well."""
    from plough.core.formats.geojson import read_geojson, write_geojson
    from plough.core.scene.document import Layer, read_document, write_document
    from plough.core.scene.outlines import layers_of, shapes_of

    document = read_document(_read(path))
    if read is None:
        shapes = shapes_of(document)
        out.write_bytes(write_geojson(shapes))
        print(f"{out}: {len(shapes)} lines and areas")
        return
    made, told = layers_of(read_geojson(_read(read), degrees))
    for line in told:
        print(f"{read}: {line}", file=sys.stderr)
    first, *rest = document.layers
    taken = {layer.id for layer in document.layers}
    ids = (i for i in (f"line-{n}" for n in count(1)) if i not in taken)
    added = [Layer(id=next(ids), kind=m.kind, name=m.name, parameters=m.parameters) for m in made]
    out.write_bytes(write_document(document.model_copy(update={"layers": (first, *added, *rest)})))
    print(f"{out}: {len(made)} layers were added")


@app.command()
def bake(
    path: Annotated[Path, typer.Argument(help="A scene document.")],
    out: Out,
    files: Files = None,
    profile: Annotated[
        str | None,
        typer.Option(
            help="For which target: phone, console, high-end, film, or one of the scene's own; by default as the scene says."
        ),
    ] = None,
    only: Annotated[
        str,
        typer.Option(help="Ids of layers with commas between them; the ground comes with them."),
    ] = "",
    set_: Annotated[
        list[str] | None,
        typer.Option(
            "--set", help="NAME=VALUE of the bake, such as packing=meshopt; may be repeated."
        ),
    ] = None,
    format_: Annotated[
        str,
        typer.Option(
            "--format",
            help="whole, tiles, tileset (3D Tiles) or stage (OpenUSD beside); by default as the scene says.",
        ),
    ] = "",
    as_json: Annotated[
        bool,
        typer.Option(
            "--json", help="A line of JSON for each part as it is done, and one in the end."
        ),
    ] = False,
    cache: Annotated[
        Path | None,
        typer.Option(
            "--cache", help="A folder of earlier bakes: what is the same is copied from there."
        ),
    ] = None,
    workers: Processes = 0,
    scheduler: Scheduler = "",
) -> None:
    """Bake a scene document into a folder: the scene or its tiles, placements, manifest.json, levels/, images/."""
    from plough.core.bake.folder import key_of_bake, opened, workers_of
    from plough.core.bake.pieces import Damaged, Stored
    from plough.core.scene.weight import PROFILES

    if format_ and format_ not in _FORMATS:
        raise ParameterError(
            "--format",
            f"there is no format {format_!r}; formats are {', '.join(_FORMATS)}",
            value=format_,
        )
    settings = {**_FORMATS.get(format_, {}), **_settings(set_ or [])}
    names = sorted(f.name for f in files.iterdir()) if files and files.is_dir() else []
    key = key_of_bake(_read(path), profile, only, settings, names)

    def asked(document: SceneDocument) -> SceneDocument:
        from plough.core.parameters import with_values

        own = document.settings
        known = [*PROFILES, *(p.id for p in own.profiles)]
        if profile is not None and profile not in known:
            raise ParameterError(
                "--profile",
                f"there is no profile {profile!r}; profiles are {', '.join(known)}",
                value=profile,
            )
        own = own.model_copy(update={"profile": profile} if profile else {})
        *layers, last = document.layers
        last = last.model_copy(update={"parameters": with_values(last.parameters, settings)})
        return document.model_copy(update={"settings": own, "layers": (*layers, last)})

    def write(found: dict[str, Stored]) -> None:
        for file, stored in found.items():
            target = out / file
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_bytes(pieces.read(stored))

    def say(done: int, known: int, name: str) -> None:
        if as_json:
            print(json.dumps({"done": done, "known": known, "part": name}), flush=True)
        else:
            print(f"\r{done} of {known} · {name:<60}", end="", file=sys.stderr, flush=True)

    def made() -> dict[str, Stored]:
        whole = pieces.known([key]).get(key)
        if whole is not None:
            write(whole.files)
            return whole.files
        from plough.core.bake.bundle import Baker

        evaluation, library = _evaluated(path, files, asked)
        layers = [name for name in only.split(",") if name]
        baker = Baker(evaluation, library, layers, pieces, graph)
        known = len(baker.parts())
        for done, (name, new) in enumerate(baker.run(), start=1):
            say(done, known, name)
            write(new)
        if not as_json:
            print(file=sys.stderr)
        pieces.keep(key, baker.files)
        return baker.files

    with opened(cache, shared=workers > 0) as (pieces, folder):
        graph = workers_of(folder, files, workers, scheduler)
        try:
            for attempt in range(_ATTEMPTS):
                try:
                    found = made()
                    break
                except Damaged as error:  # it is forgotten, and made anew
                    print(f"plough: {error}; it is made anew", file=sys.stderr)
                    if attempt == _ATTEMPTS - 1:
                        raise FormatError(f"{cache} is damaged; use another folder") from None
        finally:
            graph.close()
    _baked(out, len(found), sum(s.bytes for s in found.values()), as_json)


def _baked(out: Path, files: int, size: int, as_json: bool) -> None:
    told = {"out": str(out), "files": files, "bytes": size}
    print(json.dumps(told) if as_json else f"{out}: {files} files, {size:,} bytes")


Host = Annotated[str, typer.Option(envvar="PLOUGH_HOST", help="Address to listen on.")]
Port = Annotated[int, typer.Option(envvar="PLOUGH_PORT", min=1, max=65_535)]


@app.command()
def demo(host: Host = "127.0.0.1", port: Port = 8321) -> None:
    """Start Plough with the demo scene."""
    from plough.service.run import serve as run

    run(host, port, demo=True)


@app.command()
def serve(host: Host = "127.0.0.1", port: Port = 8321) -> None:
    """Start Plough."""
    from plough.service.run import serve as run

    run(host, port, demo=False)


@app.command()
def library(
    host: Host = "127.0.0.1",
    port: Annotated[int, typer.Option(min=1, max=65535, help="Port to listen on.")] = 8322,
) -> None:
    """Serve a small asset library to try things out with; PLOUGH_LIBRARY=http://HOST:PORT connects Plough to it."""
    import uvicorn

    from plough.outside.standin import create_library
    from plough.service.run import check_port

    check_port(host, port)
    print(f"The asset library is at http://{host}:{port}", flush=True)
    uvicorn.run(create_library(), host=host, port=port, log_level="warning")


@app.command()
def work(
    connect: Annotated[
        str, typer.Option(envvar="PLOUGH_DATABASE_URL", help="Address of the database.")
    ] = "",
    workers: Processes = 0,
    scheduler: Scheduler = "",
) -> None:
    """Take jobs of a running Plough until stopped."""
    import asyncio

    from plough.service.run import database
    from plough.service.work import work as run

    if connect:
        asyncio.run(run(connect, workers, scheduler))
        return
    with database() as url:
        asyncio.run(run(url, workers, scheduler))


@app.command()
def account(
    name: str,
    password: Annotated[str, typer.Option(prompt=True, hide_input=True, confirmation_prompt=True)],
) -> None:
    """Make an account."""
    from plough.service.accounts import create_account
    from plough.service.db.session import Database
    from plough.service.run import database

    if not 1 <= len(name) <= 40 or len(password) < 8:
        raise ParameterError(
            "account", "the name takes 1 to 40 characters, the password at least 8"
        )
    with database() as url:
        store = Database(url)
        with store.session() as db:
            create_account(db, name, password)
        store.close()
    print(f"account {name} is there")


@app.command(hidden=True)
def openapi() -> None:
    """Print the API's schema."""
    from plough.service.app import create_app

    print(json.dumps(create_app("postgresql://nowhere/none").openapi(), indent=1))


@app.command(hidden=True)
def warm() -> None:
    """Compile every kernel once, so that the first click does not wait."""
    from plough.warming import compile_all

    compile_all()


def main() -> None:
    """Run; a mistake is one sentence on standard error and exit code 1."""
    try:
        sys.exit(app(standalone_mode=False))  # the code of `typer.Exit`, or nothing
    except PloughError as error:
        print(f"plough: {error}", file=sys.stderr)
        sys.exit(1)
    except typer.Abort:
        sys.exit(130)
    except Exception as error:
        if "click" in type(error).__module__:
            error.show()  # type: ignore[attr-defined]
            sys.exit(2)
        if isinstance(error, OSError):
            print(f"plough: {error}", file=sys.stderr)
            sys.exit(1)
        raise
