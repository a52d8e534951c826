"""App configuration."""

from django.apps import AppConfig


class LibraryConfig(AppConfig):
    """The library app."""

    name = "gumshoe.web.library"
