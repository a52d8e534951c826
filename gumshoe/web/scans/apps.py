"""App configuration."""

from django.apps import AppConfig


class ScansConfig(AppConfig):
    """The scans app."""

    name = "gumshoe.web.scans"
