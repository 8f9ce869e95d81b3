"""Fixtures that several packages share."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from hypothesis import settings

settings.register_profile("steady", deadline=None, derandomize=True)
settings.register_profile("search", deadline=None)
settings.load_profile("steady")
"""A commit gives the same result whenever it is tested, on slow machines too; `--hypothesis-profile search` tries others."""

DEMO = Path(__file__).resolve().parent.parent / "glass_spoon" / "studio" / "demo"


@pytest.fixture
def kettle() -> dict:
    """The demo kettle as a parsed sheet."""
    return json.loads((DEMO / "camp-kettle.json").read_text())


@pytest.fixture
def buoy() -> dict:
    """The demo buoy, which touches the axis at both ends."""
    return json.loads((DEMO / "mooring-buoy.json").read_text())


@pytest.fixture
def cowl() -> dict:
    """The demo cowl, from an SVG drawing."""
    return json.loads((DEMO / "ventilator.json").read_text())


@pytest.fixture(scope="session")
def static_files() -> None:
    """Gather the static files once, under their hashed names as in production."""
    from django.core.management import call_command

    call_command("collectstatic", verbosity=0, interactive=False, clear=True)
