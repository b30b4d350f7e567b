"""The ASGI application, for `netloom_server.main` and for tests."""

import os

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "netloom_server.config.settings")
django.setup(set_prefix=False)

from django.core.handlers.asgi import ASGIHandler  # noqa: E402

application = ASGIHandler()
