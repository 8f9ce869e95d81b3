"""Wavefront OBJ out and in: polygons kept as they are, with uv, normals and groups.

What is written is in millimetres, Z up, said in the header.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.read_mesh import MOST_BYTES, Progress, ReadMesh, UnreadableMesh, checked_mesh, untold
from glass_spoon.kernel.arrays import AnyInts, Floats, Ints
from glass_spoon.kernel.meshes.shading import shade_normals, sharp_edges, split_at_creases

MEDIA_TYPE = "model/obj"

BLOCK = 200_000
"""Lines that are read at a time."""

_UNIT = re.compile(
    r"^#.*\bunits?\b\W+(millimet\w+|centimet\w+|met\w+|inch\w*|f(?:oo|ee)t|mm|cm|m|in)\b", re.IGNORECASE | re.MULTILINE
)
_UNIT_WORDS = {
    **dict.fromkeys(("mm", "millimetre", "millimetres", "millimeter", "millimeters"), 1.0),
    **dict.fromkeys(("cm", "centimetre", "centimetres", "centimeter", "centimeters"), 10.0),
    **dict.fromkeys(("m", "metre", "metres", "meter", "meters"), 1000.0),
    **dict.fromkeys(("in", "inch", "inches"), 25.4),
    **dict.fromkeys(("foot", "feet"), 304.8),
}


def write_obj(meshes: list[NamedMesh]) -> bytes:
    """Return an OBJ file of meshes, an `o` line each and a `g` line for each of its groups; quads stay quads."""
    parts = ["# Glass Spoon\n# units: millimetres, Z up\n"]
    first = np.array([1, 1, 1])
    for item in meshes:
        text, used = _object(item, first)
        parts.append(text)
        first = first + used
    return "".join(parts).encode()


def _object(item: NamedMesh, first: np.ndarray) -> tuple[str, np.ndarray]:
    """Return the text of one mesh whose indices start at `first` (vertex, uv, normal), and how many of each it used."""
    mesh = item.mesh
    shade = split_at_creases(mesh.topology, sharp_edges(mesh))
    normals = shade_normals(mesh, shade)
    name = " ".join(item.name.split()) or "mesh"
    parts = [f"o {name}\n", _rows("v", mesh.positions)]
    columns = [mesh.topology.face_corners.astype(np.int64) + first[0]]
    uv_count = 0
    uv = mesh.corners.get("uv")
    if uv is not None:
        rounded: Floats = np.asarray(np.round(uv, 9), dtype=np.float64)
        unique, inverse = np.unique(rounded, axis=0, return_inverse=True)
        uv_count = len(unique)
        parts.append(_rows("vt", unique))
        columns.append(inverse.ravel() + first[1])
    parts.append(_rows("vn", normals))
    columns.append(shade.of_corner + first[2])
    corners, pattern = np.column_stack(columns), "%d/%d/%d" if uv_count else "%d//%d"
    groups = item.face_groups()
    if not groups:
        parts.append(_faces(mesh.topology.face_sides, corners, pattern))
    for group, faces in groups:
        chosen = np.zeros(mesh.face_count, dtype=bool)
        chosen[faces] = True
        parts.append(f"g {' '.join(group.split()) or 'group'}\n")
        parts.append(_faces(mesh.topology.face_sides[chosen], corners[chosen[mesh.topology.face_of_corner]], pattern))
    return "".join(parts), np.array([mesh.point_count, uv_count, len(normals)])


def _rows(word: str, values: Floats) -> str:
    """Return one line a row, nine significant digits."""
    row = word + " %.9g" * values.shape[1] + "\n"
    return (row * len(values)) % tuple((values + 0.0).ravel().tolist())


def _faces(sides: AnyInts, corners: Ints, pattern: str) -> str:
    """Return one `f` line a face from its sides (f,) and the index columns (h, k) of its corners."""
    counts = sides.tolist()
    lines = {count: "f " + " ".join([pattern] * count) + "\n" for count in set(counts)}
    return "".join(map(lines.__getitem__, counts)) % tuple(corners.ravel().tolist())


def read_obj(data: bytes, progress: Progress = untold) -> ReadMesh:
    """Return the mesh of an OBJ file: polygons, uv and groups kept; lines, points and curves are left out and told.

    The unit is taken from a comment `units: …` where there is one. Raises UnreadableMesh.
    """
    if len(data) > MOST_BYTES:
        raise UnreadableMesh(f"The file has {len(data):,} bytes; the most is {MOST_BYTES:,}.")
    text = data.decode("utf-8", "replace").replace("\\\n", " ").replace("\r", "\n")
    lines = text.split("\n")
    progress(0.1)
    positions = _numbers([line[2:] for line in lines if line.startswith(("v ", "v\t"))], 3, "v", _part(progress, 0.1, 0.3))
    texture = _numbers([line[3:] for line in lines if line.startswith(("vt ", "vt\t"))], 2, "vt", _part(progress, 0.3, 0.4))
    faces, groups, names = _face_lines(lines)
    if not len(positions) or not faces:
        raise UnreadableMesh("The file holds no faces. Is it an OBJ file of polygons?")
    columns, sides = _corner_columns(faces, _part(progress, 0.45, 0.85))
    corners = _from_one(columns[:, 0], len(positions), "points")
    uv = None
    if len(texture) and (columns[:, 1] != 0).all():
        uv = texture[_from_one(columns[:, 1], len(texture), "uv values")]
    mesh, told = checked_mesh(positions, corners, np.concatenate(([0], np.cumsum(sides))), uv, groups)
    other = sum(1 for line in lines if line[:2] in ("l ", "p ") or line.startswith(("curv", "surf")))
    if other:
        told += (f"{other:,} lines, points or curves of the file are no faces and were left out.",)
    return ReadMesh(mesh, _said_unit(text), tuple(names), told)


def _part(progress: Progress, start: float, end: float) -> Progress:
    """Return the progress of a step that is done between two shares of the whole."""
    return lambda share: progress(start + (end - start) * share)


def _blocks(rows: list[str], progress: Progress) -> Iterator[list[str]]:
    """Yield rows some at a time, and tell the share after each."""
    for first in range(0, len(rows), BLOCK):
        yield rows[first : first + BLOCK]
        progress(min((first + BLOCK) / len(rows), 1.0))


def _numbers(rows: list[str], width: int, word: str, progress: Progress) -> Floats:
    """Return the first numbers (n, width) of rows of one kind; more of them, as weights and colours, are not used."""
    blocks = [_block_numbers(block, width, word) for block in _blocks(rows, progress)]
    return np.concatenate(blocks) if blocks else np.zeros((0, width))


def _block_numbers(rows: list[str], width: int, word: str) -> Floats:
    """Return the first numbers (n, width) of some rows."""
    columns = len(rows[0].split())
    try:
        flat = np.array(" ".join(rows).split(), dtype=np.float64)
        if columns < width or len(flat) != columns * len(rows):
            flat = np.array([row.split()[:width] for row in rows], dtype=np.float64).ravel()
            columns = width
    except ValueError as error:
        raise UnreadableMesh(f"A line of the file that starts with {word} does not hold {width} numbers.") from error
    return np.ascontiguousarray(flat.reshape(len(rows), columns)[:, :width])


def _face_lines(lines: list[str]) -> tuple[list[str], Ints, list[str]]:
    """Return the corners of all faces as text, the number of the group (f,) of each, and the groups' names."""
    faces: list[str] = []
    starts: list[tuple[int, str]] = []
    for line in lines:
        if line.startswith(("f ", "f\t")):
            faces.append(line[2:])
        elif line.startswith(("g ", "o ")):
            starts.append((len(faces), " ".join(line[2:].split()) or "group"))
    names = ["mesh"] if not starts or starts[0][0] > 0 else []
    numbers = np.zeros(len(faces), dtype=np.int64)
    known: dict[str, int] = {name: k for k, name in enumerate(names)}
    ends = [first for first, _ in starts[1:]] + [len(faces)]
    for (first, name), last in zip(starts, ends, strict=False):
        if last > first:
            number = known.setdefault(name, len(known))
            numbers[first:last] = number
    return faces, numbers, list(known)


def _corner_columns(faces: list[str], progress: Progress) -> tuple[Ints, Ints]:
    """Return the vertex and uv numbers (h, 2) of all corners, 0 where there is none, and the sides (f,) of each face."""
    columns, sides = [], []
    try:
        for block in _blocks(faces, progress):
            sides.append(np.array([len(face.split()) for face in block], dtype=np.int64))
            columns.append(_block_columns(" ".join(block), int(sides[-1].sum())))
    except ValueError as error:
        raise UnreadableMesh("A face of the file names its points by other than whole numbers.") from error
    return np.concatenate(columns), np.concatenate(sides)


def _block_columns(text: str, total: int) -> Ints:
    """Return the vertex and uv numbers (total, 2) of corners as text: `1`, `1/2`, `1//3` or `1/2/3`, or some of each."""
    slashes = text.count("/")
    if not slashes:
        return _with_uv(_whole_numbers(text, total))
    if slashes == 2 * total and text.count("//") == total:
        return _with_uv(_whole_numbers(text.replace("//", " "), 2 * total)[::2])
    width = slashes // total + 1
    if "//" not in text and slashes == (width - 1) * total:
        return _whole_numbers(text.replace("/", " "), width * total).reshape(total, width)[:, :2]
    rows = [[*corner.split("/"), "0"][:2] for corner in text.split()]
    return np.array([[a or "0", b or "0"] for a, b in rows], dtype=np.int64)


def _whole_numbers(text: str, count: int) -> Ints:
    """Return so many whole numbers of a text; raises ValueError for others."""
    numbers = np.fromstring(text, dtype=np.int64, sep=" ")
    if len(numbers) != count:
        raise ValueError("not so many numbers")
    return numbers


def _with_uv(vertices: Ints) -> Ints:
    """Return columns (h, 2) of vertices without uv."""
    return np.column_stack((vertices, np.zeros(len(vertices), dtype=np.int64)))


def _from_one(numbers: Ints, count: int, noun: str) -> Ints:
    """Return indices from 0 of numbers from 1, or from -1 backwards; raises UnreadableMesh for those outside.

    Numbers below zero count back from the last of the file, as all of them stand before the faces that use them.
    """
    result = np.where(numbers > 0, numbers - 1, count + numbers)
    if len(result) and (result.min() < 0 or result.max() >= count):
        raise UnreadableMesh(f"Some faces name {noun} that the file does not hold. Export it again.")
    return np.asarray(result)


def _said_unit(text: str) -> float | None:
    """Return the millimetres of the unit that a comment at the start names, None where none does."""
    found = _UNIT.search(text[:4000])
    return _UNIT_WORDS.get(found[1].lower()) if found else None
