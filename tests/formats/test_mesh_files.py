"""Mesh files out and in again, and read by other libraries: trimesh, and usd-core for OpenUSD."""

from __future__ import annotations

import base64
import io
import json
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st
from pxr import Usd, UsdGeom

from glass_spoon.formats.gltf import NamedMesh, write_glb
from glass_spoon.formats.mesh_file import pack_mesh, read_mesh_file, unpack_mesh
from glass_spoon.formats.obj import read_obj, write_obj
from glass_spoon.formats.ply import read_ply, write_ply
from glass_spoon.formats.read_gltf import read_gltf
from glass_spoon.formats.read_mesh import ReadMesh, UnreadableMesh, merged_alike
from glass_spoon.formats.stl import read_stl, write_stl
from glass_spoon.formats.usd import write_usd
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.mesh_edits.weld import weld
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.zoo import cube_mesh, torus

RING = mesh_surface(torus(30, 10), 24, 12)
NAMED = [NamedMesh("ring", RING)]
MIXED = make_mesh([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0.5, 0]], [0, 1, 2, 3, 1, 4, 2], offsets=[0, 4, 7])


def test_obj_comes_back_as_it_was() -> None:
    """Topology, groups, positions and UVs survive writing and reading."""
    read = read_obj(write_obj(NAMED))
    assert read.unit == 1.0
    assert read.groups == ("ring",)
    assert read.mesh.topology.key == RING.topology.key
    assert np.allclose(read.mesh.positions, RING.positions, atol=1e-6)
    assert np.allclose(read.mesh.corners["uv"], RING.corners["uv"], atol=1e-8)


def test_obj_keeps_many_sided_faces_groups_and_counts_backwards() -> None:
    """Triangles beside quads, two groups, and negative numbers are read; lines are told as left out."""
    points = b"# units: inches\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 .5 0\n"
    read = read_obj(points + b"g first\nf 1 2 3 4\ng second part\nf -4 -1 -3\nl 1 2\n")
    assert read.mesh.topology.face_sides.tolist() == [4, 3]
    assert read.groups == ("first", "second part")
    assert read.mesh.faces["piece"].tolist() == [0.0, 1.0]
    assert read.unit == 25.4
    assert "left out" in read.left_out[0]


@pytest.mark.parametrize("corner", ["{0}", "{0}/{0}", "{0}//{0}", "{0}/{0}/{0}"])
def test_obj_corners_may_be_written_in_four_ways(corner: str) -> None:
    """With and without UV and normals, the same face is read."""
    rows = "\n".join(f"v {x} {y} 0\nvt {x} {y}\nvn 0 0 1" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)))
    face = "f " + " ".join(corner.format(k) for k in (1, 2, 3, 4))
    read = read_obj(f"{rows}\n{face}\n".encode())
    assert read.mesh.topology.face_corners.tolist() == [0, 1, 2, 3]
    assert ("uv" in read.mesh.corners) == (corner.count("/") > 0 and "//" not in corner)


def test_stl_closes_again_and_other_software_reads_it() -> None:
    """Points that STL writes apart are welded again, and trimesh finds the same closed volume."""
    data = write_stl(NAMED)
    read = read_stl(data)
    assert read.unit == 1.0
    assert read.mesh.point_count == RING.point_count
    assert enclosed_volume(read.mesh) == pytest.approx(enclosed_volume(RING), rel=2e-2)
    other = trimesh.load(io.BytesIO(data), file_type="stl")
    assert other.is_watertight
    assert other.volume == pytest.approx(enclosed_volume(read.mesh), rel=1e-5)


def test_text_stl_is_read() -> None:
    """The text form, which has no unit, gives the eight points of a box."""
    text = trimesh.exchange.stl.export_stl_ascii(trimesh.creation.box((2, 3, 4)))
    read = read_stl(text.encode())
    assert read.unit is None
    assert read.mesh.point_count == 8
    assert enclosed_volume(read.mesh) == pytest.approx(24)


def test_ply_comes_back_with_its_quads_and_other_software_reads_it() -> None:
    """Quads stay quads, and trimesh finds it watertight."""
    data = write_ply(NAMED)
    read = read_ply(data)
    assert read.mesh.topology.key == RING.topology.key
    assert np.allclose(read.mesh.positions, RING.positions, atol=1e-5)
    other = trimesh.load(io.BytesIO(data), file_type="ply")
    assert other.is_watertight


def test_ply_keeps_faces_of_different_sides_in_all_three_writings() -> None:
    """Text, little endian and big endian give the same mixed mesh."""
    assert read_ply(write_ply([NamedMesh("mixed", MIXED)])).mesh.topology.key == MIXED.topology.key
    head = "ply\nformat {} 1.0\nelement vertex 5\nproperty double x\nproperty double y\nproperty double z\n"
    head += "element face 2\nproperty list uchar int vertex_index\nend_header\n"
    rows = "\n".join(" ".join(map(str, point)) for point in MIXED.positions) + "\n4 0 1 2 3\n3 1 4 2\n"
    assert read_ply((head.format("ascii") + rows).encode()).mesh.topology.key == MIXED.topology.key
    body = MIXED.positions.astype(">f8").tobytes()
    for face in ([0, 1, 2, 3], [1, 4, 2]):
        body += bytes([len(face)]) + np.array(face, dtype=">i4").tobytes()
    big = head.format("binary_big_endian").encode() + body
    assert read_ply(big).mesh.topology.key == MIXED.topology.key


def test_glb_comes_back_at_its_size_and_upright() -> None:
    """Metres and the upright axis of glTF are turned back to millimetres and Z up."""
    read = read_gltf(write_glb(NAMED))
    assert read.unit == 1000.0
    mesh = weld(read.in_millimetres(1000.0), 1e-3).mesh
    assert np.allclose(np.ptp(mesh.positions, axis=0), [80, 80, 20], rtol=1e-5)
    assert enclosed_volume(mesh) == pytest.approx(enclosed_volume(RING), rel=2e-2)
    assert read.groups == ("ring",)


def test_text_gltf_of_another_library_is_read_where_its_data_is_inside() -> None:
    """A moved node of trimesh's file is read in place; data in another file is refused."""
    scene = trimesh.Scene(trimesh.creation.box((1, 2, 3)))
    scene.apply_transform(trimesh.transformations.translation_matrix([5, 0, 0]))
    files = scene.export(file_type="glb")
    read = read_gltf(files)
    assert np.allclose(np.sort(np.ptp(read.mesh.positions, axis=0)), [1, 2, 3])
    assert read.mesh.positions[:, 0].mean() == pytest.approx(5)
    with pytest.raises(UnreadableMesh, match="another file"):
        read_gltf(json.dumps(_with_outside_buffer()).encode())


def _with_outside_buffer() -> dict:
    return {
        "asset": {"version": "2.0"},
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "buffers": [{"byteLength": 36, "uri": "data.bin"}],
    }


def test_usd_holds_the_cage_its_scheme_and_its_creases(tmp_path) -> None:
    """The scheme, the creases with their sharpness and the UVs are found by the USD library."""
    cube = cube_mesh(2.0)
    sharpness = np.zeros(12)
    sharpness[:4] = (np.inf, 2.5, 1.0, 0.5)
    soft = Mesh(cube.topology, cube.positions, {}, {"sharpness": sharpness})
    path = tmp_path / "out.usdc"
    path.write_bytes(write_usd([NamedMesh("my cube", soft), NamedMesh("my cube", RING)]))
    stage = Usd.Stage.Open(str(path))
    assert UsdGeom.GetStageMetersPerUnit(stage) == 0.001
    assert UsdGeom.GetStageUpAxis(stage) == "Z"
    meshes = [UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
    first, second = meshes
    assert first.GetSubdivisionSchemeAttr().Get() == "catmullClark"
    assert list(first.GetFaceVertexCountsAttr().Get()) == [4] * 6
    assert sorted(first.GetCreaseSharpnessesAttr().Get()) == [0.5, 1.0, 2.5, 10.0]
    assert np.allclose(np.array(first.GetPointsAttr().Get()), cube.positions)
    ends = np.array(first.GetCreaseIndicesAttr().Get()).reshape(-1, 2)
    assert np.array_equal(ends, cube.topology.edges.ends[:4])
    assert len(UsdGeom.PrimvarsAPI(second).GetPrimvar("st").Get()) == len(RING.topology.face_corners)
    assert UsdGeom.Mesh.ValidateTopology(
        second.GetFaceVertexIndicesAttr().Get(), second.GetFaceVertexCountsAttr().Get(), RING.point_count
    )[0]


def two_groups() -> NamedMesh:
    """The ring in two groups, its faces taken in turn."""
    turns = (np.arange(RING.face_count) % 3 == 0).astype(float)
    return NamedMesh("ring", Mesh(RING.topology, RING.positions, faces={"piece": turns}), groups=("plain", "every third"))


def test_groups_go_into_obj_and_come_back() -> None:
    """Faces of both groups are counted again and the volume stays."""
    read = read_obj(write_obj([two_groups()]))
    assert read.groups == ("plain", "every third")
    assert np.bincount(read.mesh.faces["piece"].astype(int)).tolist() == [
        RING.face_count - len(range(0, RING.face_count, 3)),
        len(range(0, RING.face_count, 3)),
    ]
    assert enclosed_volume(read.in_millimetres(1.0)) == pytest.approx(enclosed_volume(RING))


def test_groups_are_subsets_of_faces_in_usd(tmp_path) -> None:
    """Each group is a family of subsets that the USD library finds valid."""
    path = tmp_path / "out.usdc"
    path.write_bytes(write_usd([two_groups()]))
    stage = Usd.Stage.Open(str(path))
    mesh = next(UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh))
    subsets = {subset.GetPrim().GetName(): subset for subset in UsdGeom.Subset.GetGeomSubsets(mesh)}
    assert set(subsets) == {"plain", "every_third"}
    assert list(subsets["every_third"].GetIndicesAttr().Get()) == list(range(0, RING.face_count, 3))
    assert UsdGeom.Subset.ValidateFamily(mesh, UsdGeom.Tokens.face, "group")[0]


def test_colours_of_gltf_groups_are_read() -> None:
    """A material's colour comes back, and white counts as none."""
    read = read_gltf(write_glb([NamedMesh("red", RING, (0.5, 0.25, 0.125)), NamedMesh("white", RING, (1.0, 1.0, 1.0))]))
    assert read.colors == ((0.5, 0.25, 0.125), None)


@pytest.mark.parametrize(
    ("reader", "data", "words"),
    [
        (read_obj, b"v 0 0 0\n", "no faces"),
        (read_obj, b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "does not hold"),
        (read_obj, b"v 0 0 zero\nf 1 1 1\n", "numbers"),
        (read_obj, b"v 0 0 0\nv 1 0 0\nf 1 2 2\n", "three different"),
        (read_obj, b"v 0 0 nan\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", "no numbers"),
        (read_stl, b"nothing of the kind", "not an STL"),
        (read_stl, write_stl(NAMED)[:-20], "not an STL"),
        (read_ply, b"plywood", "header"),
        (read_ply, write_ply(NAMED)[:-20], "cut short"),
        (read_gltf, b"{}", "no triangles"),
        (read_gltf, b"not json", "broken"),
        (read_gltf, write_glb(NAMED)[:-200], "cut short"),
    ],
)
def test_broken_files_are_refused_in_words(reader, data: bytes, words: str) -> None:
    """Each broken file is told by what is wrong with it."""
    with pytest.raises(UnreadableMesh, match=words):
        reader(data)


@pytest.mark.parametrize(("reader", "write"), [(read_stl, write_stl), (read_ply, write_ply), (read_gltf, write_glb)])
@pytest.mark.parametrize("bits", [0x7F800001, 0x7FC00000, 0x7F800000])
def test_numbers_that_are_none_are_told(reader, write, bits: int) -> None:
    """The first of both kinds of NaN warns when it is made longer; the last is infinity."""
    good = write(NAMED)
    first = np.float32(RING.positions[0, 0]).tobytes()
    assert first in good
    with pytest.raises(UnreadableMesh, match="no numbers"):
        reader(good.replace(first, np.uint32(bits).tobytes()))


@settings(max_examples=60)
@given(st.sampled_from([read_obj, read_stl, read_ply, read_gltf]), st.data())
def test_damaged_files_give_a_mesh_or_a_sentence(reader, data: st.DataObject) -> None:
    """Bytes of a good file changed at random places."""
    good = bytearray({read_obj: write_obj, read_stl: write_stl, read_ply: write_ply, read_gltf: write_glb}[reader](NAMED))
    for _ in range(data.draw(st.integers(1, 6))):
        good[data.draw(st.integers(0, len(good) - 1))] = data.draw(st.integers(0, 255))
    try:
        read = reader(bytes(good))
    except UnreadableMesh as error:
        assert str(error).endswith((".", "?"))
    else:
        assert read.mesh.face_count > 0


def test_a_packed_mesh_comes_out_as_it_went_in() -> None:
    """Numbers, groups, colours, uv and sentences, of every kind of file."""
    uv = np.random.default_rng(3).random((24, 2))
    mesh = replace(cube_mesh(), corners={"uv": uv}, faces={"piece": np.arange(6) % 2.0})
    read = ReadMesh(mesh, 25.4, ("lid", "pot"), ("One face was left out.",), (None, (0.5, 0.25, 0.125)))
    back = unpack_mesh(pack_mesh(read))
    assert (back.unit, back.groups, back.left_out, back.colors) == (read.unit, read.groups, read.left_out, read.colors)
    assert np.array_equal(back.mesh.positions, mesh.positions)
    assert back.mesh.topology.key == mesh.topology.key
    assert np.array_equal(back.mesh.corners["uv"], uv)
    assert np.array_equal(back.mesh.faces["piece"], mesh.faces["piece"])


@pytest.mark.parametrize(
    ("ending", "write"), [("obj", write_obj), ("stl", write_stl), ("ply", write_ply), ("glb", write_glb)]
)
def test_readers_tell_their_progress_forwards_and_stop_when_told(ending, write) -> None:
    """Shares rise to one, and an interrupt in between ends the reading."""
    data = write([NamedMesh("cube", cube_mesh())])
    shares: list[float] = []
    read_mesh_file(data, ending, shares.append)
    assert shares
    assert shares == sorted(shares)
    assert all(0 <= share <= 1 for share in shares)

    def stop(share: float) -> None:
        raise InterruptedError

    with pytest.raises(InterruptedError):
        read_mesh_file(data, ending, stop)


def test_corners_in_blocks_are_the_corners_in_one(monkeypatch) -> None:
    """A file of several blocks, each with corners written in another way."""
    text = b"v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nf 1 2 3 4\nf 1//1 2//1 5//1\nf -4/1 -3/1 -1/1\nf 3 4/ 5\n"
    whole = read_obj(text).mesh.topology
    monkeypatch.setattr("glass_spoon.formats.obj.BLOCK", 1)
    parts = read_obj(text).mesh.topology
    assert parts.key == whole.key
    assert parts.face_corners.tolist() == [0, 1, 2, 3, 0, 1, 4, 1, 2, 4, 2, 3, 4]


def test_points_at_one_place_become_one_in_the_order_in_which_they_come() -> None:
    """Against numpy's sorted unique rows."""
    points = np.random.default_rng(5).integers(-2, 3, (500, 3)).astype(float) * 0.1
    points[::7] *= -0.0
    rows, of = merged_alike(points)
    assert np.array_equal(rows[of], points)
    assert len(rows) == len(np.unique(points + 0.0, axis=0))
    first = [int(np.flatnonzero(of == k)[0]) for k in range(len(rows))]
    assert first == sorted(first)


def plain_gltf(mode: int, indices: list[int] | None, **more: object) -> bytes:
    """Return a text glTF file of one primitive over five points in the plane of x and y, its data written inside."""
    points = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0], [0, 2, 0]], dtype="<f4").tobytes()
    order = np.array(indices or [], dtype="<u2").tobytes()
    data = base64.b64encode(points + order).decode()
    primitive: dict[str, object] = {"attributes": {"POSITION": 0}, "mode": mode}
    if indices is not None:
        primitive["indices"] = 1
    document = {
        "asset": {"version": "2.0"},
        "nodes": [{"mesh": 0, "name": "sail", **more}],
        "meshes": [{"primitives": [primitive]}],
        "buffers": [{"byteLength": len(points + order), "uri": f"data:application/octet-stream;base64,{data}"}],
        "bufferViews": [
            {"buffer": 0, "byteOffset": 0, "byteLength": 60},
            {"buffer": 0, "byteOffset": 60, "byteLength": len(order)},
        ],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 5, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": len(indices or []), "type": "SCALAR"},
        ],
    }
    return json.dumps(document).encode()


@pytest.mark.parametrize(
    ("mode", "indices", "triangles"),
    [
        (4, [0, 1, 2, 1, 3, 2], [[0, 1, 2], [1, 3, 2]]),
        (5, [0, 1, 2, 3, 4], [[0, 1, 2], [1, 3, 2], [2, 3, 4]]),
        (5, None, [[0, 1, 2], [1, 3, 2], [2, 3, 4]]),
        (6, [0, 1, 3, 2], [[0, 1, 3], [0, 3, 2]]),
    ],
    ids=["list", "strip", "strip of all points", "fan"],
)
def test_lists_strips_and_fans_of_gltf_face_one_way(mode: int, indices, triangles) -> None:
    """glTF 2.0, section 3.7.2.1: of a strip every second triangle is turned, so that all face alike."""
    read = read_gltf(plain_gltf(mode, indices))
    mesh = read.in_millimetres(1.0)
    corners = mesh.topology.face_corners.reshape(-1, 3)
    assert {tuple(np.roll(row, -int(np.argmin(row)))) for row in corners.tolist()} == {
        tuple(np.roll(row, -int(np.argmin(row)))) for row in triangles
    }
    assert (mesh.face_normals @ [0, -1, 0] > 0.99).all()  # towards +z in the file, which is -y here
    assert read.groups == ("sail",)
    assert read.unit == 1000.0


def test_a_mirrored_node_keeps_its_outside_outside() -> None:
    """A negative scale turns triangles inside out; they are run the other way round."""
    plain = read_gltf(plain_gltf(4, [0, 1, 2, 1, 3, 2])).mesh
    mirrored = read_gltf(plain_gltf(4, [0, 1, 2, 1, 3, 2], scale=[-1, 1, 1])).mesh
    assert np.allclose(mirrored.face_normals, plain.face_normals)
    assert mirrored.positions[:, 0].min() == -1.0


def test_a_node_is_placed_by_its_matrix_or_by_its_parts() -> None:
    """A quarter turn about z, twice as large, three to the right: both ways of saying it."""
    half = float(np.sqrt(0.5))
    parts = {"rotation": [0, 0, half, half], "scale": [2, 2, 2], "translation": [3, 0, 0]}
    matrix = {"matrix": [0, 2, 0, 0, -2, 0, 0, 0, 0, 0, 2, 0, 3, 0, 0, 1]}
    first, second = (read_gltf(plain_gltf(4, [0, 1, 2], **more)).mesh.positions for more in (parts, matrix))
    assert np.allclose(first, second, atol=1e-12)
    assert np.allclose(first[1], [3, 0, 2])  # (1, 0, 0) turned to (0, 2, 0), then z up


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"extensionsRequired": ["SOME_compression"]}, "needs SOME_compression"),
        ({"buffers": [{"byteLength": 60, "uri": "points.bin"}]}, "in another file"),
        ({"meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "mode": 1}]}]}, "holds no triangles"),
        ({"nodes": [{"children": [0]}]}, "nodes that hang in two places"),
        ({"accessors": [{"bufferView": 0, "componentType": 5126, "count": 500, "type": "VEC3"}]}, "cut short"),
        ({"accessors": [{"componentType": 5126, "count": 5, "type": "VEC3"}]}, "sparse"),
        ({"meshes": []}, "broken"),
    ],
)
def test_gltf_files_that_cannot_be_read_say_why(change, words: str) -> None:
    """What glTF allows but cannot be read here is named."""
    document = json.loads(plain_gltf(4, None)) | change
    with pytest.raises(UnreadableMesh, match=words):
        read_gltf(json.dumps(document).encode())
