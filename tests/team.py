"""Team mode for tests: its middlewares and its pages."""

from __future__ import annotations

from importlib import import_module
from unittest import TestCase, mock

from django.conf import settings
from django.test import override_settings
from django.urls import clear_url_caches

from server import urls


class TeamMode(TestCase):
    """With people who log in. Locking out is not part of it: that wants its own tables."""

    @classmethod
    def setUpClass(cls) -> None:
        middleware = [*settings.MIDDLEWARE, *settings.PEOPLE_MIDDLEWARE]
        quick = ["django.contrib.auth.hashers.MD5PasswordHasher"]
        cls.enterClassContext(
            override_settings(TEAM=True, MIDDLEWARE=middleware, PASSWORD_HASHERS=quick)
        )
        patterns = [*import_module("server.account_pages").patterns, *urls.urlpatterns]
        cls.enterClassContext(mock.patch.object(urls, "urlpatterns", patterns))
        clear_url_caches()
        cls.addClassCleanup(clear_url_caches)
        super().setUpClass()
