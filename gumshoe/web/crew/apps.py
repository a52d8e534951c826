"""App configuration."""

from django.apps import AppConfig


class CrewConfig(AppConfig):
    """The crew app."""

    name = "gumshoe.web.crew"
