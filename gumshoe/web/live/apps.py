"""App configuration."""

from django.apps import AppConfig


class LiveConfig(AppConfig):
    """The live app."""

    name = "gumshoe.web.live"
