"""The colours that an item may be given."""

from __future__ import annotations

Color = tuple[float, float, float]
"""Linear red, green and blue."""


def _linear(hexadecimal: str) -> Color:
    """Return a colour of a screen (IEC 61966-2-1) as linear red, green and blue."""
    shares = [int(hexadecimal[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    red, green, blue = (share / 12.92 if share <= 0.04045 else ((share + 0.055) / 1.055) ** 2.4 for share in shares)
    return red, green, blue


TINT_TOKENS = ("#b3cdc5", "#95a3ae", "#d6c49d", "#cb9a8a", "#b1adc4", "#abb48b", "#9bb1ca", "#ccabaa")
"""The calm family that bodies are told apart by, as the page shows it (tokens.css): glass green, slate, sand, clay, lilac
grey, moss, dusk blue, rose earth."""

TINTS: tuple[Color, ...] = tuple(_linear(token) for token in TINT_TOKENS)
"""The same as linear red, green and blue."""

CALM = ("mist", "stone", "sand", "clay", "lilac", "moss", "dusk", "rose")
"""The names of the tints where one is chosen."""

PAINTS: dict[str, Color] = {
    "glass": (0.055, 0.26, 0.24),
    "plum": (0.32, 0.07, 0.2),
    "amber": (0.52, 0.22, 0.03),
    "slate": (0.16, 0.19, 0.2),
    **dict(zip(CALM, TINTS, strict=True)),
}
"""Linear red, green and blue of the colours that an item may be given; any other is its own plain one."""
