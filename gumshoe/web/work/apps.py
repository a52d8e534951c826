"""App configuration."""

from django.apps import AppConfig


class WorkConfig(AppConfig):
    """The work app."""

    name = "gumshoe.web.work"
