"""The command line: evaluate sheets with no database and no web.

spoon build SHEET --out FILE [--item NAME] [--level N] [--view VIEW]
    write meshes (.glb .obj .usdc .stl .ply), surfaces (.step) or curves (.dxf .svg)
spoon gauges SHEET [--mesh NAME] [--level N]              print readings as JSON
spoon survive SHEET [--share PERCENT] [--json]            vary every number and tell what does not rebuild
spoon write SHEET FILE                                    write a sheet as Markdown (.md) or JSON (.json)
spoon schema                                              print the JSON Schema of sheets
spoon verbs                                               print the reference page
spoon grammar                                             print the page of the written form

A SHEET is a file of either form.
"""

from __future__ import annotations

import argparse
import json
import math
import sys
from pathlib import Path

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.read_bodies import read_bodies, read_bodies_beside
from glass_spoon.kernel.gauges.read_gauges import read_gauges
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.gauges.whole_mesh import bounding_size, count_levels, count_sides
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import json_schema
from glass_spoon.sheet.errors import SheetError
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.files_out import ALL_FORMATS, CURVE_FORMATS, MESH_FORMATS, named_meshes, write_curves, write_surfaces
from glass_spoon.sheet.items import BodiesItem, Item, MeshItem
from glass_spoon.sheet.planes import PLANE_AXES
from glass_spoon.sheet.read_sheet import read_sheet
from glass_spoon.sheet.reference_page import write_reference
from glass_spoon.sheet.survive import survive
from glass_spoon.sheet.text_form.grammar import write_grammar
from glass_spoon.sheet.text_form.write_text import write_text

ENDINGS = ", ".join(f".{ending}" for ending in ALL_FORMATS)


class CannotRun(Exception):
    """The command cannot do what was asked; the text says why."""


def main(arguments: list[str] | None = None) -> int:
    """Run the command; return its exit code: 0, or 2 with a sentence on standard error."""
    options = _parser().parse_args(arguments)
    try:
        options.run(options)
    except (CannotRun, SheetError, KernelError, OSError) as error:
        print(error, file=sys.stderr)
        return 2
    return 0


def _parser() -> argparse.ArgumentParser:
    """Return the parser of the command line."""
    parser = argparse.ArgumentParser(prog="spoon", description="Evaluate Glass Spoon sheets.")
    commands = parser.add_subparsers(required=True)
    for name, run, text in (("build", _build, "write the meshes of a sheet"), ("gauges", _gauges, "print the readings")):
        command = commands.add_parser(name, help=text)
        command.add_argument("sheet", type=Path, help="a sheet as JSON or Markdown")
        command.add_argument("--item", "--mesh", dest="item", help="name of one item; all without it")
        command.add_argument("--level", type=int, default=0, help="smoothing level, 0 to 6")
        command.set_defaults(run=run)
        if name == "build":
            command.add_argument(
                "--out", type=Path, required=True, help=f"file to write: {', '.join(f'.{e}' for e in ALL_FORMATS)}"
            )
            command.add_argument("--view", choices=tuple(PLANE_AXES), default="front", help="view of an SVG drawing")
    trial = commands.add_parser("survive", help="vary every number of a sheet and tell what does not rebuild")
    trial.add_argument("sheet", type=Path, help="a sheet as JSON or Markdown")
    trial.add_argument("--share", type=float, default=20.0, help="by how many percent each number is changed, both ways")
    trial.add_argument("--json", action="store_true", help="print the results as JSON")
    trial.set_defaults(run=_survive)
    written = commands.add_parser("write", help="write a sheet in the other form")
    written.add_argument("sheet", type=Path, help="a sheet as JSON or Markdown")
    written.add_argument("out", type=Path, help="file to write: .md or .json")
    written.set_defaults(run=_write)
    commands.add_parser("schema", help="print the JSON Schema").set_defaults(
        run=lambda options: print(json.dumps(json_schema(), indent=1))
    )
    commands.add_parser("verbs", help="print the reference page").set_defaults(
        run=lambda options: print(write_reference(), end="")
    )
    commands.add_parser("grammar", help="print the page of the written form").set_defaults(
        run=lambda options: print(write_grammar(), end="")
    )
    return parser


def _built(options: argparse.Namespace) -> tuple[Build, str]:
    """Evaluate the sheet, tell what failed, and return the build and the id of the item asked for, "" for all."""
    document = read_sheet(options.sheet.read_bytes())
    build = evaluate(document, ResultCache())
    failures = failed_sentences(build)
    for sentence in failures:
        print(sentence, file=sys.stderr)
    if not options.item:
        return build, ""
    known = {document.item_name(item): item for item in build.items}
    if options.item not in known:
        there = ", ".join(sorted(known)) or "nothing"
        raise CannotRun(f"The sheet gives nothing called {options.item}. It gives {there}.")
    return build, known[options.item]


def failed_sentences(build: Build) -> list[str]:
    """Return one sentence for each line that failed."""
    return [
        f"Line {build.document.number_of(line_id) or line_id}: {finding.sentence}"
        for line_id, report in build.reports.items()
        for finding in report.findings
        if finding.severity == "failed"
    ]


def _build(options: argparse.Namespace) -> None:
    """Write meshes, surfaces or curves to a file."""
    ending = options.out.suffix.lower().removeprefix(".")
    if ending not in ALL_FORMATS:
        raise CannotRun(f"The file should end in {ENDINGS}.")
    build, item = _built(options)
    if ending in MESH_FORMATS:
        meshes = named_meshes(build, item, options.level)
        options.out.write_bytes(MESH_FORMATS[ending].write(meshes))
        print(f"Wrote {sum(one.face_count for one in meshes):,} faces to {options.out}.")
        return
    data = write_curves(build, item, ending, options.view) if ending in CURVE_FORMATS else write_surfaces(build, item)
    options.out.write_bytes(data)
    print(f"Wrote the {'curves' if ending in CURVE_FORMATS else 'surfaces'} to {options.out}.")


def _write(options: argparse.Namespace) -> None:
    """Write a sheet as Markdown or as JSON."""
    ending = options.out.suffix.lower()
    if ending not in (".md", ".json"):
        raise CannotRun("The file should end in .md or .json.")
    document = read_sheet(options.sheet.read_bytes())
    options.out.write_text(write_text(document) if ending == ".md" else f"{document.to_json()}\n")
    print(f"Wrote {len(document.lines)} lines to {options.out}.")


def _survive(options: argparse.Namespace) -> None:
    """Print how many changes of a sheet's numbers rebuild it, and what comes of the others."""
    if not 0 < options.share < 100:
        raise CannotRun("The share should be above 0 and below 100 percent.")
    found = survive(read_sheet(options.sheet.read_bytes()), options.share / 100)
    if options.json:
        results = [
            {
                "line": one.line,
                "field": one.trial.field,
                "label": one.label,
                "outcome": one.outcome,
                "sentence": one.sentence,
            }
            for one in found.results
        ]
        print(json.dumps({"share": found.share, "changes": len(results), "results": results}, indent=1))
        return
    print(f"{found.share:.1%} of {len(found.results):,} changes rebuild the part.")
    for result in found.faults:
        print(f"{result.label}: {result.outcome}. {result.sentence}")


def _gauges(options: argparse.Namespace) -> None:
    """Print the readings of the meshes as JSON."""
    build, item = _built(options)
    limits = build.document.limits.for_gauges()
    surfaces = {name: _stands_for(state.item) for name, state in build.named("mesh", "bodies")}
    meshes = named_meshes(build, item, options.level)
    result = {
        one.name: {
            "faces": count_sides(one.mesh.topology),
            "levels": count_levels(one.mesh.topology),
            "size": bounding_size(one.mesh).tolist(),
            "copies": 1 if one.places is None else len(one.places),
            "gauges": [_reading(reading) for reading in _readings_beside(one, meshes, surfaces[one.name], limits)],
        }
        for one in meshes
    }
    print(json.dumps(result, indent=1))


def _readings_beside(
    one: NamedMesh, meshes: list[NamedMesh], surface: NurbsSurface | SurfaceSet | None, limits: Limits
) -> list[Reading]:
    """Return the readings of a mesh, and what it does to the others where there are some."""
    others = [(other.mesh, other.places) for other in meshes if other is not one]
    if one.places is None:
        own = read_gauges(one.mesh, surface, limits)
    elif one.places.is_similar:
        own = read_bodies(one.mesh, surface, one.places, limits)
    else:
        own = read_gauges(one.written_out().mesh, None, limits)
    return own + ([read_bodies_beside(one.mesh, one.places, others)] if others else [])


def _stands_for(item: Item) -> NurbsSurface | SurfaceSet | None:
    """Return the surface that a mesh, or the body of bodies, stands for."""
    body = item.body if isinstance(item, BodiesItem) else item
    return body.surface if isinstance(body, MeshItem) else None


def _reading(reading: Reading) -> dict[str, object]:
    """Return a reading as plain JSON."""
    value = None if math.isnan(reading.value) else reading.value
    return {
        "gauge": reading.code,
        "value": value,
        "unit": reading.unit,
        "limit": reading.limit,
        "good": reading.is_good,
        "offenders": len(reading.offenders),
    }
