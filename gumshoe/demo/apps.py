"""App configuration."""

from django.apps import AppConfig


class DemoConfig(AppConfig):
    """The demo app."""

    name = "gumshoe.demo"
