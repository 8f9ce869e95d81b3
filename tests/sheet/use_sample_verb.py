"""What a verb from outside is tried with, in a process that was told of it (SPOON_VERBS): prints what it found as JSON."""

from __future__ import annotations

import io
import json
import os
import sys
import tempfile
from contextlib import redirect_stdout
from pathlib import Path

import numpy as np

from glass_spoon import command
from glass_spoon.kernel.meshes.origin import check_origin
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import json_schema, read_document
from glass_spoon.sheet.edit import add_line, default_line
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.reference_page import write_reference
from tests.kernel.test_origin import assert_edges_lie_on_their_own, bearing
from tests.mesh_checker import check_result
from tests.sheet.sample_verb import fan_faces
from tests.zoo import grid_mesh

LINES = [
    {"id": "a", "verb": "simple", "gives": "ball", "form": "sphere", "radius": 10},
    {"id": "b", "verb": "mesh", "gives": "ball mesh", "surface": "a", "round": 16, "along": 8},
    {"id": "m", "verb": "mark", "gives": "upper", "mesh": "b", "what": "faces in a band", "low": 5, "high": 20},
]


def main() -> None:
    """Try it in the core, on the command line and on the page."""
    flat = bearing(grid_mesh(3, 2))
    done = fan_faces(flat, np.array([True, False, False, True, False, False]))
    check_origin(done)
    check_result(done.mesh)
    assert_edges_lie_on_their_own(flat, done.mesh)
    places = done.mesh.positions[done.mesh.topology.face_corners]
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "name": "Try", "lines": LINES})
    line = default_line(document, "fan")
    document = add_line(document, line)
    build = evaluate(document, ResultCache())
    item = build.items["b"].item
    check_result(item.mesh, closed=True)
    with tempfile.TemporaryDirectory() as folder:
        sheet, out = Path(folder) / "sheet.json", Path(folder) / "out.obj"
        sheet.write_text(document.to_json())
        sys.argv = ["spoon", "build", str(sheet), "--out", str(out)]
        with redirect_stdout(io.StringIO()):
            command.main()
        faces = sum(row.startswith("f ") for row in out.read_text().splitlines())
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
    import django

    django.setup()
    from django.conf import settings
    from django.test import RequestFactory

    settings.STORAGES["staticfiles"]["BACKEND"] = "django.contrib.staticfiles.storage.StaticFilesStorage"

    from glass_spoon.studio.show.sheet_rows import chapters
    from glass_spoon.studio.views.reference import verbs

    page = verbs(RequestFactory().get("/verbs/")).content.decode()
    rows = [row for chapter in chapters(build, None) for row in chapter.rows if row.id == line.id]
    found = {
        "corners follow": bool(np.allclose(done.mesh.corners["place"], places)),
        "words": [proposal.verb for proposal in propose("poke the upper faces", document)][:1],
        "told": build.reports[line.id].told,
        "status": build.reports[line.id].status,
        "signed": [[maker.line, maker.role] for maker in item.makers],
        "pieces": int(item.mesh.faces["piece"].max(initial=0)) if "piece" in item.mesh.faces else 0,
        "before": evaluate(read_document({**document.model_dump(), "lines": LINES}), ResultCache())
        .items["b"]
        .item.mesh.face_count,
        "faces": item.mesh.face_count,
        "written": faces,
        "reference": "Fan marked faces into triangles" in write_reference(),
        "page": "Fan marked faces into triangles" in page,
        "schema": "Fan" in json_schema()["$defs"],
        "row": [part.text.strip() for part in rows[0].parts if part.text.strip()][:2],
    }
    sys.stdout.write(json.dumps(found) + "\n")


if __name__ == "__main__":
    main()
