"""XML of drawings, parsed within limits: no entities, nothing fetched, no depth or number of elements that costs
more than reading.

A first pass over the events of the parser counts; only then is a tree made, which is safe to walk and to write.
"""

from __future__ import annotations

from xml.etree.ElementTree import Element, ParseError
from xml.parsers import expat

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

MOST_DEEP = 200
"""Deepest nesting of elements; walking and writing a tree go as deep."""

MOST_ELEMENTS = 200_000
"""Most elements of a drawing."""


class UnreadableXml(ValueError):
    """A text that is no XML which can be used; the text of the error is a sentence."""


def read_xml(data: bytes) -> Element:
    """Return the root of an XML text; raises UnreadableXml for what is broken, declares entities, or is beyond the
    limits.
    """
    try:
        _count(data)
        root: Element = fromstring(data, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except DefusedXmlException as error:
        raise UnreadableXml("The drawing declares entities, which are not read. Save it again as plain SVG.") from error
    except (ParseError, expat.ExpatError, LookupError, RecursionError, MemoryError) as error:
        raise UnreadableXml(f"The file is not a well-formed SVG drawing ({error}). Save it again as plain SVG.") from error
    except ValueError as error:
        if isinstance(error, UnreadableXml):
            raise
        raise UnreadableXml(f"The file is not a well-formed SVG drawing ({error}). Save it again as plain SVG.") from error
    return root


def _count(data: bytes) -> None:
    """Raise UnreadableXml where elements nest too deep or are too many."""
    parser = expat.ParserCreate()
    deep = count = 0

    def start(name: str, attributes: dict[str, str]) -> None:
        nonlocal deep, count
        deep, count = deep + 1, count + 1
        if deep > MOST_DEEP:
            raise UnreadableXml(f"The drawing nests its groups more than {MOST_DEEP} deep. Ungroup it and save it again.")
        if count > MOST_ELEMENTS:
            raise UnreadableXml(f"The drawing has more than {MOST_ELEMENTS:,} elements. Keep only the paths you need.")

    def end(name: str) -> None:
        nonlocal deep
        deep -= 1

    def entity(*told: object) -> None:
        raise UnreadableXml("The drawing declares entities, which are not read. Save it again as plain SVG.")

    parser.StartElementHandler, parser.EndElementHandler, parser.EntityDeclHandler = start, end, entity
    parser.Parse(data, True)  # noqa: FBT003  expat takes no names
