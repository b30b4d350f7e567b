"""BagIt bags (RFC 8493) in a zip, written and checked file by file, without unpacking anything to the disk.

    bagit.txt, bag-info.txt          what it is
    manifest-sha256.txt              the SHA-256 of each file below data/
    tagmanifest-sha256.txt           and of the three above

A thousand small files cost their bytes and nothing else this way.
"""

from __future__ import annotations

import hashlib
import zipfile
from collections.abc import Iterable, Iterator, Mapping
from datetime import UTC, datetime

from netloom_core.errors import ArchiveDamaged

HINT = "Nothing was taken from it. Use another copy of the archive."
PAYLOAD, MANIFEST, TAGS = "data/", "manifest-sha256.txt", "tagmanifest-sha256.txt"
DECLARATION = b"BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n"
EPOCH = (1980, 1, 1, 0, 0, 0)
MAX_MANIFEST = 20_000_000  # bytes of one tag file
HEX = 64


def sha256(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def write_bag(out: zipfile.ZipFile, payload: Iterable[tuple[str, bytes]], about: Mapping[str, str]) -> None:
    """`payload` are names below data/ and contents; `about` goes to bag-info.txt, each value on one line."""
    lines, size, count = [], 0, 0
    for name, content in payload:
        _put(out, PAYLOAD + name, content)
        lines.append(f"{sha256(content)}  {PAYLOAD}{name}\n")
        size, count = size + len(content), count + 1
    info = {
        **{name: " ".join(value.split()) for name, value in about.items()},
        "Bagging-Date": f"{datetime.now(UTC):%Y-%m-%d}",
        "Payload-Oxum": f"{size}.{count}",
    }
    tags = {
        "bagit.txt": DECLARATION,
        "bag-info.txt": "".join(f"{name}: {value}\n" for name, value in info.items()).encode(),
        MANIFEST: "".join(lines).encode(),
    }
    for name, content in tags.items():
        _put(out, name, content)
    _put(out, TAGS, "".join(f"{sha256(content)}  {name}\n" for name, content in tags.items()).encode())


def _put(out: zipfile.ZipFile, name: str, content: bytes) -> None:
    out.writestr(zipfile.ZipInfo(name, EPOCH), content, zipfile.ZIP_DEFLATED)


class Bag:
    """A bag that somebody gives us. Every file is bounded, named once, and in a manifest.

    Raises ArchiveDamaged; zipfile's own errors pass through.
    """

    def __init__(self, source: zipfile.ZipFile, most_bytes: int, most_files: int) -> None:
        members = source.infolist()
        if len(members) > most_files or sum(member.file_size for member in members) > most_bytes:
            raise ArchiveDamaged("The archive would unpack to more than it may.", HINT)
        self._source = source
        self._members = {member.filename: member for member in members}
        if len(self._members) < len(members):
            raise ArchiveDamaged("The archive has two files of one name.", HINT)
        for name in self._members:
            if name.startswith(("/", "\\")) or ".." in name.split("/") or name.endswith("/"):
                raise ArchiveDamaged(f"The archive has a file outside of itself: {name[:80]!r}.", HINT)
        tags = self._manifest(TAGS)
        if not {"bagit.txt", MANIFEST} <= tags.keys():
            raise ArchiveDamaged("The archive is no whole bag: its declaration or its manifest is not sealed.", HINT)
        for name, digest in tags.items():
            self._checked(name, digest)
        self._payload = self._manifest(MANIFEST)
        more = self._members.keys() - tags.keys() - self._payload.keys() - {TAGS}
        if more:
            raise ArchiveDamaged(f"The archive has a file that no manifest names: {min(more)[:80]!r}.", HINT)

    def payload(self) -> Iterator[tuple[str, bytes]]:
        """Names below data/ and contents, each checked as it is given."""
        for name, digest in self._payload.items():
            if not name.startswith(PAYLOAD):
                raise ArchiveDamaged(f"The archive's manifest names {name[:80]!r}, which is no part of it.", HINT)
            yield name.removeprefix(PAYLOAD), self._checked(name, digest)

    def file(self, name: str) -> bytes:
        """One file below data/."""
        digest = self._payload.get(PAYLOAD + name)
        if digest is None:
            raise ArchiveDamaged(f"The archive has no {name}.", HINT)
        return self._checked(PAYLOAD + name, digest)

    def _read(self, name: str, most: int | None = None) -> bytes:
        member = self._members.get(name)
        if member is None:
            raise ArchiveDamaged(f"The archive has no {name[:80]}.", HINT)
        size = member.file_size
        if most is not None and size > most:
            raise ArchiveDamaged(f"{name[:80]} of the archive is larger than it may be.", HINT)
        with self._source.open(member) as inner:
            content = inner.read(size + 1)
        if len(content) != size:
            raise ArchiveDamaged(f"{name[:80]} of the archive is not as long as it says.", HINT)
        return content

    def _checked(self, name: str, digest: str) -> bytes:
        content = self._read(name)
        if sha256(content) != digest:
            raise ArchiveDamaged(f"{name[:80]} of the archive is not what its manifest says.", HINT)
        return content

    def _manifest(self, name: str) -> dict[str, str]:
        """Digests by path (RFC 8493, 2.1.3)."""
        found: dict[str, str] = {}
        for line in self._read(name, MAX_MANIFEST).decode("utf-8").splitlines():
            digest, path = (*line.split(None, 1), "", "")[:2]
            path = path.strip().removeprefix("*").removeprefix("./")
            if len(digest) != HEX or not path or path in found:
                raise ArchiveDamaged(f"{name} of the archive has a line that is none: {line[:80]!r}.", HINT)
            found[path] = digest.lower()
        return found
