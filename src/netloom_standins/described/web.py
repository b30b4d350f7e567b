"""An HTTP face as a description tells it: pages with forms, XML or JSON, behind Basic, Digest or a cookie.

Its own reading of RFC 9112, as little as a small device has: one request after the other, bodies by length.
"""

from __future__ import annotations

import asyncio
import base64
import hashlib
import json
import os
import re
import ssl
from typing import Any, Literal
from urllib.parse import parse_qsl, unquote
from xml.etree import ElementTree
from xml.sax.saxutils import escape

from pydantic import BaseModel, ConfigDict

from netloom_standins import certificate
from netloom_standins.described.memory import Wrong, spread
from netloom_standins.described.unit import DescribedUnit
from netloom_standins.services.base import TcpService

MAX_BODY = 60_000


class Page(BaseModel):
    """`tells` are words of the reply by memory path or word of the unit; `sets` are fields of the body by memory path.

    `{1}` are groups of the path, and the span of a path in `tells` counts up.
    """

    model_config = ConfigDict(extra="forbid")

    method: str = "GET"
    path: str
    open: bool = False
    kind: Literal["json", "xml", "form", "lines"] = "json"
    root: str = "reply"
    tells: dict[str, str] = {}
    sets: dict[str, str] = {}
    does: str = ""
    login: bool = False
    cookie: str = ""


class WebForm(BaseModel):
    model_config = ConfigDict(extra="forbid")

    face: str
    port: int = 80
    access: Literal["", "basic", "digest", "cookie"] = ""
    algorithm: str = "MD5"
    realm: str = "device"
    user: str = ""
    password: str = ""
    closes: bool = False
    tls: bool = False
    words: dict[str, dict[str, str]] = {}
    tenths: list[str] = []  # numbers that are said ten times as large
    pages: list[Page]


class Web(TcpService):
    port = 80

    def __init__(self, unit: Any, options: dict[str, Any]) -> None:
        super().__init__(unit, options)
        self.form = WebForm.model_validate(options)
        self._nonce = os.urandom(8).hex()
        self._cookies: set[str] = set()
        self._tenths = {one for path in self.form.tenths for one in spread(path)}
        self._words = {one: words for path, words in self.form.words.items() for one in spread(path)}

    @property
    def described(self) -> DescribedUnit:
        return self.unit  # type: ignore[return-value]

    def context(self) -> ssl.SSLContext | None:
        """The certificate is the unit's own, and another one after it was made anew."""
        if not self.form.tls:
            return None
        made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)

        certificate.load(made, self.unit.serial, self.unit.faults.certificate)
        self.described.new_certificate = lambda: self._shown_anew(made)
        return made

    def _shown_anew(self, context: ssl.SSLContext) -> None:
        """Who is connected has to come again."""
        certificate.load(context, self.unit.serial, self.unit.faults.certificate)
        for writer in list(self._clients):
            writer.transport.abort()

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while True:
            head = (await reader.readuntil(b"\r\n\r\n")).decode("latin-1").split("\r\n")
            method, target, _ = head[0].split(" ", 2)
            fields = {}
            for line in head[1:]:
                name, _, value = line.partition(":")
                fields[name.strip().lower()] = value.strip()
            body = await reader.readexactly(min(int(fields.get("content-length", 0)), MAX_BODY))
            if self.deaf:
                continue
            status, extra, content, kind = self._answer(method, target, fields, body)
            if self.deaf:
                continue
            lines = [f"HTTP/1.1 {status} X", f"Content-Length: {len(content)}", f"Content-Type: {kind}", *extra]
            if self.form.closes:
                lines.append("Connection: close")
            writer.write("\r\n".join([*lines, "", ""]).encode() + content)
            await writer.drain()
            if self.form.closes:
                return

    def _answer(
        self, method: str, target: str, fields: dict[str, str], body: bytes
    ) -> tuple[int, list[str], bytes, str]:
        path = target.split("?")[0]
        for page in self.form.pages:
            found = re.fullmatch(page.path, path)
            if page.method != method or found is None:
                continue
            if not page.open and not page.login and not self._let_in(method, target, fields):
                return 401, self._challenge(), b"", "text/plain"
            groups = tuple(unquote(group or "") for group in found.groups())
            return self._page(page, groups, body)
        return 404, [], b"", "text/plain"

    def _page(self, page: Page, groups: tuple[str, ...], body: bytes) -> tuple[int, list[str], bytes, str]:
        unit = self.described
        given = self._fields(page, body)
        extra = []
        if page.login:
            if (given.get("user"), given.get("password")) != (self.form.user, self.form.password):
                return 403, [], b"", "text/plain"
            self._cookies.add(token := os.urandom(8).hex())
            extra.append(f"Set-Cookie: {page.cookie or 'id'}={token}; Path=/; HttpOnly")
        try:
            told = [(self._filled(path, groups), given[name]) for name, path in page.sets.items() if name in given]
            for name in given:
                for pattern, path in page.sets.items():
                    if "(" in pattern and (found := re.fullmatch(pattern, name)):
                        told.append((self._filled(path, found.groups()), given[name]))
            if told and unit.pulled():
                told = told[: len(told) // 2]
            for path, said in told:
                unit.memory.cells[path].parsed(self._back(path, said))
            for path, said in told:
                unit.written(path, self._back(path, said))
            content, kind = self._reply(page, groups)
        except (Wrong, KeyError, ValueError) as error:
            return (423 if str(error) == "refused" else 422), [], b"", "text/plain"
        unit.do(page.does)
        return 200, extra, content, kind

    def _fields(self, page: Page, body: bytes) -> dict[str, str]:
        if not body:
            return {}
        if page.kind == "xml":
            root = ElementTree.fromstring(body)  # noqa: S314 - a stand-in reads what its own tests send
            return {"/".join(path): text for path, text in _leaves(root)}
        if page.kind == "json":
            data = json.loads(body)
            return {name: value if isinstance(value, str) else json.dumps(value) for name, value in data.items()}
        return dict(parse_qsl(body.decode(), keep_blank_values=True))

    def _reply(self, page: Page, groups: tuple[str, ...]) -> tuple[bytes, str]:
        told: dict[str, str] = {}
        for name, place in page.tells.items():
            names = list(spread(name))
            for one, path in zip(names, [self._filled(p, groups) for p in spread(place)], strict=True):
                told[one] = self._value(path)
        if page.kind == "json":
            return json.dumps(told).encode(), "application/json"
        if page.kind == "xml":
            return _as_xml(page.root, told).encode(), "application/xml"
        joint = "&" if page.kind == "form" else "\n"
        return joint.join(f"{name}={value}" for name, value in told.items()).encode(), "text/plain"

    def _value(self, path: str) -> str:
        unit = self.described
        if not path.lstrip("=").startswith("/"):
            return unit.words.get(path, path)
        value = unit.memory.kept(path[1:]) if path.startswith("=") else unit.memory.value(path)
        if path.lstrip("=") in self._tenths:
            return str(round(float(value) * 10))
        text = json.dumps(value) if isinstance(value, bool | list) else str(value)
        return self._words.get(path.lstrip("="), {}).get(text, text)

    def _back(self, path: str, said: str) -> Any:
        if path in self._tenths:
            return float(said) / 10
        said = next((value for value, word in self._words.get(path, {}).items() if word == said), said)
        return json.loads(said) if said.startswith("[") else said

    @staticmethod
    def _filled(text: str, groups: tuple[str, ...]) -> str:
        for number, group in enumerate(groups, 1):
            text = text.replace(f"{{{number}}}", group)
        return text

    # Who may

    def _let_in(self, method: str, target: str, fields: dict[str, str]) -> bool:
        said = fields.get("authorization", "")
        match self.form.access:
            case "":
                return True
            case "basic":
                return said == "Basic " + base64.b64encode(f"{self.form.user}:{self.form.password}".encode()).decode()
            case "cookie":
                return any(one.split("=")[-1] in self._cookies for one in fields.get("cookie", "").split("; "))
        return self._digest(method, target, said)

    def _digest(self, method: str, target: str, said: str) -> bool:
        """RFC 7616 clause 3.4.1, with qop auth."""
        given = {m[1]: m[2] or m[3] for m in re.finditer(r'(\w+)=(?:"([^"]*)"|([^,\s]+))', said)}
        if not said.startswith("Digest ") or given.get("nonce") != self._nonce or given.get("uri") != target:
            return False

        def hashed(text: str) -> str:
            make = hashlib.sha256 if self.form.algorithm == "SHA-256" else hashlib.md5
            return make(text.encode()).hexdigest()

        first = hashed(f"{self.form.user}:{self.form.realm}:{self.form.password}")
        second = hashed(f"{method}:{target}")
        middle = ":".join(given.get(name, "") for name in ("nonce", "nc", "cnonce", "qop"))
        return given.get("username") == self.form.user and given.get("response") == hashed(f"{first}:{middle}:{second}")

    def _challenge(self) -> list[str]:
        if self.form.access == "basic":
            return [f'WWW-Authenticate: Basic realm="{self.form.realm}"']
        if self.form.access == "digest":
            how = f'realm="{self.form.realm}", nonce="{self._nonce}", qop="auth", algorithm={self.form.algorithm}'
            return [f"WWW-Authenticate: Digest {how}"]
        return []


def _leaves(element: ElementTree.Element) -> list[tuple[tuple[str, ...], str]]:
    found = []
    for child in element:
        if len(child):
            found += [((child.tag, *path), text) for path, text in _leaves(child)]
        else:
            found.append(((child.tag,), child.text or ""))
    return found


def _as_xml(root: str, told: dict[str, str]) -> str:
    tree: dict[str, Any] = {}
    for name, value in told.items():
        here = tree
        *parents, last = name.split("/")
        for parent in parents:
            here = here.setdefault(parent, {})
        here[last] = value
    return f"<{root}>{_inside(tree)}</{root}>"


def _inside(tree: dict[str, Any]) -> str:
    return "".join(f"<{n}>{_inside(v) if isinstance(v, dict) else escape(v)}</{n}>" for n, v in tree.items())
