"""Links that show a part to whoever has them, until they are taken back."""

from __future__ import annotations

import secrets
from typing import Any

from glass_spoon.studio.models import Part, PartLink
from glass_spoon.studio.sentences import Refused

MOST_LINKS = 20
"""Most links of a part at a time."""

TOKEN_BYTES = 32


def make_link(part: Part, user: Any) -> PartLink:
    """Return a new link to a part; Refused where it has as many as it may have."""
    if part.links.count() >= MOST_LINKS:
        raise Refused(f"This part has {MOST_LINKS} links, which is the most. Take one back first.")
    return PartLink.objects.create(part=part, token=secrets.token_urlsafe(TOKEN_BYTES), made_by=user)


def take_back(part: Part, link_id: int) -> None:
    """Take a link back: whoever has it, or came by it, sees the part no more."""
    part.links.filter(id=link_id).delete()


def linked_part(token: str) -> PartLink:
    """Return the link of a token; Refused for one that was taken back, or never was."""
    link = PartLink.objects.filter(token=token).first()
    if link is None:
        raise Refused("This link was taken back, or a part of it is missing. Ask for a new one where you got it from.", 404)
    return link
