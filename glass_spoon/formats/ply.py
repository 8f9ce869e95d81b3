"""PLY out and in (Turk, The PLY Polygon File Format, Stanford 1994): polygons kept, binary when written.

What is written is in millimetres, Z up, said in a comment.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.read_mesh import MOST_BYTES, Progress, ReadMesh, UnreadableMesh, checked_mesh, untold
from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes

MEDIA_TYPE = "model/ply"
_TYPES = {
    **dict.fromkeys(("char", "int8"), "i1"),
    **dict.fromkeys(("uchar", "uint8"), "u1"),
    **dict.fromkeys(("short", "int16"), "i2"),
    **dict.fromkeys(("ushort", "uint16"), "u2"),
    **dict.fromkeys(("int", "int32"), "i4"),
    **dict.fromkeys(("uint", "uint32"), "u4"),
    **dict.fromkeys(("float", "float32"), "f4"),
    **dict.fromkeys(("double", "float64"), "f8"),
}
_ORDERS = {"binary_little_endian": "<", "binary_big_endian": ">", "ascii": ""}


@dataclass(frozen=True)
class _Property:
    """A property: its name and type; for lists the type of their count as well."""

    name: str
    type: str
    count_type: str = ""


@dataclass(frozen=True)
class _Element:
    """An element of the header: its name, how many there are, and their properties."""

    name: str
    count: int
    properties: tuple[_Property, ...]


def write_ply(meshes: list[NamedMesh]) -> bytes:
    """Return a binary PLY file of all meshes as one, with normals where they have them."""
    mesh = gather_meshes([item.mesh for item in meshes])
    normals = mesh.points.get("normal", mesh.vertex_normals)
    header = (
        "ply\nformat binary_little_endian 1.0\ncomment Glass Spoon, units: millimetres, Z up\n"
        f"element vertex {mesh.point_count}\n"
        + "".join(f"property float {name}\n" for name in ("x", "y", "z", "nx", "ny", "nz"))
        + f"element face {mesh.face_count}\nproperty list uchar int vertex_indices\nend_header\n"
    )
    vertices = np.column_stack((mesh.positions, normals)).astype("<f4")
    return header.encode() + vertices.tobytes() + _face_bytes(mesh.topology.face_sides, mesh.topology.face_corners)


def _face_bytes(sides: NDArray[np.int32], corners: NDArray[np.int32]) -> bytes:
    """Return faces as a count of one byte and their vertices of four bytes each."""
    if len(sides) and sides.max() > 255:
        raise ValueError("a face with more than 255 sides")
    starts = np.concatenate(([0], np.cumsum(1 + 4 * sides.astype(np.int64))))
    data = np.zeros(int(starts[-1]), dtype=np.uint8)
    data[starts[:-1]] = sides
    first = np.repeat(starts[:-1] + 1, sides)
    place = np.arange(len(corners)) - np.repeat(np.cumsum(sides) - sides, sides)
    data[(first + 4 * place)[:, None] + np.arange(4)] = corners.astype("<i4").view(np.uint8).reshape(-1, 4)
    return data.tobytes()


@np.errstate(invalid="ignore", over="ignore")  # numbers that are none are told, see checked_mesh
def read_ply(data: bytes, progress: Progress = untold) -> ReadMesh:
    """Return the mesh of a PLY file, text or binary, faces of any sides. Raises UnreadableMesh."""
    if len(data) > MOST_BYTES:
        raise UnreadableMesh(f"The file has {len(data):,} bytes; the most is {MOST_BYTES:,}.")
    order, elements, comments, at = _header(data)
    positions: Floats | None = None
    corners, sides = np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    try:
        words = np.array(data[at:].split() if order == "" else [], dtype=np.bytes_)
        place = 0 if order == "" else at
        for number, element in enumerate(elements):
            progress(0.2 + 0.5 * number / len(elements))
            if order == "":
                table, lists, place = _text_rows(words, place, element)
            else:
                table, lists, place = _binary_rows(data, place, element, order)
            if element.name == "vertex":
                positions = np.column_stack([table[name] for name in ("x", "y", "z")]).astype(np.float64)
            elif element.name == "face":
                corners, sides = lists.get("vertex_indices", lists.get("vertex_index", (corners, sides)))
    except (ValueError, IndexError, KeyError, OverflowError) as error:
        raise UnreadableMesh("The PLY file is cut short, or holds other numbers than its header says.") from error
    if positions is None or not len(sides):
        raise UnreadableMesh("The file holds no faces. Export the mesh with its faces and try again.")
    mesh, told = checked_mesh(positions, corners, np.concatenate(([0], np.cumsum(sides))), None, None)
    return ReadMesh(mesh, 1.0 if any("millimetres" in comment for comment in comments) else None, (), told)


def _header(data: bytes) -> tuple[str, list[_Element], list[str], int]:
    """Return the byte order ("" for text), the elements, the comments, and where the body starts."""
    end = data.find(b"end_header")
    if not data.startswith(b"ply") or end < 0:
        raise UnreadableMesh("This is not a PLY file: it has no header. Export it again.")
    body = data.find(b"\n", end) + 1
    order, elements, comments = "", [], []
    for raw in data[:end].decode("ascii", "replace").splitlines():
        words = raw.split()
        if words[:1] == ["format"]:
            if len(words) < 2 or words[1] not in _ORDERS:
                raise UnreadableMesh("The PLY file has a format that is not known.")
            order = _ORDERS[words[1]]
        elif words[:1] == ["comment"]:
            comments.append(raw)
        elif words[:1] == ["element"] and len(words) == 3 and whole_number(words[2]) is not None:
            elements.append(_Element(words[1], int(words[2]), ()))
        elif words[:1] == ["property"] and elements:
            if len(words) < (5 if words[1:2] == ["list"] else 3):
                raise UnreadableMesh(f"The header of the PLY file is broken: {raw[:60]}.")
            one = _Property(words[4], words[3], words[2]) if words[1] == "list" else _Property(words[2], words[1])
            if any(kind and kind not in _TYPES for kind in (one.type, one.count_type)):
                raise UnreadableMesh(f"The PLY file has numbers of a kind that is not known: {raw[:60]}.")
            last = elements[-1]
            elements[-1] = _Element(last.name, last.count, (*last.properties, one))
    return order, elements, comments, body


Lists = dict[str, tuple[Ints, Ints]]
Table = dict[str, NDArray[np.float64]]


def _binary_rows(data: bytes, at: int, element: _Element, order: str) -> tuple[Table, Lists, int]:
    """Return the columns and the lists (values, counts) of an element, and where the next one starts."""
    if not any(one.count_type for one in element.properties):
        record = np.dtype([(one.name, order + _TYPES[one.type]) for one in element.properties])
        rows = np.frombuffer(data, record, element.count, at)
        return {one.name: rows[one.name] for one in element.properties}, {}, at + element.count * record.itemsize
    alike = _alike_rows(data, at, element, order)
    return alike if alike is not None else _mixed_rows(data, at, element, order)


def _alike_rows(data: bytes, at: int, element: _Element, order: str) -> tuple[Table, Lists, int] | None:
    """Return the rows of an element whose lists are all as long as the first ones; None where they are not."""
    fields: list[tuple[str, object] | tuple[str, object, int]] = []
    place = at
    for one in element.properties:
        kind = np.dtype(order + _TYPES[one.type])
        if one.count_type:
            head = np.dtype(order + _TYPES[one.count_type])
            count = int(np.frombuffer(data, head, 1, place)[0])
            fields += [(f"{one.name} count", head), (one.name, kind, count)]
            place += head.itemsize + count * kind.itemsize
        else:
            fields.append((one.name, kind))
            place += kind.itemsize
    record = np.dtype(fields)  # type: ignore[call-overload]  # the stubs know no computed lists
    if at + element.count * record.itemsize > len(data):
        return None
    rows = np.frombuffer(data, record, element.count, at)
    lists: Lists = {}
    for one in element.properties:
        if one.count_type:
            counts = rows[f"{one.name} count"].astype(np.int64)
            if (counts != counts[0]).any():
                return None
            lists[one.name] = (rows[one.name].reshape(-1).astype(np.int64), counts)
    table = {one.name: rows[one.name] for one in element.properties if not one.count_type}
    return table, lists, at + element.count * record.itemsize


def _mixed_rows(data: bytes, at: int, element: _Element, order: str) -> tuple[Table, Lists, int]:
    """Return the rows of an element with lists of different lengths: one after another, as their places depend on them."""
    values: dict[str, list[NDArray[np.float64]]] = {one.name: [] for one in element.properties}
    counts: dict[str, list[int]] = {one.name: [] for one in element.properties if one.count_type}
    kinds = {one.name: (np.dtype(order + _TYPES[one.type]), _TYPES.get(one.count_type)) for one in element.properties}
    for _ in range(element.count):
        for one in element.properties:
            kind, count_kind = kinds[one.name]
            count = 1
            if count_kind:
                head = np.dtype(order + count_kind)
                count = int(np.frombuffer(data, head, 1, at)[0])
                counts[one.name].append(count)
                at += head.itemsize
            values[one.name].append(np.frombuffer(data, kind, count, at))
            at += count * kind.itemsize
    joined = {name: np.concatenate(parts) if parts else np.zeros(0) for name, parts in values.items()}
    lists = {name: (joined[name].astype(np.int64), np.array(own, dtype=np.int64)) for name, own in counts.items()}
    return {name: value for name, value in joined.items() if name not in lists}, lists, at


def _text_rows(words: NDArray[np.bytes_], at: int, element: _Element) -> tuple[Table, Lists, int]:
    """Return the rows of an element of a text file, whose words are numbered from `at`."""
    width = len(element.properties)
    if not any(one.count_type for one in element.properties):
        rows = words[at : at + element.count * width].reshape(element.count, width).astype(np.float64)
        return {one.name: rows[:, k] for k, one in enumerate(element.properties)}, {}, at + element.count * width
    values: dict[str, list[NDArray[np.float64]]] = {one.name: [] for one in element.properties}
    counts: dict[str, list[int]] = {one.name: [] for one in element.properties if one.count_type}
    numbers = words[at:].astype(np.float64)
    place = 0
    for _ in range(element.count):
        for one in element.properties:
            count = 1
            if one.count_type:
                count = int(numbers[place])
                counts[one.name].append(count)
                place += 1
            values[one.name].append(numbers[place : place + count])
            place += count
    if place > len(numbers):
        raise ValueError("cut short")
    joined = {name: np.concatenate(parts) if parts else np.zeros(0) for name, parts in values.items()}
    lists = {name: (joined[name].astype(np.int64), np.array(own, dtype=np.int64)) for name, own in counts.items()}
    return {name: value for name, value in joined.items() if name not in lists}, lists, at + place
