"""The command line: evaluate sheets with no database and no web.

spoon build SHEET --out FILE [--mesh NAME] [--level N]    write .glb or .obj
spoon gauges SHEET [--mesh NAME] [--level N]              print readings as JSON
spoon schema                                              print the JSON Schema of sheets
spoon verbs                                               print the reference page
"""

from __future__ import annotations

import argparse
import json
import math
import sys
from dataclasses import replace
from pathlib import Path

from glass_spoon.formats.gltf import NamedMesh, write_glb
from glass_spoon.formats.obj import write_obj
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.read_gauges import read_gauges
from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.gauges.whole_mesh import bounding_size, count_levels, count_sides
from glass_spoon.kernel.subdivision.catmull_clark import subdivide
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, json_schema, read_document
from glass_spoon.sheet.errors import SheetError
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.reference_page import write_reference

WRITERS = {".glb": write_glb, ".obj": write_obj}


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
        command.add_argument("sheet", type=Path, help="a sheet as JSON")
        command.add_argument("--mesh", help="name of one mesh; all without it")
        command.add_argument("--level", type=int, default=0, help="smoothing level, 0 to 6")
        command.set_defaults(run=run)
        if name == "build":
            command.add_argument("--out", type=Path, required=True, help="file to write: .glb or .obj")
    commands.add_parser("schema", help="print the JSON Schema").set_defaults(
        run=lambda options: print(json.dumps(json_schema(), indent=1))
    )
    commands.add_parser("verbs", help="print the reference page").set_defaults(
        run=lambda options: print(write_reference(), end="")
    )
    return parser


def _meshes(options: argparse.Namespace) -> tuple[SheetDocument, list[tuple[str, MeshItem]]]:
    """Evaluate the sheet and return the meshes asked for, smoothed."""
    document = read_document(options.sheet.read_bytes())
    build = evaluate(document, ResultCache())
    found = [(name, state.item) for name, state in build.named("mesh") if options.mesh in (None, name)]
    failures = failed_sentences(build)
    for sentence in failures:
        print(sentence, file=sys.stderr)
    meshes = [(name, item) for name, item in found if isinstance(item, MeshItem)]
    if not meshes:
        wanted = f"a mesh called {options.mesh}" if options.mesh else "a mesh"
        raise CannotRun(f"The sheet gives no such thing as {wanted}." if not failures else "Nothing could be built.")
    return document, [(name, replace(item, mesh=subdivide(item.mesh, options.level))) for name, item in meshes]


def failed_sentences(build: Build) -> list[str]:
    """Return one sentence for each line that failed."""
    return [
        f"Line {build.document.number_of(line_id) or line_id}: {finding.sentence}"
        for line_id, report in build.reports.items()
        for finding in report.findings
        if finding.severity == "failed"
    ]


def _build(options: argparse.Namespace) -> None:
    """Write the meshes to a file."""
    writer = WRITERS.get(options.out.suffix.lower())
    if writer is None:
        raise CannotRun(f"The file should end in {' or '.join(WRITERS)}.")
    document, meshes = _meshes(options)
    names = document.item_names()
    options.out.write_bytes(writer([NamedMesh(name, item.mesh, groups=item.group_names(names)) for name, item in meshes]))
    faces = sum(item.mesh.face_count for _, item in meshes)
    print(f"Wrote {faces:,} faces to {options.out}.")


def _gauges(options: argparse.Namespace) -> None:
    """Print the readings of the meshes as JSON."""
    document, meshes = _meshes(options)
    limits = document.limits.for_gauges()
    result = {
        name: {
            "faces": count_sides(item.mesh.topology),
            "levels": count_levels(item.mesh.topology),
            "size": bounding_size(item.mesh).tolist(),
            "gauges": [_reading(reading) for reading in read_gauges(item.mesh, item.surface, limits)],
        }
        for name, item in meshes
    }
    print(json.dumps(result, indent=1))


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


if __name__ == "__main__":
    sys.exit(main())
