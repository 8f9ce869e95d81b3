"""Copy the files that the pages load out of node_modules into vendor/, and write vendor/VERSIONS.md."""

import json
import shutil
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
MODULES = ROOT / "node_modules"
VENDOR = ROOT / "vendor"

FILES = {
    "htmx.org": {"dist/htmx.min.js": "htmx/htmx.min.js"},
    "@alpinejs/csp": {"dist/module.esm.min.js": "alpine/alpine.csp.js"},
    "bulma": {"css/bulma.min.css": "bulma/bulma.min.css"},
    "three": {
        "build/three.core.js": "three/three.core.js",
        "build/three.module.js": "three/three.module.js",
        "examples/jsm/controls/OrbitControls.js": "three/OrbitControls.js",
        "examples/jsm/lines/LineSegments2.js": "three/lines/LineSegments2.js",
        "examples/jsm/lines/LineSegmentsGeometry.js": "three/lines/LineSegmentsGeometry.js",
        "examples/jsm/lines/LineMaterial.js": "three/lines/LineMaterial.js",
    },
    "three-mesh-bvh": {"build/index.module.js": "three-mesh-bvh/three-mesh-bvh.js"},
    "@fontsource/newsreader": {
        "files/newsreader-latin-400-normal.woff": "letters/serif.woff",
        "files/newsreader-latin-700-normal.woff": "letters/bold-serif.woff",
        "files/newsreader-latin-400-italic.woff": "letters/italic-serif.woff",
    },
    "@fontsource/spline-sans": {
        "files/spline-sans-latin-400-normal.woff": "letters/sans.woff",
        "files/spline-sans-latin-700-normal.woff": "letters/bold-sans.woff",
    },
    "@fontsource-variable/newsreader": {
        "files/newsreader-latin-wght-normal.woff2": "fonts/newsreader.woff2",
        "files/newsreader-latin-wght-italic.woff2": "fonts/newsreader-italic.woff2",
    },
    "@fontsource-variable/spline-sans": {"files/spline-sans-latin-wght-normal.woff2": "fonts/spline-sans.woff2"},
    "@fontsource-variable/spline-sans-mono": {
        "files/spline-sans-mono-latin-wght-normal.woff2": "fonts/spline-sans-mono.woff2"
    },
}


def licence_of(folder: Path) -> Path | None:
    """Return the licence file that a package ships, or None."""
    return next((path for path in sorted(folder.iterdir()) if path.name.upper().startswith("LICEN")), None)


def copy_package(name: str) -> str:
    """Copy one package's files and licence; return its row of the table of versions."""
    folder = MODULES / name
    facts = json.loads((folder / "package.json").read_text())
    for source, target in FILES[name].items():
        (VENDOR / target).parent.mkdir(parents=True, exist_ok=True)
        text = (folder / source).read_bytes()
        lines = [line for line in text.split(b"\n") if not line.startswith(b"//# sourceMappingURL=")]
        (VENDOR / target).write_bytes(text if target.endswith(("woff", "woff2")) else b"\n".join(lines))
    licence = licence_of(folder)
    if licence:
        shutil.copy(licence, VENDOR / "licences" / f"{name.strip('@').replace('/', '-')}.txt")
    return f"| {name} | {facts['version']} | {facts.get('license', 'see licences/')} | {', '.join(FILES[name].values())} |"


def main() -> None:
    """Fill vendor/ afresh."""
    shutil.rmtree(VENDOR, ignore_errors=True)
    (VENDOR / "licences").mkdir(parents=True)
    rows = [copy_package(name) for name in sorted(FILES)]
    head = "# What the pages load\n\nFrom the npm registry, refreshed by `tools/refresh-vendor`.\n\n"
    table = "| package | version | licence | files |\n| --- | --- | --- | --- |\n"
    (VENDOR / "VERSIONS.md").write_text(head + table + "\n".join(rows) + "\n")


if __name__ == "__main__":
    main()
