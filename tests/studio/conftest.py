"""Users, a project and a part for the tests of the web application."""

from __future__ import annotations

import json
import time

import pytest
from django.contrib.auth import get_user_model
from django.test import Client

from glass_spoon.sheet.document import read_document
from glass_spoon.studio.models import Membership, Part, Project, Role

PASSWORD = "a long enough word"


@pytest.fixture(autouse=True)
def quick_settings(settings):
    """Pages without hashed names, quick passwords."""
    settings.STORAGES = {
        **settings.STORAGES,
        "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
    }
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # fast, for tests only


@pytest.fixture
def people(db) -> dict:
    """An owner, an editor, a viewer and a stranger."""
    make = get_user_model().objects.create_user
    return {name: make(name, password=PASSWORD) for name in ("owner", "editor", "viewer", "stranger")}


@pytest.fixture
def project(people) -> Project:
    """A project with a member of each role."""
    project = Project.objects.create(name="Boathouse")
    for role in Role.values:
        Membership.objects.create(project=project, user=people[role], role=role)
    return project


@pytest.fixture
def part(project, kettle, people) -> Part:
    """The kettle as a part of the project."""
    data = read_document(kettle).model_dump(mode="json")
    part = Part.objects.create(project=project, name=data["name"], document=data, changed_by=people["owner"])
    part.changes.create(number=1, document=data, revision=1, summary="made", made_by=people["owner"])
    return part


@pytest.fixture
def as_user(people):
    """Return a client signed in as somebody; None is signed out."""

    def sign_in(name: str | None) -> Client:
        client = Client()
        if name:
            client.force_login(people[name])
        return client

    return sign_in


@pytest.fixture
def edit(part):
    """Post an edit to the part as an htmx request, on its present revision unless told otherwise."""

    def post(client: Client, revision: int | None = None, **values):
        part.refresh_from_db()
        data = {"revision": part.revision if revision is None else revision, **values}
        return client.post(f"/parts/{part.id}/edit/", data, headers={"HX-Request": "true"})

    return post


def points_of(part: Part) -> str:
    """Return the first curve's points as JSON text."""
    return json.dumps(next(line for line in part.document["lines"] if line["verb"] == "draw")["points"])


def offered(client: Client, part: Part, **view: str) -> str:
    """Return the sheet as it stands once changes that would mend what the gauges tell have been tried."""
    for _ in range(600):
        page = client.get(
            f"/parts/{part.id}/show/", {"pending": "1", **view}, headers={"HX-Request": "true"}
        ).content.decode()
        if "data-pending" not in page and "gauges-pending" in page and "<progress" not in page:
            return page
        time.sleep(0.05)
    raise AssertionError("The changes are tried for ever.")
