"""Making one paper, in a process of its own: python -m netloom_server.papers ID

It takes nothing from the server's memory and time. It writes how that ended as one JSON document: the
file's size and digest, or why there is none. The file has its name only when it is whole.
"""

from __future__ import annotations

import os
import sys

import django
import orjson

BESIDES = 5  # niceness: the server goes first


def main(ident: str) -> int:
    os.nice(BESIDES)
    os.umask(0o077)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "netloom_server.config.settings")
    django.setup()
    from django.db import connection, transaction

    from netloom_core.errors import NetloomError
    from netloom_server.installation.services import profiles
    from netloom_server.papers.kinds.registry import KINDS
    from netloom_server.papers.services import papers

    paper = papers.find(ident)
    path = papers.file_of(paper)
    path.parent.mkdir(mode=0o700, exist_ok=True)
    connection.settings_dict["OPTIONS"]["transaction_mode"] = (
        "DEFERRED"  # it reads only, so it must not keep writers waiting
    )
    parent = os.getppid()
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with transaction.atomic():  # one moment of the records, whatever changes meanwhile
            KINDS[paper.kind].make(part, profiles.library())
        with part.open("rb") as file:
            os.fsync(file.fileno())
        if os.getppid() != parent:
            return 1  # the server that asked is gone; the next one has it made anew
        part.replace(path)
        told = {"bytes": path.stat().st_size, "digest": papers.digest_of(path)}
    except NetloomError as error:
        told = {"message": error.message, "hint": error.hint}
    except OSError as error:
        text = f"The file could not be written: {error.strerror}. Nothing else was changed."
        told = {"message": text, "hint": "Look at the disk of the data folder; `netloom doctor` does, too."}
    finally:
        part.unlink(missing_ok=True)
    sys.stdout.buffer.write(orjson.dumps(told))
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
