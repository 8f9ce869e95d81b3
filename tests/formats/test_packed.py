"""Values as bytes and back."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from glass_spoon.formats.packed import ALIGNED, Unpackable, kinds_of, pack, unpack
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import EdgeTable, Topology
from tests.zoo import cube_mesh


@dataclass(frozen=True)
class Pair:
    """Two values of any kind."""

    first: Any
    second: Any


KINDS = kinds_of(Pair, Mesh, Topology, EdgeTable)
PLAIN = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**53), 2**53) | st.floats(allow_nan=False) | st.text() | st.binary(),
    lambda inner: st.lists(inner) | st.lists(inner).map(tuple) | st.dictionaries(st.text(), inner),
    max_leaves=12,
)


@given(PLAIN)
def test_plain_values_come_back_the_same(value: Any) -> None:
    """What is packed is unpacked, type for type."""
    found = unpack(pack(value, KINDS), KINDS)
    assert found == value
    assert type(found) is type(value)


@given(st.sampled_from(["float64", "float32", "int64", "int32", "uint8", "bool"]), st.lists(st.integers(0, 4), max_size=3))
def test_arrays_come_back_read_only_with_type_and_shape(name: str, shape: list[int]) -> None:
    """Arrays are views of the bytes."""
    values = np.arange(int(np.prod(shape)), dtype=np.int64).astype(name).reshape(shape)
    found = unpack(pack(values, KINDS), KINDS)
    assert found.dtype == values.dtype
    assert found.shape == values.shape
    assert (found == values).all()
    assert not found.flags.writeable


def test_what_was_one_object_is_one_object_again() -> None:
    """Objects and arrays that occur twice stand there once."""
    inner, values = Pair(1, 2), np.arange(1000.0)
    data = pack([inner, inner, values, values], KINDS)
    first, second, *arrays = unpack(data, KINDS)
    assert first is second
    assert arrays[0] is arrays[1]
    assert len(data) < 9000


def test_a_mesh_comes_back_with_its_attributes() -> None:
    """Topology, positions and attributes."""
    mesh = cube_mesh()
    found = unpack(pack(mesh, KINDS), KINDS)
    assert found.topology.key == mesh.topology.key
    assert (found.positions == mesh.positions).all()


def test_code_and_other_classes_are_refused() -> None:
    """Only plain data, arrays and the kinds of the list may be packed."""
    for value in (print, object(), {1, 2}, np.array(["text"]), np.array([1j])):
        with pytest.raises(Unpackable):
            pack(value, KINDS)
    with pytest.raises(Unpackable):
        unpack(pack(Pair(1, 2), KINDS), kinds_of(Mesh))


@given(st.binary(max_size=200), st.integers(0, 400))
def test_broken_bytes_are_refused(noise: bytes, cut: int) -> None:
    """Bytes that were cut, changed or never packed are told, not worked with."""
    good = pack([1, "two", np.arange(5.0)], KINDS)
    for data in (noise, good[: min(cut, len(good) - ALIGNED)], b"GSPK1\n" + noise):
        with pytest.raises(Unpackable):
            unpack(data, KINDS)
