"""XML from the wire: bounded, without entities, read by local names.

Devices use several namespaces for the same thing, so names are compared without them.
"""

from __future__ import annotations

from xml.etree.ElementTree import Element, ParseError

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from netloom_core.errors import ProtocolError

MAX_BYTES = 200_000


def parse(data: bytes) -> Element:
    """The root element. Raises ProtocolError for anything that is not sound, small XML."""
    if len(data) > MAX_BYTES:
        raise ProtocolError(f"an XML document of {len(data)} bytes is too large")
    try:
        root: Element = fromstring(data, forbid_dtd=True)
    except (ParseError, DefusedXmlException, ValueError, LookupError) as error:
        raise ProtocolError(f"not XML: {error}") from error
    return root


def local(element: Element) -> str:
    return str(element.tag).rpartition("}")[2]


def find_all(root: Element, name: str) -> list[Element]:
    return [element for element in root.iter() if local(element) == name]


def text_of(root: Element, name: str, limit: int = 200) -> str:
    """The text of the first element with that local name, printable and short; empty without one."""
    for element in root.iter():
        if local(element) == name:
            return clean("".join(element.itertext()), limit)
    return ""


def clean(text: str, limit: int = 200) -> str:
    """Text of a device made fit for a record: printable, in one line, bounded."""
    return "".join(c if c.isprintable() else " " for c in text).strip()[:limit]
