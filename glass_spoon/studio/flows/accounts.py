"""Accounts: closing one, and what becomes of its projects."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from glass_spoon.studio.models import Project, Role
from glass_spoon.studio.sentences import Refused


def projects_to_hand_over(user: Any) -> list[Project]:
    """Return the projects that would be left without an owner while others are members."""
    owned = Project.objects.filter(memberships__user=user, memberships__role=Role.OWNER)
    others = [project for project in owned if project.memberships.exclude(user=user).exists()]
    return [project for project in others if not project.memberships.exclude(user=user).filter(role=Role.OWNER).exists()]


def projects_alone(user: Any) -> list[Project]:
    """Return the projects whose only member is the user: they go with the account."""
    return [project for project in Project.objects.filter(memberships__user=user) if project.memberships.count() == 1]


def close_account(user: Any, password: str) -> None:
    """Delete an account and the projects that nobody else is a member of; Refused for a wrong password, or where projects
    would be left without an owner. What the user did in other projects stays, without a name.
    """
    if not user.check_password(password):
        raise Refused("The password is not right. Nothing was closed.")
    close_without_asking(user)


def close_without_asking(user: Any) -> None:
    """Delete an account as `close_account` does, for operators, who need no password."""
    left = projects_to_hand_over(user)
    if left:
        names = ", ".join(project.name for project in left)
        raise Refused(f"You are the only owner of {names}. Make somebody else an owner there first, or remove it.")
    with transaction.atomic():
        for project in projects_alone(user):
            project.delete()
        user.delete()
