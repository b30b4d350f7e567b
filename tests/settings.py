"""Django settings for tests: the server's own, on a data folder that goes away."""

import atexit
import os
import shutil
import tempfile

_folder = tempfile.mkdtemp(prefix="netloom-test-")
atexit.register(shutil.rmtree, _folder, ignore_errors=True)
os.environ["NETLOOM_DATA"] = _folder

from netloom_server.config.settings import *  # noqa: E402, F403

# A file, as the real one: threads have connections of their own to it, and wait for each other.
DATABASES["default"]["TEST"] = {"NAME": f"{_folder}/test.sqlite3"}  # noqa: F405

OWNER_TOKEN = "the-owner-of-the-folder"
ALLOWED_HOSTS = [*ALLOWED_HOSTS, "testserver"]  # noqa: F405
PASSWORD_HASHERS = ["tests.hashing.Quick"]
