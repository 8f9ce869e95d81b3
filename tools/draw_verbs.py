"""Write the small drawings of verbs that the finder and the reference page show: tools/draw_verbs.py [VERB ...]."""

from __future__ import annotations

import os
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
DRAWINGS = ROOT / "glass_spoon" / "studio" / "static" / "verbs"


def main(verbs: list[str]) -> None:
    """Draw the verbs named, or all that have an example."""
    sys.path.insert(0, str(ROOT))
    os.environ.setdefault("SECRET_KEY", "for drawing alone")
    os.environ.setdefault("DATABASE_URL", "postgres://nobody@127.0.0.1/none")
    os.environ["DJANGO_SETTINGS_MODULE"] = "glass_spoon.studio.settings"
    import django

    django.setup()
    from glass_spoon.studio.see.verb_drawing import verb_drawing
    from glass_spoon.studio.see.verb_examples import verb_examples

    DRAWINGS.mkdir(exist_ok=True)
    for verb, example in verb_examples().items():
        if example.item and (not verbs or verb in verbs):
            (DRAWINGS / f"{verb}.svg").write_text(verb_drawing(verb), encoding="utf-8")


if __name__ == "__main__":
    main(sys.argv[1:])
