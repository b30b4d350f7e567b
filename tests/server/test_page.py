"""The one page, and the files that it asks for."""

from __future__ import annotations

from pathlib import Path

import pytest
from django.test import Client
from pytest_django import Settings

pytestmark = pytest.mark.django_db


def test_an_interface_that_is_built_anew_is_served_by_the_server_that_runs(settings: Settings, tmp_path: Path) -> None:
    """Its files have other names each time: the page would stay blank."""
    settings.WEB_DIST, settings.STATICFILES_DIRS = tmp_path, [tmp_path]
    browser = Client()
    assert browser.get("/").status_code == 503
    for name in ("first", "second"):
        for old in tmp_path.glob("*"):
            old.unlink()
        (tmp_path / "index.html").write_text(f'<script src="/static/{name}.js"></script>')
        (tmp_path / f"{name}.js").write_text("1")
        assert f"{name}.js".encode() in b"".join(browser.get("/devices").streaming_content)
        assert browser.get(f"/static/{name}.js").status_code == 200
    assert browser.get("/static/first.js").status_code == 404


@pytest.mark.parametrize("path", ["../index.html", "..%2f..%2fetc%2fpasswd", "%00", "a%00.js", "//etc/passwd", "."])
def test_nothing_beside_them_is_served(settings: Settings, tmp_path: Path, path: str) -> None:
    (tmp_path / "dist").mkdir()
    (tmp_path / "index.html").write_text("outside")
    settings.WEB_DIST, settings.STATICFILES_DIRS = tmp_path / "dist", [tmp_path / "dist"]
    assert Client().get(f"/static/{path}").status_code in (400, 404)
