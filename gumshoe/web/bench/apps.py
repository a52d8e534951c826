"""App configuration."""

from django.apps import AppConfig


class BenchConfig(AppConfig):
    """The bench app."""

    name = "gumshoe.web.bench"
