"""Write all parts of a project into one archive, in a job: meshes, surfaces and curves in open formats, and the sheets."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable, Iterator
from typing import Any

from glass_spoon.formats.apart import Unusable
from glass_spoon.formats.clean_text import whole_number
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.subdivision.catmull_clark import MAX_LEVEL
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.files_out import MESH_FORMATS, NothingToSend, named_meshes, write_curves, write_surfaces
from glass_spoon.sheet.text_form.write_text import write_text
from glass_spoon.studio.colours import PAINTS
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.send_out import file_name
from glass_spoon.studio.flows.watched_work import PATIENCE
from glass_spoon.studio.jobs import rows
from glass_spoon.studio.jobs.kinds import Done, does
from glass_spoon.studio.models import Job, Part, Project, Starter
from glass_spoon.studio.sentences import Refused

WRITE_PROJECT = "write a project"
"""The kind of the jobs."""

MOST_BYTES = 300_000_000
"""Most bytes of all files of a project before they are packed."""

CONTENTS = "contents.txt"


def start_project(user: int, project: Project, form: Any) -> Job:
    """Ask for the archive of a project, wait a moment, and return its job ready or under way; Refused for a bad form."""
    ending, level = str(form.get("format", "glb")), whole_number(str(form.get("level", "0")), MAX_LEVEL)
    if ending not in MESH_FORMATS:
        raise Refused("Choose glTF, OBJ, OpenUSD, PLY or STL for the meshes.")
    if level is None:
        raise Refused(f"The smoothing level should be 0 to {MAX_LEVEL}.")
    rows.sweep()
    order = {"project": project.pk, "format": ending, "level": level}
    order |= {"filename": f"{file_name(project.name, 'project')}.zip", "media_type": "application/zip"}
    return rows.wait_for(rows.make(WRITE_PROJECT, user, None, order), PATIENCE)


def find_project(token: str, user: int, project: Project) -> Job:
    """Return the job of a user that writes a project; Refused where there is none."""
    found = rows.find(WRITE_PROJECT, token, user, None)
    if found.order["project"] != project.pk:
        raise Refused(rows.GONE, 404)
    return found


STARTERS = "starters"
"""The folder of what the project keeps for its parts; no part has one of that name."""


@does(
    WRITE_PROJECT,
    told=(Refused, Unusable, KernelError),
    failed="The archive could not be written. The sheets are safe; try again.",
    lost="The archive was not written: the worker on it ended several times. Send large parts out one by one.",
)
def write_project(job: Job) -> Done:
    """Build every part of a project and write its files."""
    parts = list(Part.objects.filter(project_id=job.order["project"]).defer("thumbnail").order_by("name", "pk"))
    archive, told, names, size = io.BytesIO(), ["part\tfile\tbytes"], {STARTERS}, 0
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as box:
        for number, part in enumerate(parts):
            rows.tell(job, "writing", number / max(len(parts), 1))
            folder = _free(file_name(part.name, "part"), names)
            for name, data, said in _files(part.sheet(), job.order["format"], int(job.order["level"])):
                size += len(data)
                if size > MOST_BYTES:
                    raise Refused(f"The files have more than {MOST_BYTES:,} bytes. Send large parts out one by one.")
                if data:
                    box.writestr(f"{folder}/{name}", data)
                told.append(f"{part.name}\t{name}\t{said or f'{len(data)}'}")
        starters = set[str]()
        for starter in Starter.objects.filter(project_id=job.order["project"]):
            name = f"{STARTERS}/{_free(file_name(starter.name, 'starter'), starters)}.md"
            box.writestr(name, starter.text)
            told.append(f"starter {starter.name}\t{name}\t{len(starter.text.encode())}")
        box.writestr(CONTENTS, "\n".join(told) + "\n")
    return Done(archive.getvalue())


def _files(document: SheetDocument, ending: str, level: int) -> Iterator[tuple[str, bytes, str]]:
    """Yield name and content of each file of a part; no content, and why, for one that cannot be written."""
    name = file_name(document.name, "part")
    yield f"{name}.md", write_text(document).encode(), ""
    yield f"{name}.json", document.to_json().encode(), ""
    build = finished_build(document)
    for ending_now, write in _writers(build, ending, level):
        try:
            yield f"{name}.{ending_now}", write(), ""
        except NothingToSend:
            continue
        except (Refused, Unusable, KernelError) as error:
            yield f"{name}.{ending_now}", b"", f"not written: {error}"


def _writers(build: Build, ending: str, level: int) -> Iterator[tuple[str, Callable[[], bytes]]]:
    """Yield the ending of each file and what writes it."""
    document = build.document
    yield ending, lambda: MESH_FORMATS[ending].write(named_meshes(build, "", level))
    yield "step", lambda: write_surfaces(build, "", lambda item: PAINTS.get(document.look(item).colour))
    yield "dxf", lambda: write_curves(build, "", "dxf")


def _free(name: str, taken: set[str]) -> str:
    """Return a name that is not taken yet, and take it."""
    found, number = name, 1
    while found.lower() in taken:
        number += 1
        found = f"{name} {number}"
    taken.add(found.lower())
    return found
