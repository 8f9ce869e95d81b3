"""The import graph: no circle, also none that an import inside a function hides, and no arrow back up."""

from __future__ import annotations

import ast
from pathlib import Path

import networkx as nx
import pytest

ROOT = Path(__file__).resolve().parents[1]
LAYERS = [
    ("glass_spoon.__main__",),
    ("glass_spoon.studio", "glass_spoon.command"),
    ("glass_spoon.sheet",),
    ("glass_spoon.formats",),
    ("glass_spoon.kernel",),
]
"""From the top down; those of one layer do not import each other."""


def modules() -> dict[str, Path]:
    """Return every module by its name."""
    found = {}
    for path in (ROOT / "glass_spoon").rglob("*.py"):
        parts = path.relative_to(ROOT).with_suffix("").parts
        found[".".join(parts[:-1] if parts[-1] == "__init__" else parts)] = path
    return found


def import_graph() -> nx.DiGraph:
    """Return an arrow for every import, wherever it stands; those for the type checker alone are left out."""
    known, graph = modules(), nx.DiGraph()
    for name, path in known.items():
        tree = ast.parse(path.read_text())
        unseen: set[int] = set()
        for node in ast.walk(tree):
            if isinstance(node, ast.If) and "TYPE_CHECKING" in ast.dump(node.test):
                unseen |= {id(inner) for part in node.body for inner in ast.walk(part)}
        for node in ast.walk(tree):
            named: list[str] = []
            if isinstance(node, ast.Import):
                named = [one.name for one in node.names]
            elif isinstance(node, ast.ImportFrom) and node.module:
                named = [node.module, *(f"{node.module}.{one.name}" for one in node.names)]
            if id(node) not in unseen:
                graph.add_edges_from((name, one) for one in named if one in known and one != name)
    return graph


@pytest.fixture(scope="module")
def graph() -> nx.DiGraph:
    """The import graph of the program."""
    return import_graph()


def test_no_circle(graph: nx.DiGraph) -> None:
    """No module needs itself by a way round."""
    circles = [sorted(part) for part in nx.strongly_connected_components(graph) if len(part) > 1]
    assert circles == []


def test_no_arrow_back_up(graph: nx.DiGraph) -> None:
    """A layer imports only those below it."""

    def level(name: str) -> int:
        return next(k for k, names in enumerate(LAYERS) if any(name == one or name.startswith(f"{one}.") for one in names))

    inside = [(a, b) for a, b in graph.edges if a != "glass_spoon" and b != "glass_spoon"]
    assert [(a, b) for a, b in inside if level(a) > level(b)] == []


def test_what_prints_is_used_only_by_what_answers(graph: nx.DiGraph) -> None:
    """In the studio, acts know neither what is seen, nor pages, nor views."""
    acts = [
        (a, b)
        for a, b in graph.edges
        if a.startswith("glass_spoon.studio.flows.")
        and b.startswith(("glass_spoon.studio.see.", "glass_spoon.studio.show.", "glass_spoon.studio.views."))
    ]
    assert acts == []


def test_the_graph_is_not_empty(graph: nx.DiGraph) -> None:
    """The other tests look at something."""
    assert graph.number_of_edges() > 1000


def test_every_test_says_what_is_expected() -> None:
    """Each test function has a sentence of its own."""
    silent = [
        f"{path.name}: {node.name}"
        for path in sorted(Path(__file__).parent.rglob("test_*.py"))
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.FunctionDef) and node.name.startswith("test") and not ast.get_docstring(node)
    ]
    assert silent == []
