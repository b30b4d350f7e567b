"""The ASGI application, for `netloom_server.main` and for tests."""

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "netloom_server.config.settings")
django.setup(set_prefix=False)

from netloom_core.backup.archive import MAX_ARCHIVE  # noqa: E402
from netloom_server.base.uploads import BodyLimit  # noqa: E402
from netloom_server.config.handler import Handler  # noqa: E402

ARCHIVES = ("/api/backups/import", "/api/backups/check")
MAX_FIRMWARE = 260_000_000  # an archive of files with what is around it
handler = Handler()
application = BodyLimit(handler, {**dict.fromkeys(ARCHIVES, MAX_ARCHIVE), "/api/firmware/import": MAX_FIRMWARE})
