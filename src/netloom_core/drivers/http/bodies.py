"""Bodies of HTTP calls: JSON, XML and forms, as plain trees that JSON Pointers lead into. Pure.

An XML element is an object of its children by local name; several of one name are a list, one without children is its
text, an attribute is `@name`. A form is a flat object of texts, or lines of `name=value`.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import parse_qsl, urlencode
from xml.etree.ElementTree import Element, SubElement, tostring

import orjson

from netloom_core.documents.tree import MAX_DEPTH, depth, tokens
from netloom_core.errors import ProtocolError
from netloom_core.protocols import xml

MAX_FIELDS = 20_000
TYPES = {"json": "application/json", "xml": "application/xml", "form": "application/x-www-form-urlencoded"}


def decoded(content: bytes, form: str, address: str) -> Any:
    """The reply as a tree. Raises ProtocolError."""
    if form == "xml":
        try:
            return tree(xml.parse(content), 0)
        except ProtocolError as error:
            raise ProtocolError(f"{address} sent a reply that is not XML.", "Is it the right device?") from error
    if form == "form":
        return _fields(content, address)
    try:
        reply = orjson.loads(content)
    except orjson.JSONDecodeError as error:
        raise ProtocolError(f"{address} sent a reply that is not JSON.", "Is it the right device?") from error
    if depth(reply) > MAX_DEPTH:
        raise ProtocolError(f"{address} sent a reply nested deeper than {MAX_DEPTH}.", "Is it the right device?")
    return reply


def _fields(content: bytes, address: str) -> dict[str, str]:
    text = content.decode("utf-8", "replace")
    lines = [line for line in text.splitlines() if line.strip()]
    try:
        if len(lines) <= 1:
            return dict(parse_qsl(text.strip(), keep_blank_values=True, max_num_fields=MAX_FIELDS))
    except ValueError as error:
        raise ProtocolError(f"{address} sent a form with too many fields.") from error
    pairs = (line.partition("=") for line in lines[:MAX_FIELDS])
    return {name.strip(): value.strip() for name, equals, value in pairs if equals}


def tree(element: Element, deep: int = 0) -> Any:
    """An element as a plain tree. Raises ProtocolError where it is nested too deep."""
    if deep > MAX_DEPTH:
        raise ProtocolError(f"XML nested deeper than {MAX_DEPTH}")
    if not len(element) and not element.attrib:
        return (element.text or "").strip()
    made: dict[str, Any] = {f"@{name.rpartition('}')[2]}": value for name, value in element.attrib.items()}
    for child in element:
        name, value = xml.local(child), tree(child, deep + 1)
        if name in made and not isinstance(made[name], list):
            made[name] = [made[name]]
        if name in made:
            made[name].append(value)
        else:
            made[name] = value
    if not len(element):
        made["#text"] = (element.text or "").strip()
    return made


def encoded(body: Any, form: str, root: str = "") -> bytes:
    """Raises ProtocolError for what such a body cannot carry."""
    if body is None:
        return b""
    if form == "json":
        return orjson.dumps(body)
    if form == "form":
        if not isinstance(body, Mapping) or any(isinstance(value, Mapping | list) for value in body.values()):
            raise ProtocolError("A form carries names and plain values.", outcome="not_sent")
        return urlencode({name: word_of(value) for name, value in body.items()}).encode()
    top = Element(root or "request")
    _fill(top, body)
    return b'<?xml version="1.0" encoding="UTF-8"?>' + tostring(top)


def _fill(element: Element, value: Any) -> None:
    if isinstance(value, Mapping):
        for name, inner in value.items():
            if name.startswith("@"):
                element.set(name[1:], word_of(inner))
            elif isinstance(inner, list):
                for one in inner:
                    _fill(SubElement(element, name), one)
            else:
                _fill(SubElement(element, name), inner)
    else:
        text = word_of(value)
        if any(ord(c) < 32 and c not in "\t\n\r" for c in text):
            raise ProtocolError("XML cannot carry control characters.", outcome="not_sent")
        element.text = text


def word_of(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return "" if value is None else str(value)


def field_of(pointer: str) -> str:
    """The name of a form's field that a pointer leads to."""
    return "/".join(tokens(pointer))
