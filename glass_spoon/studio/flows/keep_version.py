"""Keep named versions, compare them by numbers, restore them."""

from __future__ import annotations

from dataclasses import dataclass

from django.http import HttpRequest

from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.change_part import change_part
from glass_spoon.studio.flows.show_scene import gauged, readings_of, shown_items
from glass_spoon.studio.models import KeptVersion, Part
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.show.gauge_rows import FIRST, MORE, gauge_rows

COMPARED = (*FIRST, "face_budget", *MORE)


@dataclass(frozen=True)
class ComparedFigure:
    """One figure of a version beside the present one."""

    title: str
    then: str
    now: str

    @property
    def differs(self) -> bool:
        """True when the two read differently."""
        return self.then != self.now


def figures_of(document: SheetDocument) -> dict[str, str]:
    """Return the printed figures of a sheet's last mesh, by title, and the number of lines."""
    build = finished_build(document)
    item = gauged(shown_items(build, 0))
    readings: list[Reading] = readings_of(item, document.limits.for_gauges()) if item else []
    figures = {"Lines": str(len(document.lines))}
    if item:
        size = item.mesh.positions.max(axis=0) - item.mesh.positions.min(axis=0)
        figures["Size"] = "×".join(f"{value:.1f}" for value in size) + " mm"
    figures |= {row.title: row.text for row in gauge_rows(readings, COMPARED)}
    return figures


def keep_version(request: HttpRequest, part_id: int, name: str) -> KeptVersion:
    """Keep the present sheet under a name; Refused for an empty or taken name."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    name = " ".join(name.split())[:80]
    if not name:
        raise Refused("Give the version a name, such as “before the wider neck”.")
    if part.versions.filter(name=name).exists():
        raise Refused(f"There is a version called {name}. Choose another name.")
    return part.versions.create(name=name, document=part.document, figures=figures_of(part.sheet()), made_by=request.user)


def compare_version(part: Part, version: KeptVersion) -> list[ComparedFigure]:
    """Return the figures of a version beside the present ones."""
    now = figures_of(part.sheet())
    titles = list(dict.fromkeys([*now, *version.figures]))
    return [ComparedFigure(title, version.figures.get(title, "—"), now.get(title, "—")) for title in titles]


def restore_version(request: HttpRequest, part_id: int, version_id: int, revision: int) -> Part:
    """Make a kept version the present state; an edit like any other, so it can be undone."""
    version = KeptVersion.objects.filter(part_id=part_id, id=version_id).first()
    if version is None:
        raise Refused("This version is no longer here.", 404)
    document = read_document(version.document)
    return change_part(request, part_id, revision, lambda _: (document, f"version {version.name} restored"))
