"""App configuration."""

from django.apps import AppConfig


class PapersConfig(AppConfig):
    """The papers app."""

    name = "gumshoe.web.papers"
