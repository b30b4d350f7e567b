"""Django settings for tests: the server's own, on a data folder that goes away."""

import atexit
import os
import shutil
import tempfile

_folder = tempfile.mkdtemp(prefix="netloom-test-")
atexit.register(shutil.rmtree, _folder, ignore_errors=True)
os.environ["NETLOOM_DATA"] = _folder

from netloom_server.config.settings import *  # noqa: E402, F403

OWNER_TOKEN = "the-owner-of-the-folder"
