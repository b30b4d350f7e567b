"""The app makes its triggers after each migration."""

from __future__ import annotations

from django.apps import AppConfig
from django.db.models.signals import post_migrate


class InstallationConfig(AppConfig):
    name = "netloom_server.installation"

    def ready(self) -> None:
        from netloom_server.installation import triggers

        post_migrate.connect(triggers.make, dispatch_uid="installation.triggers")
